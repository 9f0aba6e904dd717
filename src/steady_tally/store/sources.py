"""Sources in and out of the database: tables and features as column sets."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np
import pyarrow as pa
import shapely
from sqlalchemy import Engine, func, update
from sqlmodel import Session, col, select

from steady_tally.core.errors import Conflict, NotFound
from steady_tally.core.sources import Features, LazyColumns, Piece, RaggedRow, Sources, Table
from steady_tally.store.chunks import drop_columns, make_ready, read_columns, write_columns, write_stream
from steady_tally.store.database import reading
from steady_tally.store.tables import Role, Source

_KINDS: dict[str, pa.DataType] = {
    str(t): t
    for t in (
        pa.string(), pa.binary(), pa.bool_(), pa.float32(), pa.float64(),
        pa.int8(), pa.int16(), pa.int32(), pa.int64(), pa.uint8(), pa.uint16(), pa.uint32(), pa.uint64(),
    )
}  # fmt: skip

Load = Callable[[Engine, uuid.UUID], Table | Features]


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
    upload_id: uuid.UUID | None = None,
    on_rows: Callable[[int, int], None] | None = None,
) -> uuid.UUID:
    """Store and show a source that is in memory."""
    refuse_twice(engine, study_id, content.name)
    stored = save_whole(engine, content, on_rows=on_rows)
    return show_source(engine, study_id, Shown(content.name, role, stored, content.crs, upload_id=upload_id), file)


@dataclass(frozen=True)
class Stored:
    """Columns that are stored but not seen yet: what they are, and the rows that were kept apart."""

    set_id: uuid.UUID
    columns: list[dict[str, str]]
    ragged: tuple[RaggedRow, ...] = ()


def save_whole(
    engine: Engine, content: Table | Features, *, on_rows: Callable[[int, int], None] | None = None
) -> Stored:
    """Store what is in memory. Nothing is seen until `show_source`."""
    columns, description = _flatten(content)
    set_id = write_columns(engine, columns, on_rows=on_rows)
    return Stored(set_id, description, content.ragged if isinstance(content, Table) else ())


def save_pieces(engine: Engine, pieces: Iterable[Piece], *, on_rows: Callable[[int], None] | None = None) -> Stored:
    """Store a table as its reader hands it out. Nothing is seen until `show_source`."""
    description: list[dict[str, str]] = []
    ragged: list[RaggedRow] = []

    def flat() -> Iterator[pa.Table]:
        for piece in pieces:
            ragged.extend(piece.ragged)
            columns, found = _flatten(piece)
            if not description:
                description.extend(found)
            yield columns

    set_id, _ = write_stream(engine, flat(), on_rows=on_rows)
    return Stored(set_id, description, tuple(ragged))


@dataclass(frozen=True)
class Shown:
    """What a source is to be seen as, once its columns are stored. `replaces` the live source of that name."""

    name: str
    role: Role
    stored: Stored
    crs: str | None
    reading: Mapping[str, Any] = field(default_factory=dict)
    facts: Mapping[str, Any] = field(default_factory=dict)
    upload_id: uuid.UUID | None = None
    replaces: bool = False


def show_source(engine: Engine, study_id: uuid.UUID, shown: Shown, file: FileFacts) -> uuid.UUID:
    """Make stored columns a source, in one short transaction. Conflict where the study has one of that name already;
    then the columns are removed."""
    try:
        return _show(engine, study_id, shown, file)
    except BaseException:
        drop_columns(engine, shown.stored.set_id)
        raise


def _show(engine: Engine, study_id: uuid.UUID, shown: Shown, file: FileFacts) -> uuid.UUID:
    with Session(engine) as session:
        if shown.replaces:
            session.connection().execute(
                update(Source)
                .where(
                    col(Source.study_id) == study_id, col(Source.name) == shown.name, col(Source.retired_at).is_(None)
                )
                .values(retired_at=func.now())
            )
        elif _find(session, study_id, shown.name):
            raise _twice(shown.name)
        source = Source(
            study_id=study_id,
            set_id=shown.stored.set_id,
            name=shown.name,
            role=shown.role,
            file_name=file.name,
            sha256=file.sha256,
            byte_count=file.byte_count,
            crs=shown.crs,
            columns=shown.stored.columns,
            ragged=[asdict(r) for r in shown.stored.ragged],
            reading=dict(shown.reading),
            facts=dict(shown.facts),
            upload_id=shown.upload_id,
        )
        session.add(source)
        make_ready(session.connection(), shown.stored.set_id)
        session.commit()
        return source.id


def note_change(engine: Engine, source_id: uuid.UUID, change: Mapping[str, Any]) -> None:
    """Keep how a source differs from the one that it took the place of."""
    with Session(engine) as session:
        source = session.get_one(Source, source_id)
        source.change = dict(change)
        session.add(source)
        session.commit()


def refuse_twice(engine: Engine, study_id: uuid.UUID, name: str) -> None:
    """Conflict where the study has a source of that name already."""
    with Session(engine) as session:
        if _find(session, study_id, name):
            raise _twice(name)


_listed: ContextVar[dict[uuid.UUID, list[Source]] | None] = ContextVar("the sources of one answer", default=None)


@contextmanager
def sources_once() -> Iterator[None]:
    """Within it a study's sources are looked up once: for work that changes none."""
    token = _listed.set({})
    try:
        yield
    finally:
        _listed.reset(token)


def sources_of(engine: Engine, study_id: uuid.UUID) -> list[Source]:
    """The study's live sources, by name."""
    listed = _listed.get()
    if listed is not None and study_id in listed:
        return listed[study_id]
    with Session(reading(engine)) as session:
        wanted = select(Source).where(Source.study_id == study_id, col(Source.retired_at).is_(None))
        found = list(session.exec(wanted.order_by(col(Source.name))))
    if listed is not None:
        listed[study_id] = found
    return found


def reference_names(engine: Engine, study_id: uuid.UUID) -> list[str]:
    """The names of the study's reference sources."""
    return [s.name for s in sources_of(engine, study_id) if s.role == Role.REFERENCE]


def load_source(engine: Engine, source_id: uuid.UUID) -> Table | Features:
    """One source. The columns of a table are decoded when they are asked for."""
    with Session(engine) as session:
        source = session.get_one(Source, source_id)
    schema = pa.schema([(c["name"], _KINDS[c["type"]]) for c in source.columns])
    by_use: dict[str, list[int]] = {}
    for position, column in enumerate(source.columns):
        by_use.setdefault(column["use"], []).append(position)
    values = by_use.get("value", [])
    if "geometry" in by_use:
        (at,) = by_use["geometry"]
        whole = read_columns(engine, source.set_id, schema, [*values, at])
        shapes = shapely.from_wkb(np.array(whole.column(len(values)).to_pylist(), dtype=object))
        return Features(source.name, whole.select(range(len(values))), shapes, source.crs)
    used = {use: positions[0] for use, positions in by_use.items() if use != "value"}
    read = read_columns(engine, source.set_id, schema, list(used.values()))

    def numbers(use: str) -> Any:
        return read.column(list(used).index(use)).to_numpy()

    position_of = {schema.field(p).name: p for p in values}

    def load(names: Sequence[str]) -> pa.Table:
        return read_columns(engine, source.set_id, schema, [position_of[n] for n in names])

    own = LazyColumns(pa.schema([schema.field(p) for p in values]), read.num_rows, load)
    points = np.column_stack([numbers("x"), numbers("y")]) if "x" in by_use else None
    ragged = tuple(RaggedRow(**r) for r in source.ragged)
    year = source.created_at.year
    return Table(source.name, own, numbers("record"), numbers("line"), ragged, points, source.crs, year)


def change_source(
    engine: Engine, study_id: uuid.UUID, source_id: uuid.UUID, *, role: Role | None, facts: Mapping[str, Any] | None
) -> Source:
    """Say what a source is for, or what is known of it. What it holds never changes."""
    with Session(engine, expire_on_commit=False) as session:
        source = session.get(Source, source_id)
        if source is None or source.study_id != study_id:
            raise NotFound("there is no such source in this study.", todo="Load the study again.")
        has_shapes = any(c["use"] == "geometry" for c in source.columns)
        if role is not None:
            if (role in (Role.ZONES, Role.REFERENCE)) != has_shapes:
                raise Conflict(
                    f"“{source.name}” was read as {'shapes' if has_shapes else 'rows'}, so that it cannot be {role}.",
                    todo="Bring the file in again in that role.",
                )
            source.role = role
        if facts is not None:
            source.facts = {**source.facts, **facts}
        session.add(source)
        session.commit()
        return source


def load_sources(engine: Engine, study_id: uuid.UUID, load: Load | None = None) -> tuple[Sources, dict[str, str]]:
    """All that a run may read, and the sources' checksums by name. Each is loaded when it is first asked for.

    `load` is `load_source` unless what was loaded is to be kept.
    """
    listed = sources_of(engine, study_id)
    shapes = {s.name: s.id for s in listed if any(c["use"] == "geometry" for c in s.columns)}
    rows = {s.name: s.id for s in listed if s.name not in shapes}
    load = load or load_source
    return Sources(_Lazy(engine, rows, load), _Lazy(engine, shapes, load)), {s.name: s.sha256 for s in listed}


class _Lazy(Mapping[str, Any]):
    """Sources by name, loaded when asked for."""

    def __init__(self, engine: Engine, ids: Mapping[str, uuid.UUID], load: Load) -> None:
        self._engine, self._ids, self._load = engine, ids, load

    def __getitem__(self, name: str) -> Any:
        return self._load(self._engine, self._ids[name])

    def __contains__(self, name: object) -> bool:
        return name in self._ids

    def __iter__(self) -> Iterator[str]:
        return iter(self._ids)

    def __len__(self) -> int:
        return len(self._ids)


def _find(session: Session, study_id: uuid.UUID, name: str) -> Source | None:
    wanted = select(Source).where(Source.study_id == study_id, Source.name == name, col(Source.retired_at).is_(None))
    return session.exec(wanted).first()


def _twice(name: str) -> Conflict:
    return Conflict(
        f"the study has a source “{name}” already.", todo="Give this one another name, or let it take its place."
    )


def _flatten(content: Table | Piece | Features) -> tuple[pa.Table, list[dict[str, str]]]:
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
