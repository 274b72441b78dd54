"""Days: one from its first run to its last, and all of them as a calendar."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.debrief.target import figure_entry
from lauftakt.store.models import CueCourse, CueRow, Debrief, Event, LayoutRow, Note, Run
from lauftakt.store.season import SeasonRun
from lauftakt.web import show
from lauftakt.web.access import Problem
from lauftakt.web.debrief.telling import cues_as_given
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.web.schemas import season as schemas
from lauftakt.web.schemas.debriefs import CueOut
from lauftakt.web.season.seeing import Season, drivers_of, season_of

PAGE = 60
OF_AN_EVENT = joinedload(Event.layout).joinedload(LayoutRow.current)


def day_course(session: Session, viewer: Viewer, event_id: int | None) -> tuple[schemas.DayCourse, int | None]:
    """A day driver by driver, and the job that is to be sent for what is not known yet."""
    season = season_of(session, viewer)
    event = _event(session, viewer, event_id)
    if event is None:
        return schemas.DayCourse(follow=season.follow, event=None, drivers=[], layout=None, sheets=0), season.job
    runs = [run for run in season.runs if run.event == event.id]
    debriefs = _given(session, viewer, [run.id for run in runs])
    cues = cues_as_given(session, list(debriefs.values()))
    checked = _checked(session, viewer, season, {run.id for run in runs})
    names = drivers_of(session, viewer)
    drivers = [
        schemas.CourseDriver(
            driver=names[driver],
            runs=[
                _run(run, debriefs.get(run.id), cues, checked.get(run.id, [])) for run in runs if run.driver == driver
            ],
        )
        for driver in dict.fromkeys(run.driver for run in runs)
        if driver in names
    ]
    return schemas.DayCourse(
        follow=season.follow, event=show.event(event, len(runs)), drivers=drivers, layout=event.layout_id,
        sheets=len(debriefs),
    ), season.job  # fmt: skip


def _event(session: Session, viewer: Viewer, event_id: int | None) -> Event | None:
    if event_id is not None:
        return one(session, Event, viewer, event_id)
    return session.scalar(visible(Event, viewer).order_by(Event.day.desc(), Event.id.desc()).limit(1))


def _given(session: Session, viewer: Viewer, run_ids: Sequence[int]) -> dict[int, Debrief]:
    """Debriefs that were given, by run."""
    query = visible(Debrief, viewer).where(Debrief.run_id.in_(run_ids), Debrief.given_at.is_not(None))
    return {row.run_id: row for row in session.scalars(query) if row.run_id is not None}


def _run(
    run: SeasonRun, debrief: Debrief | None, cues: dict[int, list[CueOut]], checked: list[schemas.CourseCheck]
) -> schemas.CourseRun:
    lap = None if run.pace is None else run.pace.lap
    return schemas.CourseRun(
        run=run.id,
        started_at=None if run.started_at is None else run.started_at.isoformat(),
        laps=run.laps,
        best_s=run.best_s,
        median_s=None if lap is None else lap.median_s,
        spread_s=None if lap is None else lap.spread_s,
        given=[] if debrief is None else cues[debrief.id],
        debrief=None if debrief is None else debrief.id,
        checked=checked,
    )


def _checked(
    session: Session, viewer: Viewer, season: Season, run_ids: set[int]
) -> dict[int, list[schemas.CourseCheck]]:
    """What was looked at in runs of a day: of the last debrief before each of them, wherever it was given."""
    by_driver: dict[int, list[SeasonRun]] = {}
    for run in season.runs:
        by_driver.setdefault(run.driver, []).append(run)
    drivers = {run.driver for run in season.runs if run.id in run_ids}
    query = visible(Debrief, viewer).where(
        Debrief.driver_id.in_(drivers), Debrief.given_at.is_not(None), Debrief.run_id.is_not(None)
    )
    rows = session.execute(query.with_only_columns(Debrief.run_id, Debrief.id))
    of_run: dict[int, int] = {run: debrief for run, debrief in rows if run is not None}
    wanted: dict[int, int] = {}
    for driver in drivers:
        last: int | None = None
        for run in by_driver[driver]:
            if run.id in run_ids and last is not None:
                wanted[run.id] = last
            last = of_run.get(run.id, last)
    debriefs = {row.id: row for row in session.scalars(visible(Debrief, viewer).where(Debrief.id.in_(wanted.values())))}
    courses: dict[int, list[CueCourse]] = {}
    query_courses = select(CueCourse).where(
        CueCourse.team_id == viewer.team_id, CueCourse.debrief_id.in_(list(debriefs))
    )
    for course in session.scalars(query_courses):
        courses.setdefault(course.debrief_id, []).append(course)
    days = {run.id: run.day for run in season.runs}
    cues = {
        number: {cue.id: cue for cue in own} for number, own in cues_as_given(session, list(debriefs.values())).items()
    }
    return {
        run: _checks(run, courses.get(number, []), cues[number], days.get(debriefs[number].run_id or 0, ""))
        for run, number in wanted.items()
        if number in debriefs
    }


def _checks(
    run: int, courses: Sequence[CueCourse], cues: dict[int, CueOut], asked_on: str
) -> list[schemas.CourseCheck]:
    found = []
    for course in courses:
        look: dict[str, Any] | None = next((row for row in course.looks if row["run"] == run), None)
        if look is not None and course.cue_id in cues:
            found.append(
                schemas.CourseCheck(
                    cue=cues[course.cue_id], answer=look["answer"], stage=look["stage"], asked_on=asked_on,
                    why=look["why"],
                )
            )  # fmt: skip
    return sorted(found, key=lambda check: (check.cue.kind == "cue", check.cue.rank))


def calendar(session: Session, viewer: Viewer, before: str | None) -> schemas.CalendarOut:
    """Days with what was driven, worked on and noted, the latest first."""
    query = visible(Event, viewer).options(OF_AN_EVENT)
    if before is not None:
        query = query.where(_older(before))
    rows = list(session.scalars(query.order_by(Event.day.desc(), Event.id.desc()).limit(PAGE + 1)))
    events = rows[:PAGE]
    ids = [row.id for row in events]
    driven = {
        event: (runs, drivers, laps)
        for event, runs, drivers, laps in session.execute(
            visible(Run, viewer)
            .with_only_columns(Run.event_id, func.count(), func.count(Run.driver_id.distinct()), func.sum(Run.laps_all))
            .where(Run.event_id.in_(ids))
            .group_by(Run.event_id)
        )
    }
    given = _counted(session, viewer, ids)
    worked = _worked_on(session, viewer, ids)
    notes = _notes(session, viewer, ids)
    return schemas.CalendarOut(
        days=[
            schemas.CalendarDay(
                event=show.event(row, driven.get(row.id, (0, 0, 0))[0]),
                drivers=driven.get(row.id, (0, 0, 0))[1],
                laps=int(driven.get(row.id, (0, 0, 0))[2] or 0),
                debriefs=given.get(row.id, 0),
                notes=notes.get(row.id, 0),
                worked_on=worked.get(row.id, []),
            )
            for row in events
        ],
        next=f"{events[-1].day}.{events[-1].id}" if len(rows) > PAGE else None,
    )


def _counted(session: Session, viewer: Viewer, ids: Sequence[int]) -> dict[int, int]:
    query = visible(Debrief, viewer).join(Run, Run.id == Debrief.run_id)
    query = query.where(Run.event_id.in_(ids), Debrief.given_at.is_not(None))
    rows = session.execute(query.with_only_columns(Run.event_id, func.count()).group_by(Run.event_id))
    return dict(rows.all())


def _worked_on(session: Session, viewer: Viewer, ids: Sequence[int]) -> dict[int, list[schemas.WorkedOn]]:
    """What was asked for on each day, the most often asked first."""
    query = (
        visible(CueRow, viewer)
        .join(Debrief, Debrief.id == CueRow.debrief_id)
        .join(Run, Run.id == Debrief.run_id)
        .where(Run.event_id.in_(ids), Debrief.given_at.is_not(None), CueRow.kind == "cue")
        .with_only_columns(Run.event_id, CueRow.figure, func.count())
        .group_by(Run.event_id, CueRow.figure)
    )
    found: dict[int, list[schemas.WorkedOn]] = {}
    for event, figure, count in session.execute(query):
        label = figure_entry(figure).label
        found.setdefault(event, []).append(schemas.WorkedOn(figure=figure, label=label, cues=count))
    return {event: sorted(own, key=lambda each: (-each.cues, each.label)) for event, own in found.items()}


def _notes(session: Session, viewer: Viewer, ids: Sequence[int]) -> dict[int, int]:
    query = visible(Note, viewer).join(Run, Run.id == Note.run_id).where(Run.event_id.in_(ids))
    rows = session.execute(query.with_only_columns(Run.event_id, func.count()).group_by(Run.event_id))
    return dict(rows.all())


def _older(before: str) -> Any:
    day, _, number = before.partition(".")
    if not number.isdigit() or int(number) >= 2**31:
        raise Problem(422, "invalid", "Older days follow from the answer before.")
    return or_(Event.day < day, and_(Event.day == day, Event.id < int(number)))
