"""Held-up parts, the reader's warnings apart from the computation's, and a driver's name as typed"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("hand_in", sa.Column("driver_name", sa.String(length=200), nullable=True))
    for table, column in (("run", "log_warnings"), ("lap", "held_up")):
        op.add_column(table, sa.Column(column, sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("lap", "held_up")
    op.drop_column("run", "log_warnings")
    op.drop_column("hand_in", "driver_name")
