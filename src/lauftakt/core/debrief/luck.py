"""How much worse than usual the worst passages of a run were by chance: they get better by themselves."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.comparison.spread import MEDIAN_FACTOR, spread_of
from lauftakt.core.debrief.change import RUN_EFFECT

Array = NDArray[np.float64]
# Fewer passages say nothing of how far losses lie apart.
FEWEST_PASSAGES = 4
# Expected value of the largest of twelve standard normal values.
LUCKIEST = 1.63


def expected_luck(losses: Sequence[float], doubts: Sequence[float]) -> Array:
    """By how much each passage's loss is expected to have been bad luck, given all losses of the run.

    Parameters
    ----------
    losses : (p,) median loss of a run in each passage, s, against anything that stays the same; NaN where unknown
    doubts : (p,) standard deviation of each by laps and by the run, s

    Returns
    -------
    (p,) s, positive where the next run is expected to be quicker by itself; 0 where it cannot be told.

    Notes
    -----
    Empirical Bayes (Efron and Morris, Journal of the American Statistical Association 68, 1973): true losses lie around
    their mean by a variance that is what the losses' own variance exceeds their doubts by. What is expected of one
    passage given its loss does not depend on why that passage was picked out, so it holds for the worst of a dozen
    (Efron, "Tweedie's formula and selection bias", the same journal 106, 2011).
    """
    lost, doubt = np.array(losses, dtype=float), np.array(doubts, dtype=float)
    known = np.isfinite(lost) & np.isfinite(doubt) & (doubt > 0.0)
    found = np.zeros(len(lost))
    if known.sum() < FEWEST_PASSAGES:
        return found
    value, noise = lost[known], doubt[known] ** 2
    between = _between(value, noise)
    weight = 1.0 / (noise + between)
    mean = float((weight * value).sum() / weight.sum())
    # Losses are no normal crowd: nobody is luckier than the luckiest of a dozen.
    most = LUCKIEST * np.sqrt(noise)
    found[known] = np.clip(noise * weight * (value - mean), -most, most)
    return found


def _between(value: Array, noise: Array) -> float:
    """Variance of the true losses (DerSimonian and Laird, Controlled Clinical Trials 7, 1986)."""
    weight = 1.0 / noise
    mean = (weight * value).sum() / weight.sum()
    excess = (weight * (value - mean) ** 2).sum() - (len(value) - 1)
    return max(0.0, float(excess / (weight.sum() - (weight**2).sum() / weight.sum())))


def passage_doubt(times: Array) -> float:
    """Standard deviation of the median of (n,) times of a passage by laps and by the run as a whole, s; NaN of fewer
    than three."""
    found = spread_of(times)
    if found is None:
        return float("nan")
    return found.value * float(np.sqrt(MEDIAN_FACTOR**2 / found.laps + RUN_EFFECT**2))


def goes_with(figures: Sequence[Array], times: Sequence[Array]) -> float:
    """How closely a figure goes with the time of a passage from lap to lap, a correlation.

    Parameters
    ----------
    figures, times : for each corner (n,), of the same laps of one run; NaN where unknown

    Notes
    -----
    One correlation over all corners, each brought to its own scatter: of one corner's handful of laps it says nothing.
    """
    products: list[float] = []
    laps = 0
    for figure, time in zip(figures, times, strict=True):
        known = np.isfinite(figure) & np.isfinite(time)
        if known.sum() < 3:
            continue
        x, y = (side[known] - side[known].mean() for side in (figure, time))
        sizes = float(np.std(x, ddof=1)), float(np.std(y, ddof=1))
        if min(sizes) > 0.0:
            products.append(float((x * y).sum()) / (sizes[0] * sizes[1]))
            laps += int(known.sum()) - 1
    return float(np.clip(sum(products) / laps, -1.0, 1.0)) if laps else 0.0
