"""Uploads, what is known of a source, how it was read, and sources that a newer file has taken the place of."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "upload",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("study_id", sa.Uuid(), sa.ForeignKey("study.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("files", postgresql.JSONB(), nullable=False),
        sa.Column("touched_at", sa.DateTime(timezone=True), nullable=False),
    )
    for name in ("reading", "facts", "change"):
        op.add_column("source", sa.Column(name, postgresql.JSONB(), nullable=False, server_default="{}"))
        op.alter_column("source", name, server_default=None)
    op.add_column("source", sa.Column("upload_id", sa.Uuid(), sa.ForeignKey("upload.id"), nullable=True))
    op.add_column("source", sa.Column("retired_at", sa.DateTime(timezone=True), nullable=True))
    op.drop_constraint("source_study_id_name_key", "source", type_="unique")
    op.create_index(
        "source_live_name", "source", ["study_id", "name"], unique=True, postgresql_where=sa.text("retired_at IS NULL")
    )
