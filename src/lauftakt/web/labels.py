"""What is said about a run: changed by a coach, or by the driver for what only they know."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.store.models import Car, Driver, Event, LapRow, LayoutRow, Run
from lauftakt.store.runs import event_for, named, parse_date, settle
from lauftakt.web import schemas
from lauftakt.web.access import Problem


def change_labels(session: Session, run: Run, change: schemas.Labels, by: str) -> None:
    """Apply what is named in ``change``; what is not named stays.

    Raises
    ------
    Problem
        422 where a name is taken or a date cannot be read.
    """
    told = dict(run.labels_from)
    for name in change.model_fields_set:
        value = getattr(change, name)
        if name == "driver" and value:
            run.driver = named(session, Driver, run.team_id, value)
        elif name == "car":
            run.car = named(session, Car, run.team_id, value) if value else None
        elif name == "kind" and value:
            run.kind = value
        elif name == "conditions":
            run.conditions = value
            _dry_or_wet(run)
        elif name in ("tyres", "notes", "felt"):
            setattr(run, name, value or None)
        elif name == "confirmed":
            run.confirmed = bool(value)
            continue
        elif name == "circuit" and value:
            _rename(session, run.layout, value)
        elif name == "started_at":
            moment = parse_date(value)
            if value and moment is None:
                raise Problem(422, "date", "The beginning is not a date that can be read, like 2026-05-16T09:40.")
            run.started_at = moment
        elif name != "event":
            continue
        told[name] = by
    if change.model_fields_set & {"event", "started_at"}:
        _move(session, run, change.event if "event" in change.model_fields_set else run.event.name)
    run.labels_from = told


def _dry_or_wet(run: Run) -> None:
    """Timed laps of a wet run do not count, those of a dry one do again."""
    wet = run.conditions == "wet"
    for lap in run.laps:
        if lap.time_s is None:
            continue
        if wet and lap.automatic is None:
            lap.automatic = "wet"
        elif not wet and lap.automatic == "wet":
            lap.automatic = None
        settle(lap)


def _rename(session: Session, layout: LayoutRow, name: str) -> None:
    if name == layout.name:
        return
    taken = session.scalar(select(LayoutRow).where(LayoutRow.team_id == layout.team_id, LayoutRow.name == name))
    if taken is not None:
        raise Problem(422, "name-taken", f"There is another layout called “{name}” already.")
    # Events that were named by their circuit go with it.
    for event in session.scalars(
        select(Event).where(Event.team_id == layout.team_id, Event.layout_id == layout.id, Event.name == layout.name)
    ):
        event.name = name
    layout.name = name


def _move(session: Session, run: Run, name: str | None) -> None:
    """The event of the run's day by that name; one that holds no run any more goes."""
    day = run.started_at.date().isoformat() if run.started_at else run.event.day
    left = run.event
    run.event = event_for(session, run.team_id, run.layout, name, day)
    session.flush()
    if left.id != run.event.id:
        still = session.scalar(select(Run.id).where(Run.team_id == run.team_id, Run.event_id == left.id).limit(1))
        if still is None:
            session.delete(left)


def judge_lap(run: Run, number: int, counts: bool | None) -> LapRow:
    """Say that a lap counts, does not, or is left to the computation again.

    Raises
    ------
    Problem
        404 for a lap that is none, 409 where one without a time would have to count.
    """
    lap = next((item for item in run.laps if item.number == number), None)
    if lap is None:
        raise Problem(404, "not-found", "This run has no such lap.")
    if counts and lap.time_s is None:
        raise Problem(409, "no-time", "This lap has no time: it did not run from line to line.")
    lap.by_hand = None if counts is None else not counts
    if lap.by_hand is False and lap.automatic is None:
        lap.by_hand = None
    settle(lap)
    return lap
