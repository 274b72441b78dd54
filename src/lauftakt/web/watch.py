"""The car watch: figures by lap across runs and days, what was over a limit, and what creeps towards one."""

from collections.abc import Sequence
from dataclasses import asdict
from functools import partial
from typing import Any

import numpy as np
from apiflask import APIBlueprint
from numpy.typing import NDArray
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.laps.lap import reach
from lauftakt.core.log.model import Channel, Unusable
from lauftakt.core.registry import BY_LAP, CHANNELS
from lauftakt.core.technique.by_lap import STATISTICS
from lauftakt.core.technique.watching import Excursion, Limit, excursions, over_limit_s
from lauftakt.service.day import latest_event
from lauftakt.store.analyses import LapView, load_curves, load_figures_by_lap, numbers_of
from lauftakt.store.database import mine
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Car, ChannelRow, Driver, Event, FigureSet, Run
from lauftakt.store.runs import load_si
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.cars import car_out, sheet_of
from lauftakt.web.compare.addresses import key_of
from lauftakt.web.creeping import AMBIENT, growths, trends
from lauftakt.web.keeping import Kept
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("watch", __name__, tag="Laps")
Array = NDArray[np.float64]

MOST_RUNS, MOST_EXCURSIONS, MOST_SETS = 60, 200, 40
# Begin with what most coaches look at; the coach's own sets say more.
FIRST = (
    "engine_speed:high", "water_temperature:high", "oil_temperature:high", "oil_pressure:low", "battery_voltage:mean",
    "peak_braking:mean", "lateral_grip:mean", "full_throttle_share:mean",
)  # fmt: skip
MOST_FIRST = 8


# Samples and limits name excursions, and neither ever changes under a name.
_kept = Kept[list[Excursion] | None](4000)


@blueprint.get("/watch")
@only("see")
@blueprint.input(schemas.WatchQuery, location="query")
@blueprint.output(schemas.WatchOut)
def get_watch(viewer: Viewer, query_data: schemas.WatchQuery) -> schemas.WatchOut:
    """Figures by lap of a day's runs, or of a car's or a driver's, with what was over a limit and what creeps."""
    with database().begin() as session:
        runs = _runs(session, viewer, query_data)
        return _Watch(session, viewer, runs).answer(query_data.figures)


def _runs(session: Session, viewer: Viewer, asked: schemas.WatchQuery) -> list[Run]:
    query = visible(Run, viewer).where(Run.analysis_id.is_not(None))
    if asked.car is not None:
        query = query.where(Run.car_id == one(session, Car, viewer, asked.car).id)
    elif asked.driver is not None:
        query = query.where(Run.driver_id == one(session, Driver, viewer, asked.driver).id)
    else:
        event = asked.event
        if event is None:
            newest = latest_event(session, visible(Event, viewer))
            event = None if newest is None else newest.id
        else:
            event = one(session, Event, viewer, event).id
        query = query.where(Run.event_id == event)
    parts = joinedload(Run.driver), joinedload(Run.car), joinedload(Run.event), joinedload(Run.analysis)
    newest_first = query.options(*parts).order_by(Run.started_at.desc(), Run.id.desc()).limit(MOST_RUNS)
    return sorted(session.scalars(newest_first), key=lambda run: (run.event.day, str(run.started_at), run.id))


class _Watch:
    """What is told of some runs."""

    def __init__(self, session: Session, viewer: Viewer, runs: Sequence[Run]) -> None:
        self.session, self.viewer, self.runs = session, viewer, runs
        ids = [run.analysis_id for run in runs if run.analysis_id is not None]
        self.laps = curve_cache().laps(session, viewer.team_id, ids) if ids else {}
        self.figures = load_figures_by_lap(session, viewer.team_id, ids) if ids else {}
        self.cars = {run.car.id: run.car for run in runs if run.car is not None}
        self.missing: list[str] = []
        self.limits: dict[int, list[Limit]] = {}
        self.read: dict[tuple[int, str], Channel | None] = {}

    def answer(self, asked: str | None) -> schemas.WatchOut:
        roles = self._roles()
        chosen = self._chosen(asked, {row.role for row in roles})
        found = {run.id: self._excursions(run) for run in self.runs}
        told = [row for run in self.runs for row in self._told(run, found[run.id])]
        told.sort(key=lambda row: (-row.duration_s, row.from_s))
        sets = self.session.scalars(visible(FigureSet, self.viewer).order_by(FigureSet.name))
        return schemas.WatchOut(
            roles=roles,
            figures=[_figure(code) for code in chosen],
            runs=[self._run(run) for run in self.runs],
            laps=[lap for run in self.runs for lap in self._laps(run, chosen, found[run.id])],
            excursions=told[:MOST_EXCURSIONS],
            more_excursions=max(0, len(told) - MOST_EXCURSIONS),
            trends=trends(self.runs, self._of, roles, self.cars.values()),
            growths=growths(self.runs, self._of),
            cars=[car_out(car) for car in self.cars.values()],
            sets=[schemas.FigureSetOut(id=row.id, name=row.name, figures=row.figures) for row in sets],
            missing=list(dict.fromkeys(self.missing)),
        )

    def _of(self, run: Run) -> tuple[tuple[LapView, ...], dict[str, Array]]:
        return self.laps.get(run.analysis_id or 0, ()), self.figures.get(run.analysis_id or 0, {})

    def _roles(self) -> list[schemas.WatchRole]:
        there = {role for found in self.figures.values() for role in found}
        known = {**{code: (e.label, e.quantity, False) for code, e in CHANNELS.items()},
                 **{code: (e.label, e.quantity, True) for code, e in BY_LAP.items()}}  # fmt: skip
        return [
            schemas.WatchRole(role=role, label=label, quantity=quantity, driver=driver)
            for role, (label, quantity, driver) in known.items()
            if role in there
        ]

    def _chosen(self, asked: str | None, there: set[str]) -> list[str]:
        codes = [code for code in (asked or "").split(",") if code] if asked is not None else list(FIRST)
        good = [
            code for code in dict.fromkeys(codes)
            if code.count(":") == 1 and code.split(":")[0] in there and code.split(":")[1] in STATISTICS
        ]  # fmt: skip
        return good[: 24 if asked is not None else MOST_FIRST]

    def _run(self, run: Run) -> schemas.WatchRun:
        laps, found = self._of(run)
        best = next((lap for lap in laps if lap.number == run.best_number), None)
        return schemas.WatchRun(
            id=run.id,
            driver=show.driver(run.driver),
            car=run.car_id,
            day=run.event.day,
            event=run.event_id,
            started_at=run.started_at.isoformat() if run.started_at else None,
            best_lap=key_of(run, best) if best is not None else None,
            ambient_k=_mean(found.get(AMBIENT)),
        )

    def _laps(self, run: Run, chosen: Sequence[str], found: Sequence[tuple[Limit, list[Excursion]]]) -> list[Any]:
        laps, figures = self._of(run)
        columns = []
        for code in chosen:
            role, statistic = code.split(":")
            rows = figures.get(role)
            known = rows is not None and len(rows) == len(laps)
            columns.append(rows[:, STATISTICS.index(statistic)] if known and rows is not None else None)
        return [
            schemas.WatchLap(
                key=key_of(run, lap),
                run=run.id,
                number=lap.number,
                kind=lap.kind,
                set_aside=lap.set_aside,
                time_s=lap.time_s,
                since_s=lap.start_s,
                over_s=sum(over_limit_s(own, lap.start_s, lap.end_s) for _, own in found),
                values=[None if column is None else _number(column[row]) for column in columns],
            )
            for row, lap in enumerate(laps)
        ]

    def _excursions(self, run: Run) -> list[tuple[Limit, list[Excursion]]]:
        """What was beyond each limit of the run's car, in its logged samples."""
        if run.car is None:
            return []
        found = []
        for limit in self._limits(run.car):
            name = (run.id, run.reading, run.reader_version, limit)
            own = _kept.get(name, partial(self._look, run, limit))
            if own is None:
                label = CHANNELS[limit.role].label if limit.role in CHANNELS else limit.role
                self.missing.append(f"{run.driver.name}: {label} was not logged.")
                continue
            found.append((limit, own))
        return found

    def _limits(self, car: Car) -> list[Limit]:
        if car.id not in self.limits:
            self.limits[car.id] = [Limit(**limit.model_dump()) for limit in sheet_of(car).limits]
        return self.limits[car.id]

    def _look(self, run: Run, limit: Limit) -> list[Excursion] | None:
        """Excursions beyond a limit, from the logged samples; None where they are not there."""
        watched = self._channel(run, limit.role)
        if watched is None:
            return None
        when = self._channel(run, limit.when_role) if limit.when_role is not None else None
        return excursions(watched, limit, when, self._channel(run, "gear"))

    def _channel(self, run: Run, role: str) -> Channel | None:
        if (run.id, role) not in self.read:
            rows = mine(ChannelRow, run.team_id).where(ChannelRow.run_id == run.id, ChannelRow.role == role)
            row = self.session.scalar(rows.limit(1))
            try:
                self.read[run.id, role] = load_si(self.session, row) if row is not None else None
            except Unusable as error:
                self.missing.append(f"{run.driver.name}: {error}")
                self.read[run.id, role] = None
        return self.read[run.id, role]

    def _told(self, run: Run, found: Sequence[tuple[Limit, list[Excursion]]]) -> list[schemas.ExcursionOut]:
        if not any(own for _, own in found):
            return []
        places = self._places(run)
        return [self._excursion(run, limit, one_, places) for limit, own in found for one_ in own]

    def _places(self, run: Run) -> dict[int, tuple[Array, Array]]:
        """For each timed lap, when it was where: seconds from its beginning, and metres."""
        analysis = run.analysis
        assert analysis is not None
        rows = load_curves(self.session, run.team_id, [analysis.id], ["time"]).get((analysis.id, "time"))
        numbers = numbers_of(self.session, run.team_id, analysis.id)
        if rows is None or len(rows) != len(numbers):
            return {}
        layout = load_layout(self.session, analysis.layout_version_id, analysis.sector_set_id, curve_cache().layouts)
        places = reach(layout)
        if rows.shape[1] != len(places):
            return {}
        inside = (places >= 0.0) & (places <= layout.length)
        return {number: (row[inside], places[inside]) for number, row in zip(numbers, rows, strict=True)}

    def _excursion(
        self, run: Run, limit: Limit, own: Excursion, places: dict[int, tuple[Array, Array]]
    ) -> schemas.ExcursionOut:
        laps, _ = self._of(run)
        lap = next((item for item in laps if item.start_s <= own.extreme_s < item.end_s), None)
        course = places.get(lap.number) if lap is not None else None

        def at(moment: float) -> float | None:
            if course is None or lap is None:
                return None
            return round(float(np.interp(moment - lap.start_s, *course)), 1)

        entry = CHANNELS.get(limit.role)
        return schemas.ExcursionOut(
            run=run.id,
            lap=key_of(run, lap) if lap is not None else None,
            number=lap.number if lap is not None else None,
            limit=schemas.CarLimit(**asdict(limit)),
            label=entry.label if entry else limit.role,
            quantity=entry.quantity if entry else "plain",
            from_s=own.begin_s,
            duration_s=own.end_s - own.begin_s,
            extreme=own.extreme,
            from_m=at(own.begin_s),
            to_m=at(own.end_s),
            at_m=at(own.extreme_s),
            gear_before=own.gear_before,
            gear_after=own.gear_after,
        )


def _figure(code: str) -> schemas.WatchFigure:
    role, statistic = code.split(":")
    entry = BY_LAP.get(role) or CHANNELS[role]
    return schemas.WatchFigure(
        code=code,
        role=role,
        statistic=statistic,  # type: ignore[arg-type]
        label=entry.label,
        quantity=entry.quantity,
        driver=role in BY_LAP,
    )


def _mean(rows: Array | None) -> float | None:
    """Mean over laps of a channel's means."""
    return float(np.nanmean(rows[:, 2])) if rows is not None and np.isfinite(rows[:, 2]).any() else None


def _number(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


@blueprint.post("/figure-sets")
@only("change")
@blueprint.input(schemas.FigureSetIn)
@blueprint.output(schemas.FigureSetOut, status_code=201)
def keep_set(viewer: Viewer, json_data: schemas.FigureSetIn) -> schemas.FigureSetOut:
    """Keep a choice of figures under a name; one of that name is replaced."""
    with database().begin() as session:
        rows = session.scalars(visible(FigureSet, viewer).with_for_update()).all()
        row = next((own for own in rows if own.name.casefold() == json_data.name.casefold()), None)
        if row is None:
            if len(rows) >= MOST_SETS:
                raise Problem(409, "too-many", f"{MOST_SETS} sets of figures are enough; remove one first.")
            row = FigureSet(team_id=viewer.team_id, name=json_data.name, figures=[])
            session.add(row)
        row.figures = list(json_data.figures)
        session.flush()
        return schemas.FigureSetOut(id=row.id, name=row.name, figures=row.figures)


@blueprint.delete("/figure-sets/<int:figure_set_id>")
@only("change")
@blueprint.output({}, status_code=204)
def remove_set(viewer: Viewer, figure_set_id: int) -> str:
    """Remove a set of figures."""
    with database().begin() as session:
        session.delete(one(session, FigureSet, viewer, figure_set_id))
    return ""
