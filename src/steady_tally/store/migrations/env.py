"""Alembic's entry: runs migrations on the connection that `store.database.migrate` opens."""

from alembic import context
from sqlmodel import SQLModel

from steady_tally.store import tables  # noqa: F401  (fills the metadata)


def _ours(_object: object, name: str | None, kind: str, _reflected: bool, _compared: object) -> bool:
    """Tables of the job queue come with their own migrations."""
    return not (kind == "table" and (name or "").startswith("procrastinate_"))


context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=SQLModel.metadata,
    include_object=_ours,
    transaction_per_migration=False,
)
with context.begin_transaction():
    context.run_migrations()
