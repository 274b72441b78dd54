"""The car's speed from the speeds of its wheels, where nothing else was logged."""

import warnings
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.model import Channel, Log, Recognition, Warning
from lauftakt.core.log.roles import WHEELS

Array = NDArray[np.float64]
# A wheel says little about the car below this speed, m/s.
MOVING_MS = 8.0
# One that differs from the others' middle by more, as a share of it, locks, spins or stands.
APART = 0.06
# A wheel that does so for more of the driving measures something else.
MOST_APART = 0.4
# As often as speeds are logged for.
LEAST_HZ = 4.0


def with_car_speed(log: Log) -> Log:
    """A log whose speed is made from its wheels' where it holds no other.

    Wheels differ in size: each is brought to the middle of all by its own scale. In a bend the inner ones are slower
    than the car and the outer ones faster, by the same; one that locks or spins is alone. So the car's speed is the
    middle of the wheels (of four the mean of the two in the middle, of two their mean), and a wheel that is far from it
    does not count there. What all of them share (slip, size) is for whoever holds the speed against positions.

    Parameters
    ----------
    log : with roles

    Returns
    -------
    The log itself where it holds a speed, fewer than two wheels, or no driving; else with a channel of the role
    ``speed`` and ``speed-of-wheels``, which tells a wheel that was left out.
    """
    wheels = [c for end, side in WHEELS if (c := log.role(f"wheel_{end}_{side}")) and c.rate_hz >= LEAST_HZ]
    if log.role("speed") is not None or len(wheels) < 2:
        return log
    clock = max(wheels, key=lambda channel: channel.rate_hz).time
    begin, end = max(c.time[0] for c in wheels), min(c.time[-1] for c in wheels)
    clock = clock[(clock >= begin) & (clock <= end)]
    if len(clock) < 2:
        return log
    rows = np.array([np.maximum(np.interp(clock, c.time, c.values), 0.0) for c in wheels])
    if not (np.median(rows, axis=0) > MOVING_MS).any():
        return log
    rows, lone = _alike(rows)
    away = np.abs(rows - np.median(rows, axis=0)) > APART * np.maximum(np.median(rows, axis=0), MOVING_MS)
    if len(wheels) == 2:
        # Of two that differ under the brake the faster one still turns, and under the throttle the slower one grips:
        # which it is, only positions tell.
        away[:] = False
    speed = _middle(np.where(away | lone[:, None], np.nan, rows))
    names = [channel.name for channel in wheels]
    left = [name for name, out in zip(names, lone, strict=True) if out]
    told = f"No speed is logged; it is the middle of {len(wheels)} wheels."
    if left:
        told += f" Left out, since it contradicts the others: {', '.join(left)}."
    seen = Recognition(by="derived", confidence=1.0)
    made = Channel("speed of the wheels", "m/s", "speed", clock, speed, "m/s", seen)
    return replace(log, channels=(*log.channels, made), warnings=(*log.warnings, Warning("speed-of-wheels", told)))


def _alike(rows: Array) -> tuple[Array, NDArray[np.bool_]]:
    """Wheels at the size of the middle one, (w, n), and which of them contradict the others most of the time, (w,)."""
    middle = np.median(rows, axis=0)
    moving = middle > MOVING_MS
    scales = np.median(rows[:, moving] / middle[moving], axis=1)
    fit = rows / np.where((scales > 0.5) & (scales < 2.0), scales, 1.0)[:, None]
    apart = np.abs(fit[:, moving] / np.median(fit[:, moving], axis=0) - 1.0) > APART
    lone = apart.mean(axis=1) > MOST_APART
    return fit, lone if lone.sum() < len(rows) - 1 else np.zeros(len(rows), dtype=bool)


def _middle(rows: Array) -> Array:
    """(n,) the middle of (w, n) wheels, those that are NaN left out; the nearest moments' where all are."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)  # a moment at which no wheel counts
        middle = np.nanmedian(rows, axis=0)
    moments, known = np.arange(rows.shape[1]), np.isfinite(middle)
    return np.asarray(np.interp(moments, moments[known], middle[known]) if known.any() else np.zeros(rows.shape[1]))
