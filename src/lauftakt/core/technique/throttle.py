"""The throttle: picked up, full, let off in between."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks

from lauftakt.core.arrays import spans
from lauftakt.core.technique.signals import BRAKE_ON, Signals

Array = NDArray[np.float64]
# The contract: share of the run's maximum from which on it is full.
FULL = 0.95
# The contract's "a little before the lowest speed".
LITTLE_BEFORE_M = 12.0
# Share that must be let off to be a lift; a foot on a rough road moves by less.
LIFT = 0.25
# A throttle that is opened under the brake for no longer is a blip for a lower gear, s.
BLIP_S = 0.6
# A gear change takes no longer, s, with gears known and without, and shows within so many metres.
SHIFT_S, SHIFT_BLIND_S, SHIFT_M = 0.6, 0.3, 8
# Full for so long is worth being called full, s.
STAYS_S = 0.5
# A throttle that falls no further than to this share of what is full was not let off.
TREMBLES = 0.85
# Driving force says less than a pedal: thresholds that agree with pedals in the simulator.
INFERRED_PICKUP = 0.22
INFERRED_FULL = 0.8


def pickup_level(signals: Signals) -> float:
    return INFERRED_PICKUP if signals.throttle_inferred else BRAKE_ON


def full_level(signals: Signals) -> float:
    return INFERRED_FULL if signals.throttle_inferred else FULL


def pickup_and_full(
    signals: Signals, pedal: Array, s: Array, time: Array, brake: Array, slowest: int, gear: Array | None
) -> tuple[int | None, int | None]:
    """Where the throttle is picked up, and from where on it stays full.

    Parameters
    ----------
    signals : of the run
    pedal, s, time, brake : (n,) of one lap in one window: share of full throttle, m, s, brake
    slowest : index of the lowest speed
    gear : (n,), None where none is known

    Returns
    -------
    Indices of the pick-up (first above 5 % from a little before the lowest speed, a blip under the brake apart) and of
    the place from which the throttle is full until it is let off for what comes next; None where that never happens.
    """
    if pedal.min() >= full_level(signals):
        return None, None
    little = pickup_level(signals)
    begin = slowest
    while begin > 0 and pedal[begin] > little and s[slowest] - s[begin] < LITTLE_BEFORE_M:
        begin -= 1
    # Picked up is what is held, or what comes when the brake is off; the rest is a blip for a lower gear.
    held = [
        begin + a for a, b in spans(pedal[begin:] > little)
        if begin + b >= len(s) or time[begin + b] - time[begin + a] > BLIP_S
        or (brake[begin + a : begin + b] <= signals.brake_on).any()
    ]  # fmt: skip
    if not held:
        return None, None
    pickup = held[0]
    low = pickup + int(np.argmin(pedal[pickup : max(slowest, pickup) + 1]))
    kept = _kept(pedal[low:], full_level(signals), time[low:], None if gear is None else gear[low:])
    return pickup, None if kept is None else low + kept


def _kept(pedal: Array, level: float, time: Array, gear: Array | None) -> int | None:
    """Index from which on the throttle stays full, gear changes and a foot that trembles apart; of several times the
    last that is worth one."""
    joined: list[tuple[int, int]] = []
    for a, b in spans(pedal >= level):
        before = joined[-1][1] if joined else 0
        if joined and (pedal[before:a].min() >= TREMBLES * level or _shifts(time, gear, before - 1, a)):
            joined[-1] = (joined[-1][0], b)
        else:
            joined.append((a, b))
    if not joined:
        return None

    def lasts(span: tuple[int, int]) -> float:
        return float(time[span[1] - 1] - time[span[0]])

    long = [span for span in joined if lasts(span) >= STAYS_S]
    return (long[-1] if long else max(joined, key=lasts))[0]


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


def lifts(pedal: Array, time: Array, pickup: int | None, gear: Array | None) -> int:
    """How often the throttle is let off after it was picked up and taken again; gear changes do not count."""
    if pickup is None:
        return 0
    part, clock = pedal[pickup:], time[pickup:]
    gears = None if gear is None else gear[pickup:]
    # Closed again after it was clearly open, however little: a foot that does not trust the car yet.
    state = np.where(part > 2 * BRAKE_ON, 1, np.where(part < 0.5 * BRAKE_ON, -1, 0))
    opened = np.flatnonzero(state > 0)
    shut = spans(state < 0)
    closed = sum(
        bool((opened < a).any() and (opened >= b).any()) and not _shifts(clock, gears, max(a - 1, 0), b)
        for a, b in shut
    )  # fmt: skip
    dips, _ = find_peaks(-part, prominence=LIFT, plateau_size=(1, None))
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
