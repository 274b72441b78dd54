"""Notes pinned to places, laps, runs, cars, circuits, drivers and tyres"""

import sqlalchemy as sa
from sqlalchemy.dialects.mysql import DATETIME

from lauftakt.store.migrations.steps import make_table

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def _pinned(table: str) -> sa.Column[int]:
    name = f"{table}_id"
    return sa.Column(name, sa.Integer, sa.ForeignKey(f"{table}.id", ondelete="CASCADE"), nullable=True, index=True)


def upgrade() -> None:
    make_table(
        "note",
        sa.Column("pin", sa.String(20), nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("shared", sa.Boolean, nullable=False),
        sa.Column("author", sa.String(200), nullable=False),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id", ondelete="SET NULL"), nullable=True),
        sa.Column("written_at", DATETIME(fsp=6), nullable=False),
        sa.Column("changed_at", DATETIME(fsp=6), nullable=True),
        _pinned("circuit"),
        sa.Column("latitude", sa.Double, nullable=True),
        sa.Column("longitude", sa.Double, nullable=True),
        _pinned("run"),
        sa.Column("moment_s", sa.Double, nullable=True),
        _pinned("car"),
        _pinned("driver"),
        sa.Column("tyres", sa.String(200), nullable=True),
        sa.Column("removed_at", DATETIME(fsp=6), nullable=True, index=True),
    )


def downgrade() -> None:
    raise NotImplementedError("Going back would lose notes.")
