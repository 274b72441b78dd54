"""Line-ups kept by name, drivers who are only a reference, and what a coach wants to see on the desk"""

import sqlalchemy as sa
from sqlalchemy.dialects.mysql import DATETIME

from lauftakt.store.migrations.steps import add_columns, make_table

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_columns("driver", sa.Column("reference_only", sa.Boolean, nullable=False, server_default="0"))
    add_columns("account", sa.Column("desk", sa.JSON, nullable=True))
    make_table(
        "line_up",
        sa.Column("layout_id", sa.Integer, sa.ForeignKey("layout.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id", ondelete="SET NULL"), nullable=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("address", sa.Text, nullable=False),
        sa.Column("kept_at", DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("team_id", "layout_id", "name", name="uq_line_up_team_id"),
    )


def downgrade() -> None:
    raise NotImplementedError("Going back would lose line-ups that were kept.")
