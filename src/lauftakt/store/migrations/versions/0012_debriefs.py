"""Debriefs with cues and keeps, what drivers say of a run, and whose laps others may be shown"""

from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.mysql import DATETIME

from lauftakt.store.migrations.steps import add_columns, make_table

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def _of(table: str, *, gone: str = "CASCADE", nullable: bool = False, index: bool = True) -> sa.Column[int]:
    key = sa.ForeignKey(f"{table}.id", ondelete=gone)
    return sa.Column(f"{table}_id", sa.Integer, key, nullable=nullable, index=index)


def _maybe(name: str, kind: Any) -> sa.Column[Any]:
    return sa.Column(name, kind, nullable=True)


def upgrade() -> None:
    make_table(
        "debrief",
        _of("driver"),
        _of("event", gone="SET NULL", nullable=True),
        _of("run", gone="SET NULL", nullable=True),
        _of("account", gone="SET NULL", nullable=True, index=False),
        sa.Column("author", sa.String(200), nullable=False),
        sa.Column("losses", sa.JSON, nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        _maybe("given_at", DATETIME(fsp=6)),
        _maybe("given", sa.JSON()),
        _maybe("opened_at", DATETIME(fsp=6)),
        sa.UniqueConstraint("team_id", "run_id", name="uq_debrief_team_id"),
    )
    make_table(
        "cue",
        _of("debrief"),
        _of("driver"),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("rank", sa.Integer, nullable=False),
        sa.Column("sentence", sa.JSON, nullable=False),
        _maybe("text", sa.Text()),
        sa.Column("passage", sa.String(60), nullable=False),
        _maybe("corner", sa.String(200)),
        sa.Column("latitude", sa.Double, nullable=False),
        sa.Column("longitude", sa.Double, nullable=False),
        sa.Column("figure", sa.String(40), nullable=False),
        sa.Column("direction", sa.String(10), nullable=False),
        sa.Column("value", sa.Double, nullable=False),
        sa.Column("now", sa.Double, nullable=False),
        _maybe("target_latitude", sa.Double()),
        _maybe("target_longitude", sa.Double()),
        _maybe("cause", sa.String(40)),
        sa.Column("shown", sa.String(20), nullable=False),
        _maybe("lap", sa.Integer()),
        sa.Column("basis", sa.JSON, nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        _maybe("understood", sa.Boolean()),
        _maybe("tried", sa.Boolean()),
        _maybe("unsafe", sa.Boolean()),
        sa.Column("removed_at", DATETIME(fsp=6), nullable=True, index=True),
    )
    make_table(
        "voice",
        _of("driver"),
        _of("run"),
        sa.Column("felt", sa.String(10), nullable=False),
        _maybe("corner", sa.String(200)),
        _maybe("latitude", sa.Double()),
        _maybe("longitude", sa.Double()),
        _maybe("words", sa.Text()),
        sa.Column("said_at", DATETIME(fsp=6), nullable=False),
    )
    # NULL: nobody asked yet whether other students may be shown their laps.
    add_columns("driver", sa.Column("shows_laps", sa.Boolean, nullable=True))


def downgrade() -> None:
    raise NotImplementedError("Going back would lose debriefs.")
