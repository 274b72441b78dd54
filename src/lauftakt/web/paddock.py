"""The day at a glance."""

from apiflask import APIBlueprint
from sqlalchemy import func, select
from sqlalchemy.orm import selectinload

from lauftakt.store.database import NotFound, mine
from lauftakt.store.models import Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import database, for_coaches, team_id

blueprint = APIBlueprint("paddock", __name__, tag="Paddock")

RECENT_EVENTS = 60


@blueprint.get("/paddock")
@for_coaches
@blueprint.input(schemas.PaddockQuery, location="query")
@blueprint.output(schemas.PaddockOut)
def get_paddock(query_data: schemas.PaddockQuery) -> schemas.PaddockOut:
    """Recent events, and the runs of one of them: the one asked for, else the latest."""
    with database().begin() as session:
        query = mine(Event, team_id()).order_by(Event.day.desc(), Event.id.desc())
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
        if chosen is None:
            return schemas.PaddockOut(events=[], event=None, reference_run=None, runs=[])
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
            event=show.event(chosen, len(runs)),
            reference_run=reference.id if reference else None,
            runs=[show.run(row, fastest.time_s if fastest else None) for row in runs],
        )
