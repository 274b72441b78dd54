"""The same laps in two logs: handed in twice, under another name, in another dialect, or as overlapping parts."""

from collections import Counter
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

# Two readings of one log differ by milliseconds; two laps of the steadiest driver differ by more along the way.
TOLERANCE_S = 0.02
WIDEST_S = 0.1


def same_laps(own: Mapping[int, Array], other: Mapping[int, Array]) -> dict[int, int]:
    """Which timed laps of one log are laps of another log, by number.

    Two laps are the same where the times at which they pass every place agree. Laps that follow one another in one log
    do so in the other, so that only pairs with the most frequent difference of numbers count.

    Parameters
    ----------
    own, other : lap number -> (g,) s from the crossing of the line, on the same layout's grid

    Returns
    -------
    Numbers of ``own`` with the number each has in ``other``; empty where the logs have nothing in common.
    """
    pairs = [(a, b) for a, x in own.items() for b, y in other.items() if _alike(x, y)]
    if not pairs:
        return {}
    shift, _ = Counter(b - a for a, b in pairs).most_common(1)[0]
    return {a: b for a, b in pairs if b - a == shift}


def _alike(own: Array, other: Array) -> bool:
    if len(own) != len(other) or abs(own[-1] - other[-1]) > WIDEST_S:
        return False
    away = own - other
    away = away[np.isfinite(away)]
    if len(away) < 0.9 * len(own):
        return False
    return float(np.sqrt(np.mean(away**2))) < TOLERANCE_S and float(np.max(np.abs(away))) < WIDEST_S
