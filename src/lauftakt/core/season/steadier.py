"""Whether a driver has become steadier somewhere: the spread of one run against that of another."""

from dataclasses import dataclass

import numpy as np

from lauftakt.core.season.pace import Scattered

STEADIER, WILDER, LEVEL = "steadier", "less steady", "level"
# An interval of 95 % is so many standard deviations wide.
WIDE = 2 * 1.96


@dataclass(frozen=True)
class Steadiness:
    """Spread before and after, s, the factor between them with its 95 % interval, and what may be said."""

    before_s: float
    after_s: float
    factor: float
    low: float
    high: float
    says: str


def steadiness_of(before: Scattered, after: Scattered) -> Steadiness | None:
    """How the spread changed; None where either run has fewer than three clean laps, or no spread at all.

    Notes
    -----
    On the logarithm the doubt of a spread hardly depends on it; that of either side is read from its own interval.
    """
    sides = []
    for side in (before, after):
        if side.spread_s is None or side.low_s is None or side.high_s is None or min(side.low_s, side.spread_s) <= 0.0:
            return None
        sides.append((np.log(side.spread_s), (np.log(side.high_s) - np.log(side.low_s)) / WIDE))
    (first, first_u), (second, second_u) = sides
    reach = 1.96 * float(np.hypot(first_u, second_u))
    middle = float(second - first)
    says = STEADIER if middle + reach < 0.0 else WILDER if middle - reach > 0.0 else LEVEL
    return Steadiness(
        float(np.exp(first)), float(np.exp(second)), float(np.exp(middle)), float(np.exp(middle - reach)),
        float(np.exp(middle + reach)), says,
    )  # fmt: skip
