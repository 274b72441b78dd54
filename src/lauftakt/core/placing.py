"""Places a run on a layout: position along and offset across the centre line at every moment, with uncertainty."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.centre import CentreLine
from lauftakt.core.geo import Plane
from lauftakt.core.log import Log, Unusable, Warning
from lauftakt.core.meanline import MeanBasis, MeanLine, line_prior, line_scatter
from lauftakt.core.smoother import Nodes, Noise, smooth
from lauftakt.core.track import Track, read_track

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]

DRAWS = 64
OFF_CIRCUIT_M = 25.0
MOVING_MS = 4.0
ELSEWHERE_SHARE = 0.3
NODE_S = 0.5
COARSE_S = 0.05


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
    offset_known : whether ``n`` was measured
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
    offset_known: bool = True


@dataclass(frozen=True)
class Known:
    """True factor of the logged speed, and the driver's true mean line: offsets ``n`` at places ``s``, (m,) metres."""

    scale: float
    s: Array
    n: Array


def place_run(
    log: Log,
    plane: Plane,
    centre: CentreLine,
    *,
    noise: Noise | None = None,
    passes: int = 2,
    draws: bool = True,
    known: Known | None = None,
) -> Placed:
    """Position along the layout's centre line at every moment of a run.

    Projected fixes are right on average but noisy, the logged speed is smooth but its scale is wrong, and it is speed
    along the driven path, which is longer or shorter than the centre line:

        ds/dt = k v cos(theta) / (1 - n kappa)

    with the speed's scale k, the centre line's curvature kappa, and the driver's own mean line n(s), theta(s) over the
    laps of the run, in which slow position errors average out. :func:`lauftakt.core.smoother.smooth` weighs both
    sources; mean line and smoothing are repeated because each needs the other, and the last round also estimates the
    mean line's remaining error, which all laps of the run share.

    Parameters
    ----------
    log : needs latitude and longitude; uses speed where logged
    plane, centre : the layout's
    noise : what is assumed of the log, or None to choose by what it holds and by its own residuals
    passes : rounds of mean line and smoothing
    draws : whether draws of the error are wanted
    known : what an ideal estimator would know, to see what is unavoidable

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
    near = (np.abs(offset) < OFF_CIRCUIT_M) & (np.cos(track.heading - centre.at(wrapped)[2]) > 0.0)
    if not centre.closed:
        near &= (wrapped > centre.s[0] + 0.5) & (wrapped < centre.s[-1] - 0.5)
    least = 0.3 if centre.closed else 0.02
    if near.mean() < least or near.sum() < 50:
        raise Unusable("elsewhere", "The positions of this log do not run along the circuit's layout.")
    if known is not None:
        track = replace(track, speed=track.speed * known.scale)
        noise = replace(noise or Noise(), scale=1e-6)
    given = noise
    noise = noise or (Noise() if track.logged_speed else Noise(speed_m=0.12, scale=0.003, delay_s=0.001))

    clock, way, pace = _coarse(track)
    inside = (track.fix_time >= clock[0]) & (track.fix_time <= clock[-1])
    fix_time, wrapped, offset = track.fix_time[inside], wrapped[inside], offset[inside]
    believed = near[inside].astype(float)
    time, group = _nodes(fix_time)
    s, drive = _first_places(clock, way, fix_time, wrapped, believed > 0, centre)
    unknown = _unknown_steps(track, np.interp(time, clock, way), fix_time, believed > 0, drive, time, group)
    moving = np.interp(fix_time, clock, pace) > MOVING_MS

    basis = MeanBasis(centre)
    trust = believed.copy()
    drift_across = np.zeros(len(fix_time))
    scatter = None
    for turn in range(passes):
        last = turn == passes - 1
        fix_s = np.interp(fix_time, clock, s)
        node_s = np.interp(time, clock, s)
        line = MeanLine(centre, fix_s, offset - drift_across, trust * moving)
        if known is not None:
            line = MeanLine(centre, known.s, known.n, np.ones(len(known.s)))
        n, slope, bend = line.at(s)
        stretch = np.maximum(1.0 - n * bend, 0.3)
        gain = 1.0 / np.sqrt(1.0 + slope**2) / stretch  # metres of centre line for each metre of path
        carried = _integral(way, gain)
        swung = _integral(way, gain * bend / stretch)
        fix_n, _, fix_bend = line.at(fix_s)
        inside_s = centre.wrap(fix_s)
        miss = wrapped - inside_s
        if centre.closed:
            miss = (miss + centre.length / 2) % centre.length - centre.length / 2
        heading = np.interp(inside_s, centre.s, centre.heading)
        tx, ty = np.cos(heading), np.sin(heading)
        fix_stretch = np.maximum(1.0 - offset * fix_bend, 0.3)
        total = _sums(group, trust, len(time))

        def mean(values: Array, total: Array = total, trust: Array = trust) -> Array:
            """Weighted mean of the fixes that share a node."""
            return _sums(group, trust * values, len(time)) / np.maximum(total, 1e-12)

        nodes = Nodes(
            time=time,
            s=node_s,
            advance=np.diff(np.interp(time, clock, carried)),
            swing=np.diff(np.interp(time, clock, swung)),
            along=mean(miss),
            across=mean(offset - fix_n),
            tangent=np.column_stack([mean(tx), mean(ty)]),
            stretch=np.where(total > 0, mean(fix_stretch), 1.0),
            pace=np.interp(time, clock, pace * gain),
            weight=total,
            mean=basis.at(node_s) if last and known is None else None,
            mean_prior=line_prior(basis, line, centre) if last and known is None else None,
            line_m=scatter,
            unknown=unknown,
        )
        result = smooth(nodes, noise, draws=DRAWS if last and draws else 0)
        base = result.scale * carried
        change = node_s + result.correction - np.interp(time, clock, base)
        s = base + np.interp(clock, time, change)
        if last:
            break
        drift_east, drift_north, departure = (
            np.interp(fix_time, time, values) for values in (*result.drift.T, result.departure)
        )
        drift_across = -drift_east * ty + drift_north * tx
        correction = np.interp(fix_time, clock, s) - fix_s
        late = np.interp(fix_time, time, nodes.pace) * result.delay_s
        left_along = fix_stretch * (miss - correction + late) - (drift_east * tx + drift_north * ty)
        left_across = offset - fix_n - departure - drift_across
        scatter = line_scatter(centre, inside_s, offset - fix_n - drift_across, trust * moving, noise, node_s)
        if given is None:
            noise = _with_fix_noise(noise, left_along[trust > 0.5], left_across[trust > 0.5])
        # Student's t with four degrees of freedom keeps single wild fixes from pulling (Lange et al., JASA 84, 1989).
        away = (left_along**2 + left_across**2) / noise.fix_m**2
        trust = believed * np.minimum(1.0, 6.0 / (4.0 + away))
    covered = (track.speed_time >= time[0]) & (track.speed_time <= time[-1])
    dense_time = track.speed_time[covered]
    s = np.maximum.accumulate(s)
    # Between two points of the coarse clock s grows with the distance travelled, at the speed's own rate.
    dense_way = np.interp(dense_time, track.speed_time, _travelled(track))
    dense_s = np.interp(dense_way, way, s)
    n = line.at(s)[0]
    if len(result.mean):
        n = n + basis.at(s) @ result.mean
    dense_n = np.interp(dense_time, clock, n + np.interp(clock, time, result.departure))
    away = np.interp(dense_time, fix_time, 1.0 - believed) > 0.5
    steps = np.diff(track.speed_time)
    index = np.clip(np.searchsorted(track.speed_time, dense_time), 1, len(steps)) - 1
    return Placed(
        time=dense_time,
        s=dense_s,
        n=dense_n,
        speed=result.scale * track.speed[covered],
        node_time=time,
        node_draws=result.samples,
        on_circuit=~(away | (steps[index] > 1.0)),
        scale=result.scale,
        scale_u=result.scale_u,
        delay_s=result.delay_s,
        inferred_speed=not track.logged_speed,
        warnings=(*track.warnings, *_elsewhere(centre, moving, believed > 0)),
    )


def _with_fix_noise(noise: Noise, along: Array, across: Array) -> Noise:
    """The white part of the fixes' error from what the smoother left over (median absolute deviation)."""
    left = np.concatenate([along, across])
    if len(left) < 100:
        return noise
    sigma = float(np.clip(1.4826 * np.median(np.abs(left)), 0.02, 5.0))
    return replace(noise, fix_m=sigma)


def _nodes(fix_time: Array) -> tuple[Array, NDArray[np.int64]]:
    """Times of the nodes, and which node each fix belongs to.

    Fixes within half a second share a node: between them the car follows its speed to the millimetre. Gaps
    get nodes of their own, so that the models in between stay smooth.
    """
    slot = np.floor((fix_time - fix_time[0]) / NODE_S + 1e-6).astype(np.int64)
    first = np.concatenate([[True], np.diff(slot) > 0])
    group = np.cumsum(first) - 1
    time = np.bincount(group, fix_time) / np.bincount(group)
    gaps = np.flatnonzero(np.diff(time) > 2 * NODE_S + 0.3)
    extra = [np.arange(time[g] + NODE_S, time[g + 1] - NODE_S / 2, NODE_S) for g in gaps]
    if not extra:
        return time, group
    joined = np.concatenate([time, *extra])
    order = np.argsort(joined, kind="stable")
    place = np.empty(len(joined), dtype=np.int64)
    place[order] = np.arange(len(joined))
    return joined[order], place[group]


def _sums(group: NDArray[np.int64], values: Array, count: int) -> Array:
    return np.asarray(np.bincount(group, values, minlength=count), dtype=np.float64)


def _travelled(track: Track) -> Array:
    """(m,) metres, the integral of the speed at its samples."""
    steps = np.diff(track.speed_time) * (track.speed[1:] + track.speed[:-1]) / 2
    return np.concatenate([[0.0], np.cumsum(steps)])


def _coarse(track: Track) -> tuple[Array, Array, Array]:
    """A clock of 20 Hz with the distance travelled (m) and speed (m/s) at it: all that geometry needs, while the
    distance keeps what a faster logger knows of it."""
    first, last = track.speed_time[0], track.speed_time[-1]
    clock = np.append(np.arange(first, last - COARSE_S / 2, COARSE_S), last)
    return clock, np.interp(clock, track.speed_time, _travelled(track)), np.interp(clock, track.speed_time, track.speed)


def _integral(way: Array, values: Array) -> Array:
    """Integral of values along the way, (m,), from 0."""
    return np.concatenate([[0.0], np.cumsum(np.diff(way) * (values[1:] + values[:-1]) / 2)])


def _first_places(
    clock: Array, way: Array, fix_time: Array, wrapped: Array, near: NDArray[np.bool_], centre: CentreLine
) -> tuple[Array, NDArray[np.int64]]:
    """First estimate of s at a clock: by the fixes nearby and, between them, by distance travelled.

    It keeps adding up lap after lap, on an open line drive after drive. Also returned: the number of the drive for each
    fix (always 0 on a closed line).
    """
    drive = np.zeros(len(fix_time), dtype=np.int64)
    own = wrapped[near]
    at_fix = np.interp(fix_time[near], clock, way)
    expected = np.diff(at_fix)
    hop = np.diff(own)
    if centre.closed:
        hop = hop - expected
        hop = (hop + centre.length / 2) % centre.length - centre.length / 2 + expected
        s = own[0] + np.concatenate([[0.0], np.cumsum(hop)])
    else:
        again = hop < -0.2 * (centre.s[-1] - centre.s[0])
        count = np.concatenate([[0], np.cumsum(again)])
        s = own + count * centre.period
        drive[near] = count
        drive = np.maximum.accumulate(drive)
    found = way + np.interp(clock, fix_time[near], s - at_fix)
    if drive[-1]:
        # On the way back distance travelled says nothing about s.
        for again in np.flatnonzero(np.diff(s - drive[near] * centre.period) < -0.2 * (centre.s[-1] - centre.s[0])):
            between = (clock > fix_time[near][again]) & (clock < fix_time[near][again + 1])
            ends = fix_time[near][again : again + 2]
            found[between] = np.interp(clock[between], ends, s[again : again + 2])
    return np.asarray(found), drive


def _unknown_steps(
    track: Track,
    moved: Array,
    fix_time: Array,
    near: NDArray[np.bool_],
    drive: NDArray[np.int64],
    time: Array,
    group: NDArray[np.int64],
) -> Array:
    """Variance, m^2, of what the car may have done between nodes where speed does not tell progress along the line.

    While it is away from the circuit (pit lane, paddock), where the log pauses, and between two drives of an open
    course.
    """
    variance = np.zeros(len(time) - 1)
    moved = np.diff(moved)
    away = np.zeros(len(time), dtype=bool)
    away[group[~near]] = True
    apart = away[1:] | away[:-1]
    variance[apart] += (0.3 * moved[apart] + 0.5) ** 2
    for gap in np.flatnonzero(np.diff(track.speed_time) > 1.0):
        inside = (time[1:] > track.speed_time[gap]) & (time[:-1] < track.speed_time[gap + 1])
        variance[inside] += (0.5 * moved[inside] + 1.0) ** 2
    for again in np.flatnonzero(np.diff(drive) > 0):
        before = np.flatnonzero(near[: again + 1])
        first, last = np.searchsorted(time, [fix_time[before[-1]] if len(before) else 0.0, fix_time[again + 1]])
        variance[max(first - 1, 0) : last] += 1e6
    return variance


def _elsewhere(centre: CentreLine, moving: Bools, near: Bools) -> list[Warning]:
    """What is said of a log of which much was driven somewhere else, (n,) fixes; open courses have their ways back."""
    share = float(np.mean(~near[moving])) if moving.any() else 0.0
    if not centre.closed or share < ELSEWHERE_SHARE:
        return []
    return [
        Warning(
            "part-elsewhere",
            f"{100 * share:.0f} % of the driving was not on this layout; only what was on it is used. "
            "If the log holds two circuits, cut it and hand in both parts.",
        )
    ]
