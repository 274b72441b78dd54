"""What runs say of a driver's pace, and what becomes of cues over days"""

import sqlalchemy as sa

from lauftakt.store.migrations.steps import add_columns, make_table

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def _of(table: str, *, index: bool = False) -> sa.Column[int]:
    key = sa.ForeignKey(f"{table}.id", ondelete="CASCADE")
    return sa.Column(f"{table}_id", sa.Integer, key, nullable=False, index=index)


def upgrade() -> None:
    add_columns("run", sa.Column("decided", sa.Integer, nullable=False, server_default="0"))
    add_columns("debrief", sa.Column("followed", sa.String(40), nullable=True))
    make_table(
        "run_pace",
        _of("run"),
        _of("layout_version"),
        sa.Column("key", sa.String(40), nullable=False),
        sa.Column("pace", sa.JSON, nullable=False),
        sa.UniqueConstraint("run_id", name="uq_run_pace_run_id"),
    )
    make_table(
        "cue_course",
        _of("cue"),
        _of("debrief", index=True),
        _of("driver", index=True),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("figure", sa.String(40), nullable=False),
        sa.Column("stage", sa.String(20), nullable=False),
        sa.Column("paid", sa.Boolean, nullable=False),
        sa.Column("looks", sa.JSON, nullable=False),
        sa.UniqueConstraint("cue_id", name="uq_cue_course_cue_id"),
    )


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what stands in the new tables.")
