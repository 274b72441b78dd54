"""Comparison of laps with a reference: time delta, loss rate, loss by stretch, each with its uncertainty."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import savgol_filter

from lauftakt.core.laps import LapTrace, passage_range
from lauftakt.core.layout import Layout

Array = NDArray[np.float64]

RATE_WINDOW_M = 21


@dataclass(frozen=True)
class Loss:
    """Time lost in one part of the circuit: seconds, and one standard deviation; ``whole`` False where only the part
    inside the lap could be compared because nothing was logged beyond the line."""

    loss_s: float
    loss_u_s: float
    whole: bool = True


def time_delta(lap: LapTrace, reference: LapTrace) -> Array:
    """Time of a lap minus time of the reference at the same s, (g,) seconds; positive = slower."""
    return lap.time - reference.time


def loss_rate(delta: Array) -> Array:
    """Slope of the delta in seconds per metre, smoothed over about 20 m, on a 1 m grid.

    Local quadratic fits: Savitzky and Golay, Analytical Chemistry 36, 1964.

    Parameters
    ----------
    delta : (g,) s
    """
    if len(delta) <= RATE_WINDOW_M:
        return np.gradient(delta)
    return np.asarray(savgol_filter(delta, RATE_WINDOW_M, 2, deriv=1))


def draws_at(trace: LapTrace, places: Array) -> Array:
    """Draws of the error of the lap's time at places, (p, m) seconds."""
    if not trace.draws.shape[1]:
        return np.zeros((len(places), 0))
    right = np.clip(np.searchsorted(trace.draws_s, places), 1, len(trace.draws_s) - 1)
    share = (places - trace.draws_s[right - 1]) / (trace.draws_s[right] - trace.draws_s[right - 1])
    share = np.clip(share, 0.0, 1.0)[:, None]
    return np.asarray((1 - share) * trace.draws[right - 1] + share * trace.draws[right])


def delta_uncertainty(lap: LapTrace, reference: LapTrace, same_run: bool, s: Array, from_m: float = 0.0) -> Array:
    """Standard deviation of the delta at places ``s`` when it starts with 0 at ``from_m``.

    Two laps of one run share the speed's scale, the mean line and part of the slow position error, so their draws are
    subtracted; laps of different runs are independent.

    Parameters
    ----------
    lap, reference : traces with draws
    same_run : whether both are laps of one run
    s : (p,) m
    from_m : m

    Returns
    -------
    (p,) seconds
    """
    places, begin = np.asarray(s, float), np.array([from_m])
    own = draws_at(lap, places) - draws_at(lap, begin)
    other = draws_at(reference, places) - draws_at(reference, begin)
    if not own.size or not other.size:
        return np.zeros(len(places))
    if same_run:
        return np.asarray(np.sqrt(np.mean((own - other) ** 2, axis=1)))
    return np.asarray(np.sqrt(np.mean(own**2, axis=1) + np.mean(other**2, axis=1)))


def stretch_loss(lap: LapTrace, reference: LapTrace, low: float, high: float, same_run: bool) -> Loss:
    """Loss between two places.

    Parameters
    ----------
    lap, reference : traces
    low, high : metres from the start line of the lap, ``low`` < ``high``; they may lie before the line or behind the
        next one as far as the traces reach
    same_run : whether both are laps of one run

    Returns
    -------
    The loss; of what lies inside the lap only, where one of the two does not reach further.
    """
    ends = np.array([low, high])
    times = np.diff([time_at(trace, ends) for trace in (reference, lap)], axis=0)[0]
    whole = bool(np.isfinite(times).all())
    if not whole:
        ends = np.clip(ends, 0.0, inner_length(lap))
        times = np.diff([time_at(trace, ends) for trace in (reference, lap)], axis=0)[0]
    u = delta_uncertainty(lap, reference, same_run, ends[1:], float(ends[0]))
    return Loss(float(times[1] - times[0]), float(u[0]), whole)


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
