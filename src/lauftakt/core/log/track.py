"""A run's usable fixes and speed, repaired, in a layout's plane."""

from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.interpolate import Akima1DInterpolator
from scipy.ndimage import binary_erosion
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from lauftakt.core.log.model import Channel, Log, Unusable, Warning
from lauftakt.core.log.repairs import good_fixes
from lauftakt.core.log.sampling import sampling_doubt
from lauftakt.core.log.speeds import LEAST_HZ, Reference, believed_speed, without_jumps
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
# Fewer positions make no lap.
LEAST_FIXES = 50
# A car whose positions lie within so many metres stands.
STANDS_M = 60.0
# A slower speed is interpolated to this rate, so that integrals of it are smooth.
DENSE_HZ = 50.0
# So many times as long as usual, and there is a hole in the positions.
HOLE_STEPS = 4.0
# No circuit has a road that is nowhere and comes back so far away.
APART_M = 5000.0
# Between positions further apart than this nothing is known of the speed.
SEEN_S = 0.6
# No receiver's own speed is noisier; one that was taken from seldom positions has their noise.
LOGGED_NOISE_MS, DERIVED_NOISE_MS = 0.15, 0.6
# A speed that is silent for longer, and for so many of its usual steps, is a pause of the log.
PAUSE_S, PAUSE_STEPS = 1.0, 12.0
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
    doubt : (m,) m^2 per second, what the way between the speed's samples is unsure of
    way_m : m per root second, what the way's noise is at least
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
    doubt: Array
    way_m: float = 0.0

    def in_plane(self, plane: Plane) -> "Track":
        """The same track in another plane, so that a log has to be read only once."""
        if plane == self.plane:
            return self
        x, y = plane.to_xy(*self.plane.to_degrees(self.x, self.y))
        return replace(self, plane=plane, x=x, y=y, heading=_headings(self.fix_time, x, y))


def one_circuit(track: Track) -> tuple[Track, Warning | None]:
    """The part of a track around the place where most was driven, where it holds places that are kilometres apart.

    Returns
    -------
    The track in a plane that touches there, and ``two-circuits`` where something was left out.
    """
    places = _places(track)
    own = places == int(np.argmax(np.bincount(places)))
    if own.all():
        return track, None
    fixes = track.fix_time[own]
    # Driven in one go as a rule; what lies between two visits is not of this place either.
    nearest = np.clip(np.searchsorted(fixes, track.speed_time), 1, len(fixes) - 1)
    gap = np.minimum(np.abs(track.speed_time - fixes[nearest - 1]), np.abs(track.speed_time - fixes[nearest]))
    spoken = gap < 2.0
    degrees = track.plane.to_degrees(track.x[own], track.y[own])
    plane = Plane(float(np.median(degrees[0])), float(np.median(degrees[1])))
    x, y = plane.to_xy(*degrees)
    told = Warning(
        "two-circuits",
        f"The log was driven at places far apart; the circuit is made of the one with {100 * own.mean():.0f} % of the "
        "positions. Cut the log and hand in both parts.",
    )
    kept = replace(
        track, plane=plane, fix_time=fixes, x=x, y=y, heading=_headings(fixes, x, y),
        speed_time=track.speed_time[spoken], speed=track.speed[spoken], guessed=track.guessed[spoken],
        doubt=track.doubt[spoken],
    )  # fmt: skip
    return kept, told


def _places(track: Track) -> NDArray[np.int64]:
    """(n,) which of several places, kilometres apart, a fix belongs to."""
    cells = np.column_stack([np.floor(track.x / APART_M), np.floor(track.y / APART_M)]).astype(np.int64)
    unique, of = np.unique(cells, axis=0, return_inverse=True)
    near = np.abs(unique[:, None, :] - unique[None, :, :]).max(axis=2) <= 1
    _, group = connected_components(csr_matrix(near), directed=False)
    return np.asarray(group[of.reshape(-1)], dtype=np.int64)


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
    if logged is None or measured is None:
        speed_time, speed = _speed_from_fixes(time, x, y)
        guessed = np.zeros(len(speed_time), dtype=bool)
        warnings = [*warnings, Warning("speed-inferred", "No speed is logged; it is taken from the positions.")]
    else:
        speed_time, speed = logged.time, measured
        own = believed is not None and not believed.useless
        guessed = believed.guessed if believed is not None and own else np.zeros(len(speed_time), dtype=bool)
    most = LOGGED_NOISE_MS if logged is not None else DERIVED_NOISE_MS
    speed_time, speed, guessed, doubt, way_m = _dense(speed_time, speed, guessed, most)
    return Track(
        plane, time, x, y, _headings(time, x, y), speed_time, speed, logged is not None, tuple(warnings), guessed,
        doubt, way_m,
    )  # fmt: skip


def _dense(
    time: Array, speed: Array, guessed: NDArray[np.bool_], most_noise_ms: float
) -> tuple[Array, Array, NDArray[np.bool_], Array, float]:
    """A speed's samples at a rate at which integrals of it are smooth, with what the way between them is unsure of."""
    if len(time) < 9 or 1.0 / max(float(np.median(np.diff(time))), 1e-3) >= 0.8 * DENSE_HZ:
        return time, speed, guessed, np.zeros(len(time)), 0.0
    doubt, noise = sampling_doubt(time, speed, most_noise_ms)
    fine = _measured(np.arange(time[0], time[-1], 1.0 / DENSE_HZ), time)
    guessed = np.interp(fine, time, guessed.astype(float)) > 0
    dense = np.maximum(Akima1DInterpolator(time, speed)(fine), 0.0)
    return fine, dense, guessed, np.interp(fine, time, doubt), noise


def _measured(fine: Array, time: Array) -> Array:
    """A clock without the pauses of the samples' own: what would be filled in there was never measured."""
    steps = np.diff(time)
    paused = steps > max(PAUSE_S, PAUSE_STEPS * float(np.median(steps)))
    return np.asarray(fine[~paused[np.clip(np.searchsorted(time, fine, side="right") - 1, 0, len(steps) - 1)]])


def _reference(log: Log, logged: Channel, time: Array, x: Array, y: Array) -> Reference:
    """What a logged speed is held against: the receiver's own, else that of the positions, (n,) each."""
    receiver = log.role("receiver_speed")
    if receiver is not None and receiver is not logged and receiver.rate_hz >= LEAST_HZ:
        steps = np.diff(receiver.time)
        near = np.minimum(np.append(steps, steps[-1]), np.append(steps[0], steps)) < SEEN_S
        seen = near & (np.maximum(np.append(steps, 0.0), np.append(0.0, steps)) < SEEN_S)
        return Reference(receiver.time, np.maximum(receiver.values, 0.0), seen, 0.0)
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
    return (
        f"No positions were found among the log's {len(log.channels)} channels.{not_understood(log)} A log without any "
        "is placed by its corners."
    )


def not_understood(log: Log) -> str:
    """A sentence, with a blank before it, that names channels that may be the positions missed; empty without any."""
    names = [channel.name for channel in log.channels if channel.role is None][:4]
    return f" Not understood: {', '.join(names)}; if they are positions, say so in the role table." if names else ""


def _headings(time: Array, x: Array, y: Array) -> Array:
    """Direction of travel from fixes about half a second apart."""
    reach = max(1, round(0.3 / max(float(np.median(np.diff(time))), 1e-3)))
    before = np.clip(np.arange(len(x)) - reach, 0, None)
    after = np.clip(np.arange(len(x)) + reach, None, len(x) - 1)
    # Across a hole a chord has another direction than the car.
    step = float(np.median(np.diff(time)))
    whole = np.arange(len(x))
    before = np.where(time - time[before] > HOLE_STEPS * reach * step, whole, before)
    after = np.where(time[after] - time > HOLE_STEPS * reach * step, whole, after)
    dx, dy = x[after] - x[before], y[after] - y[before]
    heading = np.arctan2(dy, dx)
    moving = np.hypot(dx, dy) > 2.0
    if not moving.any():
        return heading
    # At standstill noise would turn the car round: keep the last direction known.
    last = np.maximum.accumulate(np.where(moving, np.arange(len(x)), np.argmax(moving)))
    return np.asarray(heading[last])


def _speed_from_fixes(time: Array, x: Array, y: Array) -> tuple[Array, Array]:
    """Speed from positions: by local quadratic fits (Savitzky and Golay 1964) on an even clock, or, where they are so
    seldom that fits would blur the braking, by a parabola through each and its two neighbours."""
    step = float(np.median(np.diff(time)))
    if 1.0 / max(step, 1e-3) < LEAST_HZ:
        return time, np.hypot(np.gradient(x, time), np.gradient(y, time))
    even = np.arange(time[0], time[-1], step)
    window = max(5, round(REFERENCE_WINDOW_S / step) // 2 * 2 + 1)
    vx, vy = (
        scipy.signal.savgol_filter(Akima1DInterpolator(time, p)(even), window, 2, deriv=1, delta=step) for p in (x, y)
    )  # fmt: skip
    fine = _measured(np.arange(even[0], even[-1], 1.0 / DENSE_HZ), time)
    return fine, np.maximum(Akima1DInterpolator(even, np.hypot(vx, vy))(fine), 0.0)
