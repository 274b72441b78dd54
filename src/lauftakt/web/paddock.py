"""The day at a glance: runs, and who has handed in."""

from datetime import date, timedelta
from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session, selectinload

from lauftakt.store.database import NotFound, mine, now
from lauftakt.store.models import Car, Driver, Event, HandIn, HandInLink, LayoutRow, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import database, for_coaches, team_id

blueprint = APIBlueprint("paddock", __name__, tag="Paddock")

RECENT_EVENTS = 60
# Who drove with the team so lately is expected to hand in.
EXPECTED_DAYS = 21


@blueprint.get("/paddock")
@for_coaches
@blueprint.input(schemas.PaddockQuery, location="query")
@blueprint.output(schemas.PaddockOut)
def get_paddock(query_data: schemas.PaddockQuery) -> schemas.PaddockOut:
    """Events as far as the filters let them through, and the runs of the one asked for, else of the latest."""
    with database().begin() as session:
        query = _filtered(mine(Event, team_id()), query_data).order_by(Event.day.desc(), Event.id.desc())
        events = list(session.scalars(query.options(selectinload(Event.layout)).limit(RECENT_EVENTS)))
        if query_data.event is not None and all(row.id != query_data.event for row in events):
            asked = session.scalar(mine(Event, team_id()).where(Event.id == query_data.event))
            if asked is None:
                raise NotFound("event")
            events.append(asked)
        counts: dict[int, int] = dict(
            session.execute(
                select(Run.event_id, func.count())
                .where(Run.team_id == team_id(), Run.event_id.in_([row.id for row in events]))
                .group_by(Run.event_id)
            ).all()
        )
        chosen = next((row for row in events if query_data.event in (None, row.id)), None)
        runs: list[Run] = []
        if chosen is not None:
            runs = list(
                session.scalars(
                    mine(Run, team_id())
                    .where(Run.event_id == chosen.id)
                    .options(selectinload(Run.driver), selectinload(Run.car), selectinload(Run.laps))
                    .order_by(Run.started_at, Run.id)
                )
            )
        reference = show.reference_run(runs)
        fastest = show.best(reference) if reference else None
        return schemas.PaddockOut(
            events=[show.event(row, counts.get(row.id, 0)) for row in events],
            event=show.event(chosen, len(runs)) if chosen else None,
            reference_run=reference.id if reference else None,
            runs=[show.run(row, fastest.time_s if fastest else None) for row in runs],
            deliveries=_deliveries(session, chosen, runs),
            drivers=[schemas.Choice(id=row.id, name=row.name) for row in _all(session, Driver)],
            cars=[schemas.Choice(id=row.id, name=row.name) for row in _all(session, Car)],
            circuits=[schemas.Choice(id=row.id, name=row.name) for row in _all(session, LayoutRow)],
        )


def _all(session: Session, model: Any) -> Any:
    return session.scalars(mine(model, team_id()).order_by(model.name))


def _filtered(query: Select[Any], asked: schemas.PaddockQuery) -> Select[Any]:
    if asked.age:
        query = query.where(Event.day > (now().date() - timedelta(days=asked.age)).isoformat())
    if asked.circuit:
        query = query.where(Event.layout_id == asked.circuit)
    for column, value in ((Run.driver_id, asked.driver), (Run.car_id, asked.car)):
        if value:
            own = select(Run.event_id).where(Run.team_id == team_id(), column == value)
            query = query.where(Event.id.in_(own))
    return query


def _deliveries(session: Session, event: Event | None, runs: list[Run]) -> list[schemas.Delivery]:
    """Everybody who drives in the event, holds a link or drove lately, and how far their hand-in is."""
    day = date.fromisoformat(event.day) if event is not None else now().date()
    begin, end = (day - timedelta(days=EXPECTED_DAYS)).isoformat(), (day + timedelta(days=1)).isoformat()
    lately = set(
        session.scalars(
            select(Run.driver_id)
            .join(Event, Event.id == Run.event_id)
            .where(Run.team_id == team_id(), Event.day >= begin, Event.day < end)
        )
    )
    linked = set(
        session.scalars(
            select(HandInLink.driver_id).where(
                HandInLink.team_id == team_id(), HandInLink.revoked_at.is_(None), HandInLink.expires_at > now()
            )
        )
    )
    since = now() - timedelta(days=1)
    states: dict[int, set[str]] = {}
    for driver_id, state in session.execute(
        select(HandIn.driver_id, HandIn.state).where(
            HandIn.team_id == team_id(),
            HandIn.created_at > since,
            HandIn.driver_id.is_not(None),
            HandIn.run_id.is_(None),
        )
    ):
        if driver_id is not None:
            states.setdefault(driver_id, set()).add(state)
    own: dict[int, list[Run]] = {}
    for run in runs:
        own.setdefault(run.driver_id, []).append(run)
    expected = lately | linked | set(own)
    found = []
    for driver in session.scalars(mine(Driver, team_id()).where(Driver.id.in_(expected)).order_by(Driver.name)):
        mine_here, waiting = own.get(driver.id, []), states.get(driver.id, set())
        if waiting & {"waiting", "running"}:
            state = "busy"
        elif mine_here:
            state = "in"
        elif waiting & {"refused", "failed"}:
            state = "trouble"
        else:
            state = "missing"
        found.append(
            schemas.Delivery(
                driver=show.driver(driver),
                state=state,  # type: ignore[arg-type]
                runs=len(mine_here),
                laps=sum(len(show.counting(run)) for run in mine_here),
                link=driver.id in linked,
            )
        )
    return found
