"""Hand-in: links, uploads, dialects, labels, what a person said of a lap, the recorder of a live stream."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0003"
down_revision = "0002"
MOMENT = DATETIME(fsp=6)


def _owned() -> list[sa.Column]:
    return [
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("team_id", sa.Integer, sa.ForeignKey("team.id", ondelete="CASCADE"), nullable=False, index=True),
    ]


def upgrade() -> None:
    op.create_table(
        "dialect",
        *_owned(),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("fingerprint", sa.String(64), nullable=False),
        sa.Column("names", sa.JSON, nullable=False),
        sa.Column("choices", sa.JSON, nullable=False),
        sa.Column("updated_at", MOMENT, nullable=False),
        sa.UniqueConstraint("team_id", "fingerprint"),
    )
    op.create_table(
        "hand_in_link",
        *_owned(),
        sa.Column("driver_id", sa.Integer, sa.ForeignKey("driver.id", ondelete="CASCADE"), nullable=False),
        sa.Column("nonce", sa.String(32), nullable=False),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.Column("expires_at", MOMENT, nullable=False),
        sa.Column("revoked_at", MOMENT),
        sa.Column("last_used_at", MOMENT),
    )
    op.create_table(
        "upload",
        *_owned(),
        sa.Column("giver", sa.String(40), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("file_name", sa.String(300), nullable=False),
        sa.Column("size", sa.BigInteger, nullable=False),
        sa.Column("driver_name", sa.String(200)),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id", ondelete="CASCADE")),
        sa.Column("link_id", sa.Integer, sa.ForeignKey("hand_in_link.id", ondelete="CASCADE")),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.Column("touched_at", MOMENT, nullable=False),
        sa.UniqueConstraint("team_id", "giver", "key"),
    )
    op.create_table(
        "watched_file",
        *_owned(),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("taken_at", MOMENT, nullable=False),
        sa.UniqueConstraint("team_id", "key"),
    )
    op.create_table(
        "live_stream",
        *_owned(),
        sa.Column("wanted", sa.Boolean, nullable=False, server_default="0"),
        sa.Column("driver_name", sa.String(200)),
        sa.Column("state", sa.String(20), nullable=False, server_default="off"),
        sa.Column("message", sa.String(500)),
        sa.Column("laps", sa.JSON, nullable=False),
        sa.Column("packets", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("lost", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("heard_at", MOMENT),
        sa.UniqueConstraint("team_id"),
    )
    for column in (
        sa.Column("dialect_id", sa.Integer, sa.ForeignKey("dialect.id", ondelete="SET NULL")),
        sa.Column("conditions", sa.String(20)),
        sa.Column("tyres", sa.String(200)),
        sa.Column("notes", sa.Text),
        sa.Column("felt", sa.Text),
        sa.Column("confirmed", sa.Boolean, nullable=False, server_default="0"),
        sa.Column("labels_from", sa.JSON, nullable=False, server_default="{}"),
        sa.Column("overlaps", sa.JSON, nullable=False, server_default="[]"),
        sa.Column("duration_s", sa.Double),
    ):
        op.add_column("run", column)
    for column in (
        sa.Column("as_logged", sa.Boolean, nullable=False, server_default="0"),
        sa.Column("recognised_by", sa.String(20), nullable=False, server_default="name"),
        sa.Column("confidence", sa.Double, nullable=False, server_default="1"),
        sa.Column("flipped", sa.Boolean, nullable=False, server_default="0"),
        sa.Column("taken_unit", sa.String(60), nullable=False, server_default=""),
        sa.Column("picture", sa.JSON, nullable=False, server_default="[]"),
        sa.Column("low", sa.Double),
        sa.Column("high", sa.Double),
    ):
        op.add_column("channel", column)
    op.add_column("lap", sa.Column("automatic", sa.String(20)))
    op.add_column("lap", sa.Column("by_hand", sa.Boolean))
    op.execute("UPDATE lap SET automatic = set_aside")
    op.create_index("ix_lap_time", "lap", ["team_id", "time_s"])
    for column in (
        sa.Column("source", sa.String(20), nullable=False, server_default="browser"),
        sa.Column("origin", sa.String(500)),
        sa.Column("clock_off_s", sa.Double),
        sa.Column("link_id", sa.Integer, sa.ForeignKey("hand_in_link.id", ondelete="SET NULL")),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("hand_in.id", ondelete="SET NULL")),
        sa.Column("dismissed_at", MOMENT),
    ):
        op.add_column("hand_in", column)
    op.create_index("ix_hand_in_list", "hand_in", ["team_id", "dismissed_at", "id"])
    op.add_column("job", sa.Column("task", sa.String(20), nullable=False, server_default="import"))


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what was labelled.")
