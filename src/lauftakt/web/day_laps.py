"""The laps of a day as a sheet: columns, times, what was held up, each driver's bests, and who is level with whom."""

from collections import Counter
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import level
from lauftakt.core.laps.conditions import CONDITIONS, Conditions, conditions_of
from lauftakt.core.laps.counting import counting_of
from lauftakt.core.laps.sheet import sheet, spread_of
from lauftakt.core.laps.times import draws_at, passage_times, sector_times
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.service.day import latest_event
from lauftakt.store.analyses import LapView
from lauftakt.store.lineup import Entry
from lauftakt.store.models import Event, LayoutRow, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.compare.addresses import key_of, lap_address
from lauftakt.web.compare.lineup import entries_of_runs
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.work.open_jobs import being_renewed

Array = NDArray[np.float64]
# Days that are offered to choose from.
MOST_DAYS = 60


def laps_of_day(session: Session, viewer: Viewer, query: schemas.LapsQuery) -> schemas.LapsOut:
    """What the place "Laps" shows."""
    days = _days(session, viewer)
    latest = latest_event(session, visible(Event, viewer)) if query.event is None else None
    event = latest if query.event is None else one(session, Event, viewer, query.event)
    listed = [show.event(day, count) for day, count in _counted(session, viewer, days)]
    if event is None:
        return schemas.LapsOut(
            event=None, days=[], columns=[], runs=[], laps=[], drivers=[], composite=None, against=None, renewing=False
        )
    runs = list(
        session.scalars(
            visible(Run, viewer)
            .where(Run.event_id == event.id)
            .options(*show.RUN_PARTS, joinedload(Run.analysis), selectinload(Run.words))
            .order_by(Run.started_at, Run.id)
        )
    )
    with_curves = [run for run in runs if run.best_number is not None]
    entries = entries_of_day(with_curves, session)
    columns = _columns(next(iter(entries.values())).layout, query.columns) if entries else []
    rest = [run.analysis_id for run in runs if run.id not in entries and run.analysis_id is not None]
    others = curve_cache().laps(session, viewer.team_id, rest)
    tables = {run_id: _Table(session, entry, query.columns, columns) for run_id, entry in entries.items()}
    drivers = _drivers(runs, tables, len(columns))
    beside = next(iter(entries.values()), None)
    against = (
        _against(session, viewer, query.against, beside, query.columns)
        if beside is not None and query.against
        else None
    )
    laps = []
    for run in runs:
        own = entries[run.id].laps if run.id in entries else others.get(run.analysis_id or 0, ())
        laps += [_lap(run, lap, tables.get(run.id), len(columns)) for lap in own]
    return schemas.LapsOut(
        event=show.event(event, len(runs)),
        days=listed,
        columns=columns,
        runs=[_run(run, tables.get(run.id), len(columns)) for run in runs],
        laps=laps,
        drivers=drivers,
        composite=_composite(drivers, len(columns)),
        against=against,
        renewing=bool(being_renewed(session, viewer.team_id, [run.id for run in runs])),
    )


def _composite(drivers: Sequence[schemas.SheetDriver], columns: int) -> schemas.Composite | None:
    """The best parts of all drivers as one lap; None where a part was never driven."""
    best = []
    for k in range(columns):
        # Ranked are those in like conditions.
        alike = [row for row in drivers if row.parts[k].rank is not None]
        known = [(row.parts[k].best_s, row.driver.id) for row in alike]
        if not known:
            return None
        best.append(min((time or 0.0, driver) for time, driver in known))
    return schemas.Composite(time_s=sum(time for time, _ in best), drivers=[driver for _, driver in best])


def _against(session: Session, viewer: Viewer, text: str, beside: Entry, which: str) -> schemas.AgainstLap:
    """A lap of any day on the same layout, in the same columns.

    Raises
    ------
    Problem
        404 where there is no such lap, 422 for one of another circuit, 409 while it is computed anew.
    """
    address = lap_address(text)
    run = one(session, Run, viewer, address.run)
    if run.layout_id != beside.run.layout_id:
        raise Problem(422, "elsewhere", "That lap was driven on another circuit; choose one of this circuit.")
    entry = entries_of_runs(session, [run], ["time_draws"]).get(run.id) if run.analysis_id is not None else None
    number = address.find(entry.laps) if entry is not None else None
    trace = entry.trace(number) if entry is not None and number is not None else None
    if entry is None or number is None or trace is None:
        raise Problem(404, "not-found", "This lap does not exist any more.")
    if entry.analysis.layout_version_id != beside.analysis.layout_version_id:
        raise Problem(409, "renewing", "That lap is being computed anew on the changed circuit; try again in a moment.")
    lap = entry.lap(number)
    own = passage_times(trace, beside.layout) if which == "passages" else np.array(sector_times(trace, beside.layout))
    return schemas.AgainstLap(
        key=key_of(run, lap),
        driver=run.driver.name,
        day=run.event.day,
        number=number,
        time_s=float(trace.time[-1]),
        parts_s=[float(t) if np.isfinite(t) else None for t in own],
    )


def entries_of_day(runs: Sequence[Run], session: Session) -> dict[int, Entry]:
    """The runs of a day with their curves; while they are computed anew on a changed layout and have no version in
    common, those on the newest."""
    roles = ["time_draws", *JUDGED_BY]
    newest = max((run.analysis.layout_version_id for run in runs if run.analysis is not None), default=None)
    try:
        return entries_of_runs(session, runs, roles) if runs else {}
    except Problem:
        ready = [run for run in runs if run.analysis is not None and run.analysis.layout_version_id == newest]
        return entries_of_runs(session, ready, roles)


def _days(session: Session, viewer: Viewer) -> list[Event]:
    query = visible(Event, viewer).options(joinedload(Event.layout).joinedload(LayoutRow.current))
    return list(session.scalars(query.order_by(Event.day.desc(), Event.id.desc()).limit(MOST_DAYS)))


def _counted(session: Session, viewer: Viewer, days: Sequence[Event]) -> list[tuple[Event, int]]:
    ids = visible(Run, viewer).with_only_columns(Run.id)
    counts: dict[int, int] = dict(
        session.execute(
            select(Run.event_id, func.count())
            .where(Run.id.in_(ids), Run.event_id.in_([day.id for day in days]))
            .group_by(Run.event_id)
        ).all()
    )
    return [(day, counts.get(day.id, 0)) for day in days]


def _columns(layout: Layout, which: str) -> list[schemas.Column]:
    if which == "passages":
        return [schemas.Column(name=p.called, from_m=p.from_m, to_m=p.to_m) for p in layout.passages]
    edges = [0.0, *layout.splits_m, layout.length]
    names = [layout.first_sector, *layout.names_of_splits]
    return [
        schemas.Column(name=name or f"Sector {k + 1}", from_m=edges[k], to_m=edges[k + 1])
        for k, name in enumerate(names)
    ]


class _Table:
    """Times of a run's timed laps in each column, what was held up, and how sure they are."""

    def __init__(self, session: Session, entry: Entry, which: str, columns: Sequence[schemas.Column]) -> None:
        self.entry = entry
        self.analysed: AnalysedRun = curve_cache().analysed(session, entry)
        length = entry.layout.length
        ends = [(column.from_m, column.to_m) for column in columns]
        if which == "passages":
            ends = [passage_range(entry.layout, k) for k in range(len(columns))]
        self.times: dict[int, Array] = {}
        self.doubt: dict[int, Array] = {}
        self.held: dict[int, list[int]] = {}
        self.held_m: dict[int, list[list[float]]] = {}
        for lap in self.analysed.laps:
            trace = self.analysed.traces.get(lap.number)
            if trace is None:
                continue
            own = passage_times(trace, entry.layout) if which == "passages" else np.array(lap.sector_times_s)
            self.times[lap.number] = own if len(own) == len(columns) else np.full(len(columns), np.nan)
            draws = draws_at(trace, np.array(ends)[:, 1]) - draws_at(trace, np.array(ends)[:, 0])
            self.doubt[lap.number] = np.sqrt(np.mean(draws**2, axis=1)) if draws.size else np.zeros(len(columns))
            self.held_m[lap.number] = [[round(a, 1), round(b, 1)] for a, b in lap.held_up]
            self.held[lap.number] = [
                k for k, (low, high) in enumerate(ends) if any(_meet(low, high, a, b, length) for a, b in lap.held_up)
            ]


def _meet(low: float, high: float, a: float, b: float, length: float) -> bool:
    """Whether two stretches of the lap share anything; either may reach beyond the line."""
    return any(a + shift < high and b + shift > low for shift in (-length, 0.0, length))


def _lap(run: Run, lap: LapView, table: _Table | None, columns: int) -> schemas.SheetLap:
    told = show.lap(lap, run.words)
    times = table.times.get(lap.number) if table is not None else None
    return schemas.SheetLap(
        key=key_of(run, lap),
        run=run.id,
        number=lap.number,
        kind=lap.kind,
        set_aside=lap.set_aside,
        automatic=lap.automatic,
        said=told.said,
        note=told.note,
        start_s=lap.start_s,
        time_s=lap.time_s,
        time_u_s=lap.time_u_s,
        parts_s=[None] * columns if times is None else [float(t) if np.isfinite(t) else None for t in times],
        held=table.held.get(lap.number, []) if table is not None else [],
        held_m=table.held_m.get(lap.number, []) if table is not None else [],
    )


def _run(run: Run, table: _Table | None, columns: int) -> schemas.SheetRun:
    spreads: list[float | None] = [None] * columns
    if table is not None:
        laps = counting_of(table.entry.laps)
        for k in range(columns):
            own = [table.times[lap.number][k] for lap in laps if k not in table.held[lap.number]]
            spreads[k] = spread_of(np.array([time for time in own if np.isfinite(time)]))
    return schemas.SheetRun(
        id=run.id,
        driver=run.driver_id,
        car=run.car.name if run.car else None,
        kind=run.kind,
        started_at=run.started_at.isoformat() if run.started_at else None,
        conditions=run.conditions,
        tyres=run.tyres,
        spreads_s=spreads,
    )


def _drivers(runs: Sequence[Run], tables: dict[int, _Table], columns: int) -> list[schemas.SheetDriver]:
    """Each driver's sheet over the runs of the day in like conditions, quickest first: those in which most was driven,
    else the driver's own. Only who drove in the same is ranked."""
    counted = Counter(conditions_of(run.conditions) for run in runs if run.best_s is not None)
    usual = counted.most_common(1)[0][0] if counted else "dry"
    by_driver: dict[int, list[Run]] = {}
    for run in runs:
        by_driver.setdefault(run.driver_id, []).append(run)
    found = [_driver(_in_like(own, usual), tables, columns) for own in by_driver.values()]
    _rank([one for one in found if one[0].conditions == usual], columns)
    return [row for row, _, _ in sorted(found, key=lambda item: item[0].best_s or float("inf"))]


def _in_like(runs: list[Run], usual: Conditions) -> list[Run]:
    """A driver's runs in the day's usual conditions; of who drove in none of them, those in the driest."""
    known = {conditions_of(run.conditions) for run in runs if run.best_s is not None}
    wanted = usual if usual in known or not known else min(known, key=CONDITIONS.index)
    return [run for run in runs if conditions_of(run.conditions) == wanted] or runs


_Ranked = tuple[schemas.SheetDriver, float, list[float]]


def _driver(runs: Sequence[Run], tables: dict[int, _Table], columns: int) -> _Ranked:
    """A driver's sheet, and the doubt of the best lap and of each best part."""
    rows: list[tuple[_Table, LapView]] = []
    for run in runs:
        table = tables.get(run.id)
        if table is not None:
            rows += [(table, lap) for lap in counting_of(table.entry.laps)]
    times = np.array([table.times[lap.number] for table, lap in rows]).reshape(len(rows), columns)
    clean = np.ones(times.shape, dtype=bool)
    for index, (table, lap) in enumerate(rows):
        clean[index, table.held[lap.number]] = False
    whole = [lap.time_s or float("nan") for _, lap in rows]
    best = int(np.argmin(whole)) if whole else None
    made = sheet(times, clean, whole[best] if best is not None else None)
    unbroken = [table.analysed.unbroken_best_s() for table in {id(t): t for t, _ in rows}.values()]

    def key(row: int | None) -> str | None:
        return None if row is None else key_of(rows[row][0].entry.run, rows[row][1])

    parts = [
        schemas.PartOut(
            best_s=part.best_s,
            best_lap=key(part.best_row),
            median_s=part.median_s,
            spread_s=part.spread_s,
            clean=part.clean,
            rank=None,
            level=False,
        )
        for part in made.parts
    ]
    doubts = [
        0.0 if part.best_row is None else float(rows[part.best_row][0].doubt[rows[part.best_row][1].number][k])
        for k, part in enumerate(made.parts)
    ]
    row = schemas.SheetDriver(
        driver=show.driver(runs[0].driver),
        conditions=conditions_of(runs[0].conditions),
        best_s=whole[best] if best is not None else None,
        best_lap=key(best),
        level=False,
        median_s=float(np.median(whole)) if whole else None,
        theoretical_s=made.theoretical_s,
        unbroken_s=min((time for time in unbroken if time is not None), default=None),
        gap_s=made.gap_s,
        usual_gap_s=made.usual_gap_s,
        judged=made.judged,
        counting=len(rows),
        parts=parts,
    )
    return row, (rows[best][1].time_u_s or 0.0) if best is not None else 0.0, doubts


def _rank(found: Sequence[_Ranked], columns: int) -> None:
    """Say who is best where; who is no further from the best than the doubt of both is level."""
    timed = [item for item in found if item[0].best_s is not None]
    if len(timed) > 1:
        first = min(timed, key=lambda item: item[0].best_s or 0.0)
        for row, u, _ in timed:
            row.level = row is first[0] or level(
                (row.best_s or 0.0) - (first[0].best_s or 0.0), float(np.hypot(u, first[1]))
            )
    for k in range(columns):
        known = sorted(
            (i for i in found if i[0].parts[k].best_s is not None), key=lambda i: i[0].parts[k].best_s or 0.0
        )
        for place, (row, _, doubts) in enumerate(known, 1):
            row.parts[k].rank = place
            if len(known) > 1:
                ahead = (row.parts[k].best_s or 0.0) - (known[0][0].parts[k].best_s or 0.0)
                row.parts[k].level = place == 1 or level(ahead, float(np.hypot(doubts[k], known[0][2][k])))
