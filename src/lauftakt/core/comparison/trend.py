"""Trends over the laps of a run, and laps that stand alone."""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

Array = NDArray[np.float64]
# Robust standard deviations, as Iglewicz and Hoaglin advise.
ALONE = 3.5


@dataclass(frozen=True)
class Trend:
    """Change of a figure from lap to lap: slope per lap, and whether that is more than chance (5 %)."""

    slope: float
    clear: bool


def trend(numbers: Array, values: Array) -> Trend:
    """Median of all pairwise slopes (Theil 1950, Sen 1968) with Kendall's test.

    Parameters
    ----------
    numbers, values : (n,) lap numbers and the figure of each; NaN values are passed over
    """
    known = np.isfinite(values)
    if known.sum() < 4 or np.ptp(values[known]) == 0:
        return Trend(0.0, False)
    slope = float(scipy.stats.theilslopes(values[known], numbers[known])[0])
    return Trend(slope, bool(scipy.stats.kendalltau(numbers[known], values[known]).pvalue < 0.05))


def alone(values: Array) -> NDArray[np.bool_]:
    """Which of (n,) figures stand alone: more than 3.5 robust standard deviations off the median (Iglewicz and Hoaglin,
    "How to detect and handle outliers", 1993)."""
    known = values[np.isfinite(values)]
    if len(known) < 4:
        return np.zeros(len(values), dtype=bool)
    middle = np.median(known)
    size = float(np.median(np.abs(known - middle))) / 0.6745
    return np.asarray(np.abs(values - middle) > ALONE * max(size, 1e-9))
