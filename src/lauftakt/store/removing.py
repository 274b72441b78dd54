"""Removes what people want to be rid of: hidden at once with everything that goes along, brought back by undo, and gone
for good after some weeks."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from lauftakt.settings import kept_hours
from lauftakt.store.database import INCLUDE_REMOVED, mine, mine_by_id, now
from lauftakt.store.models import (
    Account,
    Car,
    Circuit,
    CueRow,
    Driver,
    Event,
    HandIn,
    HandInLink,
    LayoutRow,
    Note,
    Run,
    Team,
)
from lauftakt.store.runs import keep_apart

# Until then undo brings it back.
KEPT = timedelta(hours=kept_hours("removed"))
# What can be removed by name, and the order in which rows are deleted for good: what refers to others first.
KINDS: dict[str, Any] = {
    "run": Run, "event": Event, "driver": Driver, "car": Car, "layout": LayoutRow, "circuit": Circuit,
}  # fmt: skip


@dataclass
class Gone:
    """What was, or would be, removed: ids by kind, and what went along without being removable by itself."""

    rows: dict[str, list[int]] = field(default_factory=dict)
    hand_ins: list[int] = field(default_factory=list)
    links: list[int] = field(default_factory=list)
    # Digests of the runs' files, which must be free for whoever hands them in again.
    digests: dict[str, str] = field(default_factory=dict)

    def ids(self, kind: str) -> list[int]:
        """Rows of a kind."""
        return self.rows.get(kind, [])

    def as_step(self) -> dict[str, Any]:
        """What undo needs to know."""
        return {
            "do": "removed",
            "rows": self.rows,
            "hand_ins": self.hand_ins,
            "links": self.links,
            "digests": self.digests,
        }


def goes_along(session: Session, team_id: int, kind: str, row_id: int) -> Gone:
    """What removing a row takes along. Nothing joins it until the transaction ends: the row is locked first.

    A driver takes their runs and links; an event, its runs; a layout, its runs and events. Events, drivers and cars
    that are left with nothing go, too, and a circuit without any layout; a car leaves its runs where they are.

    Raises
    ------
    lauftakt.store.database.NotFound
    """
    row = mine_by_id(session, KINDS[kind], team_id, row_id)
    session.refresh(row, with_for_update=True)
    gone = Gone(rows={kind: [row.id]})
    of: dict[str, Any] = {
        "run": Run.id == row.id,
        "event": Run.event_id == row.id,
        "driver": Run.driver_id == row.id,
        "layout": Run.layout_id == row.id,
    }
    runs = list(session.scalars(mine(Run, team_id).where(of[kind]))) if kind in of else []
    ids = [run.id for run in runs]
    gone.rows["run"] = ids
    gone.digests = {str(run.id): run.sha256 for run in runs}
    if kind == "layout":
        gone.rows["event"] = list(session.scalars(_ids(Event, team_id).where(Event.layout_id == row.id)))
        others = mine(LayoutRow, team_id).where(LayoutRow.circuit_id == row.circuit_id, LayoutRow.id != row.id)
        if session.scalar(others.limit(1)) is None:
            gone.rows["circuit"] = [row.circuit_id]
    elif kind == "driver":
        gone.links = list(
            session.scalars(_ids(HandInLink, team_id).where(HandInLink.driver_id == row.id, _open_link()))
        )
    _left_empty(session, team_id, runs, gone)
    gone.hand_ins = list(
        session.scalars(_ids(HandIn, team_id).where(HandIn.run_id.in_(ids), HandIn.dismissed_at.is_(None)))
    )
    return gone


def remove(session: Session, team_id: int, gone: Gone) -> None:
    """Hide rows; what refers to them no longer finds them."""
    moment = now()
    for kind, ids in gone.rows.items():
        _set(session, KINDS[kind], team_id, ids, removed_at=moment)
    for run_id in gone.digests:
        _set(session, Run, team_id, [int(run_id)], sha256=f"removed {run_id}")
    _set(session, HandIn, team_id, gone.hand_ins, dismissed_at=moment)
    _set(session, HandInLink, team_id, gone.links, revoked_at=moment)
    session.expire_all()


def bring_back(session: Session, team_id: int, step: dict[str, Any]) -> bool:
    """Undo :func:`remove`; False where that cannot be, since a file was handed in again meanwhile, or is gone."""
    digests: dict[str, str] = step["digests"]
    again = mine(Run, team_id).where(Run.sha256.in_(list(digests.values())))
    if digests and session.scalar(again.limit(1)) is not None:
        return False
    there = select(Run.id).where(Run.team_id == team_id, Run.id.in_([int(run) for run in digests]))
    if len(session.scalars(there, execution_options=INCLUDE_REMOVED).all()) < len(digests):
        return False
    for kind, ids in step["rows"].items():
        _set(session, KINDS[kind], team_id, ids, removed_at=None)
    for run_id, digest in digests.items():
        _set(session, Run, team_id, [int(run_id)], sha256=digest)
    _bring_back_around(session, team_id, [int(run_id) for run_id in digests])
    _set(session, HandIn, team_id, step["hand_ins"], dismissed_at=None)
    _set(session, HandInLink, team_id, step["links"], revoked_at=None)
    session.expire_all()
    back = [int(run) for run in digests]
    drivers = set(step["rows"].get("driver", ())) | set(
        session.scalars(mine(Run, team_id).where(Run.id.in_(back)).with_only_columns(Run.driver_id))
    )
    for driver in session.scalars(mine(Driver, team_id).where(Driver.id.in_(drivers)).order_by(Driver.id)).all():
        keep_apart(session, driver)
    return True


def _bring_back_around(session: Session, team_id: int, runs: list[int]) -> None:
    """What runs stand in may have been left empty, and gone, while they were away: it is there again with them."""
    of = mine(Run, team_id).where(Run.id.in_(runs))
    for model, column in (
        (Event, Run.event_id),
        (Driver, Run.driver_id),
        (Car, Run.car_id),
        (LayoutRow, Run.layout_id),
    ):
        wanted = {found for found in session.scalars(of.with_only_columns(column)) if found is not None}
        _set(session, model, team_id, wanted, removed_at=None)
    circuits = _ids(LayoutRow, team_id).with_only_columns(LayoutRow.circuit_id)
    layouts = of.with_only_columns(Run.layout_id)
    _set(session, Circuit, team_id, set(session.scalars(circuits.where(LayoutRow.id.in_(layouts)))), removed_at=None)


def remove_if_empty(session: Session, team_id: int, model: type[Driver] | type[Car], row_id: int | None) -> None:
    """Let a driver or car that nothing is left of not linger in lists; it is back when it is named again."""
    if row_id is None:
        return
    session.flush()
    kind = "driver" if model is Driver else "car"
    if _is_empty(session, team_id, kind, row_id, ()):
        _set(session, model, team_id, [row_id], removed_at=now())


def purge(session: Session, before: datetime | None = None) -> int:
    """Delete for good what was removed before a moment, of all teams at once; returns how many rows."""
    count = purge_teams(session, before) + purge_small(session, before)
    return count + sum(purge_row(session, kind, row) for _, kind, row in long_removed(session, before))


def purge_teams(session: Session, before: datetime | None = None) -> int:
    """Delete teams for good that were removed before a moment; returns how many."""
    teams = select(Team.id).where(Team.removed_at < (before or now() - KEPT))
    found = session.scalars(teams, execution_options=INCLUDE_REMOVED).all()
    for team_id in found:
        delete_team(session, team_id)
    return len(found)


def purge_small(session: Session, before: datetime | None = None) -> int:
    """Delete notes and cues for good that were removed before a moment; returns how many."""
    moment = before or now() - KEPT
    return sum(
        session.execute(  # type: ignore[attr-defined]
            delete(small).where(small.removed_at < moment), execution_options=_PLAIN | INCLUDE_REMOVED
        ).rowcount
        for small in (Note, CueRow)
    )


def long_removed(session: Session, before: datetime | None = None) -> list[tuple[int, str, int]]:
    """Team, kind and id of what was removed before a moment, in the order in which it can be deleted."""
    moment = before or now() - KEPT
    found: list[tuple[int, str, int]] = []
    for kind, model in KINDS.items():
        rows = select(model.team_id, model.id).where(model.removed_at < moment).order_by(model.id)
        found += [(team, kind, row) for team, row in session.execute(rows, execution_options=INCLUDE_REMOVED)]
    return found


def purge_row(session: Session, kind: str, row_id: int) -> int:
    """Delete one such row for good, unless something that is still there refers to it; returns how many rows went."""
    if kind == "driver":
        _unname_files(session, row_id)
    return int(session.execute(_deletion(KINDS[kind], row_id)).rowcount)  # type: ignore[attr-defined]


def delete_team(session: Session, team_id: int) -> None:
    """Delete a team with everything it has; in an order that its own references allow."""
    session.execute(update(HandIn).where(HandIn.team_id == team_id).values(driver_id=None))
    for model in (Run, HandIn, HandInLink, Event, Driver, Car, LayoutRow, Circuit):
        session.execute(delete(model).where(model.team_id == team_id), execution_options=_PLAIN)
    session.execute(delete(Team).where(Team.id == team_id), execution_options=_PLAIN)


_PLAIN = {"synchronize_session": False}


def _deletion(model: Any, row_id: int) -> Any:
    """Deletes a row unless something that is still there refers to it."""
    query = delete(model).where(model.id == row_id).execution_options(**_PLAIN)
    of = {Event: Run.event_id, Driver: Run.driver_id, Car: Run.car_id, LayoutRow: Run.layout_id}
    if model in of:
        query = query.where(~select(Run.id).where(of[model] == row_id).exists())
    if model is Circuit:
        query = query.where(~select(LayoutRow.id).where(LayoutRow.circuit_id == row_id).exists())
    return query


def _unname_files(session: Session, driver_id: int) -> None:
    """Files that became no run may still name a driver who goes."""
    session.execute(update(HandIn).where(HandIn.driver_id == driver_id).values(driver_id=None))


def _left_empty(session: Session, team_id: int, runs: Iterable[Run], gone: Gone) -> None:
    """Events, drivers and cars of which nothing would be left without these runs."""
    runs = list(runs)
    ids = [run.id for run in runs]
    for kind, wanted in (
        ("event", {run.event_id for run in runs}),
        ("driver", {run.driver_id for run in runs}),
        ("car", {run.car_id for run in runs if run.car_id is not None}),
    ):
        known = gone.rows.setdefault(kind, [])
        known += [
            row_id
            for row_id in sorted(wanted)
            if row_id not in known and _is_empty(session, team_id, kind, row_id, ids)
        ]


def _is_empty(session: Session, team_id: int, kind: str, row_id: int, without: Iterable[int]) -> bool:
    column = {"event": Run.event_id, "driver": Run.driver_id, "car": Run.car_id}[kind]
    left = mine(Run, team_id).where(column == row_id, Run.id.not_in(list(without)))
    if session.scalar(left.limit(1)) is not None:
        return False
    if kind != "driver":
        return True
    accounts = mine(Account, team_id).where(Account.driver_id == row_id)
    links = mine(HandInLink, team_id).where(HandInLink.driver_id == row_id, _open_link())
    waiting = mine(HandIn, team_id).where(
        HandIn.driver_id == row_id, HandIn.run_id.is_(None), HandIn.dismissed_at.is_(None)
    )
    return all(session.scalar(query.limit(1)) is None for query in (accounts, links, waiting))


def _open_link() -> Any:
    return HandInLink.revoked_at.is_(None) & (HandInLink.expires_at > now())


def _ids(model: Any, team_id: int) -> Any:
    return mine(model, team_id).with_only_columns(model.id)


def _set(session: Session, model: Any, team_id: int, ids: Iterable[int], **values: Any) -> None:
    wanted = list(ids)
    if wanted:
        session.execute(
            update(model).where(model.team_id == team_id, model.id.in_(wanted)).values(**values),
            execution_options=_PLAIN,
        )
