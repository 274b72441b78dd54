"""Two people at once: nobody overwrites unseen what somebody else wrote, and no undo takes a later change along."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.store.models import Account, Action
from lauftakt.web.access import Problem
from lauftakt.web.policy import Viewer, visible

# So many later entries of the log are looked through; what is older than that many is not undone by a click.
MOST_LATER = 3000
# Of what somebody else wrote so much is shown.
MOST_TOLD = 300
# What a step of an undo names its row by.
_TARGETS = ("run", "note", "cue", "debrief", "driver", "layout", "event", "car", "link", "hand_in", "moment", "word")
_ALL = "*"


def refuse_unseen(
    session: Session,
    viewer: Viewer,
    subject: tuple[str, int],
    seen: Mapping[str, Any] | None,
    present: Mapping[str, Any],
) -> None:
    """Refuse a change of what is not as its writer saw it.

    Parameters
    ----------
    session, viewer : who asks
    subject : kind and id of the row, as the log of what was done names it
    seen : what stood there when the writer began, by field; None where they do not say, or insist
    present : what stands there now

    Raises
    ------
    Problem
        409 ``changed-meanwhile`` with what stands there now
    """
    other = {name: present[name] for name, value in (seen or {}).items() if name in present and present[name] != value}
    if not other:
        return
    words = "; ".join(_told(name, value) for name, value in other.items())
    who = _who_was_last(session, viewer, subject)
    told = f"{who} changed this meanwhile: {words[:MOST_TOLD]}. Yours is not stored yet."
    raise Problem(409, "changed-meanwhile", told)


def _told(name: str, value: Any) -> str:
    """A field with what stands there, as people read it."""
    shown = f"“{value}”" if isinstance(value, str) else "nothing" if value in (None, [], {}) else f"{value}"
    return f"{name.replace('_', ' ')} is {shown}"


def _who_was_last(session: Session, viewer: Viewer, subject: tuple[str, int]) -> str:
    query = visible(Action, viewer).where(Action.subject == subject[0], Action.subject_id == subject[1])
    last = session.scalar(query.order_by(Action.id.desc()).limit(1))
    if last is None or last.account_id is None:
        return "Somebody"
    return session.scalar(select(Account.name).where(Account.id == last.account_id)) or "Somebody who left"


def refuse_to_take_along(session: Session, viewer: Viewer, row: Action) -> None:
    """Refuse to undo what was changed again since: that would be lost with it.

    Raises
    ------
    Problem
        409 ``changed-since`` with who did what
    """
    own = [_touched(step) for step in row.inverse]
    later = visible(Action, viewer).where(Action.id > row.id, Action.undone_at.is_(None)).order_by(Action.id.desc())
    for other in session.scalars(later.limit(MOST_LATER)):
        if any(_meet(mine, _touched(step)) for step in other.inverse for mine in own):
            who = session.scalar(select(Account.name).where(Account.id == other.account_id)) or "Somebody who left"
            told = f"{who} changed the same since: “{other.summary}” Taking this back would lose that, too."
            raise Problem(409, "changed-since", told)


Touched = tuple[str, frozenset[tuple[str, Any]], frozenset[str]]


def _touched(step: dict[str, Any]) -> Touched:
    """What a step of an undo would change: of which kind, of which row, and which fields."""
    target = {(name, step[name]) for name in _TARGETS if isinstance(step.get(name), int | float | str)}
    fields = step.get("set")
    names = frozenset(fields) if isinstance(fields, dict) and "removed" not in fields else frozenset({_ALL})
    if step["do"] == "mark":
        target.add(("mark", step["remove"] if "remove" in step else step["put"]["id"]))
    if step["do"] == "sector-set":
        target.add(("set", step["set"]))
    return step["do"], frozenset(target), names


def _meet(one: Touched, other: Touched) -> bool:
    if one[0] != other[0] or one[1] != other[1]:
        return False
    return _ALL in one[2] or _ALL in other[2] or bool(one[2] & other[2])
