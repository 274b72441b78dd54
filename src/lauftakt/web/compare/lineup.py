"""Which laps lie on the desk, and what is loaded of them."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.delta import delta_uncertainty, level, rate_uncertainty, time_delta
from lauftakt.core.laps.counting import best_of
from lauftakt.core.laps.lap import LapTrace, draw_places
from lauftakt.core.registry import CHANNELS
from lauftakt.store.database import NotFound
from lauftakt.store.lineup import NAMELESS, Apart, Entry, common_analyses, load_entries, nameless_names
from lauftakt.store.models import Analysis, Curves, Event, LayoutVersion, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.compare.addresses import MOST_LAPS, LapAddress, key_of
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.work.jobs import being_renewed


def runs_of(session: Session, viewer: Viewer, run_ids: Sequence[int], *, whole: bool = True) -> list[Run]:
    """Runs that a viewer may see, in the order asked for; ``whole``: with what the line-up shows of them.

    Raises
    ------
    NotFound
    """
    parts = (*show.RUN_PARTS, joinedload(Run.analysis)) if whole else ()
    query = visible(Run, viewer).where(Run.id.in_(run_ids)).options(*parts)
    found = {run.id: run for run in session.scalars(query)}
    if set(run_ids) - set(found):
        raise NotFound("run")
    return [found[run_id] for run_id in run_ids]


def entries_of_runs(
    session: Session, runs: Sequence[Run], roles: Sequence[str], version: int | None = None
) -> dict[int, Entry]:
    """What is compared of runs: their present analyses, or those on a layout version that all have; ``version`` is the
    number of one that is preferred."""
    try:
        analyses = common_analyses(session, runs, version)
    except Apart as error:
        raise Problem(422, "layouts", str(error)) from error
    return load_entries(session, runs, analyses, roles, curve_cache())


def entries_of_analyses(
    session: Session, viewer: Viewer, asked: Sequence[tuple[int, int]], roles: Sequence[str]
) -> dict[int, Entry]:
    """What is compared of analyses and lap numbers, by run.

    Raises
    ------
    NotFound
        for what a viewer may not see, and for laps that an analysis does not hold.
    Problem
        410 where an analysis was replaced and is gone.
    """
    ids = list(dict.fromkeys(analysis for analysis, _ in asked))
    rows = {row.id: row for row in session.scalars(visible(Analysis, viewer).where(Analysis.id.in_(ids)))}
    if set(ids) - set(rows):
        raise NotFound("analysis")
    by_run = {row.run_id: row for row in rows.values()}
    if len(by_run) < len(rows) or len({row.layout_version_id for row in rows.values()}) > 1:
        raise Problem(422, "layouts", "These laps belong to different layouts, so they cannot be compared.")
    entries = load_entries(session, runs_of(session, viewer, list(by_run), whole=False), by_run, roles, curve_cache())
    for analysis, number in asked:
        if number not in entries[rows[analysis].run_id].numbers:
            raise NotFound("lap")
    return entries


def proposed(
    session: Session, viewer: Viewer, run_id: int | None, event_id: int | None
) -> tuple[list[Run], list[tuple[int, int]], tuple[int, int]]:
    """The best lap of every driver of the event, and the fastest of them as the reference: runs, laps, reference."""
    event = _event(session, viewer, run_id, event_id)
    query = visible(Run, viewer).where(Run.event_id == event.id).options(*show.RUN_PARTS, joinedload(Run.analysis))
    runs = {run.id: run for run in session.scalars(query.order_by(Run.started_at, Run.id))}
    best: dict[int, tuple[float, int, int]] = {}
    for run in runs.values():
        if run.best_s is None or run.best_number is None:
            continue
        entry = (run.best_s, run.id, run.best_number)
        wanted = run.id == run_id
        if wanted or run.driver_id not in best or (entry < best[run.driver_id] and best[run.driver_id][1] != run_id):
            best[run.driver_id] = entry
    if not best:
        raise Problem(404, "empty", "No run of this event has a timed lap that counts.")
    reference = min(best.values())
    others = [entry for entry in best.values() if entry != reference]
    chosen = [reference, *sorted(others, key=lambda entry: entry[1] != run_id)][:MOST_LAPS]
    keys = [(run, number) for _, run, number in chosen]
    return [runs[run] for run, _ in keys], keys, (reference[1], reference[2])


def _event(session: Session, viewer: Viewer, run_id: int | None, event_id: int | None) -> Event:
    if run_id is not None:
        return one(session, Run, viewer, run_id).event
    if event_id is not None:
        return one(session, Event, viewer, event_id)
    latest = session.scalar(visible(Event, viewer).order_by(Event.day.desc(), Event.id.desc()).limit(1))
    if latest is None:
        raise Problem(404, "empty", "No runs have been handed in yet.")
    return latest


def asked_for(
    session: Session,
    viewer: Viewer,
    laps: Sequence[LapAddress],
    reference: LapAddress,
    version: int | None = None,
) -> tuple[dict[int, Entry], list[tuple[int, int]], tuple[int, int]]:
    """Entries, laps and reference of addresses.

    Raises
    ------
    NotFound
        for a lap that is none.
    """
    wanted = list(dict.fromkeys([reference, *laps] if reference not in laps else laps))
    runs = runs_of(session, viewer, list(dict.fromkeys(lap.run for lap in wanted)))
    entries = entries_of_runs(session, runs, ["time_draws"], version)

    def found(lap: LapAddress) -> tuple[int, int]:
        number = lap.find(entries[lap.run].laps)
        if number is None:
            raise NotFound("lap")
        return lap.run, number

    keys = list(dict.fromkeys(found(lap) for lap in wanted))
    if len(keys) > MOST_LAPS:
        raise Problem(422, "too-many", f"At most {MOST_LAPS} laps fit on the desk; take some off it.")
    return entries, keys, found(reference)


def answer(
    session: Session,
    viewer: Viewer,
    entries: dict[int, Entry],
    keys: Sequence[tuple[int, int]],
    reference: tuple[int, int],
) -> schemas.DeskOut:
    """The line-up as the desk shows it: laps, layout and the names of curves, all of the same analyses."""
    against = entries[reference[0]]
    logged = _logged(session, viewer, entries)
    nameless = nameless_names(session, viewer.team_id, list(entries))
    event = against.run.event
    count = session.scalar(
        select(func.count()).select_from(visible(Run, viewer).where(Run.event_id == event.id).subquery())
    )
    fastest = _best_of_all(entries, keys)
    units = {name: unit for channels in nameless.values() for name, unit in channels}
    return schemas.DeskOut(
        event=show.event(event, count or 0),
        layout=show.layout(against.run.layout, against.layout),
        reference=key_of(against.run, against.lap(reference[1])),
        laps=[
            _lap(
                entries[run_id],
                number,
                against,
                reference,
                logged[run_id],
                [n for n, _ in nameless[run_id]],
                (run_id, number) in fastest,
            )
            for run_id, number in keys
        ],
        nameless=[schemas.NamelessChannel(code=NAMELESS + name, label=name, unit=unit) for name, unit in units.items()],
        renewing=bool(being_renewed(session, viewer.team_id, list(entries))),
        version=_number(session, against.analysis.layout_version_id),
        present_version=_number(session, against.run.layout.current_id),
    )


def _number(session: Session, version_id: int | None) -> int:
    query = select(LayoutVersion.number).where(LayoutVersion.id == version_id)
    return session.scalar(query) or 0


def doubt(
    entries: dict[int, Entry], laps: Sequence[tuple[int, int]], reference: tuple[int, int], from_m: float
) -> schemas.DoubtOut:
    """What is unsure of the deltas of laps (analysis and number each), at the places of their draws."""
    by_analysis = {entry.analysis.id: entry for entry in entries.values()}
    base = by_analysis[reference[0]]
    other = base.trace(reference[1])
    assert other is not None
    places = _places(base.layout)
    found = []
    for analysis, number in laps:
        trace = by_analysis[analysis].trace(number)
        assert trace is not None
        start = min(from_m, base.layout.length)
        delta = delta_uncertainty(trace, other, analysis == reference[0], places, start)
        alone = (analysis, number) == reference
        told = [0.0] * len(places) if alone else np.round(delta, 5).tolist()
        found.append(schemas.LapDoubt(lap=f"{analysis}.{number}", delta_u_s=told))
    return schemas.DoubtOut(s_m=np.round(places, 3).tolist(), laps=found)


def rate_doubt(entry: Entry, number: int, base: Entry, reference: LapTrace) -> NDArray[np.float64]:
    """Standard deviation of a lap's loss rate on the layout's grid, s/m."""
    trace = entry.trace(number)
    assert trace is not None
    places = _places(base.layout)
    rate = rate_uncertainty(trace, reference, entry.analysis.id == base.analysis.id, places)
    return np.interp(base.layout.grid(), places, rate)


def _places(layout: Layout) -> NDArray[np.float64]:
    """Where the draws of a lap's time are kept, from line to line."""
    places = draw_places(layout)
    return places[(places >= 0.0) & (places <= layout.length)]


def _best_of_all(entries: dict[int, Entry], keys: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """The fastest lap of the line-up, and those that are level with it."""
    times = {key: entries[key[0]].lap(key[1]).time_s or np.inf for key in keys}
    first = min(keys, key=lambda key: times[key])
    best = entries[first[0]].trace(first[1])
    assert best is not None
    end = np.array([entries[first[0]].layout.length])
    found = {first}
    for key in keys:
        trace = entries[key[0]].trace(key[1])
        assert trace is not None
        u = float(delta_uncertainty(trace, best, key[0] == first[0], end)[0])
        if key == first or level(times[key] - times[first], u):
            found.add(key)
    return found


def _lap(
    entry: Entry, number: int, base: Entry, reference: tuple[int, int], logged: list[str], nameless: list[str],
    best_of_all: bool,
) -> schemas.DeskLap:  # fmt: skip
    trace, other, row = entry.trace(number), base.trace(reference[1]), entry.lap(number)
    assert trace is not None
    assert other is not None
    assert row.time_s is not None
    fastest = best_of(entry.laps)
    same = (entry.run.id, number) == reference
    end = np.array([base.layout.length])
    unsure = 0.0 if same else float(delta_uncertainty(trace, other, entry.run.id == reference[0], end)[0])
    return schemas.DeskLap(
        key=key_of(entry.run, row),
        curves=f"{entry.analysis.id}.{number}",
        run=entry.run.id,
        number=number,
        driver=show.driver(entry.run.driver),
        car=entry.run.car.name if entry.run.car else None,
        time_s=row.time_s,
        time_u_s=row.time_u_s,
        set_aside=row.set_aside,
        sector_times_s=list(row.sector_times_s),
        delta_s=float(time_delta(trace, other)[-1]),
        delta_u_s=unsure,
        best_of_run=fastest is not None and fastest.number == number,
        best_of_all=best_of_all,
        roles=[*logged, *(NAMELESS + name for name in nameless)],
        differs=_differences(entry.run, base.run),
    )


def _differences(own: Run, base: Run) -> list[schemas.Difference]:
    """In which else than the driving a run differs from the reference's, as far as both are known."""
    known = (
        ("car", own.car.name if own.car else None, base.car.name if base.car else None),
        ("tyres", own.tyres, base.tyres),
        ("conditions", own.conditions, base.conditions),
        ("day", own.event.day, base.event.day),
    )
    return [
        schemas.Difference(what=what, own=mine, reference=theirs)  # type: ignore[arg-type]
        for what, mine, theirs in known
        if mine is not None and theirs is not None and mine != theirs
    ]


def _logged(session: Session, viewer: Viewer, entries: dict[int, Entry]) -> dict[int, list[str]]:
    """Channels that can be drawn of each run, by run."""
    runs = {entry.analysis.id: run_id for run_id, entry in entries.items()}
    found: dict[int, list[str]] = {run_id: [] for run_id in entries}
    query = select(Curves.analysis_id, Curves.role).where(
        Curves.team_id == viewer.team_id, Curves.analysis_id.in_(list(runs))
    )
    for analysis, role in session.execute(query):
        if role in CHANNELS:
            found[runs[analysis]].append(role)
    return found
