"""The composite lap: a driver's best sectors joined into one."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.run import AnalysedRun

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Composite:
    """Best sectors joined.

    Attributes
    ----------
    time : (g,) s from the line, on the layout's grid; the last is the theoretical best
    laps : the lap from which each sector comes
    """

    time: Array
    laps: tuple[int, ...]


def composite_lap(run: AnalysedRun, layout: Layout) -> Composite | None:
    """A run's best sectors joined into one lap; None where no lap counts.

    Parameters
    ----------
    run : analysed on the layout
    layout : with its splits
    """
    counting = [lap for lap in run.counting if lap.sector_times_s]
    if not counting:
        return None
    times = np.array([lap.sector_times_s for lap in counting])
    best = np.argmin(times, axis=0)
    grid = layout.grid()
    edges = np.array([0.0, *layout.splits_m, grid[-1]])
    joined = np.zeros(len(grid))
    done = 0.0
    for sector, row in enumerate(best):
        trace = run.traces[counting[row].number]
        inside = (grid >= edges[sector]) & (grid <= edges[sector + 1])
        begin, end = np.interp(edges[sector : sector + 2], grid, trace.time)
        # A split drawn askew is crossed a little before or after its place: the sector keeps its own time.
        scale = times[row, sector] / (end - begin)
        joined[inside] = done + scale * (trace.time[inside] - begin)
        done += float(times[row, sector])
    return Composite(joined, tuple(counting[row].number for row in best))
