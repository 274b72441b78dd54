"""Removing runs, days, drivers, cars and circuits: what goes along is said before, and undo brings everything back."""

from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lauftakt.store.actions import note_action
from lauftakt.store.database import now
from lauftakt.store.forgetting import Known, forget, known_of
from lauftakt.store.models import Car, Driver, Event, LayoutRow, Run, Team
from lauftakt.store.removing import KINDS, Gone, bring_back, goes_along, remove
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, only
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer, one
from lauftakt.web.sessions import present_session
from lauftakt.work.exporting import export_path
from lauftakt.work.inbox import discard, inbox_path
from lauftakt.work.private_logs import black_out

blueprint = APIBlueprint("removing", __name__, tag="Removing")


@blueprint.get("/removals/<kind>/<int:row_id>")
@only("change")
@blueprint.output(schemas.Removal)
def look_before(viewer: Viewer, kind: str, row_id: int) -> schemas.Removal:
    """What removing something would take along."""
    with database().begin() as session:
        name = _name(session, viewer, kind, row_id)
        return _told(session, kind, name, goes_along(session, viewer.team_id, kind, row_id), None)


@blueprint.delete("/removals/<kind>/<int:row_id>")
@only("change")
@blueprint.output(schemas.Removal)
def remove_one(viewer: Viewer, kind: str, row_id: int) -> schemas.Removal:
    """Remove something: hidden at once, gone for good after 30 days."""
    with database().begin() as session:
        name = _name(session, viewer, kind, row_id)
        gone = goes_along(session, viewer.team_id, kind, row_id)
        told = _told(session, kind, name, gone, None)
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="removed",
            subject=(kind, row_id),
            summary=f"{told.title} was removed.",
            inverse=[gone.as_step()],
        )
        remove(session, viewer.team_id, gone)
        return told.model_copy(update={"action": action.id})


@blueprint.get("/drivers/<int:driver_id>/forget")
@only("change")
@blueprint.output(schemas.Forgotten)
def look_before_forgetting(viewer: Viewer, driver_id: int) -> schemas.Forgotten:
    """What goes for good where a driver wishes to be forgotten."""
    with database().begin() as session:
        one(session, Driver, viewer, driver_id)
        return _forgotten(known_of(session, viewer.team_id, driver_id))


@blueprint.post("/drivers/<int:driver_id>/forget")
@only("change")
@blueprint.output(schemas.Forgotten)
def forget_driver(viewer: Viewer, driver_id: int) -> schemas.Forgotten:
    """Forget a driver: everything of theirs is deleted now, without undo; says where the name still stands."""
    settings = settings_of_app()
    with database().begin() as session:
        one(session, Driver, viewer, driver_id)
        gone = forget(session, viewer.team_id, driver_id)
        note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="forgotten",
            subject=("driver", driver_id),
            summary="A driver was forgotten, as they wished.",
            inverse=[],
        )
    for hand_in_id in gone.hand_ins:
        discard(database(), inbox_path(settings.inbox, hand_in_id))
    for job_id in gone.jobs:
        export_path(settings.exports, job_id).unlink(missing_ok=True)
    black_out(settings.var, gone.name)
    return _forgotten(gone)


def _forgotten(known: Known) -> schemas.Forgotten:
    return schemas.Forgotten(
        name=known.name,
        runs=len(known.runs),
        hand_ins=len(known.hand_ins),
        links=known.links,
        accounts=known.accounts,
        actions=len(known.actions),
        mentions=known.mentions,
    )


@blueprint.delete("/team")
@only("lead")
@blueprint.input(schemas.TeamChange)
@blueprint.output(schemas.Session)
def remove_team(viewer: Viewer, json_data: schemas.TeamChange) -> schemas.Session:
    """Remove the whole team, whose name has to be typed; ``lauftakt team`` brings it back within 30 days."""
    with database().begin() as session:
        team = session.get_one(Team, viewer.team_id, with_for_update=True)
        if json_data.name.strip() != team.name.strip():
            raise Problem(422, "name", "This is not the team's name; nothing was removed.")
        moment = now()
        team.removed_at = moment
        for school in session.scalars(select(Team).where(Team.demo, Team.demo_for == team.id)):
            school.removed_at = moment
    return present_session()


def take_back(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Bring back what was removed."""
    if not bring_back(session, viewer.team_id, step):
        raise Problem(
            409, "again", "This cannot be brought back: its file was handed in again since, or it is gone for good."
        )
    return []


def _name(session: Session, viewer: Viewer, kind: str, row_id: int) -> str:
    """What people call it.

    Raises
    ------
    Problem, NotFound
    """
    if kind not in KINDS or kind == "circuit":
        raise Problem(404, "not-found", "There is no such thing to remove.")
    row: Any = one(session, KINDS[kind], viewer, row_id)
    if isinstance(row, Run):
        return f"The run of {row.driver.name} ({row.file_name})"
    if isinstance(row, Event):
        return f"{row.name}, {row.day}"
    assert isinstance(row, Driver | Car | LayoutRow)
    return str(row.name)


def _told(session: Session, kind: str, name: str, gone: Gone, action: int | None) -> schemas.Removal:
    laps = select(func.coalesce(func.sum(Run.laps_all), 0)).where(Run.id.in_(gone.ids("run")))

    def names(kind: str, model: Any) -> list[str]:
        wanted = gone.ids(kind)
        return sorted(session.scalars(select(model.name).where(model.id.in_(wanted)))) if wanted else []

    return schemas.Removal(
        kind=kind,
        title=name,
        runs=len(gone.ids("run")),
        laps=int(session.scalar(laps) or 0),
        events=names("event", Event),
        drivers=names("driver", Driver),
        cars=names("car", Car),
        circuits=names("layout", LayoutRow),
        links=len(gone.links),
        action=action,
    )
