"""A run's usable fixes and speed, repaired, in a layout's plane."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import Akima1DInterpolator
from scipy.ndimage import binary_erosion
from scipy.signal import savgol_filter

from lauftakt.core.log.model import Channel, Log, Unusable, Warning
from lauftakt.core.log.repairs import good_fixes
from lauftakt.core.log.speeds import LEAST_HZ, Reference, believed_speed, without_jumps
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
# Fewer positions make no lap.
LEAST_FIXES = 50
# A car whose positions lie within so many metres stands.
STANDS_M = 60.0
# A slower speed is interpolated to this rate, so that integrals of it are smooth.
DENSE_HZ = 50.0
# Between positions further apart than this nothing is known of the speed.
SEEN_S = 0.6
# Over so long a speed from positions averages.
REFERENCE_WINDOW_S = 0.9


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
    guessed : (m,) where the logged speed was not believed and another measurement stands in
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
    guessed: NDArray[np.bool_]

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
    believed = None
    if logged is not None:
        believed = believed_speed(logged.time, np.maximum(logged.values, 0.0), _reference(log, logged, time, x, y))
        if believed.useless:
            logged = log.role("receiver_speed") if logged.role == "speed" else None
    measured = None if logged is None or believed is None else believed.speed
    if believed is not None and believed.useless and logged is not None:
        measured = np.maximum(logged.values, 0.0)
    at_fix = None if logged is None or measured is None else np.interp(time, logged.time, measured)
    keep, warnings = good_fixes(time, x, y, at_fix)
    if believed is not None:
        warnings = [*warnings, *believed.warnings]
    time, x, y = time[keep], x[keep], y[keep]
    if np.hypot(np.ptp(np.percentile(x, [1, 99])), np.ptp(np.percentile(y, [1, 99]))) < STANDS_M:
        raise Unusable("no-motion", "The car never moved in this log: all its positions lie within some metres.")
    if len(time) < LEAST_FIXES:
        raise Unusable("no-positions", "The positions hardly change, or jump about; was the receiver's sky covered?")
    guessed: NDArray[np.bool_] = np.zeros(0, dtype=bool)
    if logged is not None and measured is not None:
        speed_time, speed = logged.time, measured
        if believed is not None and not believed.useless:
            guessed = believed.guessed
        if logged.rate_hz < 0.8 * DENSE_HZ:
            fine = np.arange(speed_time[0], speed_time[-1], 1.0 / DENSE_HZ)
            if guessed.any():
                guessed = np.interp(fine, speed_time, guessed.astype(float)) > 0
            speed, speed_time = np.maximum(Akima1DInterpolator(speed_time, speed)(fine), 0.0), fine
    else:
        speed_time, speed = _speed_from_fixes(time, x, y)
        warnings = [*warnings, Warning("speed-inferred", "No speed is logged; it is taken from the positions.")]
    if len(guessed) != len(speed_time):
        guessed = np.zeros(len(speed_time), dtype=bool)
    return Track(
        plane, time, x, y, _headings(time, x, y), speed_time, speed, logged is not None, tuple(warnings), guessed
    )  # fmt: skip


def _reference(log: Log, logged: Channel, time: Array, x: Array, y: Array) -> Reference:
    """What a logged speed is held against: the receiver's own, else that of the positions, (n,) each."""
    receiver = log.role("receiver_speed")
    if receiver is not None and receiver is not logged and receiver.rate_hz >= LEAST_HZ:
        return Reference(receiver.time, np.maximum(receiver.values, 0.0), np.ones(len(receiver.time), dtype=bool), 0.0)
    good = without_jumps(x, y) & np.append(True, np.diff(time) > 0)
    time, x, y = time[good], x[good], y[good]
    if len(time) < LEAST_FIXES or 1.0 / max(float(np.median(np.diff(time))), 1e-3) < LEAST_HZ:
        return Reference(time, np.zeros(len(time)), np.zeros(len(time), dtype=bool), 0.0)
    clock, speed = _speed_from_fixes(time, x, y)
    behind = time[np.clip(np.searchsorted(time, clock, side="right") - 1, 0, len(time) - 1)]
    ahead = time[np.clip(np.searchsorted(time, clock), 0, len(time) - 1)]
    # Where positions are missing, repeat or have just come back they say nothing about speed.
    still = np.append(np.hypot(np.diff(x), np.diff(y)) < 1e-6, False)
    blind = np.interp(clock, time, still.astype(float)) > 0
    known = (ahead - behind < SEEN_S) & ~blind
    reach = max(1, round(SEEN_S * DENSE_HZ))
    return Reference(clock, speed, binary_erosion(known, iterations=reach), REFERENCE_WINDOW_S)


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
