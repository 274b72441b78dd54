"""What the causes of a finding leave over, and what a driver is measured against"""

import sqlalchemy as sa

from lauftakt.store.migrations.steps import add_columns

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_columns(
        "finding",
        sa.Column("brought_in_s", sa.Double, nullable=True),
        sa.Column("unexplained_s", sa.Double, nullable=True),
        sa.Column("carried_s", sa.Double, nullable=True),
        sa.Column("against", sa.String(20), nullable=False, server_default="reference"),
    )


def downgrade() -> None:
    raise NotImplementedError("Findings are computed anew, not taken back.")
