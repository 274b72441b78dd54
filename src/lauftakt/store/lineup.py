"""The line-up: laps of several runs on one layout version, loaded for comparison, each from one analysis."""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.held import SaidOfTraffic, corrected
from lauftakt.core.laps.lap import Lap, LapTrace, inside, reach, widened, widened_draws
from lauftakt.core.log.model import Channel
from lauftakt.core.pipeline import with_held_up
from lauftakt.core.registry import COMPUTED
from lauftakt.core.run import AnalysedRun, put_together
from lauftakt.core.technique.along import derived_channel
from lauftakt.core.technique.figures import Technique
from lauftakt.core.technique.signals import Scale, Signals, assemble, sample
from lauftakt.core.technique.windows import windows
from lauftakt.store.analyses import AllFigures, LapView, load_curves, load_figures, load_laps, to_lap, trace_from
from lauftakt.store.database import NotFound, mine
from lauftakt.store.layouts import LayoutCache, load_layout
from lauftakt.store.models import Analysis, ChannelRow, Comparison, HeldWord, LapRow, LayoutVersion, Run
from lauftakt.store.runs import load_samples

Array = NDArray[np.float64]

# A channel without a role is asked for by its name with this sign before it.
NAMELESS = "~"
MOST_RUNS = 60
MOST_ROLES = 12


class Apart(Exception):
    """Laps that cannot be compared; says why in a sentence."""


@dataclass(frozen=True)
class Entry:
    """One run of a line-up: its rows (detached), and the curves of its timed laps, all of one analysis.

    A lap that is made of others is an entry of its own with one lap: ``made`` is what it is made of
    (:mod:`lauftakt.store.made_laps`), ``run`` and ``analysis`` those of the first of them, ``of_runs`` and
    ``of_drivers`` whose they are, and ``scale`` what its pedals are judged by.
    """

    run: Run
    analysis: Analysis
    laps: tuple[LapView, ...]
    curves: dict[str, Array]
    layout: Layout
    said: tuple[SaidOfTraffic, ...] = ()
    made: str | None = None
    of_runs: frozenset[int] = frozenset()
    of_drivers: frozenset[int] = frozenset()
    scale: Scale | None = None

    def name(self, number: int) -> str:
        """What a lap's curves are called for ever: an analysis and a number, or what it is made of."""
        return self.made or f"{self.analysis.id}.{number}"

    @property
    def identity(self) -> str:
        """What everything follows from that never changes."""
        return self.made or str(self.analysis.id)

    def same_run(self, other: "Entry") -> bool:
        """Whether laps of two entries share a run's errors."""
        return self.run.id == other.run.id and max(len(self.of_runs), len(other.of_runs)) < 2

    @property
    def numbers(self) -> list[int]:
        """Timed laps, in the order of the curves' rows."""
        return [lap.number for lap in self.laps if lap.time_s is not None]

    def lap(self, number: int) -> LapView:
        return next(lap for lap in self.laps if lap.number == number)

    def trace(self, number: int) -> LapTrace | None:
        """The trace of a timed lap, None for other numbers."""
        if number not in self.numbers:
            return None
        row = self.numbers.index(number)
        draws = self.curves.get("time_draws")
        # Where nobody knows the line across it is taken to be the layout's own, as when the run was placed.
        offset = np.nan_to_num(self.curves["offset"][row])
        return trace_from(self.curves["time"][row], offset, None if draws is None else draws[row], self.layout)

    def on_grid(self, number: int, role: str) -> Array | None:
        """A channel of a timed lap on the layout's grid, (g,); None where it was not logged."""
        rows = self.curves.get(role)
        return None if rows is None else rows[self.numbers.index(number), inside(self.layout)]

    @property
    def revision(self) -> tuple[tuple[float | str | None, ...], ...]:
        """Which laps count, and what was said of traffic: what everything depends on that is not of the analysis
        alone."""
        aside = tuple((lap.number, lap.set_aside) for lap in self.laps)
        return aside + tuple((word.from_s, word.to_s, word.held) for word in self.said)

    def signals(self) -> Signals:
        """What the driver did, from the rows that were loaded."""
        rows = {role: values for role, values in self.curves.items() if role not in ("time", "time_draws")}
        return assemble(tuple(self.numbers), reach(self.layout), self.curves["time"], rows, self._judged_by())

    def derived(self, roles: Sequence[str]) -> dict[str, Array]:
        """Channels that follow from what was logged (:mod:`lauftakt.core.technique.along`), of all timed laps on the
        layout's grid, (laps, g) by role; without those that say nothing of this run."""
        if not roles:
            return {}
        signals, part = self.signals(), inside(self.layout)
        rows = {role: derived_channel(signals, self._judged_by(), role) for role in roles}
        return {role: found[:, part] for role, found in rows.items() if found is not None}

    def _judged_by(self) -> Scale:
        return self.scale or Scale(**self.analysis.scale)

    def analysed(self, figures: AllFigures | None) -> AnalysedRun:
        """The run as the core knows it, with its held-up parts judged among the laps that count now."""
        traces = {number: trace for number in self.numbers if (trace := self.trace(number)) is not None}
        signals = self.signals()
        laps: Sequence[Lap] = with_held_up([to_lap(lap) for lap in self.laps], signals, self.layout)
        laps = corrected(laps, traces, self.said, self.layout.length)
        return put_together(
            laps,
            traces,
            signals,
            Technique(signals, windows(self.layout), figures),
            self.layout,
            scale=self._judged_by(),
            speed_scale=self.analysis.speed_scale,
            delay_s=self.analysis.delay_s,
        )


class CurveCache:
    """What was unpacked of the analyses used last. An analysis never changes, so its id is all a key needs."""

    def __init__(self, most: int = MOST_RUNS) -> None:
        self._most = most
        self._curves: OrderedDict[tuple[int, str], Array] = OrderedDict()
        self._analysed: OrderedDict[tuple[object, ...], AnalysedRun] = OrderedDict()
        self._laps: OrderedDict[int, tuple[LapView, ...]] = OrderedDict()
        self._lock = Lock()
        self.layouts = LayoutCache()
        self.comparisons: OrderedDict[str, Comparison] = OrderedDict()

    def analysed(self, session: Session, entry: Entry) -> AnalysedRun:
        """The core's view of a run, with the figures that were kept with its analysis."""
        key = (entry.identity, entry.revision, tuple(sorted(entry.curves)))
        with self._lock:
            if key in self._analysed:
                self._analysed.move_to_end(key)
                return self._analysed[key]
        figures = None if entry.made else load_figures(session, entry.run.team_id, entry.analysis.id)
        found = entry.analysed(figures)
        with self._lock:
            self._analysed[key] = found
            while len(self._analysed) > self._most:
                self._analysed.popitem(last=False)
        return found

    def comparison(self, key: str) -> Comparison | None:
        """A comparison that was read before (detached); none ever changes."""
        with self._lock:
            return self.comparisons.get(key)

    def keep_comparison(self, key: str, row: Comparison) -> None:
        with self._lock:
            self.comparisons[key] = row
            while len(self.comparisons) > self._most * 4:
                self.comparisons.popitem(last=False)

    def laps(self, session: Session, team_id: int, analysis_ids: Sequence[int]) -> dict[int, tuple[LapView, ...]]:
        """Laps of analyses, with what counts now; only that is asked for where the laps are kept."""
        with self._lock:
            kept = {analysis: self._laps[analysis] for analysis in analysis_ids if analysis in self._laps}
        missing = [analysis for analysis in analysis_ids if analysis not in kept]
        if missing:
            found = load_laps(session, team_id, missing)
            kept |= found
            with self._lock:
                self._laps |= found
                while len(self._laps) > self._most * 4:
                    self._laps.popitem(last=False)
        query = select(LapRow.analysis_id, LapRow.number, LapRow.set_aside).where(
            LapRow.team_id == team_id, LapRow.analysis_id.in_(analysis_ids), LapRow.set_aside.is_not(None)
        )
        aside = {(analysis, number): why for analysis, number, why in session.execute(query)}
        return {
            analysis: tuple(replace(lap, set_aside=aside.get((analysis, lap.number))) for lap in kept[analysis])
            for analysis in analysis_ids
        }

    def get(
        self, session: Session, team_id: int, analysis_ids: Sequence[int], roles: Sequence[str]
    ) -> dict[int, dict[str, Array]]:
        """Curves by analysis and role; asks the database only for what is not kept."""
        wanted = [(analysis, role) for analysis in analysis_ids for role in roles]
        with self._lock:
            found = {key: self._curves[key] for key in wanted if key in self._curves}
            for key in found:
                self._curves.move_to_end(key)
        missing = [key for key in wanted if key not in found]
        if missing:
            ids, names = sorted({analysis for analysis, _ in missing}), sorted({role for _, role in missing})
            loaded = load_curves(session, team_id, ids, names)
            with self._lock:
                for key in missing:
                    found[key] = self._curves[key] = loaded.get(key, np.zeros((0, 0)))
                while len(self._curves) > self._most * MOST_ROLES:
                    self._curves.popitem(last=False)
        return {
            analysis: {role: found[analysis, role] for role in roles if found[analysis, role].size}
            for analysis in analysis_ids
        }


def common_analyses(session: Session, runs: Sequence[Run], number: int | None = None) -> dict[int, Analysis]:
    """For each run the newest analysis on the newest layout version that all of them have, by run.

    While runs are computed anew on a changed layout, the old numbers of all are shown until the new ones are there.
    ``number`` asks for one version, as long as all runs are still known on it.

    Raises
    ------
    Apart
        where there is no such version.
    """
    if len({run.layout_id for run in runs}) > 1:
        raise Apart("These laps were driven on different layouts, so they cannot be compared.")
    asked = _version(session, runs[0], number)
    present = [run.analysis for run in runs]
    if (
        asked is None
        and all(row is not None for row in present)
        and len({row.layout_version_id for row in present if row}) == 1
    ):
        return {row.run_id: row for row in present if row is not None}
    rows = session.scalars(
        mine(Analysis, runs[0].team_id).where(Analysis.run_id.in_([run.id for run in runs])).order_by(Analysis.id)
    ).all()
    by_version: dict[int, dict[int, Analysis]] = {}
    for row in rows:
        by_version.setdefault(row.layout_version_id, {})[row.run_id] = row
    if asked is not None and len(by_version.get(asked, ())) == len(runs):
        return by_version[asked]
    whole = [version for version, found in by_version.items() if len(found) == len(runs)]
    if not whole:
        raise Apart("These laps are being computed anew on a changed layout; they can be compared in a moment.")
    return by_version[max(whole)]


def _version(session: Session, run: Run, number: int | None) -> int | None:
    """Id of a version of a run's layout, None where none is asked for, or where there is none."""
    if number is None:
        return None
    query = mine(LayoutVersion, run.team_id).where(
        LayoutVersion.layout_id == run.layout_id, LayoutVersion.number == number
    )
    return session.scalar(query.with_only_columns(LayoutVersion.id))


def load_entries(
    session: Session, runs: Sequence[Run], analyses: dict[int, Analysis], roles: Sequence[str], cache: CurveCache
) -> dict[int, Entry]:
    """Entries of a line-up by run, each from the analysis that is named for it, read in one transaction."""
    team_id = runs[0].team_id
    ids = [analyses[run.id].id for run in runs]
    laps = cache.laps(session, team_id, ids)
    logged = [role for role in roles if not role.startswith(NAMELESS)]
    curves = cache.get(session, team_id, ids, list(dict.fromkeys(["time", *COMPUTED, *logged])))
    first = analyses[runs[0].id]
    layout = load_layout(session, first.layout_version_id, first.sector_set_id, cache.layouts)
    found = {}
    said = said_of_traffic(session, team_id, [run.id for run in runs])
    for run in runs:
        analysis = analyses[run.id]
        # Of an analysis that is being replaced laps may have been kept with less around them.
        own = {role: _widened(role, rows, layout) for role, rows in curves[analysis.id].items()}
        for role in roles:
            if role.startswith(NAMELESS) and "time" in own:
                rows = nameless(session, run, laps[analysis.id], own["time"], role[len(NAMELESS) :])
                if rows is not None:
                    own[role] = rows
        found[run.id] = Entry(run, analysis, laps[analysis.id], own, layout, said[run.id])
    return found


def said_of_traffic(session: Session, team_id: int, run_ids: Sequence[int]) -> dict[int, tuple[SaidOfTraffic, ...]]:
    """What people said of traffic, by run, in the order in which it was said."""
    found: dict[int, list[SaidOfTraffic]] = {run_id: [] for run_id in run_ids}
    query = select(HeldWord.run_id, HeldWord.from_s, HeldWord.to_s, HeldWord.held).where(
        HeldWord.team_id == team_id, HeldWord.run_id.in_(run_ids)
    )
    for run_id, from_s, to_s, held in session.execute(query.order_by(HeldWord.id)):
        found[run_id].append(SaidOfTraffic(from_s, to_s, held))
    return {run_id: tuple(words) for run_id, words in found.items()}


def _widened(role: str, rows: Array, layout: Layout) -> Array:
    if role == "time_draws":
        return widened_draws(rows, layout)
    return widened(rows, layout, missing=role == "time")


def nameless(session: Session, run: Run, laps: Sequence[LapView], time: Array, name: str) -> Array | None:
    """A channel without a role along the timed laps, (laps, e), in the logger's unit; None where there is none."""
    row = session.scalar(
        mine(ChannelRow, run.team_id).where(
            ChannelRow.run_id == run.id, ChannelRow.name == name, ChannelRow.role.is_(None)
        )
    )
    if row is None:
        return None
    clock, values = load_samples(session, row)
    starts = np.array([lap.start_s for lap in laps if lap.time_s is not None])
    at = time + starts[:, None]
    return np.where(np.isfinite(at), sample(Channel(name, row.unit, None, clock, values), np.nan_to_num(at)), np.nan)


def nameless_names(session: Session, team_id: int, run_ids: Sequence[int]) -> dict[int, list[tuple[str, str]]]:
    """Name and unit of the channels without a role, by run."""
    found: dict[int, list[tuple[str, str]]] = {run_id: [] for run_id in run_ids}
    query = select(ChannelRow.run_id, ChannelRow.name, ChannelRow.unit).where(
        ChannelRow.team_id == team_id, ChannelRow.run_id.in_(run_ids), ChannelRow.role.is_(None)
    )
    for run_id, name, unit in session.execute(query.order_by(ChannelRow.id)):
        found[run_id].append((name, unit))
    return found


__all__ = ["Apart", "CurveCache", "Entry", "NotFound", "common_analyses", "load_entries", "nameless_names"]
