"""The role that a channel would have otherwise, and the circuit that somebody chose for a file"""

import sqlalchemy as sa

from lauftakt.store.migrations.steps import add_columns, add_foreign_key

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_columns("channel", sa.Column("second_role", sa.String(60), nullable=True))
    add_columns("hand_in", sa.Column("layout_id", sa.Integer, nullable=True))
    add_foreign_key("hand_in", "layout_id", "layout", "SET NULL")


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what was said since.")
