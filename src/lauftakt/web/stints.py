"""Long runs of a day: stints, their means, how the pace falls off, and two of them side by side."""

from dataclasses import asdict
from typing import Any

import numpy as np
from apiflask import APIBlueprint
from flask import Response
from numpy.typing import NDArray
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.laps.counting import begins_at
from lauftakt.core.laps.stints import difference, fall_off, stints_of, windows_of
from lauftakt.core.log.roles import ENDS, ROLES, SIDES, TREADS
from lauftakt.formats.tables import Cell, number, write_table
from lauftakt.store.actions import note_action
from lauftakt.store.analyses import LapView, load_figures_by_lap
from lauftakt.store.counting import laps_of
from lauftakt.store.database import mine, now
from lauftakt.store.models import Event, Run, StintWord
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.compare.addresses import key_of, lap_address
from lauftakt.web.day_laps import entries_of_day
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("stints", __name__, tag="Laps")
Array = NDArray[np.float64]

WHEELS = [(end, side) for end in ENDS for side in SIDES]
LOGGED_OF_STINTS = [
    *(role for role in ROLES if role.startswith(("tyre_temperature", "tyre_pressure"))),
    "ambient_temperature", "track_temperature", "fuel", "fuel_share",
]  # fmt: skip
LOW, MEAN, HIGH = 0, 2, 4


@blueprint.get("/stints")
@only("see")
@blueprint.input(schemas.StintsQuery, location="query")
@blueprint.output(schemas.StintsOut)
def get_stints(viewer: Viewer, query_data: schemas.StintsQuery) -> schemas.StintsOut:
    """The stints of a day, in the order of time; with two named, how much longer the second took."""
    sizes = sorted({int(size) for size in query_data.windows.split(",") if int(size) > 1})
    with database().begin() as session:
        event = one(session, Event, viewer, query_data.event)
        found = _stints(session, viewer, event, sizes, query_data.clean)
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


@blueprint.get("/stints/file")
@only("see")
@blueprint.input(schemas.StintsQuery, location="query")
def get_stints_file(viewer: Viewer, query_data: schemas.StintsQuery) -> Response:
    """The stints of a day as CSV: one row each, then a column for each of its laps."""
    sizes = sorted({int(size) for size in query_data.windows.split(",") if int(size) > 1})
    with database().begin() as session:
        event = one(session, Event, viewer, query_data.event)
        found = _stints(session, viewer, event, sizes, query_data.clean)
    means = [name for size in sizes for name in (f"quickest {size} [s]", f"{size} in a row [s]")]
    most = max((len(stint.laps) for stint in found), default=0)
    head = ["driver", "stint", "began", "car", "tyres", "tried", "laps", "mean [s]", *means, "fall-off [s a lap]"]
    head += ["fall-off from lap", *(f"lap {k + 1} [s]" for k in range(most))]
    rows: list[list[Cell]] = []
    for stint in found:
        quickest = {window.laps: window.mean_s for window in stint.quickest}
        in_a_row = {window.laps: window.mean_s for window in stint.in_a_row}
        cells: list[Cell] = [
            stint.driver.name, stint.number, stint.started_at or "", stint.car or "", stint.tyres or "",
            stint.tried or "", sum(lap.counts for lap in stint.laps), number(stint.mean_s, 3),
        ]  # fmt: skip
        for size in sizes:
            cells += [number(own.get(size), 3) for own in (quickest, in_a_row)]
        change = stint.fall_off
        cells.append(None if change is None else number(change.per_lap_s, 4))
        cells.append(None if change is None or change.begins is None else change.begins + 1)
        cells += [number(lap.time_s, 3) if lap.counts else None for lap in stint.laps]
        rows.append(cells)
    answer = Response(write_table(head, rows), mimetype="text/csv")
    answer.headers.set("Content-Disposition", "attachment", filename="stints.csv")
    return answer


def _stints(session: Session, viewer: Viewer, event: Event, sizes: list[int], clean: bool) -> list[schemas.StintOut]:
    query = visible(Run, viewer).where(Run.event_id == event.id, Run.analysis_id.is_not(None))
    runs = list(
        session.scalars(query.options(*show.RUN_PARTS, joinedload(Run.analysis)).order_by(Run.started_at, Run.id))
    )
    laps = curve_cache().laps(session, viewer.team_id, [run.analysis_id for run in runs if run.analysis_id is not None])
    words: dict[int, list[StintWord]] = {}
    for word in session.scalars(mine(StintWord, viewer.team_id).where(StintWord.run_id.in_([run.id for run in runs]))):
        words.setdefault(word.run_id, []).append(word)
    ids = [run.analysis_id for run in runs if run.analysis_id is not None]
    held = _held(session, runs)
    logged = load_figures_by_lap(session, viewer.team_id, ids, LOGGED_OF_STINTS) if ids else {}
    numbers: dict[int, int] = {}
    found = []
    for run in runs:
        own, said = laps.get(run.analysis_id or 0, ()), words.get(run.id, [])
        cuts = {lap.number for lap in own for word in said if word.cut and begins_at(lap, word.moment_s)}
        for stint in stints_of(own, cuts):
            numbers[run.driver_id] = numbers.get(run.driver_id, 0) + 1
            word_ = next((w for w in said if begins_at(stint[0], w.moment_s)), None)
            rows = [index for index, lap in enumerate(own) if lap in stint]
            figures = {
                role: values[rows] for role, values in logged.get(run.analysis_id or 0, {}).items()
                if len(values) == len(own)
            }  # fmt: skip
            behind = [lap.number in held.get(run.id, ()) for lap in stint]
            found.append(_stint(run, stint, numbers[run.driver_id], sizes, word_, figures, behind, clean))
    return found


def _held(session: Session, runs: list[Run]) -> dict[int, set[int]]:
    """Numbers of the laps in which another car was in the way, by run."""
    entries = entries_of_day([run for run in runs if run.best_number is not None], session)
    return {
        run_id: {lap.number for lap in curve_cache().analysed(session, entry).laps if lap.held_up}
        for run_id, entry in entries.items()
    }


def _stint(
    run: Run,
    laps: list[LapView],
    number: int,
    sizes: list[int],
    word: StintWord | None,
    figures: dict[str, Array],
    behind: list[bool],
    clean: bool,
) -> schemas.StintOut:
    times = np.array([lap.time_s or np.nan for lap in laps])
    counts = np.array([lap.set_aside is None for lap in laps])
    counting = counts & ~np.array(behind) if clean else counts
    if not counting.any():
        counting = counts
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
        tried=word.tried if word is not None else None,
        cut=bool(word is not None and word.cut),
        tyres_said=schemas.Tyres(**word.tyres) if word is not None and word.tyres else None,
        tyres_logged=_tyres(figures),
        ambient_k=_mean(figures.get("ambient_temperature")),
        track_k=_mean(figures.get("track_temperature")),
        fuel_used_m3=_used(figures.get("fuel")),
        fuel_used_share=_used(figures.get("fuel_share")),
        laps=[
            schemas.StintLap(
                key=key_of(run, lap), number=lap.number, time_s=lap.time_s or 0.0, counts=bool(own), held=held
            )
            for lap, own, held in zip(laps, counting, behind, strict=True)
        ],
        mean_s=float(times[counting].mean()),
        quickest=[schemas.WindowOut(**asdict(window)) for window in quickest],
        in_a_row=[schemas.WindowOut(**asdict(window)) for window in in_a_row],
        fall_off=None if change is None else schemas.FallOffOut(**asdict(change)),
    )


def _mean(rows: Array | None) -> float | None:
    return float(np.nanmean(rows[:, MEAN])) if rows is not None and np.isfinite(rows[:, MEAN]).any() else None


def _used(rows: Array | None) -> float | None:
    """What is gone of a level from the first lap to the last."""
    if rows is None or not np.isfinite(rows[[0, -1]]).all():
        return None
    return max(0.0, float(rows[0, HIGH] - rows[-1, LOW]))


def _tyres(figures: dict[str, Array]) -> schemas.Tyres | None:
    """Tyres as they were logged: temperatures and hot pressure of the last lap, the lowest pressure of the first."""
    found: dict[str, Any] = {}

    def put(wheel: str, name: str, role: str, row: int, column: int) -> None:
        rows = figures.get(role)
        if rows is not None and np.isfinite(rows[row, column]):
            found.setdefault(wheel, {})[name] = float(rows[row, column])

    for end, side in WHEELS:
        wheel = f"{end}_{side}"
        put(wheel, "middle_k", f"tyre_temperature_{wheel}", -1, MEAN)
        for tread in TREADS:
            put(wheel, f"{tread}_k", f"tyre_temperature_{wheel}_{tread}", -1, MEAN)
        put(wheel, "cold_pa", f"tyre_pressure_{wheel}", 0, LOW)
        put(wheel, "hot_pa", f"tyre_pressure_{wheel}", -1, MEAN)
    return (
        schemas.Tyres(**{wheel: schemas.Tyre.model_construct(**values) for wheel, values in found.items()})
        if found
        else None
    )


@blueprint.post("/stints/said")
@only("change")
@blueprint.input(schemas.StintSaid)
@blueprint.output(schemas.LapsChanged)
def say_of_stint(viewer: Viewer, json_data: schemas.StintSaid) -> schemas.LapsChanged:
    """Say that a stint begins with a lap, what was tried in it, or how its tyres were after it."""
    address = lap_address(json_data.lap)
    with database().begin() as session:
        run = one(session, Run, viewer, address.run, lock=True)
        laps = laps_of(session, run.analysis_id)
        number = address.find(laps, timed_only=False)
        lap = next((item for item in laps if item.number == number), None)
        if lap is None:
            raise Problem(404, "not-found", "This lap does not exist any more.")
        before = _said(session, run, lap.start_s)
        change = json_data.model_dump(exclude={"lap"}, exclude_unset=True)
        if "cut" in change:
            change["cut"] = bool(change["cut"])
        _keep(session, run, lap.start_s, {**before, **change}, viewer.account_id)
        told = f"A stint of {run.driver.name} begins with lap {number}" if change.get("cut") else (
            f"Said of the stint of {run.driver.name} from lap {number}"
        )  # fmt: skip
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="stint",
            subject=("run", run.id),
            summary=f"{told}.",
            inverse=[
                {"do": "stint", "run": run.id, "moment": lap.start_s, "set": {name: before[name] for name in change}}
            ],
        )
        return schemas.LapsChanged(laps=1, action=action.id)


def _word(session: Session, run: Run, moment: float) -> StintWord | None:
    laps = laps_of(session, run.analysis_id)
    lap = min(laps, key=lambda item: abs(item.start_s - moment), default=None)
    words = session.scalars(mine(StintWord, run.team_id).where(StintWord.run_id == run.id)).all()
    return next((word for word in words if lap is not None and begins_at(lap, word.moment_s)), None)


def _said(session: Session, run: Run, moment: float) -> dict[str, Any]:
    word = _word(session, run, moment)
    if word is None:
        return {"cut": False, "tried": None, "tyres": None}
    return {"cut": word.cut, "tried": word.tried, "tyres": word.tyres}


def _keep(session: Session, run: Run, moment: float, said: dict[str, Any], account_id: int | None) -> None:
    word = _word(session, run, moment)
    if not any(said.values()):
        if word is not None:
            session.delete(word)
        return
    if word is None:
        word = StintWord(team_id=run.team_id, run_id=run.id, moment_s=moment)
        session.add(word)
    word.cut, word.tried, word.tyres = said["cut"], said["tried"] or None, said["tyres"]
    word.account_id, word.said_at = account_id, now()
    session.flush()


def undo_stint(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """What was said of a stint is as it was before; what was said of it otherwise since stays."""
    run = one(session, Run, viewer, step["run"], lock=True)
    # Older entries hold all that was said.
    again = step["set"] if "set" in step else step["said"]
    _keep(session, run, step["moment"], {**_said(session, run, step["moment"]), **again}, viewer.account_id)
    return []
