"""Where a start line lies that nobody drew: where a lap counter rises, or else on the longest straight."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.arrays import spans
from lauftakt.core.log.model import Log, Warning

Array = NDArray[np.float64]
# The contract fixes where a start line lies that nobody knows.
INTO_STRAIGHT_M = 100.0
# Full throttle is so much of what the run shows as its most.
FULL = 0.95
# Without a throttle, a car that gains more than this (m/s^2) is on it.
GAINING_MS2 = 0.1


def at_counter(s: Array, length: float) -> tuple[float, Warning]:
    """Where a lap counter or trigger says that the line is.

    Parameters
    ----------
    s : (n,) places on a closed line of so many metres ``length`` at which it told a new lap

    Returns
    -------
    The place, and what is told of it. The mean is that of directions on a circle (Mardia and Jupp 2000, section 2.2):
    places just before and just after the line's own beginning belong together.
    """
    angle = np.angle(np.mean(np.exp(2j * np.pi * s / length)))
    place = float(angle / (2 * np.pi) * length % length)
    return place, Warning("start-line-from-counter", "The start line was laid where the lap counter rises.")


def flat_out(log: Log, at: Array, speed_time: Array, speed: Array) -> NDArray[np.bool_]:
    """Whether a car is at full throttle, or without a logged throttle gains speed, at the times ``at``, (n,) s.

    Parameters
    ----------
    log, at : where it is asked for
    speed_time, speed : (m,) s and m/s of the run
    """
    throttle = log.role("throttle")
    if throttle is not None:
        return np.interp(at, throttle.time, throttle.values) > FULL * np.percentile(throttle.values, 99)
    return np.gradient(np.interp(at, speed_time, speed), at) > GAINING_MS2


def into_straight(s: Array, flat: NDArray[np.bool_], length: float) -> tuple[float, Warning]:
    """100 m after the beginning of the longest straight.

    Parameters
    ----------
    s : (n,) places on a closed line of so many metres ``length``
    flat : (n,) whether the car was at full throttle there

    Returns
    -------
    The place (0 where nobody ever was), and what is told of it.
    """
    warning = Warning(
        "start-line-assumed",
        "No start line is known: it was laid 100 m after the beginning of the longest full-throttle straight.",
    )
    bins = np.zeros(int(length) + 1)
    total = np.zeros(int(length) + 1)
    np.add.at(bins, s.astype(int), flat)
    np.add.at(total, s.astype(int), 1)
    known = np.flatnonzero(total)
    share = np.interp(np.arange(len(bins)), known, bins[known] / total[known], period=length)
    share = np.convolve(np.tile(share, 3), np.ones(15) / 15, mode="same")[len(bins) : 2 * len(bins)]
    straights = spans(np.tile(share > 0.7, 2))
    if not straights:
        return 0.0, warning
    first, _ = max(straights, key=lambda ends: ends[1] - ends[0])
    return float((first + INTO_STRAIGHT_M) % length), warning
