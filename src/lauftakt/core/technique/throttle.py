"""The throttle: picked up, full, let off in between."""

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks

from lauftakt.core.technique.signals import BRAKE_ON, Signals

Array = NDArray[np.float64]
# The contract: share of the run's maximum from which on it is full.
FULL = 0.95
# The contract's "a little before the lowest speed".
LITTLE_BEFORE_M = 12.0
# Share that must be let off to be a lift; a foot on a rough road moves by less.
LIFT = 0.25
# Driving force says less than a pedal: thresholds that agree with pedals in the simulator.
INFERRED_PICKUP = 0.22
INFERRED_FULL = 0.8


def pickup_level(signals: Signals) -> float:
    return INFERRED_PICKUP if signals.throttle_inferred else BRAKE_ON


def full_level(signals: Signals) -> float:
    return INFERRED_FULL if signals.throttle_inferred else FULL


def pickup_and_full(signals: Signals, pedal: Array, s: Array, slowest: int) -> tuple[int | None, int | None]:
    """Index of the pick-up (first above 5 % from a little before the lowest speed) and of full throttle after it."""
    if pedal.min() >= full_level(signals):
        return None, None
    little = pickup_level(signals)
    begin = slowest
    while begin > 0 and pedal[begin] > little and s[slowest] - s[begin] < LITTLE_BEFORE_M:
        begin -= 1
    on = np.flatnonzero(pedal[begin:] > little)
    if not len(on):
        return None, None
    pickup = begin + int(on[0])
    low = pickup + int(np.argmin(pedal[pickup : max(slowest, pickup) + 1]))
    full = np.flatnonzero(pedal[low:] >= full_level(signals))
    return pickup, (low + int(full[0]) if len(full) else None)


def reaches(values: Array, s: Array, index: int, level: float) -> float:
    """Interpolated place at which a level is reached, the first sample at or above it being known."""
    if index == 0 or values[index] <= values[index - 1]:
        return float(s[index])
    share = np.clip((level - values[index - 1]) / (values[index] - values[index - 1]), 0.0, 1.0)
    return float(s[index - 1] + share * (s[index] - s[index - 1]))


def lifts(pedal: Array, time: Array, pickup: int | None, full: int | None, gear: Array | None) -> int:
    """How often the throttle is let off after it was picked up and taken again; gear changes do not count."""
    if pickup is None:
        return 0
    part = pedal[pickup:]
    # Closed again after it was clearly open, however little: a foot that does not trust the car yet.
    state = np.where(part > 2 * BRAKE_ON, 1, np.where(part < 0.5 * BRAKE_ON, -1, 0))
    known = state[state != 0]
    closed = int((np.diff(known) < 0).sum()) - int(len(known) > 0 and known[-1] < 0)
    dips, details = find_peaks(-part, prominence=LIFT, plateau_size=(1, None))
    count = 0
    for dip, left, right in zip(dips, details["left_bases"], details["right_bases"], strict=True):
        changed = False
        if gear is not None:
            around = gear[pickup + max(dip - 12, 0) : pickup + dip + 12]
            changed = bool(len(around) and around.max() != around.min()) and part[dip] > 0.0
            changed &= float(time[pickup + min(right, len(part) - 1)] - time[pickup + left]) < 0.5
        # Only what is taken again: the flank into the next braking has no rise after it.
        taken = part[dip:].max() - part[dip] > LIFT
        count += bool(taken and not changed)
    return max(count, closed)
