"""Who may call what: one place, deny by default.

A request is let through only if it is addressed to us by name (Host), does not come from another site's page (Origin,
Sec-Fetch-Site), and its route states a right that the caller has. A route that states none is closed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, TypeVar

from flask import Flask, g, request

from steady_tally.core.errors import SteadyTallyError

View = TypeVar("View", bound=Callable[..., Any])
_SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}


class Right(StrEnum):
    """What a caller may do."""

    READ = "read"
    CHANGE = "change"


class Refused(SteadyTallyError):
    """The request is not let through."""

    kind = "refused"


@dataclass(frozen=True)
class Caller:
    """Who is calling. For now everybody who reaches the loopback address is the one local user."""

    name: str
    rights: frozenset[Right]


LOCAL_USER = Caller("local user", frozenset(Right))


def needs(right: Right) -> Callable[[View], View]:
    """State the right that a route needs."""

    def mark(view: View) -> View:
        view.__right__ = right  # type: ignore[attr-defined]
        return view

    return mark


def guard(app: Flask, port: int) -> None:
    """Check every request before its route is called."""
    hosts = {f"127.0.0.1:{port}", f"localhost:{port}", f"[::1]:{port}"}
    origins = {f"http://{host}" for host in hosts}

    @app.before_request
    def check() -> None:
        if request.host not in hosts:
            raise Refused("this request is addressed to another host.", todo="Open the address that start.sh prints.")
        origin = request.headers.get("Origin")
        if origin is not None and origin not in origins:
            raise Refused("this request comes from another site's page.", todo="Use the application's own page.")
        if request.method not in _SAFE_METHODS and request.headers.get("Sec-Fetch-Site", "none") not in (
            "same-origin",
            "none",
        ):
            raise Refused("this request comes from another site's page.", todo="Use the application's own page.")
        if request.endpoint is None:
            return  # nothing there: the 404 answers
        right = getattr(app.view_functions[request.endpoint], "__right__", None)
        g.caller = LOCAL_USER
        if right is None or right not in g.caller.rights:
            raise Refused("you may not do this.", todo="Ask whoever runs this installation.")

    @app.after_request
    def protect(response: Any) -> Any:
        response.headers["Content-Security-Policy"] = (
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
            "worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response
