"""Who may call what: one place, deny by default.

A request is let through only if it is addressed to us by name (Host), does not come from another site's page (Origin,
Sec-Fetch-Site), comes from a browser that has taken a key, and its route states a right that the caller has. A route
that states none is closed. What is open without a key says nothing of anybody.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, TypeVar

from flask import Flask, Response, g, make_response, redirect, render_template, request

from steady_tally.core.errors import SteadyTallyError
from steady_tally.store.database import data_folder
from steady_tally.store.keys import SESSION_S, cookie_name, hosts_at, is_open, take_key
from steady_tally.store.room import check_saving, says_full
from steady_tally.store.sources import sources_once
from steady_tally.web.aside import INSIDE

View = TypeVar("View", bound=Callable[..., Any])
_SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
_OPEN = "/healthz"
_KEY = "key"


class Right(StrEnum):
    """What a caller may do."""

    READ = "read"
    CHANGE = "change"


class Refused(SteadyTallyError):
    """The request is not let through."""

    kind = "refused"


class Locked(SteadyTallyError):
    """The caller has no key."""

    kind = "locked"


@dataclass(frozen=True)
class Caller:
    """Who is calling. For now everybody who has taken a key is the one local user."""

    name: str
    rights: frozenset[Right]


LOCAL_USER = Caller("local user", frozenset(Right))


def needs(right: Right, *, when_full: bool = False) -> Callable[[View], View]:
    """State the right that a route needs, and whether it is answered though the disk is full: what only makes room
    or ends work is, and what is only looked at."""

    def mark(view: View) -> View:
        view.__right__ = right  # type: ignore[attr-defined]
        view.__when_full__ = when_full or right == Right.READ  # type: ignore[attr-defined]
        return view

    return mark


def guard(app: Flask, port: int) -> None:
    """Check every request before its route is called."""
    hosts: set[str] = set()

    def entered() -> bool:
        token = request.cookies.get(cookie_name(port))
        return token is not None and is_open(data_folder(), token)

    @app.before_request
    def check() -> Response | None:
        if not hosts:
            hosts.update(hosts_at(port, data_folder()))
        if request.host not in hosts:
            raise Refused("this request is addressed to another host.", todo="Open the address that start.sh prints.")
        origin = request.headers.get("Origin")
        if origin is not None and origin.removeprefix("http://") not in hosts:
            raise Refused("this request comes from another site's page.", todo="Use the application's own page.")
        if request.method not in _SAFE_METHODS and request.headers.get("Sec-Fetch-Site", "none") not in (
            "same-origin",
            "none",
        ):
            raise Refused("this request comes from another site's page.", todo="Use the application's own page.")
        if request.path == "/" and request.method == "GET" and _KEY in request.args:
            return _enter(port, request.args[_KEY], already=entered())
        if request.path != _OPEN and INSIDE not in request.environ and not entered():
            if request.path.startswith(("/api/", "/openapi/")) or request.method != "GET":
                raise Locked(
                    "this page opens by a key.",
                    todo="Open the address that ./start.sh printed, or one of ./start.sh --print-key.",
                )
            return _locked("Nobody without a key sees what is in it.")
        if request.endpoint is None:
            return None  # nothing there: the 404 answers
        right = getattr(app.view_functions[request.endpoint], "__right__", None)
        if right == Right.READ:
            g.reads = ExitStack()
            g.reads.enter_context(sources_once())
        g.caller = LOCAL_USER
        if right is None or right not in g.caller.rights:
            raise Refused("you may not do this.", todo="Ask whoever runs this installation.")
        if not getattr(app.view_functions[request.endpoint], "__when_full__", False):
            check_saving()
        return None

    @app.teardown_request
    def read(_error: BaseException | None) -> None:
        if "reads" in g:
            g.pop("reads").close()

    @app.after_request
    def protect(response: Any) -> Any:
        response.headers["Content-Security-Policy"] = (
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
            "worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response


def _enter(port: int, key: str, *, already: bool) -> Response:
    """Take a key, and have the browser come again without it in its address."""
    token = take_key(data_folder(), key)
    if token is None and not already:
        return _locked("The key in the address is spent, or too old.")
    response = make_response(redirect("/"))
    response.headers["Cache-Control"] = "no-store"
    if token is not None:
        response.set_cookie(
            cookie_name(port), token, max_age=SESSION_S, httponly=True, samesite="Strict", secure=False, path="/"
        )
    return response


def _locked(says: str) -> Response:
    response = make_response(render_template("locked.html", says=says, full=says_full()), 401)
    response.headers["Cache-Control"] = "no-store"
    return response
