"""Laps: cut where the smoothed path crosses the start line, told apart by kind, set aside with a reason."""

import itertools
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from lauftakt.core.layout import Layout
from lauftakt.core.placing import Placed

Array = NDArray[np.float64]

SLOW = 1.07
SKEW_REACH_M = 30.0
DRAW_STEP_M = 20.0


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
    """

    number: int
    kind: str
    set_aside: str | None
    start_s: float
    end_s: float
    time_s: float | None = None
    time_u_s: float | None = None
    sector_times_s: tuple[float, ...] = ()


@dataclass(frozen=True)
class LapTrace:
    """A timed lap on the layout's grid.

    Attributes
    ----------
    time : (g,) s from the crossing of the line, at the layout's grid; the last is the lap time
    offset : (g,) m, left positive
    draws_s : (d,) m, where ``draws`` are given
    draws : (d, m) s, draws of the error of ``time``; the draws of all laps of a run belong together
    """

    time: Array
    offset: Array
    draws_s: Array
    draws: Array


def draw_places(length: float) -> Array:
    """Places, in metres, at which draws of the error of a lap's time are kept: every 20 m, and the lap's end."""
    return np.append(np.arange(0.0, length - DRAW_STEP_M / 2, DRAW_STEP_M), length)


def split_laps(placed: Placed, layout: Layout) -> tuple[list[Lap], dict[int, LapTrace]]:
    """Cut a placed run into laps.

    Parameters
    ----------
    placed : the run on the layout
    layout : with its start line

    Returns
    -------
    laps : all of them, in order, without sector times
    traces : of the timed ones, by number

    Notes
    -----
    The drawn line may be askew: within 30 m of it, s is shifted by offset times skew, so that the line is crossed
    exactly where it was drawn and places further round stay what they are.
    """
    length = layout.length
    s = placed.s
    if layout.skew:
        past = (s + length / 2) % length - length / 2
        near = np.clip(1.0 - np.abs(past) / SKEW_REACH_M, 0.0, 1.0)
        s = np.maximum.accumulate(s + layout.skew * placed.n * near)
    time = placed.time
    lines = np.arange(np.floor(s[0] / length) + 1, np.floor(s[-1] / length) + 1) * length
    crossings = np.interp(lines, *_rising(s, time)) if len(lines) else np.zeros(0)
    edges = np.concatenate([[time[0]], crossings, [time[-1]]])
    laps: list[Lap] = []
    traces: dict[int, LapTrace] = {}
    grid = layout.grid()
    at_s, at_time = _rising(s, time)
    draws_s = draw_places(length)
    pace = _usual_pace(crossings, length)
    for number, (begin, end) in enumerate(itertools.pairwise(edges)):
        whole = 0 < number < len(edges) - 2
        kind = _kind(placed, begin, end, number, len(edges) - 2, pace) if end > begin else "part"
        lap = Lap(number, kind, None if kind == "timed" else kind, float(begin), float(end))
        if whole and kind == "timed":
            base = lines[number - 1]
            when = np.interp(base + grid, at_s, at_time)
            when[0], when[-1] = begin, end
            offset = np.interp(when, time, placed.n)
            at = np.interp(base + draws_s, at_s, at_time)
            draws = _time_draws(placed, at)
            lap_time = float(end - begin)
            spread = draws[-1] - draws[0]
            lap = replace(lap, time_s=lap_time, time_u_s=float(np.sqrt(np.mean(spread**2))) if spread.size else None)
            traces[number] = LapTrace(when - begin, offset, draws_s, draws)
        laps.append(lap)
    return _set_slow_aside(laps), traces


def _rising(s: Array, time: Array) -> tuple[Array, Array]:
    """The samples at which s rises, so that time can be looked up by s."""
    keep = np.concatenate([[True], np.diff(s) > 1e-9])
    return s[keep], time[keep]


def _usual_pace(crossings: Array, length: float) -> float:
    """Mean speed of the fastest lap from line to line, m/s; 0 where there is none."""
    if len(crossings) < 2:
        return 0.0
    return float(length / np.min(np.diff(crossings)))


def _kind(placed: Placed, begin: float, end: float, number: int, last: int, pace: float) -> str:
    first, stop = np.searchsorted(placed.time, [begin, end])
    speed = placed.speed[first:stop]
    if len(speed) < 3:
        return "part"
    steps = np.diff(placed.time[first:stop])
    usual = float(np.median(steps))
    ends = max(1, round(1.0 / max(usual, 1e-3)))
    slow = 0.5 * pace if pace else 3.0
    if number == 0:
        return "out" if np.median(speed[:ends]) < max(slow, 3.0) else "part"
    if number == last:
        return "in" if np.median(speed[-ends:]) < max(slow, 3.0) else "part"
    if (~placed.on_circuit[first:stop]).mean() > 0.02:
        return "part"
    halt = uniform_filter1d((speed < 1.5).astype(float), 3 * ends) > 0.95
    if halt.any():
        return "out" if np.flatnonzero(halt)[0] < len(speed) / 2 else "in"
    return "timed"


def _time_draws(placed: Placed, at: Array) -> Array:
    """Draws of the error of the time at which the places reached at times ``at`` were reached, (len(at), draws)."""
    draws = placed.node_draws
    if not draws.shape[1]:
        return np.zeros((len(at), 0))
    right = np.clip(np.searchsorted(placed.node_time, at), 1, len(placed.node_time) - 1)
    left = right - 1
    share = (at - placed.node_time[left]) / (placed.node_time[right] - placed.node_time[left])
    error = (1 - share)[:, None] * draws[left] + share[:, None] * draws[right]
    step = 0.25
    pace = (np.interp(at + step, placed.time, placed.s) - np.interp(at - step, placed.time, placed.s)) / (2 * step)
    return np.asarray(-error / np.maximum(pace, 2.0)[:, None])


def _set_slow_aside(laps: list[Lap]) -> list[Lap]:
    times = [lap.time_s for lap in laps if lap.time_s is not None and lap.set_aside is None]
    if not times:
        return laps
    limit = SLOW * min(times)
    return [
        replace(lap, set_aside="slow")
        if lap.time_s is not None and lap.set_aside is None and lap.time_s > limit
        else lap
        for lap in laps
    ]


def sector_times(trace: LapTrace, grid: Array, splits_m: tuple[float, ...]) -> tuple[float, ...]:
    """Seconds in each sector of a timed lap; they add up to the lap time exactly.

    Parameters
    ----------
    trace : the lap
    grid : (g,) m, the layout's grid
    splits_m : places where sectors meet, rising, without 0 and the length
    """
    edges = np.interp([0.0, *splits_m, grid[-1]], grid, trace.time)
    return tuple(float(t) for t in np.diff(edges))
