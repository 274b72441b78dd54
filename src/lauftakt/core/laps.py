"""Laps: cut where the smoothed path crosses the lines, told apart by kind, set aside with a reason."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from lauftakt.core.layout import Layout, Line
from lauftakt.core.lines import line_ends
from lauftakt.core.placing import Placed

Array = NDArray[np.float64]

SLOW = 1.07
SKEW_REACH_M = 30.0
DRAW_STEP_M = 20.0
BESIDE_M = 3.0
BEYOND_LIMIT_M = 2.0
BEYOND_FOR_M = 10


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
    passage that begins before the line to after the last that ends behind it, and the lap's length."""
    before = after = 0.0
    if layout.centre.closed:
        for low, high in (passage_range(layout, index) for index in range(len(layout.passages))):
            before, after = min(before, low), max(after, high - layout.length)
    grid = layout.grid()
    head = np.arange(np.floor(before), 0.0)
    tail = layout.length + np.arange(1.0, np.ceil(after) + 1.0)
    return np.concatenate([head, grid, tail])


def passage_range(layout: Layout, index: int) -> tuple[float, float]:
    """From where to where a passage lies, in metres from the start line of the lap to which it belongs.

    A passage belongs to the lap in which its first apex lies; the beginning may be negative, the end beyond the length.
    """
    passage = layout.passages[index]
    if not layout.centre.closed:
        return passage.from_m, passage.to_m
    span = (passage.to_m - passage.from_m) % layout.length or layout.length
    first = next((c.apex_m for c in layout.corners if passage.corners and c.name == passage.corners[0]), passage.from_m)
    low = passage.from_m if passage.from_m <= first else passage.from_m - layout.length
    return low, low + span


def draw_places(layout: Layout) -> Array:
    """Places, in metres, at which draws of the error of a lap's time are kept: every 20 m of :func:`reach`, and where
    the lap begins and ends."""
    places = reach(layout)
    steps = np.arange(np.floor(places[0] / DRAW_STEP_M) * DRAW_STEP_M, places[-1] + DRAW_STEP_M, DRAW_STEP_M)
    return np.unique(np.append(np.clip(steps, places[0], places[-1]), [0.0, layout.length]))


@dataclass(frozen=True)
class _Cut:
    """A lap's beginning and end in time, and the unwrapped s of its start line; ``whole`` from line to line."""

    number: int
    begin: float
    end: float
    base: float
    whole: bool


def split_laps(placed: Placed, layout: Layout) -> tuple[list[Lap], dict[int, LapTrace]]:
    """Cut a placed run into laps.

    Parameters
    ----------
    placed : the run on the layout
    layout : with its lines

    Returns
    -------
    laps : all of them, in order, without sector times
    traces : of the timed ones, by number

    Notes
    -----
    A drawn line may be askew: within 30 m of it, s is shifted by offset times skew, so that the line is crossed
    exactly where it was drawn and places further round stay what they are. A start line that the path passes beyond its
    ends (in the pit lane) is not crossed.
    """
    s = _straightened(placed, layout)
    at_s, at_time = _rising(s, placed.time)
    cuts = _cuts_closed(placed, layout, s) if layout.centre.closed else _cuts_open(placed, layout, s)
    pace = _usual_pace(cuts, layout.length)
    grid, places, draws_s = layout.grid(), reach(layout), draw_places(layout)
    inner = slice(int(np.searchsorted(places, 0.0)), int(np.searchsorted(places, 0.0)) + len(grid))
    laps: list[Lap] = []
    traces: dict[int, LapTrace] = {}
    for position, cut in enumerate(cuts):
        kind = "part"
        if cut.end > cut.begin:
            kind = _kind(placed, cut, position == 0, position == len(cuts) - 1, pace)
        lap = Lap(cut.number, kind, None if kind == "timed" else kind, cut.begin, cut.end)
        if kind == "timed":
            when = np.interp(cut.base + places, at_s, at_time, left=np.nan, right=np.nan)
            when[inner.start], when[inner.stop - 1] = cut.begin, cut.end
            draws = _time_draws(placed, np.interp(cut.base + draws_s, at_s, at_time))
            zero, last = np.searchsorted(draws_s, [0.0, layout.length])
            spread = draws[last] - draws[zero]
            offset = np.interp(when[inner], placed.time, placed.n)
            lap = replace(
                lap,
                set_aside="track_limits" if _beyond_limits(layout, offset) else None,
                time_s=float(cut.end - cut.begin),
                time_u_s=float(np.sqrt(np.mean(spread**2))) if spread.size else None,
            )
            since = when - cut.begin
            traces[cut.number] = LapTrace(since[inner], offset, places, since, draws_s, draws)
        laps.append(lap)
    return _set_slow_aside(laps), traces


def _straightened(placed: Placed, layout: Layout) -> Array:
    """Unwrapped s, shifted near lines that lie askew, never falling."""
    period = layout.centre.period
    s = placed.s
    for place, skew in ((0.0, layout.skew), (layout.length, layout.finish_skew)):
        if skew:
            past = (placed.s - place + period / 2) % period - period / 2
            s = s + skew * placed.n * np.clip(1.0 - np.abs(past) / SKEW_REACH_M, 0.0, 1.0)
    return np.maximum.accumulate(s)


def _line_reach(layout: Layout, line: Line, at: float) -> tuple[float, float]:
    """Lowest and highest offset at which a line counts as crossed."""
    x, y, heading = layout.centre.at(np.array([at]))
    ends = [
        -np.sin(heading[0]) * (end[0] - x[0]) + np.cos(heading[0]) * (end[1] - y[0])
        for end in line_ends(layout.plane, line)
    ]
    return float(min(ends)) - BESIDE_M, float(max(ends)) + BESIDE_M


def _crossed(placed: Placed, s: Array, line: float, limits: tuple[float, float]) -> float | None:
    """When unwrapped s reaches a line between its ends, None where it does not, or where the car was away."""
    index = int(np.searchsorted(s, line))
    if index == 0 or index == len(s) or not placed.on_circuit[index]:
        return None
    share = (line - s[index - 1]) / (s[index] - s[index - 1])
    n = placed.n[index - 1] + share * (placed.n[index] - placed.n[index - 1])
    if not limits[0] <= n <= limits[1]:
        return None
    return float(placed.time[index - 1] + share * (placed.time[index] - placed.time[index - 1]))


def _cuts_closed(placed: Placed, layout: Layout, s: Array) -> list[_Cut]:
    length = layout.length
    limits = _line_reach(layout, layout.start, 0.0)
    cuts: list[_Cut] = []
    number, begin, base = 0, float(placed.time[0]), float("nan")
    for turn in range(int(np.floor(s[0] / length)) + 1, int(np.floor(s[-1] / length)) + 1):
        when = _crossed(placed, s, turn * length, limits)
        if when is None:
            continue
        whole = bool(number and abs(turn * length - base - length) < 0.5 * length)
        cuts.append(_Cut(number, begin, when, base, whole))
        number, begin, base = number + 1, when, turn * length
    cuts.append(_Cut(number, begin, float(placed.time[-1]), base, False))
    return cuts


def _cuts_open(placed: Placed, layout: Layout, s: Array) -> list[_Cut]:
    period = layout.centre.period
    start = _line_reach(layout, layout.start, 0.0)
    finish = start if layout.finish is None else _line_reach(layout, layout.finish, layout.length)
    starts = []
    for turn in range(int(np.floor(s[0] / period)), int(np.floor(s[-1] / period)) + 2):
        when = _crossed(placed, s, turn * period, start)
        if when is not None:
            starts.append((turn, when))
    first = starts[0][1] if starts else float(placed.time[-1])
    cuts = [_Cut(0, float(placed.time[0]), first, float("nan"), False)]
    for number, (turn, begin) in enumerate(starts, start=1):
        end = _crossed(placed, s, turn * period + layout.length, finish)
        until = starts[number][1] if number < len(starts) else float(placed.time[-1])
        cuts.append(_Cut(number, begin, until if end is None else end, turn * period, end is not None))
    return cuts


def _rising(s: Array, time: Array) -> tuple[Array, Array]:
    """The samples at which s rises, so that time can be looked up by s."""
    keep = np.concatenate([[True], np.diff(s) > 1e-9])
    return s[keep], time[keep]


def _usual_pace(cuts: list[_Cut], length: float) -> float:
    """Mean speed of the fastest lap from line to line, m/s; 0 where there is none."""
    return max((length / (cut.end - cut.begin) for cut in cuts if cut.whole), default=0.0)


def _kind(placed: Placed, cut: _Cut, first: bool, last: bool, pace: float) -> str:
    begin, stop = np.searchsorted(placed.time, [cut.begin, cut.end])
    speed = placed.speed[begin:stop]
    if len(speed) < 3:
        return "part"
    usual = float(np.median(np.diff(placed.time[begin:stop])))
    ends = max(1, round(1.0 / max(usual, 1e-3)))
    slow = max(0.5 * pace if pace else 3.0, 3.0)
    if first:
        return "out" if np.median(speed[:ends]) < slow else "part"
    if not cut.whole:
        return "in" if last and np.median(speed[-ends:]) < slow else "part"
    if (~placed.on_circuit[begin:stop]).mean() > 0.02:
        return "part"
    halt = uniform_filter1d((speed < 1.5).astype(float), 3 * ends) > 0.95
    if halt.any():
        return "out" if np.flatnonzero(halt)[0] < len(speed) / 2 else "in"
    return "timed"


def _beyond_limits(layout: Layout, offset: Array) -> bool:
    """Whether the car was clearly beyond a known limit for 10 m."""
    beyond = np.zeros(len(offset), dtype=bool)
    if layout.left_limit is not None:
        beyond |= offset > layout.left_limit + BEYOND_LIMIT_M
    if layout.right_limit is not None:
        beyond |= offset < layout.right_limit - BEYOND_LIMIT_M
    return bool((uniform_filter1d(beyond.astype(float), BEYOND_FOR_M) > 0.95).any())


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
