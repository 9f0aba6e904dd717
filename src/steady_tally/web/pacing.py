"""Large answers are sent a piece at a time, and few at once: who does not read theirs holds little of the memory."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Any

from flask import Flask, Response, request

from steady_tally.web.aside import INSIDE
from steady_tally.web.problems import Busy, busy

LARGE = 8 << 20
"""Bytes from which on an answer is a large one."""

MOST = 4
"""How many large answers are on their way at once."""

_PIECE = 256 << 10
_on_their_way = threading.BoundedSemaphore(MOST)


def pace(app: Flask) -> None:
    """Send the application's large answers so."""

    @app.after_request
    def paced(response: Response) -> Response:
        whole = not (response.direct_passthrough or response.is_streamed)
        if INSIDE in request.environ or not whole or (response.calculate_content_length() or 0) < LARGE:
            return response
        if not _on_their_way.acquire(blocking=False):
            return busy(Busy("several large answers are on their way.", todo="This one waits for its turn."))
        data = response.get_data()
        response.response = _Pieces(data)
        response.headers["Content-Length"] = str(len(data))
        return response


class _Pieces:
    """The pieces of an answer, which is no more on its way once it is closed, however that comes."""

    def __init__(self, data: bytes) -> None:
        self._data: bytes | None = data

    def __iter__(self) -> Iterator[bytes]:
        data = self._data or b""
        for at in range(0, len(data), _PIECE):
            yield data[at : at + _PIECE]

    def close(self, *_: Any) -> None:
        if self._data is not None:
            self._data = None
            _on_their_way.release()
