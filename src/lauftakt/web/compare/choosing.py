"""Which laps can lie on the desk: by run, and quick fillings that answer what is often asked."""

from collections.abc import Sequence

from apiflask import APIBlueprint
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.comparison.fillings import NEAR, Asked, Candidate, Filling, fill, winners
from lauftakt.core.laps.conditions import conditions_of
from lauftakt.core.laps.counting import best_of
from lauftakt.core.laps.times import passage_times
from lauftakt.service.day import groups_of_day, main_group
from lauftakt.store.lineup import MOST_RUNS
from lauftakt.store.models import Driver, Event, LapRow, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.compare.addresses import key_of
from lauftakt.web.compare.lineup import entries_of_runs, runs_of
from lauftakt.web.policy import Viewer, allowed, one, visible

blueprint = APIBlueprint("choosing", __name__, tag="Compare")

CHOICES = 100


@blueprint.get("/choices")
@only("see")
@blueprint.input(schemas.ChoicesQuery, location="query")
@blueprint.output(schemas.ChoicesOut)
def get_choices(viewer: Viewer, query_data: schemas.ChoicesQuery) -> schemas.ChoicesOut:
    """Timed laps that can join the line-up, by run: of an event, or of every day on its layout."""
    with database().begin() as session:
        event = one(session, Event, viewer, query_data.event)
        query = visible(Run, viewer)
        if query_data.everywhere:
            query = query.where(Run.layout_id == event.layout_id).order_by(Run.id.desc())
        else:
            query = query.where(Run.event_id == event.id).order_by(Run.id)
        if query_data.after is not None:
            later = Run.id < query_data.after if query_data.everywhere else Run.id > query_data.after
            query = query.where(later)
        parts = joinedload(Run.driver), joinedload(Run.analysis), joinedload(Run.event), joinedload(Run.car)
        runs = list(session.scalars(query.options(*parts).limit(CHOICES + 1)))
        laps = _laps(session, viewer, runs[:CHOICES])
        return schemas.ChoicesOut(
            runs=[_choices(run, laps.get(run.id, [])) for run in runs[:CHOICES]],
            next=runs[CHOICES - 1].id if len(runs) > CHOICES else None,
        )


@blueprint.get("/fillings")
@only("see")
@blueprint.input(schemas.FillingQuery, location="query")
@blueprint.output(schemas.FillingOut)
def get_filling(viewer: Viewer, query_data: schemas.FillingQuery) -> schemas.FillingOut:
    """Laps that answer a question that is often asked, such as each driver's best of the day."""
    with database().begin() as session:
        event = one(session, Event, viewer, query_data.event)
        seen = list(session.scalars(visible(Run, viewer).where(Run.event_id == event.id).options(*show.RUN_PARTS)))
        group = main_group(groups_of_day(session, event, None if allowed(viewer, "see-team") else seen))
        candidates = _candidates(session, viewer, event, query_data.kind)
        if query_data.kind in ("bests", "winners"):
            # Of the day as a whole: among those who are compared with each other.
            together = set() if group is None else {run.id for run in group.compared}
            candidates = [lap for lap in candidates if lap.run in together]
        asked = Asked(
            query_data.event,
            query_data.driver,
            query_data.other,
            query_data.run,
            reference=None if group is None else _candidate(group.base, group.lap),
            within_share=query_data.within_share or NEAR,
            within_s=query_data.within_s,
        )
        if query_data.kind == "winners":
            found = _winners(session, viewer, candidates)
        else:
            found = fill(query_data.kind, candidates, asked)
        if found is None:
            raise Problem(404, "nothing-to-fill", WHY_NOT[query_data.kind])
        runs = {run.id: run for run in runs_of(session, viewer, [lap.run for lap in found.laps], whole=False)}
        rows = _laps(session, viewer, list(runs.values()))
        keys = {(run, lap.number): key_of(runs[run], lap) for run, laps in rows.items() for lap in laps}
        return schemas.FillingOut(laps=[keys[lap.key] for lap in found.laps], reference=keys[found.reference.key])


def _candidates(session: Session, viewer: Viewer, event: Event, kind: str) -> list[Candidate]:
    """Laps that count: those of a day, and where other days are asked about the best one of each of their runs."""
    query = visible(Run, viewer).where(Run.layout_id == event.layout_id, Run.analysis_id.is_not(None))
    if kind == "bests":  # of the students
        students = visible(Driver, viewer).where(Driver.reference_only.is_(False)).with_only_columns(Driver.id)
        query = query.where(Run.driver_id.in_(students))
    runs = list(session.scalars(query.where(Run.event_id == event.id).order_by(Run.id)))
    laps = _laps(session, viewer, runs)
    found = [
        _candidate(run, lap)
        for run in runs
        for lap in laps.get(run.id, [])
        if lap.time_s is not None and lap.set_aside is None
    ]
    if kind == "today_and_ever":
        others = query.where(Run.event_id != event.id, Run.best_s.is_not(None), Run.best_number.is_not(None))
        found += [
            Candidate(
                run.id, run.best_number or 0, run.driver_id, run.car_id, run.event_id, run.best_s or 0.0,
                conditions_of(run.conditions),
            )
            for run in session.scalars(others.order_by(Run.id))
        ]  # fmt: skip
    return found


def _candidate(run: Run, lap: LapRow) -> Candidate:
    grip = conditions_of(run.conditions)
    return Candidate(run.id, lap.number, run.driver_id, run.car_id, run.event_id, lap.time_s or 0.0, grip)


WHY_NOT = {
    "bests": "No lap of this day counts.",
    "near_best": "This driver has no lap that counts on this day.",
    "first_and_last": "This run has fewer than two laps that count.",
    "today_and_ever": "Nobody has driven this car in another run that counts here.",
    "best_of_two": "Choose two drivers who both have laps that count on this day.",
    "winners": "No lap of this day counts.",
}


def _winners(session: Session, viewer: Viewer, candidates: Sequence[Candidate]) -> Filling | None:
    """The quickest laps of each passage; of a day with very many runs those with the quickest laps."""
    best: dict[int, float] = {}
    for lap in candidates:
        best[lap.run] = min(best.get(lap.run, lap.time_s), lap.time_s)
    chosen = sorted(best, key=lambda run: best[run])[:MOST_RUNS]
    if not chosen:
        return None
    entries = entries_of_runs(session, runs_of(session, viewer, chosen), [])
    own = [lap for lap in candidates if lap.run in entries and lap.number in entries[lap.run].numbers]
    times = {}
    for lap in own:
        trace = entries[lap.run].trace(lap.number)
        assert trace is not None, "a timed lap has a trace"
        times[lap.key] = passage_times(trace, entries[lap.run].layout)
    return winners(own, times)


def _laps(session: Session, viewer: Viewer, runs: Sequence[Run]) -> dict[int, list[LapRow]]:
    """Timed laps of runs as they are now, by run."""
    found: dict[int, list[LapRow]] = {}
    query = select(LapRow).where(
        LapRow.team_id == viewer.team_id,
        LapRow.analysis_id.in_([run.analysis_id for run in runs]),
        LapRow.time_s.is_not(None),
    )
    for lap in session.scalars(query.order_by(LapRow.number)):
        found.setdefault(lap.run_id, []).append(lap)
    return found


def _choices(run: Run, laps: list[LapRow]) -> schemas.RunChoices:
    best = best_of(laps)
    return schemas.RunChoices(
        run=run.id,
        event=run.event_id,
        day=run.event.day,
        driver=show.driver(run.driver),
        car=run.car.name if run.car else None,
        conditions=run.conditions,  # type: ignore[arg-type]
        started_at=run.started_at.isoformat() if run.started_at else None,
        best=None if best is None else key_of(run, best),
        laps=[
            schemas.LapChoice(key=key_of(run, lap), number=lap.number, time_s=lap.time_s, set_aside=lap.set_aside)
            for lap in laps
            if lap.time_s is not None
        ],
    )
