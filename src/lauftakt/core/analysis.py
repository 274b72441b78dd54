"""From logs to analysed runs: the one way through the core, for screens, shell and notebooks alike."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.laps import Lap, LapTrace, sector_times, split_laps
from lauftakt.core.layout import Layout, Line
from lauftakt.core.log import Log, Unusable, Warning
from lauftakt.core.making import draft_layout
from lauftakt.core.places import find_corners, find_passages, propose_splits
from lauftakt.core.placing import Placed, place_run
from lauftakt.core.signals import braking, on_grid
from lauftakt.core.technique import Scale, run_scale

Array = NDArray[np.float64]

CODE_VERSION = 1


@dataclass(frozen=True)
class AnalysedRun:
    """Everything computed from one run on one layout.

    Attributes
    ----------
    laps : all laps, in order
    traces : of the timed laps, by lap number
    grid : channels of the timed laps by role, (timed laps, g), rows in the order of ``traces``
    scale : what "some brake" and "full throttle" mean in this run
    speed_scale, delay_s : estimated factor of the logged speed; how much later positions are than speeds
    """

    laps: tuple[Lap, ...]
    traces: dict[int, LapTrace]
    grid: dict[str, Array]
    scale: Scale
    speed_scale: float
    delay_s: float
    warnings: tuple[Warning, ...]

    @property
    def counting(self) -> tuple[Lap, ...]:
        """Timed laps that are not set aside."""
        return tuple(lap for lap in self.laps if lap.time_s is not None and lap.set_aside is None)

    @property
    def best_lap(self) -> Lap | None:
        """The fastest lap that counts."""
        return min(self.counting, key=lambda lap: lap.time_s or 0.0, default=None)

    def theoretical_best_s(self) -> float | None:
        """Sum of the best sector times over the laps that count, seconds."""
        rows = [lap.sector_times_s for lap in self.counting if lap.sector_times_s]
        return float(np.min(rows, axis=0).sum()) if rows else None


def make_layout(log: Log, name: str, start: Line | None = None) -> tuple[Layout, tuple[Warning, ...]]:
    """A complete layout from one run of several laps.

    Parameters
    ----------
    log : with positions
    name : of the circuit
    start : its start line, where known

    Returns
    -------
    The layout with corners, passages and three proposed sectors, and what had to be assumed.

    Raises
    ------
    Unusable
        with a sentence that says why no layout can be made.
    """
    layout, warnings = draft_layout(log, name, start)
    layout = replace(layout, corners=find_corners(layout))
    placed = place_run(log, layout.plane, layout.centre)
    laps, traces = split_laps(placed, layout)
    counting = [lap.number for lap in laps if lap.set_aside is None and lap.number in traces]
    if not counting:
        raise Unusable("no-laps", "The log holds no whole lap from start line to start line.")
    grid = on_grid(log, placed, laps, {number: traces[number] for number in counting})
    times = np.array([traces[number].time for number in counting])
    passages = find_passages(layout, times, grid["speed"], grid.get("throttle"), braking(grid, times))
    layout = replace(layout, passages=passages)
    return replace(layout, splits_m=propose_splits(layout, times)), tuple(warnings)


def analyse_run(log: Log, layout: Layout) -> AnalysedRun:
    """Place a run on a layout, cut it into laps and bring its channels onto the common grid.

    Parameters
    ----------
    log : one run
    layout : complete, from :func:`make_layout` or a file

    Returns
    -------
    See :class:`AnalysedRun`.

    Raises
    ------
    Unusable
        ``no-positions`` or ``elsewhere``.
    """
    placed: Placed = place_run(log, layout.plane, layout.centre)
    laps, traces = split_laps(placed, layout)
    grid = layout.grid()
    timed = tuple(
        replace(lap, sector_times_s=sector_times(traces[lap.number], grid, layout.splits_m))
        if lap.number in traces
        else lap
        for lap in laps
    )
    channels = on_grid(log, placed, laps, traces)
    return AnalysedRun(
        laps=timed,
        traces=traces,
        grid=channels,
        scale=run_scale(channels) if channels else Scale(None, None),
        speed_scale=placed.scale,
        delay_s=placed.delay_s,
        warnings=log.warnings + placed.warnings,
    )
