"""Compare: the line-up, its curves, and the figures of any part of the circuit."""

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
from apiflask import APIBlueprint
from flask import Response
from numpy.typing import NDArray
from sqlalchemy import func, select
from sqlalchemy.orm import Session, selectinload

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import Loss, delta_uncertainty, loss_rate, stretch_loss, time_delta
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.habits import causes_between, habit_between
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.registry import COMPUTED, LOGGED, WHEELS
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures, figures
from lauftakt.core.technique.windows import Window, stretch_window, windows
from lauftakt.store.database import NotFound, mine, mine_by_id
from lauftakt.store.lineup import RunCurves, load_lineup
from lauftakt.store.models import Curves, Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache, database, for_coaches, team_id

blueprint = APIBlueprint("desk", __name__, tag="Compare")

MOST_LAPS = 24
ARROW = "application/vnd.apache.arrow.stream"
TECHNIQUE_ROLES = ["time_draws", "throttle", "brake_pressure", "brake_pedal", "steering", "gear", *WHEELS]
CURVE_ROLES = {*COMPUTED, *LOGGED}

_CURVES: dict[int | str, dict[str, str | dict[str, dict[str, Any]]]] = {
    200: {"description": "Arrow IPC stream", "content": {ARROW: {"schema": {}}}}
}


def _key(text: str) -> tuple[int, int]:
    run, _, number = text.partition(".")
    if not (run.isdecimal() and number.isdecimal() and len(text) < 24):
        raise Problem(422, "invalid", "A lap is named by its run and its number, like 12.3.")
    return int(run), int(number)


def _keys(text: str) -> list[tuple[int, int]]:
    keys = list(dict.fromkeys(_key(part) for part in text.split(",") if part))
    if not keys:
        raise Problem(422, "invalid", "No laps are named.")
    if len(keys) > MOST_LAPS:
        raise Problem(422, "too-many", f"At most {MOST_LAPS} laps fit on the desk; take some off it.")
    return keys


def _load(session: Session, keys: list[tuple[int, int]], roles: list[str]) -> dict[int, RunCurves]:
    try:
        runs = load_lineup(session, team_id(), sorted({run for run, _ in keys}), roles, curve_cache())
    except ValueError as error:
        raise Problem(422, "layouts", str(error)) from error
    for run, number in keys:
        if number not in runs[run].numbers:
            raise NotFound("lap")
    return runs


def _default_lineup(
    session: Session, run_id: int | None, event_id: int | None
) -> tuple[list[tuple[int, int]], tuple[int, int]]:
    """The best lap of every driver of the event, and the fastest of them as the reference."""
    if run_id is not None:
        event = mine_by_id(session, Run, team_id(), run_id).event
    elif event_id is not None:
        event = mine_by_id(session, Event, team_id(), event_id)
    else:
        latest = session.scalar(mine(Event, team_id()).order_by(Event.day.desc(), Event.id.desc()).limit(1))
        if latest is None:
            raise Problem(404, "empty", "No runs have been handed in yet.")
        event = latest
    runs = list(
        session.scalars(
            mine(Run, team_id())
            .where(Run.event_id == event.id)
            .options(selectinload(Run.laps), selectinload(Run.driver))
            .order_by(Run.started_at, Run.id)
        )
    )
    best: dict[int, tuple[float, int, int]] = {}
    for run in runs:
        fastest = show.best(run)
        if fastest is None or fastest.time_s is None:
            continue
        entry = (fastest.time_s, run.id, fastest.number)
        wanted = run_id is not None and run.id == run_id
        if wanted or run.driver_id not in best or (entry < best[run.driver_id] and best[run.driver_id][1] != run_id):
            best[run.driver_id] = entry
    if not best:
        raise Problem(404, "empty", "No run of this event has a timed lap that counts.")
    reference = min(best.values())
    others = [entry for entry in best.values() if entry != reference]
    first = [e for e in others if e[1] == run_id]
    chosen = [reference, *first, *[e for e in others if e[1] != run_id]][:MOST_LAPS]
    return [(run, number) for _, run, number in chosen], (reference[1], reference[2])


@blueprint.get("/desk")
@for_coaches
@blueprint.input(schemas.DeskQuery, location="query")
@blueprint.output(schemas.DeskOut)
def get_desk(query_data: schemas.DeskQuery) -> schemas.DeskOut:
    """The line-up asked for, or a good one for a run or an event."""
    with database().begin() as session:
        if query_data.laps:
            keys = _keys(query_data.laps)
            reference = _key(query_data.reference) if query_data.reference else keys[0]
        else:
            keys, reference = _default_lineup(session, query_data.run, query_data.event)
        if reference not in keys:
            keys = [reference, *keys]
        runs = _load(session, keys, ["time_draws"])
        available = _available(session, sorted(runs))
        base_run = runs[reference[0]]
        base = base_run.trace(reference[1])
        assert base is not None
        layout = base_run.layout
        end = np.array([layout.length])
        laps = []
        for run_id, number in keys:
            entry = runs[run_id]
            trace, row = entry.trace(number), entry.lap(number)
            assert trace is not None
            assert row.time_s is not None
            fastest = show.best(entry.run)
            same = (run_id, number) == reference
            laps.append(
                schemas.DeskLap(
                    key=f"{run_id}.{number}",
                    run=run_id,
                    number=number,
                    driver=show.driver(entry.run.driver),
                    car=entry.run.car.name if entry.run.car else None,
                    time_s=row.time_s,
                    time_u_s=row.time_u_s,
                    set_aside=row.set_aside,
                    sector_times_s=row.sector_times,
                    delta_s=float(time_delta(trace, base)[-1]),
                    delta_u_s=0.0 if same else float(delta_uncertainty(trace, base, run_id == reference[0], end)[0]),
                    best_of_run=fastest is not None and fastest.number == number,
                    roles=available[run_id],
                )
            )
        event = base_run.run.event
        count = session.scalar(select(func.count()).where(Run.team_id == team_id(), Run.event_id == event.id)) or 0
        return schemas.DeskOut(
            event=show.event(event, count),
            layout=show.layout(base_run.run.layout),
            reference=f"{reference[0]}.{reference[1]}",
            laps=laps,
        )


def _available(session: Session, run_ids: list[int]) -> dict[int, list[str]]:
    found: dict[int, list[str]] = {run_id: [] for run_id in run_ids}
    rows = session.execute(
        select(Curves.run_id, Curves.role).where(Curves.team_id == team_id(), Curves.run_id.in_(run_ids))
    )
    for run_id, role in rows:
        if role in CURVE_ROLES:
            found[run_id].append(role)
    return found


@blueprint.get("/curves")
@for_coaches
@blueprint.input(schemas.CurvesQuery, location="query")
@blueprint.doc(responses=_CURVES)
def get_curves(query_data: schemas.CurvesQuery) -> Response:
    """Curves on the layout's 1 m grid as an Arrow IPC stream.

    Columns: ``s`` (m); for each lap ``KEY|time`` (s from the line), ``KEY|loss_rate`` (s/m against the reference) and
    ``KEY|ROLE`` for each role asked for that was logged, in SI units.
    """
    keys = _keys(query_data.laps)
    reference = _key(query_data.reference)
    wanted = [role for role in query_data.roles.split(",") if role in CURVE_ROLES]
    with database().begin() as session:
        runs = _load(session, list(dict.fromkeys([*keys, reference])), wanted)
    base = runs[reference[0]].trace(reference[1])
    assert base is not None
    layout = runs[reference[0]].layout
    columns: dict[str, NDArray[Any]] = {"s": layout.grid()}
    for run_id, number in keys:
        trace, grid = runs[run_id].trace(number), runs[run_id].grid(number)
        assert trace is not None
        name = f"{run_id}.{number}"
        columns[f"{name}|time"] = trace.time
        columns[f"{name}|loss_rate"] = loss_rate(time_delta(trace, base), layout.length).astype(np.float32)
        for role in wanted:
            if role in grid:
                columns[f"{name}|{role}"] = grid[role].astype(np.float32)
    table = pa.table(columns)
    sink = io.BytesIO()
    with pa.ipc.new_stream(sink, table.schema) as writer:
        writer.write_table(table)
    return Response(sink.getvalue(), mimetype=ARROW)


@blueprint.get("/card")
@for_coaches
@blueprint.input(schemas.CardQuery, location="query")
@blueprint.output(schemas.CardOut)
def get_card(query_data: schemas.CardQuery) -> schemas.CardOut:
    """Figures of the line-up's laps in a passage (by name) or in a stretch (``from_m`` to ``to_m``)."""
    keys = _keys(query_data.laps)
    reference = _key(query_data.reference)
    with database().begin() as session:
        runs = _load(session, list(dict.fromkeys([*keys, reference])), TECHNIQUE_ROLES)
        part = _part(runs[reference[0]].layout, query_data)
        known = {run: curve_cache().analysed(entry) for run, entry in runs.items()}
        rows = [_figures(runs, known, key, reference, part) for key in keys]
        habits = [_habit(runs, known, run_id, reference, part) for run_id in dict.fromkeys(run for run, _ in keys)]
    return schemas.CardOut(
        from_m=part.from_m,
        to_m=part.to_m,
        passage=query_data.passage,
        figures=rows,
        habits=[habit for habit in habits if habit is not None],
    )


@dataclass(frozen=True)
class _Part:
    """A passage or stretch: its ends on the circuit, and as metres from the start line of the lap it belongs to."""

    from_m: float
    to_m: float
    low: float
    high: float
    window: Window
    direction: str
    passage: int | None
    corner: int | None


def _part(layout: Layout, query: schemas.CardQuery) -> _Part:
    if query.passage is not None:
        index = next((i for i, p in enumerate(layout.passages) if p.name == query.passage), None)
        if index is None:
            raise Problem(404, "not-found", f"The layout has no passage {query.passage}.")
        passage = layout.passages[index]
        low, high = passage_range(layout, index)
        corners = [window for window in windows(layout) if window.corner in passage.corners]
        # Of several corners in a passage the slowest decides most; figures of each are told with the findings.
        window = corners[0] if len(corners) == 1 else stretch_window(layout, low, high)
        direction = next((c.direction for c in layout.corners if c.name in passage.corners), "left")
        corner = None
        if len(corners) == 1:
            corner = next(i for i, c in enumerate(layout.corners) if c.name == corners[0].corner)
        return _Part(passage.from_m, passage.to_m, low, high, window, direction, index, corner)
    if query.from_m is None or query.to_m is None:
        raise Problem(422, "invalid", "Name a passage, or both ends of a stretch.")
    from_m, to_m = (min(max(0.0, place), layout.length) for place in (query.from_m, query.to_m))
    if to_m - from_m < 5.0:
        raise Problem(422, "invalid", "A stretch must be at least 5 m long.")
    inside = [c for c in layout.corners if from_m <= c.apex_m <= to_m]
    direction = inside[0].direction if inside else "left"
    return _Part(from_m, to_m, from_m, to_m, stretch_window(layout, from_m, to_m), direction, None, None)


def _loss(runs: dict[int, RunCurves], key: tuple[int, int], reference: tuple[int, int], part: _Part) -> Loss:
    own, other = runs[key[0]], runs[reference[0]]
    lap, base = own.trace(key[1]), other.trace(reference[1])
    assert lap is not None
    assert base is not None
    return stretch_loss(lap, base, part.low, part.high, key[0] == reference[0])


def _figures(
    runs: dict[int, RunCurves],
    known: dict[int, AnalysedRun],
    key: tuple[int, int],
    reference: tuple[int, int],
    part: _Part,
) -> schemas.FiguresOut:
    own, base = (
        (known[run].traces[number], _in_window(runs[run], known[run], number, part)) for run, number in (key, reference)
    )
    found = own[1]
    loss = Loss(0.0, 0.0) if key == reference else _loss(runs, key, reference, part)
    causes = []
    if key != reference and found is not None and base[1] is not None and loss.loss_s > 2 * loss.loss_u_s:
        causes = causes_between((own[0], found), (base[0], base[1]), part.window, part.direction)
    return schemas.FiguresOut(
        lap=f"{key[0]}.{key[1]}",
        loss_s=loss.loss_s,
        loss_u_s=loss.loss_u_s,
        whole=loss.whole,
        entry_speed=None if found is None else found.entry_speed,
        min_speed=None if found is None else found.min_speed,
        min_speed_m=None if found is None else found.min_speed_m,
        exit_speed=None if found is None else found.exit_speed,
        brake_point_m=None if found is None else found.brake_point_m,
        brake_release_m=None if found is None else found.brake_release_m,
        throttle_pickup_m=None if found is None else found.throttle_pickup_m,
        full_throttle_m=None if found is None else found.full_throttle_m,
        inferred=found is not None and found.inferred,
        causes=[schemas.Cause(cause=e.cause, figure=e.figure, own=e.own, theirs=e.theirs) for e in causes],
    )


def _in_window(entry: RunCurves, run: AnalysedRun, number: int, part: _Part) -> Figures | None:
    assert run.signals is not None
    assert run.technique is not None
    if part.corner is not None:
        return run.technique.at(number, part.corner)
    return figures(run.signals, entry.numbers.index(number), part.window)


def _habit(
    runs: dict[int, RunCurves],
    known: dict[int, AnalysedRun],
    run_id: int,
    reference: tuple[int, int],
    part: _Part,
) -> schemas.Habit | None:
    """How the driver of a run does in this part over all laps that count; None for the reference's own run."""
    if run_id == reference[0]:
        return None
    layout = runs[run_id].layout
    base = known[reference[0]].traces[reference[1]]
    found = habit_between(known[run_id], base, False, part.low, part.high, layout.length)
    if found is None:
        return None
    finding = None
    if part.passage is not None:
        sides = [Contender(known[reference[0]], "reference"), Contender(known[run_id], "driver")]
        lost, _ = find(sides, 0, layout, part.passage)
        finding = lost[0] if lost else None
    return schemas.Habit(
        run=run_id,
        losing=found.losing,
        of=found.of,
        best_lap=found.best_lap,
        best_loss_s=found.best_loss_s,
        median_loss_s=found.median_loss_s,
        finding=None
        if finding is None
        else schemas.FindingOut(
            loss_s=finding.loss_s,
            loss_u_s=finding.loss_u_s,
            cause=finding.cause or "unclear",
            second_cause=finding.second_cause,
            seen_in=list(finding.seen_in),
            of=finding.clean,
            parts=finding.parts,
        ),
    )


@blueprint.get("/choices")
@for_coaches
@blueprint.input(schemas.ChoicesQuery, location="query")
@blueprint.output(schemas.ChoicesOut)
def get_choices(query_data: schemas.ChoicesQuery) -> schemas.ChoicesOut:
    """Timed laps of an event that can join the line-up, by run."""
    with database().begin() as session:
        event = mine_by_id(session, Event, team_id(), query_data.event)
        runs = session.scalars(
            mine(Run, team_id())
            .where(Run.event_id == event.id)
            .options(selectinload(Run.laps), selectinload(Run.driver))
            .order_by(Run.started_at, Run.id)
        )
        return schemas.ChoicesOut(
            runs=[
                schemas.RunChoices(
                    run=run.id,
                    driver=show.driver(run.driver),
                    started_at=run.started_at.isoformat() if run.started_at else None,
                    laps=[
                        schemas.LapChoice(
                            key=f"{run.id}.{lap.number}", number=lap.number, time_s=lap.time_s, set_aside=lap.set_aside
                        )
                        for lap in run.laps
                        if lap.time_s is not None
                    ],
                )
                for run in runs
            ]
        )
