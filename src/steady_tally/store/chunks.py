"""Columns in and out of the database: chunks of 65,536 rows, seen by nobody until all of them are there."""

from __future__ import annotations

import uuid
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from datetime import timedelta

import pyarrow as pa
from sqlalchemy import Connection, Engine, text

from steady_tally.core.errors import NotFound
from steady_tally.core.threads import THREADS
from steady_tally.store.tables import LoadState

CHUNK_ROWS = 65_536
_STALE = timedelta(minutes=10)
_ZSTD = pa.ipc.IpcWriteOptions(compression=pa.Codec("zstd", compression_level=1))


def write_columns(engine: Engine, columns: pa.Table, *, on_rows: Callable[[int, int], None] | None = None) -> uuid.UUID:
    """Store columns as a new set that is still loading; `make_ready` then shows it.

    Parameters
    ----------
    on_rows : called after each chunk with the rows written and those in all; may raise to stop, which leaves nothing.
    """

    def told(rows: int) -> None:
        if on_rows:
            on_rows(rows, columns.num_rows)

    return write_stream(engine, [columns], on_rows=told)[0]


def write_stream(
    engine: Engine, tables: Iterable[pa.Table], *, on_rows: Callable[[int], None] | None = None
) -> tuple[uuid.UUID, int]:
    """Store tables of one schema one after the other as a new set that is still loading, and say how many rows it has.

    Each chunk is committed alone; the next ones are being packed meanwhile. Only a few chunks are ever in memory.

    Parameters
    ----------
    on_rows : called after each chunk with the rows written; may raise to stop, which leaves nothing.
    """
    set_id = uuid.uuid4()
    with engine.begin() as connection:
        connection.execute(
            text("INSERT INTO column_set VALUES (:id, NULL, :state, 0, now())"),
            {"id": set_id, "state": LoadState.LOADING},
        )
    rows = 0
    packing: deque[tuple[int, list[Future[bytes]]]] = deque()

    def write_oldest(chunk: int) -> int:
        count, columns = packing.popleft()
        with engine.begin() as connection:
            # The transaction that shows the set is durable, and so then is all that came before it.
            connection.execute(text("SET LOCAL synchronous_commit = off"))
            _copy_chunk(connection, set_id, chunk, [c.result() for c in columns])
            connection.execute(
                text("UPDATE column_set SET touched_at = now(), row_count = :rows WHERE id = :id"),
                {"id": set_id, "rows": rows + count},
            )
        if on_rows:
            on_rows(rows + count)
        return count

    try:
        chunk = 0
        with ThreadPoolExecutor(THREADS) as pool:
            for part in _of_chunk_size(tables):
                packing.append((part.num_rows, [pool.submit(_encode, c) for c in part.columns]))
                if len(packing) > THREADS:
                    rows += write_oldest(chunk)
                    chunk += 1
            while packing:
                rows += write_oldest(chunk)
                chunk += 1
    except BaseException:
        drop_columns(engine, set_id)
        raise
    return set_id, rows


def drop_columns(engine: Engine, set_id: uuid.UUID) -> None:
    """Remove a set that nobody has seen."""
    with engine.begin() as connection:
        connection.execute(
            text("DELETE FROM column_set WHERE id = :id AND state = :state"), {"id": set_id, "state": LoadState.LOADING}
        )


def _of_chunk_size(tables: Iterable[pa.Table]) -> Iterator[pa.Table]:
    waiting: list[pa.Table] = []
    count = 0
    for table in tables:
        start = 0
        while count + table.num_rows - start >= CHUNK_ROWS:
            part = table.slice(start, CHUNK_ROWS - count)
            yield pa.concat_tables([*waiting, part])
            start += part.num_rows
            waiting, count = [], 0
        if start < table.num_rows:
            waiting.append(table.slice(start))
            count += table.num_rows - start
    if waiting:
        yield pa.concat_tables(waiting)


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
        rows = connection.execute(
            text("SELECT row_count FROM column_set WHERE id = :id AND state = :state"),
            {"id": set_id, "state": LoadState.READY},
        ).scalar()
        if rows is None:
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
            with ThreadPoolExecutor(THREADS) as pool:
                coming = [(position, pool.submit(_decode, data)) for position, data in cursor]
                for position, decoded in coming:
                    chunks[position].append(decoded.result())
    if any(sum(map(len, found)) != rows for found in chunks.values()):
        raise NotFound("these columns were removed while they were read.", todo="Load the study again.")
    return pa.table(
        [pa.chunked_array(chunks[p], type=schema.field(p).type) for p in wanted],
        schema=pa.schema([schema.field(p) for p in wanted]),
    )


def note_use(engine: Engine, key: str, study_id: uuid.UUID) -> None:
    """Derived columns of that name are of use for a study: they stay as long as there is one."""
    with engine.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO derived_use (set_id, study_id) SELECT id, :study FROM column_set WHERE key = :key "
                "AND EXISTS (SELECT 1 FROM study WHERE id = :study) ON CONFLICT DO NOTHING"
            ),
            {"key": key, "study": study_id},
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


def _copy_chunk(connection: Connection, set_id: uuid.UUID, chunk: int, columns: Sequence[bytes]) -> None:
    driver = connection.connection.driver_connection
    assert driver is not None
    with (
        driver.cursor() as cursor,
        cursor.copy("COPY column_chunk (set_id, position, chunk, data) FROM STDIN (FORMAT BINARY)") as copy,
    ):
        copy.set_types(["uuid", "int4", "int4", "bytea"])
        for position, column in enumerate(columns):
            copy.write_row((set_id, position, chunk, column))


def _encode(column: pa.ChunkedArray) -> bytes:
    batch = pa.record_batch([column.combine_chunks()], names=["c"])
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, batch.schema, options=_ZSTD) as writer:
        writer.write_batch(batch)
    return sink.getvalue().to_pybytes()


def _decode(data: bytes) -> pa.Array:
    return pa.ipc.open_stream(pa.py_buffer(data)).read_next_batch().column(0)
