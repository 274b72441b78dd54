"""Drivers: their colour, whether they are only a reference, and one who was taken for two, in two spellings of one
name: joined, and parted again by undo."""

from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import update
from sqlalchemy.orm import Session

from lauftakt.core.colours import PALETTE
from lauftakt.store.actions import note_action
from lauftakt.store.database import now
from lauftakt.store.models import Account, CueRow, Debrief, Driver, HandIn, HandInLink, Note, Run, Voice
from lauftakt.store.runs import keep_apart, named
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("drivers", __name__, tag="Drivers")

# Everything that belongs to a driver, and goes along.
_OWNED: dict[str, Any] = {
    "runs": Run, "hand_ins": HandIn, "links": HandInLink, "accounts": Account, "notes": Note, "debriefs": Debrief,
    "cues": CueRow, "voices": Voice,
}  # fmt: skip


@blueprint.post("/drivers/<int:driver_id>/join")
@only("change")
@blueprint.input(schemas.JoinIn)
@blueprint.output(schemas.Joined)
def join(viewer: Viewer, driver_id: int, json_data: schemas.JoinIn) -> schemas.Joined:
    """Say that a driver is another one: runs, files, links and the account go to the one that is kept."""
    with database().begin() as session:
        gone = one(session, Driver, viewer, driver_id, lock=True)
        kept = one(session, Driver, viewer, json_data.into, lock=True)
        if gone.id == kept.id:
            raise Problem(422, "same", "These are one driver already.")
        moved = {name: _ids(session, viewer, model, gone.id) for name, model in _OWNED.items()}
        _move(session, viewer, moved, kept.id)
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="driver",
            subject=("driver", kept.id),
            summary=f"{gone.name} was joined with {kept.name}.",
            inverse=[{"do": "driver", "name": gone.name, "colour": gone.colour, "moved": moved}],
        )
        gone.removed_at = now()
        session.flush()
        session.expire_all()
        return schemas.Joined(driver=show.driver(kept), runs=len(moved["runs"]), action=action.id)


@blueprint.patch("/drivers/<int:driver_id>")
@only("change")
@blueprint.input(schemas.DriverChange)
@blueprint.output(schemas.DriverChanged)
def change(viewer: Viewer, driver_id: int, json_data: schemas.DriverChange) -> schemas.DriverChanged:
    """Give a driver another colour, or say that they are only a reference: nobody's student."""
    with database().begin() as session:
        row = one(session, Driver, viewer, driver_id, lock=True)
        wanted = json_data.model_dump(exclude_none=True)
        before = {name: getattr(row, name) for name, value in wanted.items() if getattr(row, name) != value}
        if not before:
            return schemas.DriverChanged(driver=show.driver(row), action=None)
        steps = [{"do": "driver-change", "driver": row.id, "set": before}]
        if "colour" in before:
            steps += _swapped(session, viewer, row, wanted["colour"])
        _set(row, wanted)
        said = {
            True: f"{row.name} is only a reference.",
            False: f"{row.name} is a student again.",
        }  # fmt: skip
        summary = f"{row.name} got another colour."
        if "reference_only" in before:
            summary = said[row.reference_only]
        elif "shows_laps" in before:
            summary = f"{row.name} {'agreed' if row.shows_laps else 'did not agree'} that others see their laps."
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="driver",
            subject=("driver", row.id),
            summary=summary,
            inverse=steps,
        )
        return schemas.DriverChanged(driver=show.driver(row), action=action.id)


def _swapped(session: Session, viewer: Viewer, row: Driver, colour: int) -> list[dict[str, Any]]:
    """Swap colours with whoever has the one that a driver gets, so that no two look alike; returns what undoes it.

    With more drivers than colours some share one anyway.
    """
    others = session.scalars(visible(Driver, viewer).where(Driver.id != row.id).with_for_update()).all()
    same = [other for other in others if other.colour % PALETTE == colour % PALETTE]
    if len(others) >= PALETTE or len(same) != 1:
        return []
    other = same[0]
    before = other.colour
    other.colour = row.colour
    return [{"do": "driver-change", "driver": other.id, "set": {"colour": before}}]


def undo_change(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take a change of a driver back."""
    _set(one(session, Driver, viewer, step["driver"], lock=True), step["set"])
    return []


def _set(row: Driver, wanted: dict[str, Any]) -> None:
    for name, value in wanted.items():
        setattr(row, name, value)


def part(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take a joining back: the driver is there again, with everything that went along."""
    again = named(session, Driver, viewer.team_id, step["name"])
    again.colour = step["colour"]
    session.flush()
    keep_apart(session, again)
    _move(session, viewer, step["moved"], again.id)
    return []


def _ids(session: Session, viewer: Viewer, model: Any, driver_id: int) -> list[int]:
    own = visible(model, viewer).where(model.driver_id == driver_id)
    return list(session.scalars(own.with_only_columns(model.id)))


def _move(session: Session, viewer: Viewer, moved: dict[str, list[int]], driver_id: int) -> None:
    for name, ids in moved.items():
        model = _OWNED[name]
        if ids:
            session.execute(
                update(model).where(model.team_id == viewer.team_id, model.id.in_(ids)).values(driver_id=driver_id)
            )
