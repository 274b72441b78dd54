"""What a lap is, and its course along the layout's grid."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import interp1d

from lauftakt.core.arrays import remembered
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.placing.placed import DRAWS

Array = NDArray[np.float64]
# The error of time changes over tens of metres: finer draws say the same.
DRAW_STEP_M = 20.0
# A start line that turns out to lie elsewhere is seldom further off: what it does can be told from what is kept.
LEAST_REACH_M = 150.0


@dataclass(frozen=True)
class Lap:
    """One lap of a run.

    Attributes
    ----------
    number : start-line crossings before it
    kind : ``out``, ``timed``, ``in`` or ``part``
    set_aside : why it does not count, or None
    start_s, end_s : s from the log's first sample
    time_s, time_u_s : lap time and its standard deviation; None unless timed
    sector_times_s : s, one a sector; empty unless timed
    held_up : stretches (from, to) in metres where another car was probably in the way
    """

    number: int
    kind: str
    set_aside: str | None
    start_s: float
    end_s: float
    time_s: float | None = None
    time_u_s: float | None = None
    sector_times_s: tuple[float, ...] = ()
    held_up: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class LapTrace:
    """A timed lap on the layout's grid, and what was driven just before and after it.

    Attributes
    ----------
    time : (g,) s from the crossing of the line, at the layout's grid; the last is the lap time
    offset : (g,) m, left positive
    reach_s : (e,) m from the start line, a metre apart, from before the lap to after it (:func:`reach`)
    reach_time : (e,) s from the crossing of the line, NaN where nothing was driven
    draws_s : (d,) m, where ``draws`` are given, over the same range as ``reach_s``
    draws : (d, m) s, draws of the error of time; the draws of all laps of a run belong together
    """

    time: Array
    offset: Array
    reach_s: Array
    reach_time: Array
    draws_s: Array
    draws: Array


def reach(layout: Layout) -> Array:
    """Places, in metres from the start line, at which a lap's surroundings are kept: whole metres from before the first
    passage that begins before the line to after the last that ends behind it, 150 m at least, and the lap's length."""
    return remembered(layout, "_reach", lambda: _reach(layout))


def _reach(layout: Layout, least: float = LEAST_REACH_M) -> Array:
    most = min(least, layout.length / 4)
    before, after = -most, most
    if not layout.centre.closed:
        before = -min(most, -float(layout.centre.s[0]))
        after = min(most, float(layout.centre.s[-1]) - layout.length)
    else:
        for low, high in (passage_range(layout, index) for index in range(len(layout.passages))):
            before, after = min(before, low), max(after, high - layout.length)
    grid = layout.grid()
    head = np.arange(np.floor(before), 0.0)
    tail = layout.length + np.arange(1.0, np.ceil(after) + 1.0)
    return np.concatenate([head, grid, tail])


def widened(rows: Array, layout: Layout, *, missing: bool = False) -> Array:
    """Rows that were kept when a lap's surroundings began at the first passage, brought onto :func:`reach`.

    Parameters
    ----------
    rows : (laps, e'), as wide as they were kept
    layout : they lie on
    missing : whether nothing is known beyond (NaN), or the last value holds

    Returns
    -------
    (laps, e); the rows themselves where they are as wide.
    """
    places = reach(layout)
    if rows.shape[1] == len(places):
        return rows
    own = _reach(layout, 0.0)
    if rows.shape[1] != len(own):
        raise ValueError(f"{rows.shape[1]} values lie on no reach of this layout.")
    index = np.searchsorted(own, places)
    known = (places >= own[0]) & (places <= own[-1])
    found = rows[:, np.clip(index, 0, len(own) - 1)]
    return np.where(known, found, np.nan) if missing else found


def widened_draws(rows: Array, layout: Layout) -> Array:
    """The same for draws of the error of time, (laps, d' m), brought onto :func:`draw_places`; the last one holds."""
    places, own = draw_places(layout), _draw_places(layout, 0.0)
    if rows.shape[1] != len(own) * DRAWS or len(own) == len(places):
        return rows
    draws = rows.reshape(len(rows), len(own), DRAWS)
    ends = draws[:, 0], draws[:, -1]
    found = interp1d(own, draws, axis=1, bounds_error=False, fill_value=ends, assume_sorted=True)(places)
    return np.asarray(found).reshape(len(rows), -1)


def inside(layout: Layout) -> slice:
    """Where a lap itself lies in rows that reach beyond it (:func:`reach`): from line to line, on the layout's grid."""
    first = int(np.searchsorted(reach(layout), 0.0))
    return slice(first, first + len(layout.grid()))


def draw_places(layout: Layout) -> Array:
    """Places, in metres, at which draws of the error of a lap's time are kept: every 20 m of :func:`reach`, and where
    the lap begins and ends."""
    return remembered(layout, "_draw_places", lambda: _draw_places(layout))


def _draw_places(layout: Layout, least: float = LEAST_REACH_M) -> Array:
    places = _reach(layout, least)
    steps = np.arange(np.floor(places[0] / DRAW_STEP_M) * DRAW_STEP_M, places[-1] + DRAW_STEP_M, DRAW_STEP_M)
    return np.unique(np.append(np.clip(steps, places[0], places[-1]), [0.0, layout.length]))
