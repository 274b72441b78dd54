"""Which laps count: every rule by which one is set aside, and what holds of those that are left.

Nothing is deleted by any of this. Rules work on anything that has a lap's ``time_s``, ``set_aside`` and sector times:
the core's laps as well as rows of a database.
"""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from lauftakt.core.arrays import spans
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.lap import Lap

Array = NDArray[np.float64]

# A start line that was moved moves the beginnings of laps, by less than this and less than half of a lap.
SAME_LAP_S, SAME_LAP_SHARE = 25.0, 0.3
# Far beyond the driver's own pace band; the contract fixes it.
SLOW = 1.07
# Slower, a car stands; shorter, it has turned round or started again.
STANDS_MS, STOOD_S = 1.5, 3.0
# A limit is known to about a metre and a car is two metres wide: only what is clearly beyond it counts.
BEYOND_LIMIT_M = 2.0
BEYOND_FOR_M = 10


class Judged(Protocol):
    """What the rules need to know of a lap."""

    @property
    def time_s(self) -> float | None: ...
    @property
    def set_aside(self) -> str | None: ...


class Sectored(Judged, Protocol):
    """A lap with its sectors."""

    @property
    def sector_times_s(self) -> Sequence[float]: ...


class Begun(Protocol):
    """A lap, a row or a view of one: whatever begins and ends."""

    @property
    def start_s(self) -> float: ...
    @property
    def end_s(self) -> float: ...


Any_ = TypeVar("Any_", bound=Judged)


def begins_at(lap: Begun, moment_s: float) -> bool:
    """Whether a lap is the one that was named by the moment of its beginning, also where the line was moved since."""
    return abs(lap.start_s - moment_s) < min(SAME_LAP_S, SAME_LAP_SHARE * (lap.end_s - lap.start_s))


def counting_of(laps: Iterable[Any_]) -> list[Any_]:
    """Timed laps that are not set aside, in their order."""
    return [lap for lap in laps if lap.time_s is not None and lap.set_aside is None]


def best_of(laps: Iterable[Any_]) -> Any_ | None:
    """The fastest lap that counts; of equal ones the first."""
    return min(counting_of(laps), key=lambda lap: lap.time_s or 0.0, default=None)


def theoretical_best(laps: Iterable[Sectored]) -> float | None:
    """Sum of the best sector times over the laps that count, seconds."""
    rows = [lap.sector_times_s for lap in counting_of(laps) if lap.sector_times_s]
    return sum(min(times) for times in zip(*rows, strict=True)) if rows else None


def outcome(automatic: str | None, timed: bool, counts: bool | None, reason: str | None = None) -> str | None:
    """Why a lap is set aside, or None where it counts: a person's word goes before what the computation found.

    Parameters
    ----------
    automatic : why the computation sets it aside
    timed : whether it runs from line to line; without a time no lap counts
    counts : what a person said: it counts, it does not, or nothing
    reason : the person's reason
    """
    if counts is False:
        return reason or automatic or "by_hand"
    if counts and timed:
        return None
    return automatic


def aside_at_once(layout: Layout, offset: Array, stood_s: float) -> str | None:
    """Why a lap from line to line does not count, by itself: where the car stood, or was off the track limits.

    Parameters
    ----------
    layout : with its limits, where they are known
    offset : (g,) m on the layout's grid
    stood_s : how long the car stood (:func:`standing_s`)
    """
    if stood_s > 0.0:
        return "stopped"
    return "track_limits" if beyond_limits(layout, offset) else None


def standing_s(time: Array, speed: Array) -> float:
    """How long a car stood, s; 0 where it never did for :data:`STOOD_S`. Times (n,) s, speeds (n,) m/s."""
    found = [float(time[last - 1] - time[first]) for first, last in spans(speed < STANDS_MS)]
    return sum(seconds for seconds in found if seconds >= STOOD_S)


def longest_pause_s(time: Array) -> float:
    """The longest time between two samples, (n,) s, in which nothing was logged."""
    return float(np.diff(time).max()) if len(time) > 1 else 0.0


def beyond_limits(layout: Layout, offset: Array) -> bool:
    """Whether the car was clearly beyond a known limit for 10 m, by its offsets (g,) on the layout's grid."""
    beyond = np.zeros(len(offset), dtype=bool)
    if layout.left_limit is not None:
        beyond |= offset > layout.left_limit + BEYOND_LIMIT_M
    if layout.right_limit is not None:
        beyond |= offset < layout.right_limit - BEYOND_LIMIT_M
    return bool((uniform_filter1d(beyond.astype(float), BEYOND_FOR_M) > 0.95).any())


def set_slow_aside(laps: list[Lap]) -> list[Lap]:
    """Laps with those set aside that are slower than 1.07 times the best."""
    best = best_of(laps)
    if best is None or best.time_s is None:
        return laps
    limit = SLOW * best.time_s
    slow = {lap.number for lap in counting_of(laps) if lap.time_s is not None and lap.time_s > limit}
    return [replace(lap, set_aside="slow") if lap.number in slow else lap for lap in laps]
