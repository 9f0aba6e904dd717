"""Placements: which areas each event was found in, kept as derived columns under the key of their stage's result."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from sqlalchemy import Engine

from steady_tally.core.geo.locate import Located
from steady_tally.store.chunks import find_key, make_ready, read_columns, write_columns

_SCHEMA = pa.schema([("first", pa.int32()), ("others", pa.list_(pa.int32()))])


def save_placement(engine: Engine, key: str, located: Located) -> None:
    """Store a placement; one of the same key is replaced by its equal."""
    many = np.bincount(located.other_event, minlength=len(located.first))
    offsets = np.concatenate([[0], np.cumsum(many)]).astype(np.int32)
    others = pa.ListArray.from_arrays(pa.array(offsets), pa.array(located.other_zone))
    set_id = write_columns(engine, pa.table([pa.array(located.first), others], schema=_SCHEMA))
    with engine.begin() as connection:
        make_ready(connection, set_id, key=key)


def load_placement(engine: Engine, key: str) -> Located | None:
    """The placement of that key, or None where it has not been worked out yet."""
    set_id = find_key(engine, key)
    if set_id is None:
        return None
    columns = read_columns(engine, set_id, _SCHEMA, [0, 1])
    others = columns.column("others").combine_chunks()
    many = others.value_lengths().to_numpy(zero_copy_only=False)
    return Located(
        columns.column("first").to_numpy(),
        np.repeat(np.arange(len(many)), many),
        others.flatten().to_numpy(zero_copy_only=False),
    )
