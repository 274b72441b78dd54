"""Sign-ins kept on the server, invitations, tries to sign in, and what was removed and can be brought back"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

from lauftakt.store.migrations.steps import add_columns, add_index, has_table, make_table

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

MOMENT = DATETIME(fsp=6)
REMOVABLE = ("run", "event", "driver", "car", "circuit", "layout", "team")


def upgrade() -> None:
    for table in REMOVABLE:
        add_columns(table, sa.Column("removed_at", MOMENT, nullable=True))
        add_index(f"ix_{table}_removed_at", table, ["removed_at"])
    add_columns("team", sa.Column("demo", sa.Boolean, nullable=False, server_default=sa.text("0")))
    add_columns("account", sa.Column("dates", sa.String(20), nullable=False, server_default="en-GB"))
    make_table(
        "sign_in",
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id", ondelete="CASCADE"), nullable=False),
        sa.Column("token_hash", sa.String(64), nullable=False),
        sa.Column("device", sa.String(120), nullable=False),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.Column("used_at", MOMENT, nullable=False),
        sa.Column("ended_at", MOMENT, nullable=True),
        sa.UniqueConstraint("token_hash", name="uq_sign_in_token_hash"),
    )
    make_table(
        "invitation",
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("nonce", sa.String(32), nullable=False),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id", ondelete="SET NULL"), nullable=True),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.Column("expires_at", MOMENT, nullable=False),
        sa.Column("revoked_at", MOMENT, nullable=True),
        sa.Column("used_at", MOMENT, nullable=True),
    )
    if not has_table("sign_in_try"):
        op.create_table(
            "sign_in_try",
            sa.Column("id", sa.BigInteger, primary_key=True),
            sa.Column("key", sa.String(64), nullable=False),
            sa.Column("at", MOMENT, nullable=False),
            sa.Index("ix_sign_in_try_key", "key", "at"),
        )


def downgrade() -> None:
    raise NotImplementedError("Going back would show what was removed.")
