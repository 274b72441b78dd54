"""What a coach wants a day measured against; drivers of a team who had the same colour get different ones"""

import sqlalchemy as sa

from lauftakt.store.migrations.steps import add_columns, run

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

COLOURS = 12


def upgrade() -> None:
    add_columns("event", sa.Column("reference", sa.String(40), nullable=True))
    tell_apart()


def tell_apart() -> None:
    """Who came first keeps the colour; the others get one that nobody has, as long as there is one."""
    rows = run("SELECT id, team_id, colour FROM driver WHERE removed_at IS NULL ORDER BY team_id, id").all()
    taken: dict[int, set[int]] = {}
    again = []
    for number, team, colour in rows:
        own = taken.setdefault(team, set())
        if colour % COLOURS in own:
            again.append((number, team))
        own.add(colour % COLOURS)
    for number, team in again:
        free = [colour for colour in range(COLOURS) if colour not in taken[team]]
        if free:
            run("UPDATE driver SET colour = :colour WHERE id = :id", colour=free[0], id=number)
            taken[team].add(free[0])


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what stands in the new column.")
