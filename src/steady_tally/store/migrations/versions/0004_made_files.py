"""Files that jobs make."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("job", sa.Column("file_name", sa.String(200), nullable=True))
    op.add_column("job", sa.Column("file_bytes", sa.BigInteger(), nullable=False, server_default="0"))


def downgrade() -> None:
    raise NotImplementedError("a database is never taken back to an earlier version")
