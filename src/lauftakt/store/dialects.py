"""Logger dialects: rows <-> the core's Dialect."""

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.log.dialect import Choice, Dialect, fingerprint, same_logger
from lauftakt.core.log.roles import ROLES
from lauftakt.store.database import mine, now
from lauftakt.store.models import DialectRow, Team


def to_dialect(row: DialectRow) -> Dialect:
    """The core's dialect of a row."""
    return Dialect(frozenset(row.names), {name: choice_of(found) for name, found in row.choices.items()})


def choice_of(found: dict[str, Any]) -> Choice:
    """A choice from what was kept or handed in; roles that are not known any more say nothing."""
    role = found.get("role")
    return Choice(
        role=role if role == "" or role in ROLES else None, unit=found.get("unit"), flipped=found.get("flipped")
    )


def find_dialect(session: Session, team_id: int, names: Iterable[str]) -> DialectRow | None:
    """The dialect of a logger with these channel names, or of one that has nearly the same."""
    names = list(names)
    exact = session.scalar(mine(DialectRow, team_id).where(DialectRow.fingerprint == fingerprint(names)))
    if exact is not None:
        return exact
    rows = session.scalars(mine(DialectRow, team_id)).all()
    best = max(rows, key=lambda row: same_logger(row.names, names), default=None)
    return best if best is not None and same_logger(best.names, names) > 0 else None


def keep_choices(
    session: Session, team_id: int, names: list[str], choices: dict[str, Choice], title: str
) -> DialectRow:
    """Add what a person said to the dialect of a logger, made where it is new; a choice that says nothing is taken out.

    Parameters
    ----------
    session : its transaction
    team_id : whose
    names : all channel names of the logger
    choices : by channel name
    title : what a new dialect is called
    """
    # One correction of a team at a time: what two people say at one moment is added up, and nothing is overwritten.
    session.execute(select(Team.id).where(Team.id == team_id).with_for_update())
    row = find_dialect(session, team_id, names)
    if row is not None:
        session.refresh(row)
    if row is None:
        row = DialectRow(
            team_id=team_id, name=title[:200], fingerprint=fingerprint(names), names=sorted(names), choices={},
            updated_at=now(),
        )  # fmt: skip
        session.add(row)
    kept = dict(row.choices)
    for name, choice in choices.items():
        if choice.says_nothing:
            kept.pop(name, None)
        else:
            kept[name] = asdict(choice)
    row.choices, row.updated_at = kept, now()
    session.flush()
    return row
