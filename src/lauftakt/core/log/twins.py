"""The same laps in two logs: handed in twice, under another name, in another dialect, or as overlapping parts."""

from collections import Counter
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
# Two readings of one log differ by milliseconds, or by some ten where one of them holds less; two laps of the steadiest
# driver can be as alike as that, but not lap after lap.
SURE_S = 0.004
LIKELY_S = 0.02
# A single place may be off by so many times that.
WIDEST = 5.0
# Lines of one log in two dialects lie closer than this even where one of them lacks the speed (0.06 to 0.16 m were
# measured); those of two receivers further apart (0.22 to 0.4 m).
SAME_LINE_M = 0.2
# Of the laps that both logs hold, so many must be alike.
SHARE = 0.6


def same_laps(
    own: Mapping[int, Array],
    other: Mapping[int, Array],
    lines: tuple[Mapping[int, Array], Mapping[int, Array]] | None = None,
) -> dict[int, int]:
    """Which timed laps of one log are laps of another log, by number.

    Two laps are the same where the times at which they pass every place agree. Laps that follow one another in one log
    do so in the other, so that only pairs with the most frequent difference of numbers count. Two drivers can pass
    every place within milliseconds of one another; then the driven lines tell: of one log they are the same to the
    receiver's noise, of two logs they are not, since no two receivers wander alike.

    Parameters
    ----------
    own, other : lap number -> (g,) s from the crossing of the line, on the same layout's grid
    lines : offsets of the same laps, m, of both; None where one of them is not known

    Returns
    -------
    Numbers of ``own`` with the number each has in ``other``; empty where the logs have nothing in common.
    """
    apart = {(a, b): away for a, x in own.items() for b, y in other.items() if (away := _apart(x, y)) < LIKELY_S}
    if not apart:
        return {}
    shift, count = Counter(b - a for a, b in apart).most_common(1)[0]
    common = sum(1 for number in own if number + shift in other)
    found = {a: b for a, b in apart if b - a == shift}
    if lines is not None and _beside(found, *lines) > SAME_LINE_M:
        return {}
    if all(apart[pair] < SURE_S for pair in found.items()) or (count > 1 and count >= SHARE * common):
        return found
    return {}


def _beside(pairs: Mapping[int, int], own: Mapping[int, Array], other: Mapping[int, Array]) -> float:
    """Median over pairs of laps of the RMS distance of their lines, m; 0 where no line is known."""
    found = []
    for a, b in pairs.items():
        if a not in own or b not in other or len(own[a]) != len(other[b]):
            continue
        away = own[a] - other[b]
        away = away[np.isfinite(away)]
        # A run placed by its corners has no line.
        if len(away) > 0.5 * len(own[a]) and np.any(own[a]) and np.any(other[b]):
            found.append(float(np.sqrt(np.mean(away**2))))
    return float(np.median(found)) if found else 0.0


def _apart(own: Array, other: Array) -> float:
    """RMS of the difference along the lap, s; infinite where the laps are different ones anyway."""
    if len(own) != len(other):
        return np.inf
    away = own - other
    away = away[np.isfinite(away)]
    if len(away) < 0.9 * len(own):
        return np.inf
    apart = float(np.sqrt(np.mean(away**2)))
    return apart if float(np.max(np.abs(away))) < WIDEST * LIKELY_S else np.inf
