"""What each plan version came to when it was first worked out, so that other figures after an update are noticed."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.create_table(
        "remembered",
        sa.Column("version_id", sa.Uuid(), sa.ForeignKey("plan_version.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("measure", sa.String(400), primary_key=True),
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("figures_digest", sa.String(64), nullable=False),
        sa.Column("sources", postgresql.JSONB(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    raise NotImplementedError("a database is never taken back to an earlier version")
