"""Places a run on a layout: position along and offset across the centre line at every moment, with uncertainty."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import Akima1DInterpolator, BSpline
from scipy.signal import savgol_filter

from lauftakt.core.centre import CentreLine, smooth_curve
from lauftakt.core.geo import Plane
from lauftakt.core.log import Log, Unusable, Warning
from lauftakt.core.smoother import Nodes, Noise, Smoothed, smooth
from lauftakt.core.tidy import good_fixes

Array = NDArray[np.float64]

DRAWS = 64
OFF_CIRCUIT_M = 25.0
MOVING_MS = 4.0
DENSE_HZ = 50.0


@dataclass(frozen=True)
class Track:
    """A run's usable fixes and speed, in a layout's plane.

    Attributes
    ----------
    fix_time, x, y, heading : (n,) s, m, m, radians
    speed_time, speed : (m,) s, m/s; a logged speed, or one derived from the fixes
    logged_speed : whether the speed was logged
    warnings : what was repaired
    """

    fix_time: Array
    x: Array
    y: Array
    heading: Array
    speed_time: Array
    speed: Array
    logged_speed: bool
    warnings: tuple[Warning, ...]


@dataclass(frozen=True)
class Placed:
    """A run on a layout.

    Attributes
    ----------
    time : (n,) s from the log's first sample
    s : (n,) m along the centre line, unwrapped: whole laps keep adding up; never falls
    n : (n,) m across, left positive
    speed : (n,) m/s, speed of the path, corrected by the scale
    node_time, node_draws : (k,) s and (k, draws) m, draws of the error of ``s``
    on_circuit : (n,) False where the car was away from the layout or nothing was logged
    scale, scale_u, delay_s : estimated factor of the logged speed, its standard deviation, delay of the positions
    """

    time: Array
    s: Array
    n: Array
    speed: Array
    node_time: Array
    node_draws: Array
    on_circuit: NDArray[np.bool_]
    scale: float
    scale_u: float
    delay_s: float
    inferred_speed: bool
    warnings: tuple[Warning, ...]


def read_track(log: Log, plane: Plane) -> Track:
    """Fixes and speed of a log, repaired and brought into a plane.

    Raises
    ------
    Unusable
        ``no-positions`` where the log holds no (or hardly any) latitude and longitude.
    """
    latitude, longitude = log.role("latitude"), log.role("longitude")
    if latitude is None or longitude is None:
        raise Unusable(
            "no-positions", "The log holds no latitude and longitude, so it cannot be placed on the circuit."
        )
    time = latitude.time
    lon = np.interp(time, longitude.time, longitude.values)
    some = (np.abs(latitude.values) > 1e-6) | (np.abs(lon) > 1e-6)
    some &= (np.abs(latitude.values) <= 90) & (np.abs(lon) <= 180)
    if some.sum() < 50:
        raise Unusable("no-positions", "The log holds fewer than 50 usable positions; was the receiver switched on?")
    time, (x, y) = time[some], plane.to_xy(latitude.values[some], lon[some])
    logged = log.role("speed") or log.role("receiver_speed")
    at_fix = None if logged is None else np.interp(time, logged.time, logged.values)
    keep, warnings = good_fixes(time, x, y, at_fix)
    time, x, y = time[keep], x[keep], y[keep]
    if logged is not None:
        speed_time, speed = logged.time, np.maximum(logged.values, 0.0)
        if logged.rate_hz < 0.8 * DENSE_HZ:
            fine = np.arange(speed_time[0], speed_time[-1], 1.0 / DENSE_HZ)
            speed, speed_time = np.maximum(Akima1DInterpolator(speed_time, speed)(fine), 0.0), fine
    else:
        speed_time, speed = _speed_from_fixes(time, x, y)
        warnings = [*warnings, Warning("speed-inferred", "No speed is logged; it is taken from the positions.")]
    return Track(time, x, y, _headings(time, x, y), speed_time, speed, logged is not None, tuple(warnings))


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


class _MeanLine:
    """A driver's mean offset over the laps of a run, and its angle to the centre line."""

    def __init__(self, centre: CentreLine, s: Array, n: Array, weight: Array) -> None:
        self._centre = centre
        self._offset: BSpline | None = None
        if weight.sum() > centre.length / 20:
            self._offset, _ = smooth_curve(
                centre.wrap(s), n, n, centre.length, closed=centre.closed, cutoff_m=30.0, weight=weight
            )

    def at(self, s: Array) -> tuple[Array, Array, Array]:
        """Offset (m), tangent of the angle to the centre line, and curvature of the centre line (1/m) at ``s``."""
        inside = self._centre.wrap(s)
        bend = np.interp(inside, self._centre.s, self._centre.curvature)
        if self._offset is None:
            return np.zeros(len(inside)), np.zeros(len(inside)), bend
        n = self._offset(inside)
        return n, self._offset(inside, 1) / (1 - n * bend), bend


def place_run(log: Log, plane: Plane, centre: CentreLine, *, noise: Noise | None = None, passes: int = 4) -> Placed:
    """Position along the layout's centre line at every moment of a run.

    Projected fixes are right on average but noisy, the logged speed is smooth but its scale is wrong, and it is speed
    along the driven path, which is longer or shorter than the centre line:

        ds/dt = k v cos(theta) / (1 - n kappa)

    with the speed's scale k, the centre line's curvature kappa, and the driver's own mean line n(s), theta(s) over the
    laps of the run, in which slow position errors average out. :func:`lauftakt.core.smoother.smooth` weighs both
    sources; mean line and smoothing are repeated a few times because each needs the other.

    Parameters
    ----------
    log : needs latitude and longitude; uses speed where logged
    plane, centre : the layout's
    noise : what is assumed of the log, or None to choose by what it holds and by its own residuals
    passes : rounds of mean line and smoothing

    Returns
    -------
    See :class:`Placed`.

    Raises
    ------
    Unusable
        ``no-positions``; ``elsewhere`` where the run did not take place on this layout.
    """
    track = read_track(log, plane)
    wrapped, offset = centre.project(track.x, track.y, track.heading)
    along = centre.at(wrapped)[2]
    near = (np.abs(offset) < OFF_CIRCUIT_M) & (np.cos(track.heading - along) > 0.0)
    if near.mean() < 0.3 or near.sum() < 50:
        raise Unusable("elsewhere", "The positions of this log do not run along the circuit's layout.")
    given = noise
    noise = noise or (Noise() if track.logged_speed else Noise(speed_m=0.12, scale=0.003, delay_s=0.001))

    # Nodes: the fixes, and more in the gaps so that the models in between stay smooth.
    fix_time = track.fix_time
    inside = (fix_time >= track.speed_time[0]) & (fix_time <= track.speed_time[-1])
    fix_time, wrapped, offset, near = fix_time[inside], wrapped[inside], offset[inside], near[inside]
    time, has_fix = _nodes(fix_time)
    travelled = np.concatenate([[0.0], np.cumsum(np.diff(track.speed_time) * (track.speed[1:] + track.speed[:-1]) / 2)])
    at_node = np.interp(time, track.speed_time, travelled)
    s = _unwrap(time, at_node, fix_time[near], wrapped[near], centre)
    measured = np.zeros(len(time))
    across = np.zeros(len(time))
    believed = np.zeros(len(time))
    measured[has_fix], across[has_fix], believed[has_fix] = wrapped, offset, near.astype(float)
    pace = np.interp(time, track.speed_time, track.speed)

    trust = believed.copy()
    drift_across = np.zeros(len(time))
    steps = np.diff(track.speed_time)
    result: Smoothed | None = None
    carried = np.zeros(len(track.speed_time))
    for turn in range(passes):
        line = _MeanLine(centre, s, across - drift_across, trust * (pace > MOVING_MS))
        dense_s = np.interp(track.speed_time, time, s)
        n, slope, bend = line.at(dense_s)
        stretch = np.maximum(1.0 - n * bend, 0.3)
        rate = track.speed / np.sqrt(1.0 + slope**2) / stretch
        carried = np.concatenate([[0.0], np.cumsum(steps * (rate[1:] + rate[:-1]) / 2)])
        swing = rate * bend / stretch
        swung = np.concatenate([[0.0], np.cumsum(steps * (swing[1:] + swing[:-1]) / 2)])
        node_n, _, node_bend = line.at(s)
        inside_s = centre.wrap(s)
        miss = measured - inside_s
        if centre.closed:
            miss = (miss + centre.length / 2) % centre.length - centre.length / 2
        _, _, heading = centre.at(s)
        nodes = Nodes(
            time=time,
            s=s,
            advance=np.diff(np.interp(time, track.speed_time, carried)),
            swing=np.diff(np.interp(time, track.speed_time, swung)),
            along=np.where(believed > 0, miss, 0.0),
            across=np.where(believed > 0, across - node_n, 0.0),
            tangent=np.column_stack([np.cos(heading), np.sin(heading)]),
            stretch=np.maximum(1.0 - across * node_bend, 0.3),
            pace=np.interp(time, track.speed_time, rate),
            weight=trust,
        )
        last = turn == passes - 1
        result = smooth(nodes, noise, draws=DRAWS if last else 0)
        if last:
            break
        s = s + result.correction
        drift_across = -result.drift[:, 0] * nodes.tangent[:, 1] + result.drift[:, 1] * nodes.tangent[:, 0]
        drift_along = result.drift[:, 0] * nodes.tangent[:, 0] + result.drift[:, 1] * nodes.tangent[:, 1]
        left_along = nodes.stretch * (nodes.along - result.correction + nodes.pace * result.delay_s) - drift_along
        left_across = nodes.across - result.departure - drift_across
        if given is None:
            noise = _with_fix_noise(noise, left_along[trust > 0.5], left_across[trust > 0.5])
        # Student's t with four degrees of freedom keeps single wild fixes from pulling (Lange et al., JASA 84, 1989).
        away = (left_along**2 + left_across**2) / noise.fix_m**2
        trust = believed * np.minimum(1.0, 6.0 / (4.0 + away))
    assert result is not None
    final = s + result.correction
    base = result.scale * carried
    change = np.interp(track.speed_time, time, final - np.interp(time, track.speed_time, base))
    covered = (track.speed_time >= time[0]) & (track.speed_time <= time[-1])
    dense_time = track.speed_time[covered]
    dense_s = np.maximum.accumulate((base + change)[covered])
    dense_n = line.at(dense_s)[0] + np.interp(dense_time, time, result.departure)
    away = np.interp(dense_time, fix_time, (~near).astype(float)) > 0.5
    index = np.clip(np.searchsorted(track.speed_time, dense_time), 1, len(steps)) - 1
    silent = steps[index] > 1.0
    return Placed(
        time=dense_time,
        s=dense_s,
        n=dense_n,
        speed=result.scale * track.speed[covered],
        node_time=time,
        node_draws=result.samples,
        on_circuit=~(away | silent),
        scale=result.scale,
        scale_u=result.scale_u,
        delay_s=result.delay_s,
        inferred_speed=not track.logged_speed,
        warnings=track.warnings,
    )


def _with_fix_noise(noise: Noise, along: Array, across: Array) -> Noise:
    """The white part of the fixes' error from what the smoother left over (median absolute deviation)."""
    left = np.concatenate([along, across])
    if len(left) < 100:
        return noise
    sigma = float(np.clip(1.4826 * np.median(np.abs(left)), 0.02, 5.0))
    return Noise(**{**noise.__dict__, "fix_m": sigma})


def _nodes(fix_time: Array) -> tuple[Array, NDArray[np.bool_]]:
    """Times of the fixes, with more in every gap over half a second, and which of them are fixes."""
    gaps = np.flatnonzero(np.diff(fix_time) > 0.5)
    extra = [np.arange(fix_time[g] + 0.25, fix_time[g + 1] - 0.1, 0.25) for g in gaps]
    if not extra:
        return fix_time, np.ones(len(fix_time), dtype=bool)
    time = np.concatenate([fix_time, *extra])
    order = np.argsort(time, kind="stable")
    return time[order], (order < len(fix_time))


def _unwrap(time: Array, travelled: Array, fix_time: Array, wrapped: Array, centre: CentreLine) -> Array:
    """Positions along the circuit that keep adding up, at all nodes, by fixes and (in gaps) by distance travelled."""
    at_fix = np.interp(fix_time, time, travelled)
    if not centre.closed:
        return np.asarray(np.interp(time, fix_time, wrapped))
    expected = np.diff(at_fix)
    hop = np.diff(wrapped) - expected
    hop = (hop + centre.length / 2) % centre.length - centre.length / 2 + expected
    s = wrapped[0] + np.concatenate([[0.0], np.cumsum(hop)])
    carried = np.interp(time, fix_time, s - at_fix) + travelled
    return np.asarray(carried)
