"""How a first plan was drafted: what was decided by itself, and the likeliest other choices."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("plan_version", sa.Column("drafted", postgresql.JSONB(), nullable=True))


def downgrade() -> None:
    raise NotImplementedError("a database is never taken back to an earlier version")
