"""Channels that nobody logs and that follow from what was: made along a lap when somebody wants to see them."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.technique.signals import Scale, Signals
from lauftakt.core.technique.throttle import pickup_level

Array = NDArray[np.float64]

# The brake's rise is the slope over so long: a foot builds the brake up in a tenth of a second or two, s.
RISE_S = 0.1
# Slower than this the path has no bend that could be told, m/s.
SLOWEST = 3.0


def derived_channel(signals: Signals, scale: Scale, role: str) -> Array | None:
    """A derived channel of all timed laps.

    Parameters
    ----------
    signals : of the run
    scale : what its pedals are judged by
    role : a code of :data:`lauftakt.core.registry.DERIVED` that is no difference to the reference

    Returns
    -------
    (laps, e) in SI units at the signals' places; None where it says nothing, since the pedal itself was logged.

    Raises
    ------
    KeyError
        for a role that is none.
    """
    if role == "grip_used":
        return np.array([signals.grip_used(row) for row in range(len(signals.numbers))])
    if role == "curvature":
        # Of the path that was driven: lateral acceleration over the square of the speed.
        return np.where(signals.speed > SLOWEST, signals.aside / np.maximum(signals.speed, SLOWEST) ** 2, np.nan)
    if role == "brake_rise":
        return _rise(signals, scale)
    if role == "rolling":
        off = (signals.brake <= signals.brake_on) & (signals.throttle < pickup_level(signals))
        return np.where(np.isfinite(signals.time), off.astype(float), np.nan)
    if role == "brake_inferred":
        return signals.brake if signals.brake_role is None else None
    if role == "throttle_inferred":
        return signals.throttle if signals.throttle_inferred else None
    raise KeyError(role)


def has_derived(scale: Scale, throttle_logged: bool, role: str) -> bool:
    """Whether :func:`derived_channel` says something of a run."""
    if role == "brake_inferred":
        return scale.brake_role is None
    if role == "throttle_inferred":
        return not throttle_logged or scale.throttle is None
    return True


def _rise(signals: Signals, scale: Scale) -> Array:
    """How quickly the brake is built up, as a share of the run's hardest braking for each second; 0 while it is let
    off. Where no brake was logged the hardest braking is the run's 99th percentile of what was inferred."""
    hardest = scale.brake if signals.brake_role is not None else None
    if not hardest:
        driven = np.isfinite(signals.time)
        hardest = float(np.percentile(signals.brake[driven], 99)) if driven.any() else 1.0
    found = np.full(signals.brake.shape, np.nan)
    for row, (clock, brake) in enumerate(zip(signals.time, signals.brake, strict=True)):
        known = np.isfinite(clock) & np.isfinite(brake)
        if known.sum() < 3:
            continue
        own, values = clock[known], brake[known]
        slope = (np.interp(own + RISE_S / 2, own, values) - np.interp(own - RISE_S / 2, own, values)) / RISE_S
        found[row, known] = np.maximum(slope, 0.0) / max(hardest, 1e-9)
    return found
