"""Bulk arrays as uncompressed Arrow streams. The JavaScript reader brings no decompressors: HTTP compresses."""

from __future__ import annotations

import gzip
from collections.abc import Callable

import numpy as np
import pyarrow as pa
from flask import Response, request

from steady_tally.core.place.grid import CellSet, Lattice
from steady_tally.core.show.drawing import Rings
from steady_tally.results.kept import kept

ARROW = "application/vnd.apache.arrow.stream"
_GZIP_FROM = 4_096


def stream(table: pa.Table, meta: dict[str, str]) -> Response:
    """One record batch."""
    return _answer(_encoded(table, meta))


def bulk(table: pa.Table, meta: dict[str, str]) -> Response:
    """The same for what is asked for under its own key, and so never changes."""
    return _immutable(_encoded(table, meta))


def kept_bulk(key: str, make: Callable[[], tuple[pa.Table, dict[str, str]]]) -> Response:
    """The same for what takes time to make: it is kept under the key as it is sent."""
    return _immutable(kept(f"sent {key}", lambda: _encoded(*make())))


def _encoded(table: pa.Table, meta: dict[str, str]) -> tuple[bytes, bytes]:
    """As it is, and packed; nothing where that is not worth it."""
    table = table.replace_schema_metadata(meta).combine_chunks()
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, table.schema) as writer:
        writer.write_table(table)
    body = sink.getvalue().to_pybytes()
    return body, gzip.compress(body, compresslevel=1) if len(body) >= _GZIP_FROM else b""


def _answer(encoded: tuple[bytes, bytes]) -> Response:
    body, packed = encoded
    accepts = bool(packed) and "gzip" in request.headers.get("Accept-Encoding", "")
    response = Response(packed if accepts else body, content_type=ARROW)
    if accepts:
        response.headers["Content-Encoding"] = "gzip"
    response.headers["Vary"] = "Accept-Encoding"
    return response


def _immutable(encoded: tuple[bytes, bytes]) -> Response:
    response = _answer(encoded)
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


def ring_table(rings: Rings) -> pa.Table:
    flat = pa.array(rings.xy.ravel())
    return pa.table({"owner": rings.owner, "xy": pa.ListArray.from_arrays(pa.array(rings.start * 2), flat)})


def cell_table(cells: CellSet) -> pa.Table:
    """Every drawn cell and the area that it is, or is part of."""
    merged = cells.merged
    return pa.table(
        {
            "column": np.concatenate([cells.column, merged[:, 0]]).astype(np.int32),
            "row": np.concatenate([cells.row, merged[:, 1]]).astype(np.int32),
            "area": np.concatenate([np.arange(len(cells)), merged[:, 2]]).astype(np.int32),
        }
    )


def lattice_meta(lattice: Lattice, origin: tuple[float, float]) -> dict[str, str]:
    """Where the cells lie, from the origin of the drawing's plane."""
    hexagon, swapped, width, height, x, y, cosine, sine = lattice.frame
    shape = ("hexagon side" if swapped else "hexagon corner") if hexagon else "rectangle"
    frame = (width, height, x - origin[0], y - origin[1], cosine, sine)
    return {"kind": "cells", "shape": shape, "frame": ",".join(repr(n) for n in frame)}
