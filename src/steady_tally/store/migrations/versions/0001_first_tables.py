"""The first tables: studies, sources, column chunks, plan versions, jobs, and the job queue's own schema."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None

_MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "study",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("head_id", sa.Uuid(), nullable=True),
        sa.Column("created_at", _MOMENT, nullable=False),
    )
    op.create_table(
        "column_set",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("key", sa.String(200), nullable=True, unique=True),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("row_count", sa.BigInteger(), nullable=False),
        sa.Column("touched_at", _MOMENT, nullable=False),
    )
    op.create_table(
        "column_chunk",
        sa.Column("set_id", sa.Uuid(), sa.ForeignKey("column_set.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("position", sa.Integer(), primary_key=True),
        sa.Column("chunk", sa.Integer(), primary_key=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
    )
    # Chunks are compressed already: the database should not try again.
    op.execute("ALTER TABLE column_chunk ALTER COLUMN data SET STORAGE EXTERNAL")
    op.create_table(
        "source",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("study_id", sa.Uuid(), sa.ForeignKey("study.id"), nullable=False, index=True),
        sa.Column("set_id", sa.Uuid(), sa.ForeignKey("column_set.id"), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("file_name", sa.String(400), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("byte_count", sa.BigInteger(), nullable=False),
        sa.Column("crs", sa.String(), nullable=True),
        sa.Column("columns", postgresql.JSONB(), nullable=False),
        sa.Column("ragged", postgresql.JSONB(), nullable=False),
        sa.Column("created_at", _MOMENT, nullable=False),
        sa.UniqueConstraint("study_id", "name"),
    )
    op.create_table(
        "plan_version",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("study_id", sa.Uuid(), sa.ForeignKey("study.id"), nullable=False, index=True),
        sa.Column("parent_id", sa.Uuid(), sa.ForeignKey("plan_version.id"), nullable=True),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("created_at", _MOMENT, nullable=False),
    )
    op.execute(
        """
        CREATE FUNCTION plan_version_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            RAISE EXCEPTION 'a saved plan version is never changed or deleted';
        END $$;
        CREATE TRIGGER plan_version_append_only BEFORE UPDATE OR DELETE ON plan_version
            FOR EACH ROW EXECUTE FUNCTION plan_version_is_append_only();
        """
    )
    op.create_table(
        "job",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("step", sa.String(200), nullable=False),
        sa.Column("done", sa.BigInteger(), nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=False),
        sa.Column("says", sa.String(), nullable=False),
        sa.Column("study_id", sa.Uuid(), sa.ForeignKey("study.id"), nullable=True),
        sa.Column("queue_job_id", sa.BigInteger(), nullable=True),
        sa.Column("created_at", _MOMENT, nullable=False),
        sa.Column("updated_at", _MOMENT, nullable=False),
    )
    driver = op.get_bind().connection.driver_connection
    assert driver is not None
    driver.execute(SchemaManager.get_schema())


def downgrade() -> None:
    raise NotImplementedError("there is nothing before the first tables")
