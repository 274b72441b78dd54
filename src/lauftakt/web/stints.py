"""Long runs of a day: stints, their means, how the pace falls off, and two of them side by side."""

from dataclasses import asdict

import numpy as np
from apiflask import APIBlueprint
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.laps.stints import difference, fall_off, stints_of, windows_of
from lauftakt.store.analyses import LapView
from lauftakt.store.models import Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.compare.addresses import key_of
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("stints", __name__, tag="Laps")


@blueprint.get("/stints")
@only("see")
@blueprint.input(schemas.StintsQuery, location="query")
@blueprint.output(schemas.StintsOut)
def get_stints(viewer: Viewer, query_data: schemas.StintsQuery) -> schemas.StintsOut:
    """The stints of a day, in the order of time; with two named, how much longer the second took."""
    sizes = sorted({int(size) for size in query_data.windows.split(",") if int(size) > 1})
    with database().begin() as session:
        event = one(session, Event, viewer, query_data.event)
        found = _stints(session, viewer, event, sizes)
    by_key = {stint.key: stint for stint in found}
    apart = None
    if query_data.first is not None and query_data.second is not None:
        if not {query_data.first, query_data.second} <= set(by_key):
            raise Problem(404, "not-found", "One of these stints does not exist any more.")
        times = [
            np.array([lap.time_s if lap.counts else np.nan for lap in by_key[key].laps])
            for key in (query_data.first, query_data.second)
        ]
        apart = difference(times[0], times[1])
    return schemas.StintsOut(stints=found, difference=None if apart is None else schemas.DifferenceOut(**asdict(apart)))


def _stints(session: Session, viewer: Viewer, event: Event, sizes: list[int]) -> list[schemas.StintOut]:
    query = visible(Run, viewer).where(Run.event_id == event.id, Run.analysis_id.is_not(None))
    runs = list(
        session.scalars(query.options(joinedload(Run.driver), joinedload(Run.car)).order_by(Run.started_at, Run.id))
    )
    laps = curve_cache().laps(session, viewer.team_id, [run.analysis_id for run in runs if run.analysis_id is not None])
    numbers: dict[int, int] = {}
    found = []
    for run in runs:
        for stint in stints_of(laps.get(run.analysis_id or 0, ())):
            numbers[run.driver_id] = numbers.get(run.driver_id, 0) + 1
            found.append(_stint(run, stint, numbers[run.driver_id], sizes))
    return found


def _stint(run: Run, laps: list[LapView], number: int, sizes: list[int]) -> schemas.StintOut:
    times = np.array([lap.time_s or np.nan for lap in laps])
    counting = np.array([lap.set_aside is None for lap in laps])
    quickest, in_a_row = windows_of(times, counting, sizes)
    change = fall_off(times, counting)
    return schemas.StintOut(
        key=key_of(run, laps[0]),
        driver=show.driver(run.driver),
        run=run.id,
        number=number,
        started_at=run.started_at.isoformat() if run.started_at else None,
        car=run.car.name if run.car else None,
        conditions=run.conditions,
        tyres=run.tyres,
        notes=run.notes,
        laps=[
            schemas.StintLap(key=key_of(run, lap), number=lap.number, time_s=lap.time_s or 0.0, counts=bool(counts))
            for lap, counts in zip(laps, counting, strict=True)
        ],
        mean_s=float(times[counting].mean()),
        quickest=[schemas.WindowOut(**asdict(window)) for window in quickest],
        in_a_row=[schemas.WindowOut(**asdict(window)) for window in in_a_row],
        fall_off=None if change is None else schemas.FallOffOut(**asdict(change)),
    )
