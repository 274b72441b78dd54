"""Cuts a placed run into laps where the smoothed path crosses the lines, and tells their kinds apart."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout, Line
from lauftakt.core.circuit.lines import line_ends
from lauftakt.core.laps.counting import aside_at_once, longest_pause_s, set_slow_aside, standing_s
from lauftakt.core.laps.lap import Lap, LapTrace, draw_places, inside, reach
from lauftakt.core.placing.placed import LONGEST_PAUSE_S, Placed

Array = NDArray[np.float64]
# Within so far of a line that lies askew, places are shifted; further round they stay what they are.
SKEW_REACH_M = 30.0
# A lap of which more was driven away from the circuit went through the pit lane or was cut short.
AWAY = 0.02
# A start line counts as crossed a little beyond its drawn ends, not in a pit lane beside it.
BESIDE_M = 3.0


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
    places, draws_s = reach(layout), draw_places(layout)
    inner = inside(layout)
    laps: list[Lap] = []
    traces: dict[int, LapTrace] = {}
    for position, cut in enumerate(cuts):
        kind = "part"
        if cut.end > cut.begin:
            kind = _kind(placed, cut, position == 0, position == len(cuts) - 1, pace)
        within = slice(*np.searchsorted(placed.time, [cut.begin, cut.end]))
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
                set_aside=aside_at_once(layout, offset, standing_s(placed.time[within], placed.speed[within])),
                time_s=float(cut.end - cut.begin),
                time_u_s=float(np.sqrt(np.mean(spread**2))) if spread.size else None,
            )
            since = when - cut.begin
            traces[cut.number] = LapTrace(since[inner], offset, places, since, draws_s, draws)
        laps.append(lap)
    return set_slow_aside(laps), traces


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
    if longest_pause_s(placed.time[max(begin - 1, 0) : stop + 1]) > LONGEST_PAUSE_S:
        return "part"
    return "part" if (~placed.on_circuit[begin:stop]).mean() > AWAY else "timed"


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
