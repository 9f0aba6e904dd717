"""What comes in is cleaned once, at the door: addresses, and bodies of JSON. What lies behind need not ask again."""

from __future__ import annotations

import json
import re
from typing import Any

from flask import Flask, request
from flask.json.provider import DefaultJSONProvider

from steady_tally.core.errors import SteadyTallyError

DEEPEST = 100
"""Lists and objects within one another."""

# Signs that no name and no text has: they end strings, or cannot be stored or written.
_NO_TEXT = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff]")
_NO_NAME = re.compile("[\x00-\x1f\x7f\ud800-\udfff]")


class Unclean(SteadyTallyError):
    """What was sent holds what nothing holds."""

    kind = "request"


class CleanJson(DefaultJSONProvider):
    """Reads bodies, and takes none that is nested too deep or has signs that no text has; writes no number that JSON
    has not, which a browser could not read."""

    def dumps(self, obj: Any, **kwargs: Any) -> str:
        return super().dumps(obj, allow_nan=False, **kwargs)

    def loads(self, s: str | bytes, **kwargs: Any) -> Any:
        try:
            found = json.loads(s, **kwargs)
        except RecursionError:
            raise _too_deep() from None
        check(found)
        return found


def check(document: Any) -> None:
    """Unclean where a document is nested too deep, or one of its texts has signs that no text has."""
    level = [document]
    for _ in range(DEEPEST + 1):
        below: list[Any] = []
        for one in level:
            if isinstance(one, str):
                if _NO_TEXT.search(one):
                    raise Unclean("a text in the request has signs that no text has.", todo="Leave them out.")
            elif isinstance(one, list):
                below += one
            elif isinstance(one, dict):
                below += one.keys()
                below += one.values()
        if not below:
            return
        level = below
    raise _too_deep()


def clean(app: Flask) -> None:
    """Check every address, and every body that is read as JSON."""
    app.json = CleanJson(app)

    @app.before_request
    def look_at_the_address() -> None:
        texts = [request.path, *(v for name in request.args for v in (name, *request.args.getlist(name)))]
        if any(_NO_NAME.search(text) for text in texts):
            raise Unclean("the address has signs that no name has.", todo="Leave them out.")


def _too_deep() -> Unclean:
    return Unclean(f"the request is nested more than {DEEPEST} deep.", todo="Send a flatter one.")
