"""What was found of a source's records, kept as derived columns under its key."""

from __future__ import annotations

import json

import numpy as np
import pyarrow as pa
from pyproj import CRS
from sqlalchemy import Engine

from steady_tally.core.gather.judging import Judged, Together
from steady_tally.core.gather.times import ReadTimes
from steady_tally.store.chunks import find_key, make_ready, read_columns, write_columns

_SCHEMA = pa.schema(
    [
        ("x", pa.float64()),
        ("y", pa.float64()),
        ("reasons", pa.uint8()),
        ("flags", pa.uint8()),
        ("quality", pa.int8()),
        ("start", pa.int64()),
        ("resolution", pa.uint8()),
        ("together", pa.string()),  # in the first row, what is said of all of them
    ]
)
_FLAGS = ("turned", "exchanged", "corrected", "looked_up")


def save_checked(engine: Engine, key: str, times: ReadTimes | None, judged: Judged) -> None:
    """Store what was found of at least one record; what stands under the same key is replaced by its equal."""
    n = len(judged.x)
    said = judged.together
    document = {
        "qualities": judged.qualities if judged.quality is not None else None,
        "short_years": times.short_years if times else None,
        "left_over": said.left_over,
        "suggestions": said.suggestions,
        "twice": said.twice,
        "unspoken": said.unspoken,
        "uncorrected": said.uncorrected,
        "labels": said.labels,
        "otherwise": said.otherwise,
        "o": said.o,
        "second": said.second,
        "paired": said.paired,
        "second_open": said.second_open,
    }
    flags = np.zeros(n, dtype=np.uint8)
    for bit, name in enumerate(_FLAGS):
        flags |= getattr(judged, name).astype(np.uint8) << bit
    nothing = np.zeros(n, dtype=np.uint8)
    columns = [
        judged.x,
        judged.y,
        judged.reasons,
        flags,
        nothing.view(np.int8) if judged.quality is None else judged.quality,
        times.start.view(np.int64) if times else np.zeros(n, dtype=np.int64),
        times.resolution if times else nothing,
    ]
    together = pa.concat_arrays([pa.array([json.dumps(document)]), pa.nulls(n - 1, pa.string())])
    set_id = write_columns(engine, pa.table([*(pa.array(c) for c in columns), together], schema=_SCHEMA))
    with engine.begin() as connection:
        make_ready(connection, set_id, key=key)


def load_checked(engine: Engine, key: str, crs: CRS) -> tuple[ReadTimes | None, Judged] | None:
    """What stands under that key, or None. `crs` is the system of the records' coordinates, which the plan says."""
    set_id = find_key(engine, key)
    if set_id is None:
        return None
    table = read_columns(engine, set_id, _SCHEMA, range(len(_SCHEMA)))
    x, y, reasons, flags, quality, start, resolution = (table.column(i).to_numpy() for i in range(7))
    said = json.loads(table.column("together")[0].as_py())
    together = Together(
        left_over=said["left_over"],
        suggestions={s: tuple(best) for s, best in said["suggestions"].items()},
        twice=tuple(said["twice"]),
        unspoken=tuple(said["unspoken"]),
        uncorrected=tuple(said["uncorrected"]),
        labels=said["labels"],
        otherwise=tuple((s, t) for s, t in said["otherwise"]),
        o=said["o"],
        second=said["second"],
        paired=said["paired"],
        second_open=said["second_open"],
    )
    times = None
    if said["short_years"] is not None:
        times = ReadTimes(start.view("datetime64[s]"), resolution, said["short_years"])
    known = said["qualities"] is not None
    put_right = {name: (flags >> bit & 1).astype(np.bool_) for bit, name in enumerate(_FLAGS)}
    qualities = tuple(said["qualities"]) if known else ("",)
    return times, Judged(
        x=x, y=y, crs=crs, reasons=reasons, quality=quality if known else None, qualities=qualities,
        together=together, **put_right,
    )  # fmt: skip
