"""Times of parts of a lap: sectors, passages, any two places."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.laps.lap import LapTrace

Array = NDArray[np.float64]


def sector_times(trace: LapTrace, layout: Layout) -> tuple[float, ...]:
    """Seconds in each sector of a timed lap; they add up to the lap time exactly. A split drawn askew is crossed where
    it was drawn."""
    grid = layout.grid()
    edges = [0.0]
    skews = layout.split_skews or (0.0,) * len(layout.splits_m)
    for split, skew in zip(layout.splits_m, skews, strict=True):
        place = split - skew * float(np.interp(split, grid, trace.offset))
        edges.append(float(np.interp(place, grid, trace.time)))
    edges.append(float(trace.time[-1]))
    return tuple(float(t) for t in np.diff(edges))


def draws_at(trace: LapTrace, places: Array) -> Array:
    """Draws of the error of the lap's time at places, (p, m) seconds."""
    if not trace.draws.shape[1]:
        return np.zeros((len(places), 0))
    right = np.clip(np.searchsorted(trace.draws_s, places), 1, len(trace.draws_s) - 1)
    share = (places - trace.draws_s[right - 1]) / (trace.draws_s[right] - trace.draws_s[right - 1])
    share = np.clip(share, 0.0, 1.0)[:, None]
    return np.asarray((1 - share) * trace.draws[right - 1] + share * trace.draws[right])


def inner_length(trace: LapTrace) -> float:
    """Metres from line to line of a trace's lap."""
    zero = int(np.searchsorted(trace.reach_s, 0.0))
    return float(trace.reach_s[zero + len(trace.time) - 1])


def time_at(trace: LapTrace, places: Array) -> Array:
    """Seconds from the crossing of the line at places (p,), also outside the lap; NaN where nothing was driven."""
    return np.interp(places, trace.reach_s, trace.reach_time, left=np.nan, right=np.nan)


def passage_times(trace: LapTrace, layout: Layout) -> Array:
    """Seconds in each passage that belongs to a lap, (passages,); NaN where it was not driven to its end."""
    ends = np.array([passage_range(layout, index) for index in range(len(layout.passages))])
    return np.asarray(time_at(trace, ends[:, 1]) - time_at(trace, ends[:, 0]))


def passage_draws(trace: LapTrace, layout: Layout) -> Array:
    """Draws of the error of :func:`passage_times`, (passages, m) seconds."""
    ends = np.array([passage_range(layout, index) for index in range(len(layout.passages))])
    return draws_at(trace, ends[:, 1]) - draws_at(trace, ends[:, 0])
