"""What a coach wants a day measured against"""

import sqlalchemy as sa

from lauftakt.store.migrations.steps import add_columns

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_columns("event", sa.Column("reference", sa.String(40), nullable=True))


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what stands in the new column.")
