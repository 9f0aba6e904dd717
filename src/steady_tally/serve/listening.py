"""The web server's own doors: what is settled of a request once its head is there, before its body is read, and how
many connections it holds. waitress reads all connections beside one another, and hands whole requests to threads.
"""

from __future__ import annotations

import json
import re
import socket
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import create_server
from waitress.utilities import Error

from steady_tally.store.keys import cookie_name, hosts_at, is_open
from steady_tally.store.room import LEAST, RESERVE, free_bytes

SMALL_BODY = 8 << 20
"""Bytes of a body that is no file on its way in."""

_IN_MEMORY = 1 << 19  # bytes of a body; what is longer waits on the disk until it is whole
_ANSWER_IN_MEMORY = 1 << 28
_AHEAD = 4 << 20  # bytes of an answer in pieces that wait to be taken
_CONNECTIONS = 1_000
_THREADS = 12  # of which two may look into files, and four wait for helpers
_IDLE_S = 60
_UNREAD_S = 30.0  # without a byte of an answer being taken
_STRANGERS = 100  # connections without a session
_STRANGER_S = 10.0
_NO_KEY = "This page opens by a key. Open the address that ./start.sh printed, or one of ./start.sh --print-key."
_HEAD_S = 20.0  # from a connection's first byte to the end of its head
_SLOWEST = 20_000.0  # bytes a second of a body, beside a minute's grace
_GRACE_S = 60.0
_UPLOAD = re.compile(r"/api/studies/[^/]+/uploads/[^/]+/[^/]+")


class Refusal(Error):
    """An answer as the application gives it (RFC 9457), to a request that it never sees."""

    def __init__(self, code: int, reason: str, detail: str, kind: str = "request") -> None:
        super().__init__(detail)
        self.code, self.reason, self.kind = code, reason, kind

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        told = {"type": f"/problems/{self.kind}", "title": self.reason, "status": self.code, "detail": self.body}
        headers = [("Content-Type", "application/problem+json"), ("Cache-Control", "no-store")]
        return f"{self.code} {self.reason}", headers, json.dumps(told).encode()


def make_server(app: Any, listener: socket.socket, port: int, data: Path, largest: Callable[[], int]) -> Any:
    """A server on a socket that listens already. `largest` says how many bytes a file on its way in may have."""
    hosts = hosts_at(port, data)
    session = re.compile(rf"(?:^|;)\s*{cookie_name(port)}=([^;\s]+)")

    class Parser(HTTPRequestParser):
        error: Any

        def __init__(self, adj: Any, channel: Channel) -> None:
            super().__init__(adj)
            self.begun = time.monotonic()
            self.channel = channel

        def received(self, coming: bytes) -> int:
            in_body = self.headers_finished
            consumed = int(super().received(coming))
            if self.empty or self.error is not None:
                return consumed
            refused = self._too_slow() if in_body or not self.headers_finished else self._refused()
            if refused is None:
                return consumed
            self.error, self.completed, self.expect_continue, self.connection_close = refused, True, False, True
            return len(coming)  # what follows is no request of its own

        def _refused(self) -> Refusal | None:
            """What is wrong with a head."""
            if self.headers.get("HOST", "") not in hosts:
                return Refusal(403, "Forbidden", "This request is addressed to another host.")
            token = session.search(self.headers.get("COOKIE", ""))
            self.channel.known = token is not None and is_open(data, token.group(1))
            if self.chunked:
                return Refusal(411, "Length Required", "Say how long the request is.")
            upload = self.command == "PUT" and _UPLOAD.fullmatch(self.path) is not None
            most = largest() if upload else SMALL_BODY
            if self.content_length > most:
                what = "This file" if upload else "The request"
                return Refusal(413, "Content Too Large", f"{what} is larger than the {most >> 20:,} MB that are taken.")
            if self.content_length and not self.channel.known:  # whose body is not read at all
                return Refusal(401, "Unauthorized", _NO_KEY, "locked")
            free = free_bytes(data)
            if upload and self.content_length > free - RESERVE:
                says = "There is no room left on the disk for this file. Make room, then bring it in again."
                return Refusal(507, "Insufficient Storage", says)
            if self.content_length > _IN_MEMORY and free < LEAST:
                return Refusal(507, "Insufficient Storage", "The disk is full. Make room, then try again.")
            return None

        def _too_slow(self) -> Refusal | None:
            since = time.monotonic() - self.begun
            most = _HEAD_S if not self.headers_finished else _GRACE_S + self.body_bytes_received / _SLOWEST
            return Refusal(408, "Request Timeout", "The request came too slowly.") if since > most else None

    class Channel(HTTPChannel):
        """A connection; `known` once a request on it has shown a session. Of others few are kept, and not for long."""

        known = False

        def __init__(self, server: Any, *arguments: Any, **options: Any) -> None:
            super().__init__(server, *arguments, **options)
            self.parser_class = lambda adj: Parser(adj, self)
            waiting = _strangers(server)
            for channel in sorted(waiting, key=lambda c: c.creation_time)[: len(waiting) - _STRANGERS]:
                channel.will_close = True

    server = create_server(
        app,
        sockets=[listener],
        threads=_THREADS,
        ident=None,
        connection_limit=_CONNECTIONS,
        asyncore_use_poll=True,
        channel_timeout=_IDLE_S,
        inbuf_overflow=_IN_MEMORY,
        outbuf_high_watermark=_AHEAD,
        outbuf_overflow=_ANSWER_IN_MEMORY,  # no answer needs room on the disk
        cleanup_interval=2,
        max_request_body_size=1 << 50,  # each request has a limit of its own
        channel_request_lookahead=1,  # so that who has gone is noticed while their request is answered
    )
    server.channel_class = Channel
    maintain = server.maintenance

    def maintenance(now: float) -> None:
        maintain(now)
        for channel in _strangers(server):
            if channel.creation_time < now - _STRANGER_S:
                channel.will_close = True
        for channel in list(server.active_channels.values()):  # who does not read what was asked for holds a thread
            if channel.total_outbufs_len and channel.last_activity < now - _UNREAD_S:
                channel.handle_close()  # to be marked is not enough: nothing more can be written that would notice

    server.maintenance = maintenance
    return server


def _strangers(server: Any) -> list[Any]:
    """The connections that have shown no session, and that are not being answered."""
    found = server.active_channels.values()
    return [c for c in found if not (c.known or c.requests or c.total_outbufs_len or c.will_close)]
