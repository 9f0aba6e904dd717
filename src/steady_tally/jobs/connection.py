"""The worker's own connections."""

from functools import lru_cache

from sqlalchemy import Engine

from steady_tally.store.database import connect, database_address


@lru_cache(maxsize=1)
def worker_engine() -> Engine:
    """One engine a process."""
    return connect(database_address())
