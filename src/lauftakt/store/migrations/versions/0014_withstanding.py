"""What a job waits for and when it began, what became of an upload, and counted requests that all servers share"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

from lauftakt.store.migrations.steps import add_columns, add_foreign_key, add_index, has_table

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_columns(
        "job",
        sa.Column("waits_for", sa.String(40), nullable=True),
        sa.Column("started_at", DATETIME(fsp=6), nullable=True),
    )
    add_index("ix_job_list", "job", ["team_id", "finished_at", "id"])
    add_columns("upload", sa.Column("hand_in_id", sa.Integer, nullable=True))
    add_foreign_key("upload", "hand_in_id", "hand_in", "SET NULL")
    if not has_table("request_count"):
        op.create_table(
            "request_count",
            sa.Column("name", sa.String(190), primary_key=True),
            sa.Column("hits", sa.Integer, nullable=False),
            sa.Column("until", sa.Double, nullable=False, index=True),
        )


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what stands in the new columns.")
