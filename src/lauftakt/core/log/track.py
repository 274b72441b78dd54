"""A run's usable fixes and speed, repaired, in a layout's plane."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import Akima1DInterpolator
from scipy.signal import savgol_filter

from lauftakt.core.log.model import Log, Unusable, Warning
from lauftakt.core.log.repairs import good_fixes
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
# Fewer positions make no lap.
LEAST_FIXES = 50
# A car whose positions lie within so many metres stands.
STANDS_M = 60.0
# A slower speed is interpolated to this rate, so that integrals of it are smooth.
DENSE_HZ = 50.0


@dataclass(frozen=True)
class Track:
    """A run's usable fixes and speed, in a plane.

    Attributes
    ----------
    plane : in which ``x`` and ``y`` are
    fix_time, x, y, heading : (n,) s, m, m, radians
    speed_time, speed : (m,) s, m/s; a logged speed, or one derived from the fixes
    logged_speed : whether the speed was logged
    warnings : what was repaired
    """

    plane: Plane
    fix_time: Array
    x: Array
    y: Array
    heading: Array
    speed_time: Array
    speed: Array
    logged_speed: bool
    warnings: tuple[Warning, ...]

    def in_plane(self, plane: Plane) -> "Track":
        """The same track in another plane, so that a log has to be read only once."""
        if plane == self.plane:
            return self
        x, y = plane.to_xy(*self.plane.to_degrees(self.x, self.y))
        return replace(self, plane=plane, x=x, y=y, heading=_headings(self.fix_time, x, y))


def read_track(log: Log) -> Track:
    """Fixes and speed of a log, repaired, in a plane that touches in the middle of the driving.

    Raises
    ------
    Unusable
        ``no-positions`` where the log holds no (or hardly any) latitude and longitude.
    """
    positions = log.positions()
    if positions is None:
        raise Unusable("no-positions", _no_positions(log))
    latitude, longitude = positions
    time = latitude.time
    lon = np.interp(time, longitude.time, longitude.values)
    some = (np.abs(latitude.values) > 1e-6) | (np.abs(lon) > 1e-6)
    some &= (np.abs(latitude.values) <= 90) & (np.abs(lon) <= 180)
    if some.sum() < LEAST_FIXES:
        raise Unusable("no-positions", "The log holds fewer than 50 usable positions; was the receiver switched on?")
    plane = Plane(float(np.median(latitude.values[some])), float(np.median(lon[some])))
    time, (x, y) = time[some], plane.to_xy(latitude.values[some], lon[some])
    logged = log.role("speed") or log.role("receiver_speed")
    at_fix = None if logged is None else np.interp(time, logged.time, logged.values)
    keep, warnings = good_fixes(time, x, y, at_fix)
    time, x, y = time[keep], x[keep], y[keep]
    if np.hypot(np.ptp(np.percentile(x, [1, 99])), np.ptp(np.percentile(y, [1, 99]))) < STANDS_M:
        raise Unusable("no-motion", "The car never moved in this log: all its positions lie within some metres.")
    if len(time) < LEAST_FIXES:
        raise Unusable("no-positions", "The positions hardly change, or jump about; was the receiver's sky covered?")
    if logged is not None:
        speed_time, speed = logged.time, np.maximum(logged.values, 0.0)
        if logged.rate_hz < 0.8 * DENSE_HZ:
            fine = np.arange(speed_time[0], speed_time[-1], 1.0 / DENSE_HZ)
            speed, speed_time = np.maximum(Akima1DInterpolator(speed_time, speed)(fine), 0.0), fine
    else:
        speed_time, speed = _speed_from_fixes(time, x, y)
        warnings = [*warnings, Warning("speed-inferred", "No speed is logged; it is taken from the positions.")]
    return Track(plane, time, x, y, _headings(time, x, y), speed_time, speed, logged is not None, tuple(warnings))


def _no_positions(log: Log) -> str:
    """What a log without positions holds instead, and what to do."""
    names = [channel.name for channel in log.channels if channel.role is None][:4]
    some = f" (not understood: {', '.join(names)})" if names else ""
    return (
        f"No positions were found among the log's {len(log.channels)} channels{some}. Say in the role table which they "
        "are; a log without any is placed by its corners once its circuit is known."
    )


def _headings(time: Array, x: Array, y: Array) -> Array:
    """Direction of travel from fixes about half a second apart."""
    reach = max(1, round(0.3 / max(float(np.median(np.diff(time))), 1e-3)))
    before = np.clip(np.arange(len(x)) - reach, 0, None)
    after = np.clip(np.arange(len(x)) + reach, None, len(x) - 1)
    dx, dy = x[after] - x[before], y[after] - y[before]
    heading = np.arctan2(dy, dx)
    moving = np.hypot(dx, dy) > 2.0
    if not moving.any():
        return heading
    # At standstill noise would turn the car round: keep the last direction known.
    last = np.maximum.accumulate(np.where(moving, np.arange(len(x)), np.argmax(moving)))
    return np.asarray(heading[last])


def _speed_from_fixes(time: Array, x: Array, y: Array) -> tuple[Array, Array]:
    """Speed by local quadratic fits to the fixes (Savitzky and Golay 1964) on an even clock."""
    step = float(np.median(np.diff(time)))
    even = np.arange(time[0], time[-1], step)
    window = max(5, round(0.9 / step) // 2 * 2 + 1)
    vx, vy = (savgol_filter(np.interp(even, time, p), window, 2, deriv=1, delta=step) for p in (x, y))
    fine = np.arange(even[0], even[-1], 1.0 / DENSE_HZ)
    return fine, np.maximum(Akima1DInterpolator(even, np.hypot(vx, vy))(fine), 0.0)
