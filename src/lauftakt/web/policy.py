"""Who may see and do what: decided here and nowhere else.

Roles of accounts: an owner and a coach see and change everything of their team; an assistant sees everything and
changes nothing but notes; a driver sees their own runs. The holder of a hand-in link sees what came by it and may
tell of it what only the driver knows. Nothing crosses teams.
"""

from dataclasses import dataclass
from typing import Any, Literal, TypeVar

from sqlalchemy import Select, false, or_, select
from sqlalchemy.orm import Session

from lauftakt.store.database import NotFound
from lauftakt.store.models import (
    Account,
    Analysis,
    Car,
    Circuit,
    CueRow,
    Debrief,
    Driver,
    Event,
    HandIn,
    HandInLink,
    Job,
    LayoutRow,
    LayoutVersion,
    Note,
    Owned,
    Run,
    SignIn,
    Upload,
    Voice,
)

T = TypeVar("T", bound=Owned)

Kind = Literal["owner", "coach", "assistant", "driver", "link"]
Action = Literal["see", "see-team", "note", "change", "hand-in", "tell", "account", "lead"]

WHOLE_TEAM: tuple[Kind, ...] = ("owner", "coach", "assistant")
LEADING: tuple[Kind, ...] = ("owner", "coach")

# Who may do what at all; what a row must be for it follows in :func:`may`.
ACTIONS: dict[Action, tuple[Kind, ...]] = {
    # Rows that :func:`visible` gives.
    "see": ("owner", "coach", "assistant", "driver", "link"),
    # What is of the team as a whole: files, links, loggers, dialects, the log of what was done.
    "see-team": WHOLE_TEAM,
    "note": WHOLE_TEAM,
    "change": LEADING,
    "hand-in": ("owner", "coach", "link"),
    # What only the driver knows of a run: how it felt, conditions, tyres.
    "tell": ("owner", "coach", "driver", "link"),
    # One's own preferences.
    "account": ("owner", "coach", "assistant", "driver"),
    # Who belongs to the team, and whether there is one.
    "lead": ("owner",),
}


@dataclass(frozen=True)
class Viewer:
    """Whoever asks.

    ``driver_id`` is the driver that a viewer is, where they are one; ``link_id`` the link by which they came.
    """

    kind: Kind
    team_id: int
    account_id: int | None = None
    driver_id: int | None = None
    link_id: int | None = None


def allowed(viewer: Viewer, action: Action) -> bool:
    """Whether a viewer may do something at all."""
    return viewer.kind in ACTIONS[action]


def may(viewer: Viewer, action: Action, row: Owned) -> bool:
    """Whether a viewer may do something to a row."""
    if row.team_id != viewer.team_id or not allowed(viewer, action):
        return False
    if viewer.kind in WHOLE_TEAM:
        return True
    return isinstance(row, Run) and row.driver_id == viewer.driver_id


def visible(model: type[T], viewer: Viewer) -> Select[T]:
    """The rows of a table that a viewer may see; every query of a request begins here."""
    query = select(model).where(model.team_id == viewer.team_id)
    if viewer.kind in WHOLE_TEAM and model is not SignIn:
        return query
    condition = _own(model, viewer)
    return query.where(false() if condition is None else condition)


def _own(model: type[Any], viewer: Viewer) -> Any:
    """What makes a row a driver's own; None where a table holds nothing for drivers."""
    if model is SignIn:  # anybody's own only
        return None if viewer.account_id is None else SignIn.account_id == viewer.account_id
    own = select(Run.id).where(Run.team_id == viewer.team_id, Run.driver_id == viewer.driver_id)
    if viewer.driver_id is None:
        return None
    if viewer.kind == "link":
        if viewer.link_id is None:
            return None  # and not what came by no link
        came = select(HandIn.run_id).where(HandIn.link_id == viewer.link_id, HandIn.run_id.is_not(None))
        own = own.where(Run.id.in_(came))
        if model is HandIn:
            return HandIn.link_id == viewer.link_id
        if model is HandInLink:
            return HandInLink.id == viewer.link_id
        if model is Upload:
            return Upload.link_id == viewer.link_id
    of_runs = {
        Event: (Event.id, Run.event_id),
        Car: (Car.id, Run.car_id),
        LayoutRow: (LayoutRow.id, Run.layout_id),
    }
    if model in (Debrief, CueRow):
        return _given(model, viewer)
    if model is Voice:
        return Voice.driver_id == viewer.driver_id
    if model is Note:
        return _own_notes(viewer, own)
    if model is Run:
        return Run.id.in_(own)
    if model is Analysis:
        return Analysis.run_id.in_(own)
    if model in of_runs:
        column, of = of_runs[model]
        return column.in_(select(of).where(Run.id.in_(own)))
    if model is Circuit:
        used = select(LayoutRow.circuit_id).join(Run, Run.layout_id == LayoutRow.id).where(Run.id.in_(own))
        return Circuit.id.in_(used)
    if model is LayoutVersion:
        return LayoutVersion.layout_id.in_(select(Run.layout_id).where(Run.id.in_(own)))
    if model is Driver:
        return Driver.id == viewer.driver_id
    if viewer.account_id is None:
        return None
    if model is Account:
        return Account.id == viewer.account_id
    if model is Job:
        return Job.account_id == viewer.account_id
    return None


def _given(model: Any, viewer: Viewer) -> Any:
    """Debriefs that a driver was given, and what stands in them."""
    given = (Debrief.driver_id == viewer.driver_id) & Debrief.given_at.is_not(None)
    if model is Debrief:
        return given
    return CueRow.debrief_id.in_(select(Debrief.id).where(Debrief.team_id == viewer.team_id, given))


def _own_notes(viewer: Viewer, own: Any) -> Any:
    """What was shared with drivers of a driver's own runs, of them, and of what they drove on and with."""
    if viewer.account_id is None:
        return None
    circuits = select(LayoutRow.circuit_id).join(Run, Run.layout_id == LayoutRow.id).where(Run.id.in_(own))
    return Note.shared & or_(
        Note.run_id.in_(own),
        Note.run_id.is_(None)
        & or_(
            Note.driver_id == viewer.driver_id,
            Note.circuit_id.in_(circuits),
            Note.car_id.in_(select(Run.car_id).where(Run.id.in_(own))),
            Note.tyres.in_(select(Run.tyres).where(Run.id.in_(own))),
        ),
    )


def one(session: Session, model: type[T], viewer: Viewer, row_id: int, *, lock: bool = False) -> T:
    """One row that a viewer may see.

    Raises
    ------
    NotFound
        where there is none, or it is not theirs to see (which must look the same).
    """
    query = visible(model, viewer).where(model.id == row_id)
    if lock:
        query = query.with_for_update().execution_options(populate_existing=True)
    row = session.scalar(query)
    if row is None:
        raise NotFound(f"{model.__name__} {row_id}")
    return row
