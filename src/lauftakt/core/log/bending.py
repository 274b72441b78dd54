"""How the driven path bends, from what a car feels of it: yaw rate, lateral acceleration, or the steering."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid
from scipy.interpolate import Akima1DInterpolator

from lauftakt.core.log.model import Channel, Log, Unusable

Array = NDArray[np.float64]
# A slower speed is interpolated to this rate, so that integrals of it are smooth.
DENSE_HZ = 50.0
# Below this a car turns on the spot, and what is divided by its speed says nothing.
SLOW_MS = 4.0
# Fewer samples are no channel.
LEAST_SAMPLES = 50


@dataclass(frozen=True)
class Way:
    """What was driven, by the speed alone: ``time`` s, ``speed`` m/s and ``travelled`` m, (n,) each."""

    time: Array
    speed: Array
    travelled: Array

    @property
    def moving(self) -> NDArray[np.bool_]:
        """(n,) where more way has been made: only there does the way tell the time."""
        return np.concatenate([[True], np.diff(self.travelled) > 1e-6])


@dataclass(frozen=True)
class Bending:
    """Curvature of the driven path, (n,) 1/m, and what it was taken from: power of the speed that the channel was
    divided by (1: yaw rate, 2: lateral acceleration, 0: steering, which bends only up to a factor)."""

    curvature: Array
    power: int


def driven_way(log: Log) -> Way:
    """Distance travelled of a log, by its speed.

    Raises
    ------
    Unusable
        ``no-positions`` where no speed is logged.
    """
    channel = log.role("speed") or log.role("receiver_speed")
    if channel is None or len(channel.time) < LEAST_SAMPLES:
        raise Unusable("no-positions", "The log holds neither positions nor a speed, so it cannot be placed.")
    time, speed = channel.time, np.maximum(channel.values, 0.0)
    if channel.rate_hz < 0.8 * DENSE_HZ:
        fine = np.arange(time[0], time[-1], 1.0 / DENSE_HZ)
        speed, time = np.maximum(Akima1DInterpolator(time, speed)(fine), 0.0), fine
    return Way(time, speed, cumulative_trapezoid(speed, time, initial=0.0))


def path_bending(log: Log, way: Way) -> Bending:
    """Curvature of the driven path at the way's times, up to a sign.

    Raises
    ------
    Unusable
        ``no-positions`` where nothing is logged that tells it.
    """
    safe = np.maximum(way.speed, SLOW_MS)
    for role, power in (("yaw_rate", 1), ("lateral_acceleration", 2), ("steering", 0)):
        channel = log.role(role)
        if channel is not None and len(channel.time) > LEAST_SAMPLES:
            values = np.interp(way.time, channel.time, channel.values - _rest(channel, way))
            return Bending(np.where(way.speed > SLOW_MS, values / safe**power, 0.0), power)
    raise Unusable(
        "no-positions",
        "The log holds no positions, and neither yaw rate, lateral acceleration nor steering to recognise corners by.",
    )


def _rest(channel: Channel, way: Way) -> float:
    """What a channel shows at standstill, where the log holds any."""
    still = np.interp(channel.time, way.time, way.speed) < 0.5
    return float(np.median(channel.values[still])) if still.sum() > LEAST_SAMPLES else 0.0
