"""What a job is asked for lies with the job, and goes with its study: the queue keeps neither names nor choices."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("job", sa.Column("wanted", postgresql.JSONB(), nullable=True))
    op.execute(
        "UPDATE job SET wanted = q.args->'wanted' FROM procrastinate_jobs q "
        "WHERE q.id = job.queue_job_id AND q.status IN ('todo', 'doing')"
    )
    op.execute("UPDATE procrastinate_jobs SET args = args - 'wanted'")
    op.execute("DELETE FROM procrastinate_jobs WHERE status NOT IN ('todo', 'doing')")
