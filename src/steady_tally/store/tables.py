"""The tables. Changing one means an Alembic migration in `migrations/versions`."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, Column, DateTime, ForeignKey, Index, LargeBinary, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Field, SQLModel


def _now() -> datetime:
    return datetime.now(UTC)


def _moment() -> Any:
    return Field(default_factory=_now, sa_type=DateTime(timezone=True), nullable=False)


class LoadState(StrEnum):
    """A column set is only ever read once it is ready."""

    LOADING = "loading"
    READY = "ready"


class Role(StrEnum):
    """What a source is for."""

    EVENTS = "events"
    COUNTS = "counts"
    ZONES = "zones"
    TABLE = "table"
    LOOK_UP = "look-up"
    REFERENCE = "reference"


class JobState(StrEnum):
    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


class Study(SQLModel, table=True):
    """A piece of work. `head_id` is the plan version that is open now; `waiting_plan` one that waits for its files."""

    __tablename__ = "study"
    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    name: str = Field(max_length=200)
    head_id: uuid.UUID | None = None
    waiting_plan: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    created_at: datetime = _moment()


class ColumnSet(SQLModel, table=True):
    """Columns of equal length: an imported source, or something derived from sources, named by `key`."""

    __tablename__ = "column_set"
    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    key: str | None = Field(default=None, max_length=200, unique=True)
    state: str = Field(default=LoadState.LOADING, max_length=20)
    row_count: int = Field(default=0, sa_type=BigInteger)
    touched_at: datetime = _moment()


class ColumnChunk(SQLModel, table=True):
    """65,536 rows of one column, as an Arrow stream compressed with zstd."""

    __tablename__ = "column_chunk"
    set_id: uuid.UUID = Field(sa_column=Column(ForeignKey("column_set.id", ondelete="CASCADE"), primary_key=True))
    position: int = Field(primary_key=True)
    chunk: int = Field(primary_key=True)
    data: bytes = Field(sa_column=Column(LargeBinary, nullable=False))


class DerivedUse(SQLModel, table=True):
    """Which studies derived columns are of use for; without one they go."""

    __tablename__ = "derived_use"
    set_id: uuid.UUID = Field(sa_column=Column(ForeignKey("column_set.id", ondelete="CASCADE"), primary_key=True))
    study_id: uuid.UUID = Field(sa_column=Column(ForeignKey("study.id", ondelete="CASCADE"), primary_key=True))


class Upload(SQLModel, table=True):
    """Files that were sent together, lying in a folder of the upload's own: what they are called and hold."""

    __tablename__ = "upload"
    id: uuid.UUID = Field(primary_key=True)
    study_id: uuid.UUID = Field(
        sa_column=Column(ForeignKey("study.id", ondelete="CASCADE"), nullable=False, index=True)
    )
    files: list[dict[str, Any]] = Field(sa_column=Column(JSONB, nullable=False))
    touched_at: datetime = _moment()


class Source(SQLModel, table=True):
    """An imported file: immutable, with a checksum. `columns` names and types those of its column set, in order.

    `reading` is how the file was read, `facts` what the user knows of it, `change` how it differs from the source
    that it took the place of. That one is retired, not removed.
    """

    __tablename__ = "source"
    __table_args__ = (
        Index("source_live_name", "study_id", "name", unique=True, postgresql_where=text("retired_at IS NULL")),
    )
    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    study_id: uuid.UUID = Field(foreign_key="study.id", index=True)
    set_id: uuid.UUID = Field(foreign_key="column_set.id")
    name: str = Field(max_length=200)
    role: str = Field(max_length=20)
    file_name: str = Field(max_length=400)
    sha256: str = Field(max_length=64)
    byte_count: int = Field(sa_type=BigInteger)
    crs: str | None = None
    columns: list[dict[str, str]] = Field(sa_column=Column(JSONB, nullable=False))
    ragged: list[dict[str, Any]] = Field(sa_column=Column(JSONB, nullable=False))
    reading: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB, nullable=False))
    facts: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB, nullable=False))
    change: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSONB, nullable=False))
    upload_id: uuid.UUID | None = Field(default=None, foreign_key="upload.id")
    retired_at: datetime | None = Field(default=None, sa_type=DateTime(timezone=True))
    created_at: datetime = _moment()


class PlanVersion(SQLModel, table=True):
    """One saved plan. Rows are only ever added: the database refuses to change or delete them.

    Of a first plan `drafted` is what was decided in it, `says`, and the likeliest `others`: each `says` a `plan`.
    """

    __tablename__ = "plan_version"
    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    study_id: uuid.UUID = Field(foreign_key="study.id", index=True)
    parent_id: uuid.UUID | None = Field(default=None, foreign_key="plan_version.id")
    document: dict[str, Any] = Field(sa_column=Column(JSONB, nullable=False))
    drafted: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    created_at: datetime = _moment()


class Remembered(SQLModel, table=True):
    """What a measure of a plan version came to when it was first worked out: digests of its areas' figures, with their
    classes and without, and the figures themselves as long as the version is open or a page is bound to it. `sources`
    are the column sets by name that it was worked out from: over others it says nothing.
    """

    __tablename__ = "remembered"
    version_id: uuid.UUID = Field(sa_column=Column(ForeignKey("plan_version.id", ondelete="CASCADE"), primary_key=True))
    measure: str = Field(max_length=400, primary_key=True)
    digest: str = Field(max_length=64)
    figures_digest: str = Field(max_length=64)
    sources: dict[str, str] = Field(sa_column=Column(JSONB, nullable=False))
    data: bytes | None = Field(default=None, sa_column=Column(LargeBinary))
    made_at: datetime = _moment()


class Figure(SQLModel, table=True):
    """A page to publish, bound to the plan version that it was made from."""

    __tablename__ = "figure"
    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    study_id: uuid.UUID = Field(
        sa_column=Column(ForeignKey("study.id", ondelete="CASCADE"), nullable=False, index=True)
    )
    version_id: uuid.UUID = Field(foreign_key="plan_version.id")
    name: str = Field(max_length=200)
    document: dict[str, Any] = Field(sa_column=Column(JSONB, nullable=False))
    created_at: datetime = _moment()
    changed_at: datetime = _moment()


class Picture(SQLModel, table=True):
    """A small picture of a study's map, and the plan version that it is of."""

    __tablename__ = "picture"
    study_id: uuid.UUID = Field(sa_column=Column(ForeignKey("study.id", ondelete="CASCADE"), primary_key=True))
    version_id: uuid.UUID
    data: bytes = Field(sa_column=Column(LargeBinary, nullable=False))


class Job(SQLModel, table=True):
    """What a piece of background work has done so far, for whoever waits for it; and the file that it made, if any."""

    __tablename__ = "job"
    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    kind: str = Field(max_length=40)
    state: str = Field(default=JobState.WAITING, max_length=20)
    step: str = Field(default="", max_length=200)
    done: int = Field(default=0, sa_type=BigInteger)
    total: int = Field(default=0, sa_type=BigInteger)
    says: str = ""
    study_id: uuid.UUID | None = Field(default=None, foreign_key="study.id")
    file_name: str | None = Field(default=None, max_length=200)
    file_bytes: int = Field(default=0, sa_type=BigInteger)
    queue_job_id: int | None = Field(default=None, sa_type=BigInteger)
    wanted: dict[str, Any] | None = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    created_at: datetime = _moment()
    updated_at: datetime = _moment()
