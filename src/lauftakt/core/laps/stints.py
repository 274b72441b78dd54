"""Long runs: stints, what was driven on average in them, how the pace falls off, and two of them side by side."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Protocol, TypeVar

import numpy as np
import scipy
from numpy.typing import NDArray

from lauftakt.core.laps.counting import Judged

Array = NDArray[np.float64]
# Fewer laps in a row are no long run.
LEAST_LAPS = 4
# A fall-off that begins somewhere in the stint must explain it better than chance would once in a hundred times.
CHANCE = 0.01
# So many laps on either side of where it may begin.
EACH_SIDE = 3
# 95 % of a normal distribution.
SURE = 1.96


class Numbered(Judged, Protocol):
    """A lap with its number."""

    @property
    def number(self) -> int: ...


Lap_ = TypeVar("Lap_", bound=Numbered)


@dataclass(frozen=True)
class Window:
    """A mean over laps: the quickest ones, or consecutive ones from ``first`` on (index into the stint)."""

    laps: int
    mean_s: float
    first: int | None


@dataclass(frozen=True)
class FallOff:
    """How the pace changes from lap to lap: s per lap with its 95 % interval; ``clear`` where that leaves out 0.

    ``begins`` is the index of the lap from which on it falls off, None where it does so evenly or not at all;
    ``after_s`` the change per lap from there.
    """

    per_lap_s: float
    low_s: float
    high_s: float
    clear: bool
    begins: int | None
    after_s: float | None


@dataclass(frozen=True)
class Difference:
    """Two stints lap by lap over as many laps as both have: how much longer the second took in all, with its standard
    deviation by the scatter of the single differences."""

    laps: int
    total_s: float
    total_u_s: float


def stints_of(laps: Sequence[Lap_], cuts: Collection[int] = ()) -> list[list[Lap_]]:
    """The stints of a run: laps from line to line one after the other, cut where the car stood or left the circuit.

    Parameters
    ----------
    laps : all laps of the run, in order
    cuts : numbers of laps with which a new stint begins because somebody says so

    Returns
    -------
    Each with four laps or more that count; laps set aside for what happened in them stay where they are.
    """
    found: list[list[Lap_]] = [[]]
    for lap in laps:
        if lap.time_s is None or lap.set_aside in ("stopped", "out", "in", "part"):
            found.append([])
        elif lap.number in cuts:
            found.append([lap])
        else:
            found[-1].append(lap)
    return [stint for stint in found if sum(lap.set_aside is None for lap in stint) >= LEAST_LAPS]


def windows_of(times: Array, counting: NDArray[np.bool_], sizes: Sequence[int]) -> tuple[list[Window], list[Window]]:
    """Means over windows of a stint.

    Parameters
    ----------
    times : (n,) s
    counting : (n,) False for laps set aside
    sizes : of the windows, laps

    Returns
    -------
    quickest : mean of the so many quickest laps that count
    in_a_row : quickest mean of so many laps one after the other, all of which count; windows that do not fit are left
        out of both
    """
    own = np.sort(times[counting])
    quickest = [Window(size, float(own[:size].mean()), None) for size in sizes if 0 < size <= len(own)]
    in_a_row = []
    for size in sizes:
        sums = [
            (float(times[first : first + size].mean()), first)
            for first in range(len(times) - size + 1)
            if size > 0 and counting[first : first + size].all()
        ]
        if sums:
            mean, first = min(sums)
            in_a_row.append(Window(size, mean, first))
    return quickest, in_a_row


def fall_off(times: Array, counting: NDArray[np.bool_]) -> FallOff | None:
    """How the pace of a stint changes; None for fewer than four laps that count.

    Parameters
    ----------
    times, counting : as for :func:`windows_of`

    Notes
    -----
    Median of all pairwise slopes with its interval (Theil 1950, Sen 1968). Where it begins: of all lines that are level
    up to a lap and then rise or fall, the one with the least squares, kept where an F test against an even slope finds
    it better (Draper and Smith, "Applied Regression Analysis", 1998, on segmented lines).
    """
    place, own = np.flatnonzero(counting).astype(float), times[counting]
    if len(own) < LEAST_LAPS:
        return None
    slope, _, low, high = (float(v) for v in scipy.stats.theilslopes(own, place, alpha=0.95))
    begins, after = _begins(place, own)
    return FallOff(slope, low, high, not low <= 0.0 <= high, begins, after)


def _begins(place: Array, own: Array) -> tuple[int | None, float | None]:
    if len(own) < 2 * EACH_SIDE + 2:
        return None, None

    def misfit(columns: list[Array]) -> tuple[float, Array]:
        design = np.column_stack([np.ones(len(own)), *columns])
        found, *_ = np.linalg.lstsq(design, own, rcond=None)
        return float(((own - design @ found) ** 2).sum()), np.asarray(found, float)

    even, _ = misfit([place])
    tried = [(*misfit([np.maximum(place - knee, 0.0)]), knee) for knee in place[EACH_SIDE - 1 : -EACH_SIDE]]
    least, found, knee = min(tried, key=lambda item: item[0])
    free = len(own) - 3
    gain = (even - least) / max(least / free, 1e-12)
    if even <= least or scipy.stats.f.sf(gain, 1, free) > CHANCE:
        return None, None
    return int(knee), float(found[1])


def difference(first: Array, second: Array) -> Difference | None:
    """Two stints over equal lap counts.

    Parameters
    ----------
    first, second : (n,) and (m,) s, laps in order; NaN for laps that do not count

    Returns
    -------
    Over the laps that count in both; None for fewer than two.
    """
    count = min(len(first), len(second))
    apart = second[:count] - first[:count]
    known = apart[np.isfinite(apart)]
    if len(known) < 2:
        return None
    return Difference(len(known), float(known.sum()), float(np.std(known, ddof=1) * np.sqrt(len(known))))
