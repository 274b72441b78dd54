"""Watching the car: where a channel was over its limit, and what creeps up or down before it is."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray

from lauftakt.core.arrays import spans
from lauftakt.core.log.model import Channel

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]
Verdict = Literal["grows", "falls", "level", "unclear"]
# Two times over a limit that are nearer together are one.
JOIN_S = 0.5
# Before and after an event the gear is looked at so far away: during a shift it tells nothing.
GEAR_S = 0.3
# Fewer points show no trend.
LEAST_POINTS = 5
# Fewer laps show no growth.
LEAST_LAPS = 6
# A trend over a run is told where it moves the figure by more than its own scatter times this.
BEYOND_SCATTER = 2.0


@dataclass(frozen=True)
class Limit:
    """What a channel must not be.

    Attributes
    ----------
    role : of the channel
    over : whether it must not be over the value, or under it
    value : SI
    least_s : shorter excursions are none
    when_role, when_over : the limit holds only while that channel is over that value (oil pressure at engine speed)
    """

    role: str
    over: bool
    value: float
    least_s: float = 0.0
    when_role: str | None = None
    when_over: float = 0.0


@dataclass(frozen=True)
class Excursion:
    """A time beyond a limit, seconds in the log; ``extreme`` is the value furthest beyond, at ``extreme_s``."""

    begin_s: float
    end_s: float
    extreme: float
    extreme_s: float
    gear_before: int | None = None
    gear_after: int | None = None


@dataclass(frozen=True)
class Growth:
    """How what a driver does changed from the first lap to the last of ``laps``, with its 95 % interval; ``verdict`` is
    ``grows``, ``falls``, ``level`` or ``unclear``."""

    by: float
    low: float
    high: float
    laps: int
    verdict: Verdict


@dataclass(frozen=True)
class Trend:
    """How a figure creeps: SI per second with its 95 % interval; ``left_s`` until the limit, None where none is near.

    ``clear`` where the interval leaves out 0 and the change over all points is more than their scatter.
    """

    per_s: float
    low: float
    high: float
    clear: bool
    left_s: float | None


def excursions(channel: Channel, limit: Limit, when: Channel | None, gear: Channel | None) -> list[Excursion]:
    """Where a channel was beyond its limit, in the samples as they were logged.

    Parameters
    ----------
    channel : SI
    limit : of it
    when : the channel of ``limit.when_role``; without it a limit that needs one finds nothing
    gear : to tell the gear before and after; None where none was logged

    Returns
    -------
    In the order of time; excursions within half a second are one. Beginning and end are where the straight line between
    two samples meets the limit.
    """
    value = channel.values if limit.over else -channel.values
    bound = limit.value if limit.over else -limit.value
    beyond = value > bound
    if limit.when_role is not None:
        if when is None:
            return []
        beyond &= np.interp(channel.time, when.time, when.values) > limit.when_over
    joined: list[list[int]] = []
    for first, last in spans(beyond):
        if joined and channel.time[first] - channel.time[joined[-1][1] - 1] < JOIN_S:
            joined[-1][1] = last
        else:
            joined.append([first, last])
    found = []
    for first, last in joined:
        begin, end = _meets(channel.time, value, bound, first, -1), _meets(channel.time, value, bound, last - 1, 1)
        if end - begin < limit.least_s:
            continue
        peak = first + int(np.argmax(value[first:last]))
        found.append(
            Excursion(
                begin,
                end,
                float(channel.values[peak]),
                float(channel.time[peak]),
                _gear(gear, begin - GEAR_S),
                _gear(gear, end + GEAR_S),
            )
        )
    return found


def _meets(time: Array, value: Array, bound: float, index: int, step: int) -> float:
    """When the line from a sample beyond the limit to its neighbour on this side meets it."""
    other = index + step
    if not 0 <= other < len(time) or value[other] > bound:
        return float(time[index])
    share = (value[index] - bound) / (value[index] - value[other])
    return float(time[index] + share * (time[other] - time[index]))


def _gear(gear: Channel | None, at: float) -> int | None:
    if gear is None or not len(gear.time) or not gear.time[0] <= at <= gear.time[-1]:
        return None
    return round(float(gear.values[max(int(np.searchsorted(gear.time, at, side="right")) - 1, 0)]))


def trend(moments: Array, values: Array, limit: Limit | None = None) -> Trend | None:
    """How a figure creeps over laps of a run, or over runs of a day.

    Parameters
    ----------
    moments : (n,) s, rising
    values : (n,) SI, one for each lap or run; NaN is left out
    limit : which it may come near to

    Returns
    -------
    None for fewer than five values.

    Notes
    -----
    Median of all pairwise slopes with its interval (Theil 1950, Sen 1968): a lap behind a slow car does not bend it.
    Warming up is no trend: where the change slows down, so that the later half of the laps is level, nothing is clear.
    """
    known = np.isfinite(values) & np.isfinite(moments)
    at, own = moments[known], values[known]
    if len(own) < LEAST_POINTS or float(np.ptp(at)) <= 0.0:
        return None
    slope, meets, low, high = (float(v) for v in scipy.stats.theilslopes(own, at, alpha=0.95))
    rest = own - (meets + slope * at)
    scatter = 1.4826 * float(np.median(np.abs(rest - np.median(rest))))
    moved = abs(slope) * float(np.ptp(at))
    clear = not low <= 0.0 <= high and moved > BEYOND_SCATTER * scatter and _goes_on(at, own, slope)
    left = None
    if clear and limit is not None and (slope > 0) == limit.over:
        ahead = limit.value - float(np.median(own[-3:]))
        if ahead * slope > 0:
            left = ahead / slope
    return Trend(slope, low, high, clear, left)


def _goes_on(at: Array, own: Array, slope: float) -> bool:
    """Whether the later half still moves the same way, by a third of the whole pace or more."""
    half = len(own) // 2
    if len(own) - half < 3:
        return True
    later = float(scipy.stats.theilslopes(own[half:], at[half:])[0])
    return later * slope > 0 and abs(later) > abs(slope) / 3


def growth(values: Array, least: float) -> Growth | None:
    """Whether what a driver does grows from lap to lap.

    Parameters
    ----------
    values : (n,) one for each lap that counts, in the order in which they were driven; NaN is left out
    least : a change from the first lap to the last that is worth a word

    Returns
    -------
    None for fewer than six laps. ``level`` where the interval leaves no room for a change worth a word; ``unclear``
    where it does, either way.

    Notes
    -----
    Theil 1950, Sen 1968, over the laps' order; a driver who learns quickly first and slowly then has grown as well.
    """
    own = values[np.isfinite(values)]
    if len(own) < LEAST_LAPS:
        return None
    steps = len(own) - 1
    slope, _, least_slope, most_slope = scipy.stats.theilslopes(own, np.arange(len(own)), alpha=0.95)
    by, low, high = (float(own_slope) * steps for own_slope in (slope, least_slope, most_slope))
    verdict: Verdict = "unclear"
    if low > 0.0 and by > least:
        verdict = "grows"
    elif high < 0.0 and by < -least:
        verdict = "falls"
    elif -least < low and high < least:
        verdict = "level"
    return Growth(by, low, high, len(own), verdict)


def over_limit_s(found: Sequence[Excursion], begin_s: float, end_s: float) -> float:
    """Seconds beyond a limit within a part of the log."""
    return float(sum(max(0.0, min(one.end_s, end_s) - max(one.begin_s, begin_s)) for one in found))
