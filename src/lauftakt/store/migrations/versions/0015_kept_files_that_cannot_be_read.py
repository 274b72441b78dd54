"""Which kept files are damaged, and which the present reader cannot read"""

import sqlalchemy as sa
from sqlalchemy.dialects.mysql import DATETIME

from lauftakt.store.migrations.steps import add_columns

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_columns(
        "original",
        sa.Column("damaged_at", DATETIME(fsp=6), nullable=True),
        sa.Column("unread_by", sa.Integer, nullable=True),
    )


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what stands in the new columns.")
