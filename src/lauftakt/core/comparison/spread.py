"""Bands, spreads and trends over the laps of a run."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.stats import kendalltau, theilslopes

Array = NDArray[np.float64]
# About three times what positions leave unknown about a passage.
STEADY_S = 0.06
# Less behind the reference than a coach would talk about.
NEAR_S = 0.05
# Robust standard deviations, as Iglewicz and Hoaglin advise.
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
