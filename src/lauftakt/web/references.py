"""What a day is measured against, where a coach wants something else than what follows from its runs."""

from typing import Any

from apiflask import APIBlueprint
from sqlalchemy.orm import Session, joinedload

from lauftakt.service.day import groups_of_day
from lauftakt.store.actions import note_action
from lauftakt.store.counting import laps_of
from lauftakt.store.database import NotFound
from lauftakt.store.lap_names import OWN_BESTS, key_of
from lauftakt.store.models import Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.compare.addresses import lap_address
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("references", __name__, tag="Paddock")


@blueprint.get("/events/<int:event_id>/reference")
@only("see-team")
@blueprint.output(schemas.DayMeasured)
def get_reference(viewer: Viewer, event_id: int) -> schemas.DayMeasured:
    """What the runs of a day are measured against."""
    with database().begin() as session:
        return _measured(session, one(session, Event, viewer, event_id))


@blueprint.put("/events/<int:event_id>/reference")
@only("change")
@blueprint.input(schemas.ReferenceChosen)
@blueprint.output(schemas.ReferenceDone)
def choose_reference(viewer: Viewer, event_id: int, json_data: schemas.ReferenceChosen) -> schemas.ReferenceDone:
    """Measure a day against a lap, also of another day, against everybody's own best, or again by the rule."""
    with database().begin() as session:
        event = one(session, Event, viewer, event_id, lock=True)
        before = event.reference
        event.reference, told = _wanted(session, viewer, event, json_data.lap)
        action = None
        if event.reference != before:
            session.flush()
            action = note_action(
                session, viewer.team_id, account_id=viewer.account_id, kind="reference", subject=("event", event.id),
                summary=f"{event.name}, {event.day}: measured against {told}.",
                inverse=[{"do": "reference-of-day", "event": event.id, "set": before}],
            ).id  # fmt: skip
        return schemas.ReferenceDone(**_measured(session, event).model_dump(), action=action)


def undo_reference(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Bring back what a day was measured against."""
    one(session, Event, viewer, step["event"], lock=True).reference = step["set"]
    return []


def _measured(session: Session, event: Event) -> schemas.DayMeasured:
    return schemas.DayMeasured(
        measured=[show.measured(group) for group in groups_of_day(session, event)],
        own_bests=event.reference == OWN_BESTS,
    )


def _wanted(session: Session, viewer: Viewer, event: Event, asked: str | None) -> tuple[str | None, str]:
    """What is kept of a choice, and how it is called.

    Raises
    ------
    NotFound
    Problem
        422 for a lap of another layout.
    """
    if asked is None:
        return None, "what follows from its runs"
    if asked == OWN_BESTS:
        return OWN_BESTS, "everybody's own best"
    address = lap_address(asked)
    query = visible(Run, viewer).where(Run.id == address.run)
    run = session.scalar(query.options(joinedload(Run.driver), joinedload(Run.event)))
    number = None if run is None else address.find(laps_of(session, run.analysis_id))
    if run is None or number is None:
        raise NotFound("lap")
    if run.layout_id != event.layout_id:
        raise Problem(422, "layouts", "That lap was driven on another layout, so this day cannot be measured by it.")
    lap = next(lap for lap in laps_of(session, run.analysis_id) if lap.number == number)
    day = "" if run.event_id == event.id else f" of {run.event.day}"
    return key_of(run, lap), f"lap {number} of {run.driver.name}{day}"
