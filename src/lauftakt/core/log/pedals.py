"""Pedals whose figures are no shares: voltages, counts or millimetres between two stops, shares with an offset."""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

# A stop is where a pedal spends this share of the time, within this share of its range.
OFTEN = 0.05
NEAR = 0.03


# So many samples tell where values lie.
ENOUGH = 20_000


def spread_of(values: Array, shares: tuple[float, float]) -> tuple[float, float]:
    """Two percentiles of many values, by some of them."""
    some = values[:: max(1, len(values) // ENOUGH)]
    low, high = np.percentile(some, shares)
    return float(low), float(high)


def between_stops(values: Array, role: str) -> tuple[Array, tuple[float, float]]:
    """A pedal's travel as a share of the way between its stops.

    Parameters
    ----------
    values : (n,) in whatever unit
    role : ``throttle``, ``brake_pedal`` or ``clutch``

    Returns
    -------
    Shares from 0 (released) to 1, and the figures of the two stops. The released stop of a brake or clutch is where it
    rests most of the time, that of a throttle the lower end.
    """
    low, high = spread_of(values, (0.3, 99.7))
    if high <= low:
        return np.zeros_like(values), (low, high)
    if role == "throttle":
        released, pressed = low, high
    else:
        # At rest most of the time: the end that the median lies next to.
        middle = float(np.median(values))
        released, pressed = (low, high) if middle - low <= high - middle else (high, low)
        near = np.abs(values - released) < NEAR * (high - low)
        if near.mean() > OFTEN:
            released = float(np.median(values[near]))
    return np.clip((values - released) / (pressed - released), 0.0, 1.0), (released, pressed)


def rest_of(values: Array) -> float | None:
    """The figure at which a brake rests, None where it does not rest at one.

    Parameters
    ----------
    values : (n,) pressures or shares of a brake
    """
    low, high = spread_of(values, (0.5, 99.5))
    span = high - low
    if span <= 0:
        return None
    near = values[values < low + NEAR * span]
    return float(np.median(near)) if len(near) > 0.3 * len(values) else None


def stops_of_share(values: Array) -> tuple[float, float] | None:
    """The stops of a throttle given as a share, where it rests at both of them often; None else."""
    low, high = spread_of(values, (0.5, 99.5))
    span = high - low
    if span <= 0:
        return None
    at_low, at_high = values < low + NEAR * span, values > high - NEAR * span
    if at_low.mean() < OFTEN or at_high.mean() < OFTEN:
        return None
    return float(np.median(values[at_low])), float(np.median(values[at_high]))
