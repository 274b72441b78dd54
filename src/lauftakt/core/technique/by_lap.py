"""Figures of every channel by lap: lowest, highest, mean and percentiles, and what the driver made of the car."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.laps.lap import Lap
from lauftakt.core.log.model import Channel, Log
from lauftakt.core.registry import LOGGED
from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.throttle import FULL, INFERRED_FULL

Array = NDArray[np.float64]

# What is kept of each channel and lap, in this order.
STATISTICS = ("low", "p05", "mean", "p95", "high")
# What the driver did with the car in a lap: one value each, whatever the statistic.
PEAK_BRAKING, LATERAL_GRIP, FULL_THROTTLE = "peak_braking", "lateral_grip", "full_throttle_share"
DRIVERS = (PEAK_BRAKING, LATERAL_GRIP, FULL_THROTTLE)
# A peak is what was held for a twentieth of a lap's braking or cornering, not a single noisy sample.
PEAK = 95.0
# Below so much nobody brakes or corners in earnest, m/s^2.
IN_EARNEST = 2.0


def figures_by_lap(log: Log, laps: Sequence[Lap], signals: Signals | None, length: float) -> dict[str, Array]:
    """Figures of a run's laps.

    Parameters
    ----------
    log : the run's log, SI units
    laps : of the run, all of them
    signals : of its timed laps, where there are any
    length : of the lap, m

    Returns
    -------
    By role, and by code of what the driver did, (laps, 5): lowest, 5th percentile, mean, 95th percentile, highest, in
    the order of the laps. The mean is over time. NaN where nothing was logged in a lap; a driver's figure stands in
    all five columns.
    """
    found = {}
    for role in LOGGED:
        channel = log.role(role)
        if channel is not None and len(channel.time):
            found[role] = _of_channel(channel, laps)
    return found | ({} if signals is None else _of_driver(laps, signals, length))


def _of_channel(channel: Channel, laps: Sequence[Lap]) -> Array:
    found = np.full((len(laps), len(STATISTICS)), np.nan)
    for row, lap in enumerate(laps):
        first, last = np.searchsorted(channel.time, [lap.start_s, lap.end_s])
        values, time = channel.values[first:last], channel.time[first:last]
        if not len(values):
            continue
        span = time[-1] - time[0]
        mean = float(np.trapezoid(values, time) / span) if span > 0 else float(values.mean())
        low, high = np.percentile(values, [5.0, 95.0])
        found[row] = values.min(), low, mean, high, values.max()
    return found


def _of_driver(laps: Sequence[Lap], signals: Signals, length: float) -> dict[str, Array]:
    """Peak braking and cornering, m/s^2, and the share of time at full throttle, of timed laps."""
    inner = (signals.places >= 0.0) & (signals.places <= length)
    full = INFERRED_FULL if signals.throttle_inferred else FULL
    found = {code: np.full((len(laps), len(STATISTICS)), np.nan) for code in DRIVERS}
    rows = {number: index for index, number in enumerate(signals.numbers)}
    for row, lap in enumerate(laps):
        index = rows.get(lap.number)
        if index is None:
            continue
        braking = -signals.ahead[index, inner]
        cornering = np.abs(signals.aside[index, inner])
        time = np.gradient(signals.time[index, inner])
        known = np.isfinite(time)
        flat = signals.throttle[index, inner] > full
        for code, value in (
            (PEAK_BRAKING, _peak(braking)),
            (LATERAL_GRIP, _peak(cornering)),
            (FULL_THROTTLE, float((time * flat)[known].sum() / time[known].sum()) if known.any() else np.nan),
        ):
            found[code][row] = value
    return found


def _peak(values: Array) -> float:
    earnest = values[np.isfinite(values) & (values > IN_EARNEST)]
    return float(np.percentile(earnest, PEAK)) if len(earnest) else float("nan")
