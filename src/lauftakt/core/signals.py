"""Channels of a run on the layout's grid, and what stands in for those that were not logged."""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.laps import Lap, LapTrace
from lauftakt.core.log import Channel, Log
from lauftakt.core.placing import Placed

Array = NDArray[np.float64]

STEPPED = {"gear", "lap_number"}
GRIDDED = (
    "throttle",
    "brake_pressure",
    "brake_pedal",
    "steering",
    "gear",
    "engine_speed",
    "lateral_acceleration",
    "longitudinal_acceleration",
    "yaw_rate",
    "oil_temperature",
    "water_temperature",
)


def sample(channel: Channel, at: Array) -> Array:
    """A channel's values at (n,) times in seconds: held between samples where it steps, else linear."""
    if channel.role in STEPPED:
        index = np.clip(np.searchsorted(channel.time, at, side="right") - 1, 0, len(channel.time) - 1)
        return np.asarray(channel.values[index])
    return np.interp(at, channel.time, channel.values)


def on_grid(log: Log, placed: Placed, laps: list[Lap], traces: dict[int, LapTrace]) -> dict[str, Array]:
    """Channels of all timed laps on the layout's grid.

    Parameters
    ----------
    log, placed : the run
    laps, traces : from :func:`lauftakt.core.laps.split_laps`

    Returns
    -------
    By role, (timed laps, g) in SI units, in the order of ``traces``. ``speed`` is the path's, corrected by its scale;
    always there. ``offset`` is metres across the centre line. Others only where logged.
    """
    starts = {lap.number: lap.start_s for lap in laps}
    when = np.array([starts[number] + trace.time for number, trace in traces.items()])
    grid: dict[str, Array] = {}
    if not len(when):
        return grid
    grid["speed"] = np.interp(when, placed.time, placed.speed)
    grid["offset"] = np.array([trace.offset for trace in traces.values()])
    for role in GRIDDED:
        channel = log.role(role)
        if channel is not None and len(channel.time) > 1:
            grid[role] = sample(channel, when)
    return grid


def braking(grid: dict[str, Array], times: Array) -> NDArray[np.bool_]:
    """Where the car brakes, (laps, g) of True and False.

    From brake pressure or pedal (beyond 5 % of its 99th percentile), or where neither is logged from deceleration
    beyond 2.5 m/s2, about what lifting and air cannot reach in a road car.
    """
    for role in ("brake_pressure", "brake_pedal"):
        if role in grid:
            return np.asarray(grid[role] > 0.05 * np.percentile(grid[role], 99))
    slope = np.gradient(gaussian_filter1d(grid["speed"], 3, axis=1), axis=1) / np.maximum(
        np.gradient(times, axis=1), 1e-4
    )
    return np.asarray(slope < -2.5)
