"""The one log of what was done: who, when, what, and its inverse, which serves every undo."""

from typing import Any

from sqlalchemy.orm import Session

from lauftakt.store.database import now
from lauftakt.store.models import Action


def note_action(
    session: Session,
    team_id: int,
    *,
    account_id: int | None,
    kind: str,
    subject: tuple[str, int],
    summary: str,
    inverse: list[dict[str, Any]],
    link_id: int | None = None,
) -> Action:
    """Note something that was done, in the transaction that does it.

    Parameters
    ----------
    session, team_id : where
    account_id, link_id : who
    kind : ``labels``, ``lap``, ``channels``, ``hand-in``, ``link`` or ``undo``
    subject : kind and id of the row it was done to
    summary : one sentence for people
    inverse : what takes it back: a ``do`` with its values for each step; empty where it cannot be taken back
    """
    row = Action(
        team_id=team_id,
        account_id=account_id,
        link_id=link_id,
        at=now(),
        kind=kind,
        subject=subject[0],
        subject_id=subject[1],
        summary=summary[:300],
        inverse=inverse,
    )
    session.add(row)
    session.flush()
    return row
