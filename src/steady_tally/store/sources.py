"""Sources in and out of the database: tables and features as column sets."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import pyarrow as pa
import shapely
from sqlalchemy import Engine
from sqlmodel import Session, col, select

from steady_tally.core.errors import Conflict
from steady_tally.core.sources import Features, RaggedRow, Sources, Table
from steady_tally.store.chunks import make_ready, read_columns, write_columns
from steady_tally.store.tables import Role, Source

_KINDS: dict[str, pa.DataType] = {
    str(t): t
    for t in (
        pa.string(), pa.binary(), pa.bool_(), pa.float32(), pa.float64(),
        pa.int8(), pa.int16(), pa.int32(), pa.int64(), pa.uint8(), pa.uint16(), pa.uint32(), pa.uint64(),
    )
}  # fmt: skip


@dataclass(frozen=True)
class FileFacts:
    """What is known of the file that a source came from."""

    name: str
    sha256: str
    byte_count: int


def save_source(
    engine: Engine,
    study_id: uuid.UUID,
    role: Role,
    content: Table | Features,
    file: FileFacts,
    *,
    on_rows: Callable[[int, int], None] | None = None,
) -> uuid.UUID:
    """Store a source; it is seen once all of it is there. Conflict where the study has one of that name already."""
    columns, description = _flatten(content)
    if _find(engine, study_id, content.name):
        raise Conflict(f"the study has a source “{content.name}” already.", todo="Give it another name.")
    set_id = write_columns(engine, columns, on_rows=on_rows)
    with Session(engine) as session:
        source = Source(
            study_id=study_id,
            set_id=set_id,
            name=content.name,
            role=role,
            file_name=file.name,
            sha256=file.sha256,
            byte_count=file.byte_count,
            crs=content.crs,
            columns=description,
            ragged=[asdict(r) for r in content.ragged] if isinstance(content, Table) else [],
        )
        session.add(source)
        make_ready(session.connection(), set_id)
        session.commit()
        return source.id


def sources_of(engine: Engine, study_id: uuid.UUID) -> list[Source]:
    """The study's sources, by name."""
    with Session(engine) as session:
        return list(session.exec(select(Source).where(Source.study_id == study_id).order_by(col(Source.name))))


def load_sources(engine: Engine, study_id: uuid.UUID) -> tuple[Sources, dict[str, str]]:
    """All that a run reads, and the sources' checksums by name. Decoded sources are kept for the next call."""
    tables: dict[str, Table] = {}
    features: dict[str, Features] = {}
    listed = sources_of(engine, study_id)
    for source in listed:
        content = _load(engine, source.id)
        if isinstance(content, Table):
            tables[source.name] = content
        else:
            features[source.name] = content
    return Sources(tables, features), {s.name: s.sha256 for s in listed}


def _find(engine: Engine, study_id: uuid.UUID, name: str) -> Source | None:
    with Session(engine) as session:
        return session.exec(select(Source).where(Source.study_id == study_id, Source.name == name)).first()


@lru_cache(maxsize=16)
def _load(engine: Engine, source_id: uuid.UUID) -> Table | Features:
    """A source never changes, so that what was decoded once stays true."""
    with Session(engine) as session:
        source = session.get_one(Source, source_id)
    schema = pa.schema([(c["name"], _KINDS[c["type"]]) for c in source.columns])
    whole = read_columns(engine, source.set_id, schema, range(len(schema)))
    by_use: dict[str, list[int]] = {}
    for position, column in enumerate(source.columns):
        by_use.setdefault(column["use"], []).append(position)

    def numbers(use: str) -> Any:
        return whole.column(by_use[use][0]).to_numpy()

    own = whole.select(by_use.get("value", []))
    if "geometry" in by_use:
        shapes = shapely.from_wkb(np.array(whole.column(by_use["geometry"][0]).to_pylist(), dtype=object))
        return Features(source.name, own, shapes, source.crs)
    points = np.column_stack([numbers("x"), numbers("y")]) if "x" in by_use else None
    ragged = tuple(RaggedRow(**r) for r in source.ragged)
    return Table(source.name, own, numbers("record"), numbers("line"), ragged, points, source.crs)


def _flatten(content: Table | Features) -> tuple[pa.Table, list[dict[str, str]]]:
    """One table of all there is, and for each column its name, type and use."""
    arrays = [(n, c, "value") for n, c in zip(content.columns.column_names, content.columns.columns, strict=True)]
    if isinstance(content, Features):
        arrays.append(("geometry", pa.array(shapely.to_wkb(content.geometry), pa.binary()), "geometry"))
    else:
        arrays += [("record", pa.array(content.record), "record"), ("line", pa.array(content.line), "line")]
        if content.points is not None:
            arrays += [(axis, pa.array(content.points[:, i]), axis) for i, axis in enumerate("xy")]
    kept = [(n, c if str(c.type) in _KINDS else c.cast(pa.string()), use) for n, c, use in arrays]
    description = [{"name": n, "type": str(c.type), "use": use} for n, c, use in kept]
    return pa.table([c for _, c, _ in kept], names=[str(i) for i in range(len(kept))]), description
