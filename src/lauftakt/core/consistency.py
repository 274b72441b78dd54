"""Consistency: bands, spreads and trends over the laps of a run, and laps in which another car was in the way."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d
from scipy.stats import kendalltau, theilslopes

from lauftakt.core.signals import Signals

Array = NDArray[np.float64]

SLOWER = 0.965
LEAST_HELD_S = 0.25
LEAST_HELD_M = 100.0
JOIN_M = 60.0
RARE = 0.34
STEADY_S = 0.06
NEAR_S = 0.05
ALONE = 3.5


@dataclass(frozen=True)
class Band:
    """Median and quartiles of a channel along the circuit, (g,) each."""

    median: Array
    low: Array
    high: Array


@dataclass(frozen=True)
class Trend:
    """Change of a figure from lap to lap: slope per lap, and whether that is more than chance (5 %)."""

    slope: float
    clear: bool


def band(rows: Array) -> Band:
    """Median and inter-quartile band of a channel, (laps, g) -> (g,) each."""
    low, middle, high = np.nanpercentile(rows, [25, 50, 75], axis=0)
    return Band(middle, low, high)


def spread(values: Array) -> float:
    """Robust standard deviation of (n,) figures: inter-quartile range / 1.349; of fewer than four the ordinary one."""
    known = values[np.isfinite(values)]
    if len(known) < 2:
        return 0.0
    if len(known) < 4:
        return float(np.std(known, ddof=1))
    low, high = np.percentile(known, [25, 75])
    return float((high - low) / 1.349)


def trend(numbers: Array, values: Array) -> Trend:
    """Median of all pairwise slopes (Theil 1950, Sen 1968) with Kendall's test.

    Parameters
    ----------
    numbers, values : (n,) lap numbers and the figure of each; NaN values are passed over
    """
    known = np.isfinite(values)
    if known.sum() < 4 or np.ptp(values[known]) == 0:
        return Trend(0.0, False)
    slope = float(theilslopes(values[known], numbers[known])[0])
    return Trend(slope, bool(kendalltau(numbers[known], values[known]).pvalue < 0.05))


def alone(values: Array) -> NDArray[np.bool_]:
    """Which of (n,) figures stand alone: more than 3.5 robust standard deviations off the median (Iglewicz and Hoaglin,
    "How to detect and handle outliers", 1993)."""
    known = values[np.isfinite(values)]
    if len(known) < 4:
        return np.zeros(len(values), dtype=bool)
    middle = np.median(known)
    size = float(np.median(np.abs(known - middle))) / 0.6745
    return np.asarray(np.abs(values - middle) > ALONE * max(size, 1e-9))


def steadiness(losses: Array) -> str:
    """What a passage is for a driver: ``fast-steady`` (a keep), ``fast-unsteady``, ``slow-steady``, ``slow-unsteady``.

    Parameters
    ----------
    losses : (n,) s against the reference over the laps that count
    """
    known = losses[np.isfinite(losses)]
    if not len(known):
        return "unknown"
    pace = "fast" if np.median(known) < NEAR_S else "slow"
    return f"{pace}-{'steady' if spread(known) < STEADY_S else 'unsteady'}"


def held_up(signals: Signals, rows: list[int], length: float) -> dict[int, tuple[tuple[float, float], ...]]:
    """Parts of laps where another car was probably in the way.

    A part counts where this lap is more than 3.5 % slower than the driver's own median for at least 100 m, loses a
    quarter of a second, is slow like that in at most a third of the laps, and lifts where the driver otherwise stays at
    full throttle (or, in between, is slower before the braking has even begun). A mistake is none of that: after it the
    throttle is full again while the speed is still low.

    Parameters
    ----------
    signals : of the run
    rows : the rows that count
    length : of the lap, m

    Returns
    -------
    (from, to) in metres by row; only rows that were held up.
    """
    if len(rows) < 3:
        return {}
    inside = (signals.places >= 0) & (signals.places <= length)
    s = signals.places[inside]
    speed, time = signals.speed[rows][:, inside], signals.time[rows][:, inside]
    throttle = signals.throttle[rows][:, inside]
    usual = np.median(speed, axis=0)
    usual_time = np.gradient(np.median(time, axis=0), s)
    flat = np.median(throttle, axis=0) > 0.93
    slow = uniform_filter1d(speed, 9, axis=1) < SLOWER * usual
    found: dict[int, tuple[tuple[float, float], ...]] = {}
    often = slow.mean(axis=0) > RARE
    for position, row in enumerate(rows):
        own = slow[position] & ~often
        edges = np.flatnonzero(np.diff(np.concatenate([[0], own.astype(int), [0]]))).reshape(-1, 2)
        joined: list[list[int]] = []
        for a, b in edges:
            if joined and s[a] - s[joined[-1][1] - 1] < JOIN_M:
                joined[-1][1] = int(b)
            else:
                joined.append([int(a), int(b)])
        parts = []
        rate = np.gradient(time[position], s) - usual_time
        for a, b in joined:
            if s[b - 1] - s[a] < LEAST_HELD_M or float(np.sum(rate[a:b] * np.gradient(s)[a:b])) < LEAST_HELD_S:
                continue
            # Traffic slows where one would otherwise be flat; look also at the 40 m before, where the lift begins.
            look = slice(max(a - 40, 0), b)
            open_road = flat[look]
            lifted = throttle[position, look][open_road] < 0.85
            if open_road.sum() >= 20 and lifted.sum() >= max(20, 0.3 * open_road.sum()):
                parts.append((float(s[a]), float(s[b - 1])))
        if parts:
            found[row] = tuple(parts)
    return found
