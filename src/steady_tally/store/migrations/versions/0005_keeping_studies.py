"""Studies that can be deleted whole, that wait for the files of a plan, and small pictures of their maps."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"


def _study(*, primary_key: bool) -> sa.Column:
    key = sa.ForeignKey("study.id", ondelete="CASCADE")
    return sa.Column("study_id", sa.Uuid(), key, nullable=False, primary_key=primary_key)


def upgrade() -> None:
    op.add_column("study", sa.Column("waiting_plan", postgresql.JSONB(), nullable=True))
    op.create_table(
        "picture",
        _study(primary_key=True),
        sa.Column("version_id", sa.Uuid(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
    )
    op.create_table(
        "derived_use",
        sa.Column("set_id", sa.Uuid(), sa.ForeignKey("column_set.id", ondelete="CASCADE"), primary_key=True),
        _study(primary_key=True),
    )
    # Of derived columns nobody knows yet whose they are; they are worked out again where they are wanted.
    op.execute("DELETE FROM column_set WHERE key IS NOT NULL")
    op.execute(
        """
        CREATE OR REPLACE FUNCTION plan_version_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            IF TG_OP = 'DELETE' AND current_setting('steady_tally.deleting', true) = OLD.study_id::text THEN
                RETURN OLD;
            END IF;
            RAISE EXCEPTION 'a saved plan version is never changed or deleted';
        END $$;
        """
    )


def downgrade() -> None:
    raise NotImplementedError("a database is never taken back to an earlier version")
