"""Teams that have something already: handed in once a worker, then copied within the database for each test.

A copy has rows of its own under numbers of their own, so that a test may do to it what it likes and no cache can take
one for another.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import Column, Table, func, select, text
from sqlalchemy.orm import Session

from lauftakt.store.database import Database
from lauftakt.store.models import Account
from lauftakt.store.models.base import Base
from tests.web.coach import Coach, make_coach

# Who signs in is each copy's own.
NOT_COPIED = {"account", "sign_in", "invitation", "upload"}
_made: dict[tuple[str, ...], Coach] = {}


def give(coach: Coach, app: Any, database: Database, files: Sequence[Path]) -> Coach:
    """Let a coach's empty team have these files as if they had been handed in, in this order."""
    name = tuple(str(path) for path in files)
    if name not in _made:
        first = make_coach(app, database)
        assert first.sign_in().status_code == 200
        for path in files:
            answer = first.hand_in(path.name, path.read_bytes())
            assert answer.json["state"] == "taken", answer.json
        _made[name] = first
    with database.begin() as session:
        _copy(session, _made[name].team_id, coach)
    return coach


def _copy(session: Session, team: int, to: Coach) -> None:
    """All rows of a team as rows of another: every number is raised by the same."""
    tables = [table for table in Base.metadata.sorted_tables if "team_id" in table.c and table.name not in NOT_COPIED]
    by = max(session.scalar(select(func.max(table.c.id))) or 0 for table in tables)
    account = session.scalars(select(Account.id).where(Account.email == to.email)).one()
    session.execute(text("SET foreign_key_checks = 0"))
    for table in tables:
        values = [_copied(table, column, by, to.team_id, account) for column in table.c]
        rows = select(*values).where(table.c.team_id == team)
        session.execute(table.insert().from_select([column.name for column in table.c], rows))
    session.execute(text("SET foreign_key_checks = 1"))


def _copied(table: Table, column: Column[Any], by: int, team: int, account: int) -> Any:
    if column.name == "team_id":
        return text(str(team))
    if column.name == "account_id":
        return func.if_(column.is_(None), None, account)
    if column.name in ("id", "subject_id") or column.foreign_keys:
        return column + by
    return column
