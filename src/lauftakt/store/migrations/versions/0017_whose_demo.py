"""Whose demo school it is; what an analysis held when it was written, and which runs' blocks carry a checksum"""

import sqlalchemy as sa

from lauftakt.store.migrations.steps import add_columns, run

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    add_columns("team", sa.Column("demo_for", sa.Integer(), nullable=True))
    whose()
    add_columns("analysis", sa.Column("digest", sa.String(64), nullable=True))
    add_columns("run", sa.Column("sealed", sa.Boolean(), nullable=False, server_default="0"))


def whose() -> None:
    """The demo school belongs to the only team there is; with several it is nobody's but the installation's."""
    own = run("SELECT id FROM team WHERE demo = 0 AND removed_at IS NULL").scalars().all()
    if len(own) == 1:
        run("UPDATE team SET demo_for = :team WHERE demo = 1 AND demo_for IS NULL", team=own[0])


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what stands in the new columns.")
