"""Columns in and out of the database: chunks of 65,536 rows, seen by nobody until all of them are there."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Sequence
from datetime import timedelta

import pyarrow as pa
from sqlalchemy import Connection, Engine, text

from steady_tally.core.errors import NotFound
from steady_tally.store.tables import LoadState

CHUNK_ROWS = 65_536
_STALE = timedelta(minutes=10)
_ZSTD = pa.ipc.IpcWriteOptions(compression=pa.Codec("zstd", compression_level=1))


def write_columns(engine: Engine, columns: pa.Table, *, on_rows: Callable[[int, int], None] | None = None) -> uuid.UUID:
    """Store columns as a new set that is still loading; `make_ready` then shows it. Each chunk is committed alone.

    Parameters
    ----------
    on_rows : called after each chunk with the rows written and those in all; may raise to stop, which leaves nothing.
    """
    set_id = uuid.uuid4()
    with engine.begin() as connection:
        connection.execute(
            text("INSERT INTO column_set VALUES (:id, NULL, :state, :rows, now())"),
            {"id": set_id, "state": LoadState.LOADING, "rows": columns.num_rows},
        )
    try:
        for chunk, start in enumerate(range(0, columns.num_rows, CHUNK_ROWS)):
            part = columns.slice(start, CHUNK_ROWS)
            with engine.begin() as connection:
                _copy_chunk(connection, set_id, chunk, part)
                connection.execute(text("UPDATE column_set SET touched_at = now() WHERE id = :id"), {"id": set_id})
            if on_rows:
                on_rows(start + part.num_rows, columns.num_rows)
    except BaseException:
        with engine.begin() as connection:
            connection.execute(text("DELETE FROM column_set WHERE id = :id"), {"id": set_id})
        raise
    return set_id


def make_ready(connection: Connection, set_id: uuid.UUID, *, key: str | None = None) -> None:
    """Show a set, in the same transaction as whatever refers to it. A derived set takes over its key."""
    if key is not None:
        connection.execute(text("SELECT pg_advisory_xact_lock(hashtextextended(:key, 0))"), {"key": key})
        connection.execute(text("DELETE FROM column_set WHERE key = :key"), {"key": key})
    connection.execute(
        text("UPDATE column_set SET state = :state, key = :key WHERE id = :id"),
        {"id": set_id, "state": LoadState.READY, "key": key},
    )


def read_columns(engine: Engine, set_id: uuid.UUID, schema: pa.Schema, wanted: Sequence[int]) -> pa.Table:
    """Read some columns of a ready set, by their positions in `schema`."""
    with engine.connect() as connection:
        ready = connection.execute(
            text("SELECT 1 FROM column_set WHERE id = :id AND state = :state"), {"id": set_id, "state": LoadState.READY}
        ).scalar()
        if not ready:
            raise NotFound("there are no such columns, or they are not all there yet.")
        driver = connection.connection.driver_connection
        assert driver is not None
        with driver.cursor(binary=True) as cursor:
            cursor.execute(
                "SELECT position, data FROM column_chunk WHERE set_id = %s AND position = ANY(%s) "
                "ORDER BY position, chunk",
                (set_id, list(wanted)),
            )
            chunks: dict[int, list[pa.Array]] = {position: [] for position in wanted}
            for position, data in cursor:
                chunks[position].append(_decode(data))
    return pa.table(
        [pa.chunked_array(chunks[p], type=schema.field(p).type) for p in wanted],
        schema=pa.schema([schema.field(p) for p in wanted]),
    )


def find_key(engine: Engine, key: str) -> uuid.UUID | None:
    """The ready set of that name, if there is one."""
    with engine.connect() as connection:
        return connection.execute(
            text("SELECT id FROM column_set WHERE key = :key AND state = :state"),
            {"key": key, "state": LoadState.READY},
        ).scalar()


def sweep(engine: Engine) -> int:
    """Remove sets that stopped loading some time ago: what a killed worker left. Returns how many."""
    with engine.begin() as connection:
        return connection.execute(
            text("DELETE FROM column_set WHERE state = :state AND touched_at < now() - :stale"),
            {"state": LoadState.LOADING, "stale": _STALE},
        ).rowcount


def _copy_chunk(connection: Connection, set_id: uuid.UUID, chunk: int, part: pa.Table) -> None:
    driver = connection.connection.driver_connection
    assert driver is not None
    with (
        driver.cursor() as cursor,
        cursor.copy("COPY column_chunk (set_id, position, chunk, data) FROM STDIN (FORMAT BINARY)") as copy,
    ):
        copy.set_types(["uuid", "int4", "int4", "bytea"])
        for position, column in enumerate(part.columns):
            copy.write_row((set_id, position, chunk, _encode(column)))


def _encode(column: pa.ChunkedArray) -> bytes:
    batch = pa.record_batch([column.combine_chunks()], names=["c"])
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, batch.schema, options=_ZSTD) as writer:
        writer.write_batch(batch)
    return sink.getvalue().to_pybytes()


def _decode(data: bytes) -> pa.Array:
    return pa.ipc.open_stream(pa.py_buffer(data)).read_next_batch().column(0)
