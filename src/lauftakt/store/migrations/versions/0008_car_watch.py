"""Figures of every channel by lap, the car's sheet, sets of figures, what is said of stints and of held-up parts"""

import sqlalchemy as sa
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB

from lauftakt.store.migrations.steps import add_columns, add_index, make_table

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

MOMENT = DATETIME(fsp=6)


def _of(table: str, ondelete: str = "CASCADE") -> sa.ForeignKey:
    return sa.ForeignKey(f"{table}.id", ondelete=ondelete)


def upgrade() -> None:
    add_columns("car", sa.Column("sheet", sa.JSON, nullable=True))
    make_table(
        "lap_figures",
        sa.Column("analysis_id", sa.Integer, _of("analysis"), nullable=False),
        sa.Column("role", sa.String(60), nullable=False),
        sa.Column("data", LONGBLOB, nullable=False),
        sa.UniqueConstraint("analysis_id", "role", name="uq_lap_figures_analysis_id"),
    )
    make_table(
        "figure_set",
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("figures", sa.JSON, nullable=False),
        sa.UniqueConstraint("team_id", "name", name="uq_figure_set_team_id"),
    )
    make_table(
        "stint_word",
        sa.Column("run_id", sa.Integer, _of("run"), nullable=False),
        sa.Column("moment_s", sa.Double, nullable=False),
        sa.Column("cut", sa.Boolean, nullable=False),
        sa.Column("tried", sa.Text, nullable=True),
        sa.Column("tyres", sa.JSON, nullable=True),
        sa.Column("account_id", sa.Integer, _of("account", "SET NULL"), nullable=True),
        sa.Column("said_at", MOMENT, nullable=False),
    )
    make_table(
        "held_word",
        sa.Column("run_id", sa.Integer, _of("run"), nullable=False),
        sa.Column("from_s", sa.Double, nullable=False),
        sa.Column("to_s", sa.Double, nullable=False),
        sa.Column("held", sa.Boolean, nullable=False),
        sa.Column("account_id", sa.Integer, _of("account", "SET NULL"), nullable=True),
        sa.Column("said_at", MOMENT, nullable=False),
    )
    # Lists of laps of a team in the order of time, however many there are.
    add_index("ix_lap_team_analysis", "lap", ["team_id", "analysis_id"])
    add_index("ix_run_layout", "run", ["team_id", "removed_at", "layout_id"])


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what was said of cars, stints and traffic.")
