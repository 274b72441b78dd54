"""Comparison of laps with a reference: time delta, loss rate, loss by stretch, each with its uncertainty."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from lauftakt.core.laps.lap import LapTrace
from lauftakt.core.laps.times import draws_at, inner_length, time_at

Array = NDArray[np.float64]
# About 20 m: shorter shows the noise of the fixes, longer blurs a corner's entry into its exit.
RATE_WINDOW_M = 21
# So many standard deviations hold 95 %.
SURE = 1.96
# Over so long a slope's doubt is taken: twice the distance of the draws.
RATE_DOUBT_M = 40.0
# A last step shorter than this says more of rounding than of a slope.
LEAST_STEP_M = 0.05


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


def level(difference_s: float, doubt_s: float) -> bool:
    """Whether two times are no further apart than their doubt (one standard deviation of the difference): nobody can
    say who was faster."""
    return abs(difference_s) <= SURE * doubt_s


def loss_rate(delta: Array, length: float) -> Array:
    """Slope of the delta in seconds per metre, smoothed over about 20 m, on the layout's grid.

    Local quadratic fits: Savitzky and Golay, Analytical Chemistry 36, 1964.

    Parameters
    ----------
    delta : (g,) or (laps, g) s, at whole metres and at the lap's length
    length : of the lap, m: the grid's last step is what is left of a metre

    Notes
    -----
    The fits need equal steps: the last grid point, which lies less than a metre behind its neighbour, is moved to where
    a whole metre would end, along the slope of the short step; of a step too short to tell, along that of the two last.
    """
    last = length - (delta.shape[-1] - 2)
    begin, run = (-2, last) if last >= LEAST_STEP_M else (-3, 1.0 + last)
    whole = delta.copy()
    whole[..., -1] = delta[..., -2] + (delta[..., -1] - delta[..., begin]) / run
    if delta.shape[-1] <= RATE_WINDOW_M:
        return np.asarray(np.gradient(whole, axis=-1))
    return np.asarray(scipy.signal.savgol_filter(whole, RATE_WINDOW_M, 2, deriv=1, axis=-1))


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


def place_uncertainty(lap: LapTrace, reference: LapTrace, same_run: bool, s: Array, pace: Array) -> Array:
    """Standard deviation of how much further on something happens in one lap than in another.

    A lap that is believed to pass a place too early is believed to be too far on, by its speed times that. What laps of
    one run share cancels; two runs, each with its own slow error, do not.

    Parameters
    ----------
    lap, reference : traces with draws
    same_run : whether both are laps of one run
    s : (p,) m, where it happens
    pace : (p,) m/s there

    Returns
    -------
    (p,) metres; NaN where the place or the pace is
    """
    places = np.asarray(s, float)
    known = np.isfinite(places) & np.isfinite(pace)
    own, other = (draws_at(one, np.where(known, places, 0.0)) for one in (lap, reference))
    if not own.size or not other.size:
        return np.where(known, 0.0, np.nan)
    spread = np.mean((own - other) ** 2, axis=1) if same_run else np.mean(own**2, axis=1) + np.mean(other**2, axis=1)
    return np.where(known, np.sqrt(spread) * pace, np.nan)


def rate_uncertainty(lap: LapTrace, reference: LapTrace, same_run: bool, s: Array) -> Array:
    """Standard deviation of what is lost around places ``s``, seconds per metre: of the delta's mean slope over 40 m.

    The draws know the error of time every 20 m; over less than two such steps they say nothing of a slope.

    Parameters
    ----------
    lap, reference : traces with draws
    same_run : whether both are laps of one run
    s : (p,) m

    Returns
    -------
    (p,) seconds per metre
    """
    places = np.asarray(s, float)
    low, high = np.clip(places - RATE_DOUBT_M / 2, 0.0, None), np.clip(places + RATE_DOUBT_M / 2, None, places[-1])
    own = draws_at(lap, high) - draws_at(lap, low)
    other = draws_at(reference, high) - draws_at(reference, low)
    if not own.size or not other.size:
        return np.zeros(len(places))
    square = (own - other) ** 2 if same_run else own**2 + other**2
    return np.asarray(np.sqrt(np.mean(square, axis=1)) / np.maximum(high - low, 1.0))


def beyond_doubt(rate: Array, doubt: Array) -> Array:
    """A loss rate with what is within its doubt taken out, so that a picture shows only what was lost or gained.

    Nothing within 1.96 standard deviations, all beyond twice that, evenly in between.

    Parameters
    ----------
    rate, doubt : (g,) s/m, and its standard deviation
    """
    margin = np.maximum(SURE * doubt, 1e-12)
    return np.asarray(rate * np.clip(np.abs(rate) / margin - 1.0, 0.0, 1.0))


def stretch_losses(
    laps: Sequence[LapTrace], reference: LapTrace, low: float, high: float, same_run: bool
) -> list[Loss]:
    """:func:`stretch_loss` of several laps of one run against one reference, all at once."""
    ends = np.array([low, high])
    base = float(np.diff(time_at(reference, ends))[0])
    found = [Loss(float(np.diff(time_at(lap, ends))[0]) - base, 0.0) for lap in laps]
    whole = [index for index, loss in enumerate(found) if np.isfinite(loss.loss_s)]
    if whole and laps[0].draws.shape[1] and reference.draws.shape[1]:
        own = np.diff(np.stack([draws_at(laps[index], ends) for index in whole]), axis=1)[:, 0]
        other = np.diff(draws_at(reference, ends), axis=0)
        square = (own - other) ** 2 if same_run else own**2 + np.mean(other**2)
        for index, u in zip(whole, np.sqrt(np.mean(square, axis=1)), strict=True):
            found[index] = replace(found[index], loss_u_s=float(u))
    return [
        loss if index in whole else stretch_loss(laps[index], reference, low, high, same_run)
        for index, loss in enumerate(found)
    ]


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
