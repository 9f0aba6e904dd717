"""How old are those of whom a table's row is? Age groups as they are written in a dozen languages.

A label is read by its numbers; the words beside them say whether the group is open, and at which end. What is not
known is not guessed: a label that cannot be read is said, never passed over.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence

import numpy as np

Ages = tuple[float, float]
# Words that say nothing of which ages are meant: years, old, aged, the group of.
_FILLING = frozenset(
    ["year", "years", "yrs", "yr", "y", "old", "aged", "age", "ages", "jahre", "jahren", "jahr", "j", "ans", "an",
     "annees", "anos", "ano", "edad", "idade", "anni", "anno", "eta", "jaar", "jaren", "leeftijd", "ar", "aar", "alder",
     "lat", "lata", "rok", "roku", "let", "vuotta", "vuotiaat", "ev", "eves", "de", "d", "of", "von", "der", "the",
     "group"]
)  # fmt: skip
_AGE_BEFORE = frozenset(["alter", "alte"])  # before a number: age; after it: older
# Before a number: of those who are older than it, at least as old, younger, or at most as old.
_OLDER = ("over", "above", "older than", "more than", "uber", "ueber", "alter als", "aelter als", "mehr als", "plus de",
    "plus que", "mas de", "mayor de", "mayores de", "mais de", "oltre", "piu di", "ouder dan", "meer dan", "boven",
    "eldre enn", "aldre an", "aeldre end", "mer an", "mere end", "ponad", "powyzej", "nad", ">")  # fmt: skip
_FROM = ("from", "at least", "since", "ab", "mindestens", "a partir de", "a partir d", "des", "desde", "da", "dai",
    "vanaf", "minst", "mindst", "fran", "fra", "od", "co najmniej", ">=", "=>", "≥", "⩾")  # fmt: skip
_YOUNGER = ("under", "below", "younger than", "less than", "unter", "junger als", "juenger als", "weniger als",
    "moins de", "moins que", "menos de", "menor de", "menores de", "meno di", "sotto", "jonger dan", "minder dan",
    "onder", "yngre enn", "yngre an", "yngre end", "mindre an", "mindre end", "ponizej", "pod", "<")  # fmt: skip
_UP_TO = ("up to", "to", "at most", "bis", "hochstens", "hoechstens", "jusqu a", "jusque", "hasta", "ate", "fino a",
    "tot en met", "t/m", "tot", "til", "till", "do", "<=", "=<", "≤", "⩽", "-", "..", "…")  # fmt: skip
# After a number: who is at least, or at most, as old.
_AND = ("and", "or", "&", "und", "oder", "et", "ou", "y", "o", "e", "en", "of", "og", "och", "eller", "i", "lub", "a",
    "nebo", "ja", "tai", "es", "vagy", "u", "")  # fmt: skip
_MORE = ("over", "older", "more", "above", "up", "upwards", "plus", "alter", "aelter", "mehr", "daruber", "darueber",
    "au dela", "davantage", "mas", "mais", "piu", "oltre", "ouder", "meer", "hoger", "eldre", "aldre", "aeldre", "mer",
    "mere", "over", "wiecej", "starsi", "starszych", "powyzej", "vice", "starsich", "vanhemmat", "enemman", "idosebb",
    "felette", "velhos", "superior", "mayores")  # fmt: skip
_LESS = ("under", "younger", "less", "below", "junger", "juenger", "weniger", "darunter", "moins", "menos", "meno",
    "jonger", "minder", "yngre", "mindre", "mniej", "mlodsi", "mladsi", "mene")  # fmt: skip
_SPANS = frozenset(
    ["-", "to", "until", "bis", "a", "au", "al", "ate", "til", "till", "tot", "t/m", "tot en met", "do", "az", "..",
     "...", "…", "/", "and", "und", "et", "y", "e", "en", "och", "og", "i"]
)  # fmt: skip
_BETWEEN = frozenset(["between", "zwischen", "entre", "tra", "tussen", "mellan", "mellem", "miedzy", "mezi"])
_DASHES = dict.fromkeys(map(ord, "‐‑‒–—−―"), "-")


def ages(label: str) -> Ages | None:
    """The first and last age, in whole years, of a group; None where it cannot be read.

    >>> [ages(t) for t in ("65-74", "85 and over", "under 5", "7", "over 84", "85 Jahre und älter", "all")]
    [(65.0, 74.0), (85.0, inf), (0.0, 4.0), (7.0, 7.0), (85.0, inf), (85.0, inf), None]
    """
    text = _plain(label)
    numbers = list(re.finditer(r"\d+", text))
    if not numbers or len(numbers) > 2 or any(len(n[0]) > 3 for n in numbers):
        return None
    before, after = _words(text[: numbers[0].start()], _AGE_BEFORE), _words(text[numbers[-1].end() :])
    first = float(numbers[0][0])
    if len(numbers) == 2:
        last = float(numbers[1][0])
        between = _words(text[numbers[0].end() : numbers[1].start()])
        if (start := between.rpartition(" "))[0] in _SPANS and start[2] in ("under", "unter", "below"):
            between, last = start[0], last - 1.0
        spans = between in _SPANS and (not before or before in _BETWEEN) and not after
        return (first, last) if spans and first <= last else None
    if before and after:
        return None
    if not before and not after:
        return first, first
    if before in _OLDER:
        return first + 1.0, np.inf
    if before in _FROM or _ends(after, _MORE) or (after and set(after) <= set("+-.…")):
        return first, np.inf
    if before in _YOUNGER and first > 0.0:
        return 0.0, first - 1.0
    return (0.0, first) if before in _UP_TO or _ends(after, _LESS) else None


def untold(labels: Iterable[str]) -> list[str]:
    """Those of the labels that have a number in them and cannot be read."""
    return [label for label in labels if re.search(r"\d", label) and ages(label) is None]


def between(groups: Sequence[tuple[str, Ages]], low: float, high: float) -> list[str] | str:
    """The labels of the groups that make up the ages from `low` to `high`, each age once; else why none do, in words.

    A group that others make up between them is their total, and left out.
    """
    here = [(label, g) for label, g in groups if g[1] >= low and g[0] <= high]
    for label, (first, last) in here:
        if first < low or last > high:
            return f"“{label}” lies in it only in part"
    parts = [(label, g) for label, g in here if not _made_up(g, [o for _, o in here if o != g])]
    parts.sort(key=lambda one: one[1])
    for (a, (_, last)), (b, (first, _)) in zip(parts, parts[1:], strict=False):
        if first <= last:
            return f"“{a}” and “{b}” overlap"
        if first > last + 1.0:
            return f"the ages from {last + 1.0:g} to {first - 1.0:g} are in no group"
    return [label for label, _ in parts]


def _made_up(of: Ages, others: Sequence[Ages]) -> bool:
    """Do some of the others cover a group, each age once, without reaching beyond it?"""
    inside = sorted(o for o in others if of[0] <= o[0] and o[1] <= of[1])
    at = of[0]
    for first, last in inside:
        if first == at:
            at = last + 1.0
    return bool(inside) and at >= of[1] + 1.0  # of an open group too, where both have no end


def _plain(label: str) -> str:
    """Without accents, in small letters, with one kind of dash."""
    text = unicodedata.normalize("NFKD", label.casefold().replace("ł", "l").replace("ø", "o").replace("ß", "ss"))
    return "".join(c for c in text if not unicodedata.combining(c)).translate(_DASHES)


def _words(text: str, more: frozenset[str] = frozenset()) -> str:
    """What stands beside a number, without words that say nothing of which ages are meant."""
    found = re.findall(r"[a-z]+(?:/[a-z]+)?|[^\sa-z,;:()\[\]'’]+", text.replace("t/m", " t/m "))
    kept = [w for w in found if w not in _FILLING and w not in more and w != "."]
    joined = " ".join(kept)
    if joined in _OLDER + _FROM + _YOUNGER + _UP_TO or not kept:
        return joined
    # Some of these words are meant where they stand with others: "plus de", "older than".
    whole = " ".join(w for w in found if w not in ("years", "ans", "jahre", "anos", "anni", "jaar", "ar", "lat"))
    return whole if whole in _OLDER + _FROM + _YOUNGER + _UP_TO else joined


def _ends(after: str, what: Sequence[str]) -> bool:
    return any(after == f"{link} {word}".strip() for link in _AND for word in what)
