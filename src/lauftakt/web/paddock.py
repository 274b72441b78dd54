"""The day at a glance: runs, and who has handed in."""

from datetime import date, timedelta
from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import Select, and_, func, or_, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.service.day import OWN_BESTS, DayGroup, group_of, groups_of_day, latest_event
from lauftakt.store.database import NotFound, now
from lauftakt.store.models import Car, Debrief, Driver, Event, HandIn, HandInLink, LayoutRow, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer, allowed, visible
from lauftakt.work.last_backup import read_last

blueprint = APIBlueprint("paddock", __name__, tag="Paddock")

PAGE = 40
# Who drove with the team so lately is expected to hand in.
EXPECTED_DAYS = 21
OF_AN_EVENT = joinedload(Event.layout).joinedload(LayoutRow.current)


@blueprint.get("/paddock")
@only("see")
@blueprint.input(schemas.PaddockQuery, location="query")
@blueprint.output(schemas.PaddockOut)
def get_paddock(viewer: Viewer, query_data: schemas.PaddockQuery) -> schemas.PaddockOut:
    """Events as far as the filters let them through, and the runs of the one asked for, else of the latest."""
    with database().begin() as session:
        query = _filtered(visible(Event, viewer), viewer, query_data).options(OF_AN_EVENT)
        page = query if query_data.before is None else query.where(_older(query_data.before))
        found = list(session.scalars(page.order_by(Event.day.desc(), Event.id.desc()).limit(PAGE + 1)))
        events = found[:PAGE]
        following = f"{events[-1].day}.{events[-1].id}" if len(found) > PAGE else None
        if query_data.event is not None and all(row.id != query_data.event for row in events):
            asked = session.scalar(visible(Event, viewer).where(Event.id == query_data.event).options(OF_AN_EVENT))
            if asked is None:
                raise NotFound("event")
            events.append(asked)
        counts: dict[int, int] = dict(
            session.execute(
                select(Run.event_id, func.count())
                .where(Run.id.in_(visible(Run, viewer).with_only_columns(Run.id)))
                .where(Run.event_id.in_([row.id for row in events]))
                .group_by(Run.event_id)
            ).all()
        )
        chosen = next((row for row in events if row.id == query_data.event), None)
        if query_data.event is None:
            chosen = latest_event(session, page.options(OF_AN_EVENT))
            if chosen is not None and all(row.id != chosen.id for row in events):
                events.append(chosen)
        runs = _runs(session, viewer, chosen)
        groups = _groups(session, viewer, chosen, runs)
        doubts = show.best_doubts(session, viewer, runs)
        return schemas.PaddockOut(
            events=[show.event(row, counts.get(row.id, 0)) for row in events],
            next=following,
            event=show.event(chosen, len(runs)) if chosen else None,
            measured=[show.measured(group) for group in groups],
            own_bests=chosen is not None and chosen.reference == OWN_BESTS,
            runs=[show.run(row, group_of(groups, row.id), doubts) for row in runs],
            deliveries=_deliveries(session, viewer, chosen, runs),
            drivers=show.choices(session, viewer, Driver),
            cars=show.choices(session, viewer, Car),
            circuits=show.choices(session, viewer, LayoutRow),
            backup=_backup(viewer),
        )


def _backup(viewer: Viewer) -> str | None:
    """A word on backups for those who lead the team, where something is wrong with them."""
    settings = settings_of_app()
    if not settings.backups or not allowed(viewer, "change"):
        return None
    return read_last(settings.backup_folder).told()


def _older(before: str) -> Any:
    """Events after a place in the list, newest first."""
    day, _, number = before.rpartition(".")
    if not number.isdecimal() or len(number) > 10:
        raise Problem(422, "invalid", "Not understood: before.")
    return or_(Event.day < day, and_(Event.day == day, Event.id < int(number)))


def _groups(session: Session, viewer: Viewer, event: Event | None, runs: list[Run]) -> list[DayGroup]:
    """What a day's runs are measured against; who may not see all of them is measured among the own ones."""
    if event is None:
        return []
    return groups_of_day(session, event, None if allowed(viewer, "see-team") else runs)


def _runs(session: Session, viewer: Viewer, event: Event | None) -> list[Run]:
    if event is None:
        return []
    query = visible(Run, viewer).where(Run.event_id == event.id)
    parts = joinedload(Run.driver), joinedload(Run.car), joinedload(Run.event), joinedload(Run.analysis)
    return list(session.scalars(query.options(*parts).order_by(Run.started_at, Run.id)))


def _filtered(query: Select[Any], viewer: Viewer, asked: schemas.PaddockQuery) -> Select[Any]:
    if asked.age:
        query = query.where(Event.day > (now().date() - timedelta(days=asked.age)).isoformat())
    if asked.circuit:
        query = query.where(Event.layout_id == asked.circuit)
    for column, value in ((Run.driver_id, asked.driver), (Run.car_id, asked.car)):
        if value:
            own = select(Run.event_id).where(Run.team_id == viewer.team_id, column == value)
            query = query.where(Event.id.in_(own))
    return query


def _deliveries(session: Session, viewer: Viewer, event: Event | None, runs: list[Run]) -> list[schemas.Delivery]:
    """Everybody who drives in the event, holds a link or drove lately, and how far their hand-in is."""
    if not allowed(viewer, "see-team"):
        return []
    day = date.fromisoformat(event.day) if event is not None else now().date()
    lately = _drove_between(session, viewer, day - timedelta(days=EXPECTED_DAYS), day + timedelta(days=1))
    linked = set(
        session.scalars(
            select(HandInLink.driver_id).where(
                HandInLink.team_id == viewer.team_id, HandInLink.revoked_at.is_(None), HandInLink.expires_at > now()
            )
        )
    )
    states = _states(session, viewer)
    own: dict[int, list[Run]] = {}
    for run in runs:
        own.setdefault(run.driver_id, []).append(run)
    # Who is only a reference hands in for nobody to wait.
    here = or_(Driver.id.in_(set(own)), and_(Driver.id.in_(lately | linked), Driver.reference_only.is_(False)))
    expected = visible(Driver, viewer).where(here).order_by(Driver.name)
    latest = {driver: found[-1].id for driver, each in own.items() if (found := [r for r in each if r.best_s])}
    debriefs = _debriefs(session, viewer, list(latest.values()))
    return [
        schemas.Delivery(
            driver=show.driver(driver),
            state=_state(bool(own.get(driver.id)), states.get(driver.id, set())),  # type: ignore[arg-type]
            runs=len(own.get(driver.id, [])),
            laps=sum(run.laps_counting for run in own.get(driver.id, [])),
            link=driver.id in linked,
            debrief=None
            if driver.reference_only or driver.id not in latest
            else debriefs.get(latest[driver.id], "waits"),  # type: ignore[arg-type]
            latest=latest.get(driver.id),
        )
        for driver in session.scalars(expected)
    ]


def _debriefs(session: Session, viewer: Viewer, runs: list[int]) -> dict[int, str]:
    """How far debriefs are, by run."""
    query = visible(Debrief, viewer).where(Debrief.run_id.in_(runs)).with_only_columns(Debrief.run_id, Debrief.given_at)
    found = session.execute(query).all()
    return {run: "prepared" if given is None else "given" for run, given in found if run is not None}


def _drove_between(session: Session, viewer: Viewer, begin: date, end: date) -> set[int]:
    days = select(Event.id).where(
        Event.team_id == viewer.team_id, Event.day >= begin.isoformat(), Event.day < end.isoformat()
    )
    query = select(Run.driver_id).where(Run.team_id == viewer.team_id, Run.event_id.in_(days)).distinct()
    return set(session.scalars(query))


def _states(session: Session, viewer: Viewer) -> dict[int, set[str]]:
    """States of files of the last day that became no run, by driver."""
    states: dict[int, set[str]] = {}
    query = select(HandIn.driver_id, HandIn.state).where(
        HandIn.team_id == viewer.team_id,
        HandIn.changed_at > now() - timedelta(days=1),
        HandIn.driver_id.is_not(None),
        HandIn.run_id.is_(None),
    )
    for driver_id, state in session.execute(query):
        if driver_id is not None:
            states.setdefault(driver_id, set()).add(state)
    return states


def _state(here: bool, waiting: set[str]) -> str:
    if waiting & {"waiting", "running"}:
        return "busy"
    if here:
        return "in"
    return "trouble" if waiting & {"refused", "failed"} else "missing"
