"""What does not fit a model, in words of our own: for plans, pages and requests alike."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

_WORDS = {
    "extra_forbidden": "there is no such entry",
    "missing": "this entry is missing",
    "union_tag_invalid": "“{tag}” is none of {expected_tags}",
    "union_tag_not_found": "{discriminator} is missing, which says what kind this is",
    "literal_error": "this is none of {expected}",
    "enum": "this is none of {expected}",
    "string_too_short": "this is empty",
    "string_too_long": "this is longer than {max_length} signs",
    "too_short": "there are fewer than {min_length}",
    "too_long": "there are more than {max_length}",
    "greater_than": "this is not more than {gt}",
    "greater_than_equal": "this is less than {ge}",
    "less_than": "this is not less than {lt}",
    "less_than_equal": "this is more than {le}",
    "multiple_of": "this is no multiple of {multiple_of}",
    "finite_number": "this is no number that can be written out",
    "none_required": "this is not left out",
    "string_type": "this is no text",
    "int_from_float": "this is no whole number",
    "json_invalid": "this is not JSON",
}
_KINDS = {
    "bool": "neither yes nor no",
    "bytes": "no text",
    "date": "no date",
    "datetime": "no moment",
    "time": "no time of day",
    "dict": "no object",
    "model": "no object",
    "float": "no number",
    "int": "no whole number",
    "list": "no list",
    "tuple": "no list",
    "set": "no list",
    "uuid": "no identifier",
    "decimal": "no number",
}
_PATTERNS = {
    r"^#[0-9a-f]{6}$": "this is no colour, which is # and six of 0 to 9 and a to f",
    "^[01]{24}$": "this is no day of 24 hours, each 0 or 1",
}
_VALUE_ERROR = "Value error, "  # what the model library writes before the words of our own checks


def mistake(one: Mapping[str, Any]) -> str:
    """The words for one of a `ValidationError`'s errors, without where it is."""
    kind, context = str(one["type"]), one.get("ctx", {})
    if kind in ("value_error", "assertion_error"):
        return str(one["msg"]).removeprefix(_VALUE_ERROR)
    if kind == "string_pattern_mismatch":
        return _PATTERNS.get(str(context["pattern"]), "this is not written as it must be")
    if kind in _WORDS:
        return _WORDS[kind].format(**context)
    return f"this is {_KINDS.get(kind.split('_')[0], 'not what stands here')}"
