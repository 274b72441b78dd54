"""The throttle: picked up, full, let off in between."""

from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from lauftakt.core.arrays import spans
from lauftakt.core.technique.signals import BRAKE_ON, Signals

Array = NDArray[np.float64]
# The contract: share of the run's maximum from which on it is full.
FULL = 0.95
# How far a foot that holds the speed may waver, as a share of full throttle.
HOLDS_BY = 0.02
# Share that must be let off to be a lift; a foot on a rough road moves by less.
LIFT = 0.25
# A throttle that is opened under the brake for no longer is a blip for a lower gear, s.
BLIP_S = 0.6
# A gear change takes no longer, s, with gears known and without, and shows within so many metres.
SHIFT_S, SHIFT_BLIND_S, SHIFT_M = 0.6, 0.3, 8
# A rise that is inferred is placed only where it comes to so much more of full throttle within so many metres.
CLEAR, CLEAR_M = 0.25, 15
# Driving force says less than a pedal: thresholds that agree with pedals in the simulator.
INFERRED_PICKUP = 0.22
INFERRED_FULL = 0.8


def pickup_level(signals: Signals) -> float:
    return INFERRED_PICKUP if signals.throttle_inferred else BRAKE_ON


def full_level(signals: Signals) -> float:
    return INFERRED_FULL if signals.throttle_inferred else FULL


def pickup_and_full(
    signals: Signals, pedal: Array, holding: Array, brake: Array, slowest: int
) -> tuple[int | None, int | None]:
    """Where the rise that leads to full throttle begins, and where it is full.

    Parameters
    ----------
    signals : of the run
    pedal, holding, brake : (n,) of one lap in one window: share of full throttle, the share that holds the speed
        (:attr:`lauftakt.core.technique.signals.Signals.holding`), brake
    slowest : index of the lowest speed

    Returns
    -------
    Indices of the pick-up and of full throttle. Full is first after the lowest speed, whatever is let off later; picked
    up is the last place before it at which the throttle still holds the speed or less, so that a foot that only keeps
    the car going, or that lets off once more, has not picked it up yet. None where that does not happen; a throttle
    that is never full is picked up where the rise to its highest begins. Where the throttle is inferred, full is never
    known, and the pick-up only where one clear rise leads on.
    """
    level = full_level(signals)
    if pedal.min() >= level:
        return None, None
    least = INFERRED_PICKUP if signals.throttle_inferred else float(pedal.min())
    little = np.maximum(holding, least) + HOLDS_BY
    # A throttle that is up at the lowest speed was picked up a little before it.
    begin = slowest
    while begin > 0 and pedal[begin] > little[begin]:
        begin -= 1
    after = np.flatnonzero((pedal[begin:] >= level) & (brake[begin:] <= signals.brake_on))
    full = begin + int(after[0]) if len(after) else None
    top = begin + int(np.argmax(pedal[begin:])) if full is None else full
    if pedal[top] <= little[top]:
        return None, full
    under = np.flatnonzero(pedal[begin : top + 1] <= little[begin : top + 1])
    if signals.throttle_inferred:
        # Accelerations tell where a rise begins, not whether it leads to full throttle or to nearly so: which of two
        # rises does cannot be known, nor where it is full.
        low = np.flatnonzero(pedal[top:] <= little[top:])
        if len(low) and pedal[top + low[0] :].max() >= level:
            return None, None
        full = None
    if not len(under):
        return None, full
    pickup = begin + int(under[-1])
    if signals.throttle_inferred and np.argmax(pedal[pickup : top + 1] >= little[pickup] + CLEAR) > CLEAR_M:
        return None, full  # so gentle a rise may have begun anywhere around
    return pickup, full


def first_touch(signals: Signals, pedal: Array, time: Array, brake: Array, slowest: int) -> int | None:
    """Index at which the throttle is first touched near the lowest speed or after it, a blip under the brake apart.

    Parameters
    ----------
    signals : of the run
    pedal, time, brake : (n,) of one lap in one window: share of full throttle, s, brake
    slowest : index of the lowest speed
    """
    little = pickup_level(signals)
    if pedal.min() >= full_level(signals):
        return None
    begin = slowest
    while begin > 0 and pedal[begin] > little and time[slowest] - time[begin] < BLIP_S:
        begin -= 1
    for a, b in spans(pedal[begin:] > little):
        lasts = begin + b >= len(time) or time[begin + b] - time[begin + a] > BLIP_S
        if lasts or (brake[begin + a : begin + b] <= signals.brake_on).any():
            return begin + a
    return None


def _shifts(time: Array, gear: Array | None, before: int, after: int) -> bool:
    """Whether a throttle is let off between two samples only to take a higher gear."""
    lasts = float(time[after] - time[before])
    if gear is None:
        return lasts < SHIFT_BLIND_S
    around = gear[max(before - SHIFT_M, 0) : after + SHIFT_M]
    return lasts < SHIFT_S and float(around[-1]) > float(around[0])


def blip_figures(signals: Signals, pedal: Array, brake: Array, time: Array) -> dict[str, Any]:
    """Blips of the throttle under the brake: how many, the highest, and the most brake that is lost in one.

    Parameters
    ----------
    signals : of the run
    pedal, brake, time : (n,) of one lap in one window

    Returns
    -------
    ``blips``, ``blip_peak`` (share of full throttle) and ``blip_brake_lost`` (share of the peak); the last two None
    where there is none, all None where pedals are not logged.
    """
    nothing: dict[str, Any] = {"blips": None, "blip_peak": None, "blip_brake_lost": None}
    if signals.throttle_inferred or signals.brake_role is None:
        return nothing
    peaks, lost = [], []
    most = float(brake.max())
    for a, b in spans(pedal > pickup_level(signals)):
        inside = a > 0 and b < len(time) and time[b] - time[a] <= BLIP_S
        if not inside or brake[a - 1] <= signals.brake_on or brake[b] <= signals.brake_on:
            continue
        peaks.append(float(pedal[a:b].max()))
        ends = min(float(brake[max(a - 2, 0) : a].max()), float(brake[b : b + 3].max()))
        lost.append(max(ends - float(brake[a:b].min()), 0.0) / most)
    if not peaks:
        return {**nothing, "blips": 0}
    return {"blips": len(peaks), "blip_peak": max(peaks), "blip_brake_lost": max(lost)}


def reaches(values: Array, s: Array, index: int, level: float) -> float:
    """Interpolated place at which a level is reached, the first sample at or above it being known."""
    if index == 0 or values[index] <= values[index - 1]:
        return float(s[index])
    share = np.clip((level - values[index - 1]) / (values[index] - values[index - 1]), 0.0, 1.0)
    return float(s[index - 1] + share * (s[index] - s[index - 1]))


def lifts(pedal: Array, time: Array, touched: int | None, gear: Array | None) -> int:
    """How often the throttle is let off after it was touched and taken again; gear changes do not count."""
    if touched is None:
        return 0
    part, clock = pedal[touched:], time[touched:]
    gears = None if gear is None else gear[touched:]
    # Closed again after it was clearly open, however little: a foot that does not trust the car yet.
    state = np.where(part > 2 * BRAKE_ON, 1, np.where(part < 0.5 * BRAKE_ON, -1, 0))
    opened = np.flatnonzero(state > 0)
    shut = spans(state < 0)
    closed = sum(
        bool((opened < a).any() and (opened >= b).any()) and not _shifts(clock, gears, max(a - 1, 0), b)
        for a, b in shut
    )  # fmt: skip
    dips, _ = scipy.signal.find_peaks(-part, prominence=LIFT, plateau_size=(1, None))
    count = 0
    for dip in dips:
        # From where it is let off to where it is back: half of the lift.
        half = part[dip] + LIFT / 2
        before = dip - int(np.argmax(part[dip::-1] >= half))
        after = dip + int(np.argmax(part[dip:] >= half))
        # Only what is taken again: the flank into the next braking has no rise after it.
        taken = part[dip:].max() - part[dip] > LIFT
        count += bool(taken and not _shifts(clock, gears, before, after))
    return max(count, closed)
