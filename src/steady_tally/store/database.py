"""Connecting to PostgreSQL, and bringing its tables up to date."""

from __future__ import annotations

import os
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine

from steady_tally.core.errors import SetUpError

ADDRESS_VARIABLE = "STEADY_TALLY_DATABASE"
DATA_VARIABLE = "STEADY_TALLY_DATA"


def database_address() -> str:
    """The connection address that the supervisor hands to its children ("postgresql://…")."""
    address = os.environ.get(ADDRESS_VARIABLE)
    if not address:
        raise SetUpError(
            "no database is named.", where=ADDRESS_VARIABLE, todo="Start the application with ./start.sh instead."
        )
    return address


def data_folder() -> Path:
    """The data folder that the supervisor hands to its children."""
    folder = os.environ.get(DATA_VARIABLE)
    if not folder:
        raise SetUpError("no data folder is named.", where=DATA_VARIABLE, todo="Start the application with ./start.sh.")
    return Path(folder)


def connect(address: str) -> Engine:
    """An engine over psycopg with a small pool."""
    return create_engine(
        address.replace("postgresql://", "postgresql+psycopg://", 1), pool_size=8, max_overflow=8, pool_pre_ping=True
    )


def reading(engine: Engine) -> Engine:
    """The same connections for one statement that only reads: it needs no transaction, and so two messages less."""
    return engine.execution_options(isolation_level="AUTOCOMMIT")


def must_migrate(engine: Engine) -> bool:
    """Is there a database of an earlier version? SetUpError where it is of a later one."""
    config = _migrations()
    with engine.begin() as connection:
        there = _revision(connection, config)
    return there is not None and there != ScriptDirectory.from_config(config).get_current_head()


def migrate(engine: Engine) -> None:
    """Apply every migration that the database has not seen. SetUpError where it is of a later version."""
    config = _migrations()
    with engine.begin() as connection:
        _revision(connection, config)
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _migrations() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def _revision(connection: Connection, config: Config) -> str | None:
    known = {r.revision for r in ScriptDirectory.from_config(config).walk_revisions()}
    there = MigrationContext.configure(connection).get_current_revision()
    if there is not None and there not in known:
        raise SetUpError(
            "this database is of a newer Steady Tally than this one, which does not know what is in it.",
            todo="Start the newer one, or name another folder with --data. Nothing was changed.",
        )
    return there
