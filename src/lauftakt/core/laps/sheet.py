"""The sector sheet: who is best where, how wide each part scatters, and how far a best lap is from what was shown."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]

Judged = Literal["little", "usual", "much"]
# A gap is little or much where it is less than half or more than one and a half of what chance alone would make.
LITTLE, MUCH = 0.5, 1.5
# Of fewer laps nothing is usual.
FEW = 4
# Inter-quartile range of a normal scatter, in standard deviations.
QUARTILES = 1.349


@dataclass(frozen=True)
class Part:
    """One sector or passage of a driver: the best time, in which row, the median and spread of the clean ones, s."""

    best_s: float | None
    best_row: int | None
    median_s: float | None
    spread_s: float | None
    clean: int


@dataclass(frozen=True)
class Sheet:
    """A driver's laps by parts.

    Attributes
    ----------
    parts : one a column
    theoretical_s : sum of the best parts; None where one is missing
    gap_s : best lap minus that
    usual_gap_s : what scatter that is independent from part to part would make of it
    judged : whether the gap is little or much; None where there are too few laps to say
    """

    parts: tuple[Part, ...]
    theoretical_s: float | None
    gap_s: float | None
    usual_gap_s: float | None
    judged: Judged | None


def sheet(times: Array, clean: Bools, best_lap_s: float | None) -> Sheet:
    """A driver's sheet.

    Parameters
    ----------
    times : (laps, parts) s of the laps that count, NaN where a part was not driven
    clean : (laps, parts) False where another car was probably in the way; such parts are no measure of the driver, but
        a best one stays a best one
    best_lap_s : the best lap, or None

    Returns
    -------
    See :class:`Sheet`.

    Notes
    -----
    Of n laps whose k parts scatter independently by s_j, the best lap lies c (sum s_j - sqrt(sum s_j^2)) above the sum
    of the best parts on average, with c the expected largest of n normal values (Blom, "Statistical Estimates and
    Transformed Beta-Variables", 1958: the quantile at (n - 3/8) / (n + 1/4)).
    """
    parts = tuple(_part(times[:, k], clean[:, k]) for k in range(times.shape[1]))
    bests = [part.best_s for part in parts]
    theoretical = sum(b for b in bests if b is not None) if bests and None not in bests else None
    gap = None if theoretical is None or best_lap_s is None else best_lap_s - theoretical
    usual = _usual_gap(len(times), [part.spread_s for part in parts])
    return Sheet(parts, theoretical, gap, usual, _judged(gap, usual))


def spread_of(times: Array) -> float | None:
    """From lap to lap, s: the standard deviation that the middle half of the times has; None of fewer than four."""
    if len(times) < FEW:
        return None
    low, high = np.quantile(times, [0.25, 0.75], method="weibull")
    return float((high - low) / QUARTILES)


def _part(times: Array, clean: Bools) -> Part:
    known = np.isfinite(times)
    if not known.any():
        return Part(None, None, None, None, 0)
    row = int(np.nanargmin(times))
    own = times[known & clean]
    spread = spread_of(own)
    median = float(np.median(own)) if len(own) else None
    return Part(float(times[row]), row, median, spread, len(own))


def _usual_gap(laps: int, spreads: list[float | None]) -> float | None:
    known = np.array([spread for spread in spreads if spread is not None])
    if laps < FEW or len(known) < len(spreads) or len(known) < 2:
        return None
    largest = float(scipy.stats.norm.ppf((laps - 0.375) / (laps + 0.25)))
    return largest * float(known.sum() - np.sqrt((known**2).sum()))


def _judged(gap: float | None, usual: float | None) -> Judged | None:
    if gap is None or not usual:
        return None
    return "little" if gap < LITTLE * usual else "much" if gap > MUCH * usual else "usual"
