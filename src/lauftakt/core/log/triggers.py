"""Moments at which a logger saw the start line: the edges of a lap trigger, or the steps of a lap counter."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.model import Channel, Log

Array = NDArray[np.float64]

# No lap is shorter; what follows sooner is the same pulse again.
SHORTEST_LAP_S = 12.0
# A trigger is at rest for all but this share of the time.
SELDOM = 0.1


def line_moments(log: Log) -> tuple[Array, float]:
    """When the line was seen.

    Parameters
    ----------
    log : with a lap trigger, or else a lap counter

    Returns
    -------
    times : (k,) s; a trigger's pulse counts where it begins, a counter's step half a sample before it was written
    rate_hz : samples in a second of the channel that tells it, 0 where none does
    """
    for role, edges in (("lap_trigger", _pulses), ("lap_number", _steps)):
        channel = log.role(role)
        if channel is None or len(channel.values) < 3:
            continue
        times = edges(channel)
        if len(times):
            return times, channel.rate_hz
    return np.zeros(0), 0.0


def _steps(channel: Channel) -> Array:
    at = np.flatnonzero(np.diff(channel.values) > 0) + 1
    return np.asarray(channel.time[at] - 0.5 / max(channel.rate_hz, 1.0))


def _pulses(channel: Channel) -> Array:
    """Where the trigger leaves its rest; none where it is not at rest most of the time."""
    values = channel.values
    rest = float(np.median(values))
    away = np.abs(values - rest) > 0.5 * float(np.max(np.abs(values - rest)))
    if not away.any() or away.mean() > SELDOM:
        return np.zeros(0)
    at = np.flatnonzero(np.diff(away.astype(int)) > 0) + 1
    times = channel.time[at] - 0.5 / max(channel.rate_hz, 1.0)
    apart = np.append(np.inf, np.diff(times))
    return np.asarray(times[apart > SHORTEST_LAP_S])
