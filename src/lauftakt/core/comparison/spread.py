"""How far the laps of a driver lie apart in a figure."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from statistics import median

import numpy as np
import scipy
from numpy.typing import NDArray

Array = NDArray[np.float64]

# Of two laps nothing can be said about how far others lie apart.
FEWEST = 3
# Of fewer the ordinary standard deviation: a robust one of three or four values says next to nothing.
FEWEST_ROBUST = 5
# Of two-sided intervals.
CONFIDENCE = 0.95

# Estimator Qn: its factor for normal scatter, those for few values (Croux and Rousseeuw 1992), and the quantiles (2.5
# and 97.5 %) of what it makes of so many values with a spread of 1 (60 000 simulated each).
_QN = 2.2219
_QN_FEW = {5: 0.844, 6: 0.611, 7: 0.857, 8: 0.669, 9: 0.872}
_COUNTS = (5, 6, 7, 8, 9, 10, 11, 12, 15, 16, 20, 25, 30, 50)
_LOWEST = (0.181, 0.309, 0.312, 0.400, 0.409, 0.470, 0.471, 0.515, 0.563, 0.585, 0.630, 0.674, 0.706, 0.774)
_HIGHEST = (2.229, 1.900, 1.906, 1.737, 1.734, 1.648, 1.631, 1.574, 1.506, 1.468, 1.403, 1.363, 1.318, 1.236)
# For many values its variance is that of a standard deviation of so many of them.
_EFFICIENCY = 0.75
# Standard error of a median against that of a mean, for normal scatter.
MEDIAN_FACTOR = 1.25


@dataclass(frozen=True)
class Spread:
    """How far a figure lies apart over laps: standard deviation ``value`` with the interval ``low`` to ``high`` (95 %)
    that so few laps leave open, ``middle`` the median, ``laps`` how many told."""

    value: float
    low: float
    high: float
    middle: float
    laps: int


def spread_of(values: Sequence[float | None] | Array, own: float = 0.0) -> Spread | None:
    """Spread of a figure over laps.

    Parameters
    ----------
    values : (n,) one for each lap, None or NaN where it does not happen
    own : standard deviation that measuring adds to each value by itself; it is taken out

    Returns
    -------
    None for fewer than three values.

    Notes
    -----
    Qn, the first quartile of all differences between two values (Rousseeuw and Croux, "Alternatives to the median
    absolute deviation", Journal of the American Statistical Association 88, 1993, with the factors for few values of
    Croux and Rousseeuw, "Time-efficient algorithms for two highly robust estimators of scale", COMPSTAT 1992): half of
    the laps may be slips, and it is worth 64 to 75 % of the values of a standard deviation, where an inter-quartile
    range is worth 37 %. Of three or four values the standard deviation. The interval is that of normal scatter: by
    simulation for Qn, by chi square for the standard deviation.
    """
    known = np.array([value for value in values if value is not None and np.isfinite(value)], dtype=float)
    count = len(known)
    if count < FEWEST:
        return None
    size = float(np.std(known, ddof=1)) if count < FEWEST_ROBUST else _qn(known)
    ends = _ends(count)
    low, high = size / ends[1], size / ends[0]
    value, least, most = (float(np.sqrt(max(each**2 - own**2, 0.0))) for each in (size, low, high))
    return Spread(value, least, most, median(known.tolist()), count)


@lru_cache(maxsize=256)
def _ends(count: int) -> tuple[float, float]:
    """Between what an estimate lies (95 %) of so many values with a spread of 1."""
    if FEWEST_ROBUST <= count <= _COUNTS[-1]:
        return float(np.interp(count, _COUNTS, _LOWEST)), float(np.interp(count, _COUNTS, _HIGHEST))
    worth = (count - 1.0) * (1.0 if count < FEWEST_ROBUST else _EFFICIENCY)
    low, high = (float(np.sqrt(scipy.stats.chi2.ppf((1 + sign * CONFIDENCE) / 2, worth) / worth)) for sign in (-1, 1))
    return low, high


@lru_cache(maxsize=64)
def _pairs(count: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    first, second = np.triu_indices(count, 1)
    return first, second


def _qn(values: Array) -> float:
    count = len(values)
    first, second = _pairs(count)
    half = count // 2 + 1
    which = half * (half - 1) // 2 - 1
    usual = count / (count + 1.4) if count % 2 else count / (count + 3.8)
    return float(_QN * _QN_FEW.get(count, usual) * np.partition(np.abs(values[first] - values[second]), which)[which])


def median_doubt(values: Sequence[float | None] | Array) -> float | None:
    """Standard error of the median of (n,) values; None for fewer than three."""
    found = spread_of(values)
    return None if found is None else MEDIAN_FACTOR * found.value / float(np.sqrt(found.laps))
