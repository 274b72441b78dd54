"""The line-up: laps of several runs on one layout, loaded for comparison."""

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session, selectinload

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.lap import LapTrace, reach
from lauftakt.core.registry import COMPUTED
from lauftakt.core.run import AnalysedRun, put_together
from lauftakt.core.technique.figures import Technique
from lauftakt.core.technique.signals import Scale, Signals, assemble
from lauftakt.core.technique.windows import windows
from lauftakt.store.database import NotFound, mine
from lauftakt.store.layouts import to_layout
from lauftakt.store.models import LapRow, Run
from lauftakt.store.runs import inner, load_curves, to_lap, trace_from

Array = NDArray[np.float64]


@dataclass(frozen=True)
class RunCurves:
    """The timed laps of a run on the grid, with its rows in the database (detached)."""

    run: Run
    numbers: list[int]
    curves: dict[str, Array]
    layout: Layout

    def trace(self, number: int) -> LapTrace | None:
        """The trace of a timed lap, None for other numbers."""
        if number not in self.numbers:
            return None
        row = self.numbers.index(number)
        draws = self.curves.get("time_draws")
        return trace_from(
            self.curves["time"][row],
            self.curves["offset"][row],
            None if draws is None else draws[row],
            self.layout,
        )

    def grid(self, number: int) -> dict[str, Array]:
        """Channels of a timed lap on the layout's grid by role, (g,) each."""
        row, part = self.numbers.index(number), inner(self.layout)
        return {role: rows[row, part] for role, rows in self.curves.items() if role not in ("time", "time_draws")}

    def signals(self) -> Signals:
        """What the driver did, from the rows that were loaded."""
        rows = {role: values for role, values in self.curves.items() if role not in ("time", "time_draws")}
        return assemble(tuple(self.numbers), reach(self.layout), self.curves["time"], rows, self.scale)

    def analysed(self) -> AnalysedRun:
        """The run as the core knows it, from what was loaded."""
        laps = [to_lap(row) for row in self.run.laps]
        traces = {number: trace for number in self.numbers if (trace := self.trace(number)) is not None}
        signals = self.signals()
        return put_together(
            laps,
            traces,
            signals,
            Technique(signals, windows(self.layout)),
            self.layout,
            scale=self.scale,
            speed_scale=self.run.speed_scale,
            delay_s=self.run.delay_s,
        )

    def lap(self, number: int) -> LapRow:
        return next(lap for lap in self.run.laps if lap.number == number)

    @property
    def scale(self) -> Scale:
        return Scale(**self.run.scale)


class CurveCache:
    """Unpacked curves of the runs used last; what a run's curves are never changes without its version."""

    def __init__(self, most: int = 60) -> None:
        self._most = most
        self._kept: OrderedDict[tuple[int, int, int, str], Array] = OrderedDict()
        self._analysed: OrderedDict[tuple[object, ...], AnalysedRun] = OrderedDict()
        self._lock = Lock()

    def analysed(self, entry: RunCurves) -> AnalysedRun:
        """The core's view of a run, with the figures that were asked for before."""
        run = entry.run
        aside = tuple((lap.number, lap.set_aside) for lap in run.laps)
        key = (run.id, run.code_version, run.layout_version, aside, tuple(sorted(entry.curves)))
        with self._lock:
            if key in self._analysed:
                self._analysed.move_to_end(key)
                return self._analysed[key]
        found = entry.analysed()
        with self._lock:
            self._analysed[key] = found
            while len(self._analysed) > self._most:
                self._analysed.popitem(last=False)
        return found

    def get(self, session: Session, team_id: int, runs: list[Run], roles: list[str]) -> dict[int, dict[str, Array]]:
        """Curves by run and role; asks the database only for what is not kept."""
        found: dict[int, dict[str, Array]] = {run.id: {} for run in runs}
        missing_runs, missing_roles = set(), set()
        with self._lock:
            for run in runs:
                for role in roles:
                    key = (run.id, run.code_version, run.layout_version, role)
                    if key in self._kept:
                        self._kept.move_to_end(key)
                        found[run.id][role] = self._kept[key]
                    else:
                        missing_runs.add(run.id)
                        missing_roles.add(role)
        if missing_runs:
            loaded = load_curves(session, team_id, sorted(missing_runs), sorted(missing_roles))
            by_id = {run.id: run for run in runs}
            with self._lock:
                for run_id in missing_runs:
                    run = by_id[run_id]
                    for role in missing_roles:
                        array = loaded.get((run_id, role), np.zeros((0, 0)))
                        self._kept[(run_id, run.code_version, run.layout_version, role)] = array
                        found[run_id][role] = array
                while len(self._kept) > self._most * 12:
                    self._kept.popitem(last=False)
        return {run_id: {role: a for role, a in roles_.items() if a.size} for run_id, roles_ in found.items()}


def load_lineup(
    session: Session, team_id: int, run_ids: list[int], roles: list[str], cache: CurveCache
) -> dict[int, RunCurves]:
    """Runs of a team with their curves, by id.

    Raises
    ------
    NotFound
        where a run does not exist in this team.
    ValueError
        where the runs are on different layouts: laps of different circuits cannot be compared.
    """
    runs = list(
        session.scalars(
            mine(Run, team_id)
            .where(Run.id.in_(run_ids))
            .options(selectinload(Run.laps), selectinload(Run.driver), selectinload(Run.car), selectinload(Run.layout))
        )
    )
    if {run.id for run in runs} != set(run_ids):
        raise NotFound("run")
    if len({run.layout_id for run in runs}) > 1:
        raise ValueError("These laps were driven on different layouts, so they cannot be compared.")
    layout = to_layout(runs[0].layout)
    curves = cache.get(session, team_id, runs, ["time", *COMPUTED, *roles])
    return {
        run.id: RunCurves(run, [lap.number for lap in run.laps if lap.time_s is not None], curves[run.id], layout)
        for run in runs
    }
