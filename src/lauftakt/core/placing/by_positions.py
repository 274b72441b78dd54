"""Places a run on a layout: position along and offset across the centre line at every moment, with uncertainty."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.log.model import Log, Unusable, Warning
from lauftakt.core.log.speeds import LEAST_HZ
from lauftakt.core.log.track import Track, read_track
from lauftakt.core.placing.mean_line import MeanBasis, MeanLine, line_prior, line_scatter
from lauftakt.core.placing.placed import DRAWS, LONGEST_PAUSE_S, Placed
from lauftakt.core.placing.receiver import learn_drift
from lauftakt.core.placing.smoother import Nodes, Noise, Smoothed, smooth
from lauftakt.core.placing.usual_pace import UsualPace, paced, usual_pace
from lauftakt.core.plane import Plane

Bools = NDArray[np.bool_]
Array = NDArray[np.float64]
# Wider than any road with its run-off, narrower than the gap to a neighbouring one.
# A log whose middle lies further off, and beyond the circuit itself, is of another circuit.
FAR_M = 2000.0
OFF_CIRCUIT_M = 25.0
# Share of the fixes that must lie on the layout: of a closed one most driving does, of an open one only the drives up.
LEAST_NEAR = 0.3
LEAST_NEAR_OPEN = 0.02
# Fewer on the layout make no lap.
LEAST_FIXES = 50
# 1 - n kappa of a line on the inside of the tightest hairpins; less would be a wrong offset.
LEAST_STRETCH = 0.3
# Below this, positions of a standing car wander.
MOVING_MS = 4.0
# So much driving somewhere else is told.
ELSEWHERE_SHARE = 0.3
# How wrong a speed may be that stands in for a wheel's.
GUESSED_MS = 0.4
# Between nodes the car follows its speed to the millimetre.
NODE_S = 0.5
# Between nodes further apart there are some without a fix, so that what the speed leaves open is in the draws there.
# A speed that is the positions' own would be counted once more at each of them.
SELDOM_S, SELDOM_ALONE_S = 1.5 * NODE_S - 0.01, 2.0 * NODE_S + 0.3
# To either side, for how the way changes with the place.
ASIDE_M = 1.0
# Geometry changes little in two metres.
COARSE_S = 0.05
# Positions only: the speed is theirs, smoothed, so its scale is right but it wanders.
WITHOUT_SPEED = Noise(speed_m=0.12, scale=0.003, delay_s=0.001, own_speed=True)


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
    track: Track | None = None,
) -> Placed:
    """Position along the layout's centre line at every moment of a run.

    Projected fixes are right on average but noisy, the logged speed is smooth but its scale is wrong, and it is speed
    along the driven path, which is longer or shorter than the centre line:

        ds/dt = k v cos(theta) / (1 - n kappa)

    with the speed's scale k, the centre line's curvature kappa, and the driver's own mean line n(s), theta(s) over the
    laps of the run, in which slow position errors average out. :func:`lauftakt.core.placing.smoother.smooth` weighs
    both sources; mean line and smoothing are repeated because each needs the other, and the last round also estimates
    the mean line's remaining error, which all laps of the run share.

    Parameters
    ----------
    log : needs latitude and longitude; uses speed where logged
    plane, centre : the layout's
    noise : what is assumed of the log, or None to choose by what it holds and by its own residuals
    passes : rounds of mean line and smoothing
    draws : whether draws of the error are wanted
    known : what an ideal estimator would know, to see what is unavoidable
    track : of the log, where it was read already

    Returns
    -------
    See :class:`Placed`.

    Raises
    ------
    Unusable
        ``no-positions``; ``elsewhere`` where the run did not take place on this layout.
    """
    track = (track or read_track(log)).in_plane(plane)
    wrapped, offset = centre.project(track.x, track.y, track.heading)
    near = _near(track, centre, wrapped, offset)
    if known is not None:
        track = replace(track, speed=track.speed * known.scale)
        noise = replace(noise or Noise(), scale=1e-6)
    fixed = noise is not None
    noise = noise or (Noise() if track.logged_speed else WITHOUT_SPEED)
    course = _course(track, centre, wrapped, offset, near, SELDOM_S if track.logged_speed else SELDOM_ALONE_S)
    usual = None if track.logged_speed or _rate(track) >= LEAST_HZ else _usual(course, centre)
    if usual is not None:
        track = _as_usual(track, course, centre, usual)
        noise = replace(noise, speed_m=float(np.sqrt(usual.apart_m2_s)), own_speed=False)
        course = _course(track, centre, wrapped, offset, near, SELDOM_S)
    noise = replace(noise, speed_m=max(noise.speed_m, track.way_m))
    s, drift_across, scatter = course.first_s, np.zeros(len(course.fix_time)), None
    trust = course.believed.copy()
    for turn in range(passes):
        last = turn == passes - 1
        line = MeanLine(centre, course.at_fixes(s), course.offset - drift_across, trust * course.moving)
        if known is not None:
            line = MeanLine(centre, known.s, known.n, np.ones(len(known.s)))
        view = _view(course, line, centre, s)
        nodes = _nodes_of(course, view, trust, scatter)
        if last and not fixed:
            noise = learn_drift(nodes, noise, float(s[-1] - s[0]) / centre.period)
        if last and known is None:
            basis = MeanBasis(centre)
            nodes = replace(
                nodes, mean=basis.at(view.node_s), mean_prior=line_prior(basis, line, centre), shift=basis.shifted()
            )
        result = smooth(nodes, noise, draws=DRAWS if last and draws else 0)
        before, s = s, _moved(course, view, result)
        if last:
            break
        left = _left_over(course, view, nodes, result, course.at_fixes(s) - course.at_fixes(before))
        drift_across = left.drift_across
        scatter = line_scatter(
            centre, view.fix_inside, course.offset - view.fix_n - drift_across, trust * course.moving, noise,
            view.node_s,
        )  # fmt: skip
        if not fixed and usual is None:
            noise = _with_fix_noise(noise, left.along[trust > 0.5], left.across[trust > 0.5])
        # Student's t with four degrees of freedom keeps single wild fixes from pulling (Lange et al., JASA 84, 1989).
        away = (left.along**2 + left.across**2) / noise.fix_m**2
        trust = course.believed * np.minimum(1.0, 6.0 / (4.0 + away))
    s, n, result = _shifted(course, centre, line, s, result)
    return _placed(track, course, centre, np.maximum.accumulate(s), n, result)


def _near(track: Track, centre: CentreLine, wrapped: Array, offset: Array) -> Bools:
    """Which fixes lie on the layout and drive its way.

    Raises
    ------
    Unusable
        ``elsewhere`` where hardly any does.
    """
    near = (np.abs(offset) < OFF_CIRCUIT_M) & (np.cos(track.heading - centre.at(wrapped)[2]) > 0.0)
    if not centre.closed:
        near &= (wrapped > centre.s[0] + 0.5) & (wrapped < centre.s[-1] - 0.5)
    least = LEAST_NEAR if centre.closed else LEAST_NEAR_OPEN
    if near.mean() < least or near.sum() < LEAST_FIXES:
        raise Unusable("elsewhere", _why_elsewhere(track, centre, wrapped, offset))
    return near


def _why_elsewhere(track: Track, centre: CentreLine, wrapped: Array, offset: Array) -> str:
    """What a person can act on: another circuit, the other way round, or only a part of it."""
    away = float(np.hypot(np.median(track.x) - np.mean(centre.x), np.median(track.y) - np.mean(centre.y)))
    size = float(max(np.ptp(centre.x), np.ptp(centre.y)))
    if away > max(FAR_M, 2.0 * size):
        return (
            f"This log was driven at another circuit, {away / 1000:.1f} km away from this one. If latitude and "
            "longitude are swapped in it, say so in its channels."
        )
    on = np.abs(offset) < OFF_CIRCUIT_M
    against = on & (np.cos(track.heading - centre.at(wrapped)[2]) < 0.0)
    if against.mean() > LEAST_NEAR_OPEN and against.sum() > 0.8 * on.sum():
        return "This log was driven the other way round: that is another layout of the circuit."
    return (
        f"The positions of this log do not run along the circuit's layout: {100 * on.mean():.0f} % of them lie on it."
    )


@dataclass(frozen=True)
class _Course:
    """What is known of a run before it is smoothed: its fixes on the layout, a coarse clock and the nodes.

    ``first_s`` is the first estimate of s at ``clock``; ``way`` and ``pace`` the distance travelled and the speed
    there; ``group`` the node of each fix; ``unknown`` the variance of progress that the speed does not tell.
    """

    fix_time: Array
    wrapped: Array
    offset: Array
    believed: Array
    moving: Bools
    clock: Array
    way: Array
    pace: Array
    first_s: Array
    time: Array
    group: NDArray[np.int64]
    unknown: Array

    def at_fixes(self, values: Array) -> Array:
        """Values of the coarse clock at the fixes."""
        return np.interp(self.fix_time, self.clock, values)

    def at_nodes(self, values: Array) -> Array:
        """Values of the coarse clock at the nodes."""
        return np.interp(self.time, self.clock, values)


def _course(track: Track, centre: CentreLine, wrapped: Array, offset: Array, near: Bools, seldom_s: float) -> _Course:
    clock, way, pace = _coarse(track)
    inside = (track.fix_time >= clock[0]) & (track.fix_time <= clock[-1])
    fix_time, wrapped, offset, near = track.fix_time[inside], wrapped[inside], offset[inside], near[inside]
    time, group = _nodes(fix_time, seldom_s)
    first_s, drive = _first_places(clock, way, fix_time, wrapped, near, centre)
    return _Course(
        fix_time=fix_time,
        wrapped=wrapped,
        offset=offset,
        believed=near.astype(float),
        moving=np.interp(fix_time, clock, pace) > MOVING_MS,
        clock=clock,
        way=way,
        pace=pace,
        first_s=first_s,
        time=time,
        group=group,
        unknown=_unknown_steps(track, np.interp(time, clock, way), fix_time, near, drive, time, group),
    )


def _rate(track: Track) -> float:
    return 1.0 / max(float(np.median(np.diff(track.fix_time))), 1e-3)


def _usual(course: _Course, centre: CentreLine) -> UsualPace | None:
    """How fast this driver usually goes at each place; None where the run does not tell."""
    return usual_pace(centre, course.fix_time, course.at_fixes(course.first_s), course.believed > 0)


def _as_usual(track: Track, course: _Course, centre: CentreLine, usual: UsualPace) -> Track:
    """A track whose speed between its seldom positions is what this driver usually does there."""
    at_fix, good = course.at_fixes(course.first_s), course.believed > 0
    found = paced(usual, course.fix_time, at_fix, good, track.speed_time)
    line = MeanLine(centre, at_fix, course.offset, course.believed * course.moving)
    speed = np.where(found.known, found.pace / _gain(line, found.s), track.speed)
    return replace(track, speed=speed, doubt=np.where(found.known, found.doubt, track.doubt), way_m=0.0)


@dataclass(frozen=True)
class _View:
    """A course seen from one estimate of s and of the driver's mean line.

    ``gain`` is metres of centre line for each metre of path; ``carried``, ``swung`` and ``turned`` its integrals along
    the way, the second for each metre of offset, the third for each metre ahead; ``leaned`` is metres along the line
    for each metre by which the offset grows; what begins with ``fix_`` is at the fixes: by how much the mean line moves
    aside for each metre, its offset, s inside the line, how far the fix lies ahead of it, 1 - n kappa, and the centre
    line's direction.
    """

    node_s: Array
    gain: Array
    carried: Array
    swung: Array
    turned: Array
    leaned: Array
    fix_slant: Array
    fix_n: Array
    fix_inside: Array
    fix_miss: Array
    fix_stretch: Array
    fix_tangent: tuple[Array, Array]


def _view(course: _Course, line: MeanLine, centre: CentreLine, s: Array) -> _View:
    n, slope, bend = line.at(s)
    stretch = np.maximum(1.0 - n * bend, LEAST_STRETCH)
    gain = 1.0 / np.sqrt(1.0 + slope**2) / stretch
    changing = (_gain(line, s + ASIDE_M) - _gain(line, s - ASIDE_M)) / (2 * ASIDE_M)
    fix_s = course.at_fixes(s)
    fix_n, fix_slope, fix_bend = line.at(fix_s)
    inside = centre.wrap(fix_s)
    miss = course.wrapped - inside
    if centre.closed:
        miss = (miss + centre.length / 2) % centre.length - centre.length / 2
    heading = np.interp(inside, centre.s, centre.heading)
    return _View(
        node_s=course.at_nodes(s),
        gain=gain,
        carried=cumulative_trapezoid(gain, course.way, initial=0.0),
        swung=cumulative_trapezoid(gain * bend / stretch, course.way, initial=0.0),
        turned=cumulative_trapezoid(changing, course.way, initial=0.0),
        leaned=-slope / (1.0 + slope**2) / stretch,
        fix_slant=fix_slope * (1.0 - fix_n * fix_bend),
        fix_n=fix_n,
        fix_inside=inside,
        fix_miss=miss,
        fix_stretch=np.maximum(1.0 - course.offset * fix_bend, LEAST_STRETCH),
        fix_tangent=(np.cos(heading), np.sin(heading)),
    )


def _gain(line: MeanLine, s: Array) -> Array:
    """Metres of centre line for each metre of path."""
    n, slope, bend = line.at(s)
    return np.asarray(1.0 / np.sqrt(1.0 + slope**2) / np.maximum(1.0 - n * bend, LEAST_STRETCH))


def _nodes_of(course: _Course, view: _View, trust: Array, scatter: Array | None) -> Nodes:
    """What the smoother works on: fixes that share a node are averaged by how much they are believed."""
    count = len(course.time)
    total = _sums(course.group, trust, count)

    def mean(values: Array) -> Array:
        return _sums(course.group, trust * values, count) / np.maximum(total, 1e-12)

    return Nodes(
        time=course.time,
        s=view.node_s,
        advance=np.diff(course.at_nodes(view.carried)),
        swing=np.diff(course.at_nodes(view.swung)),
        turn=np.diff(course.at_nodes(view.turned)),
        lean=(course.at_nodes(view.leaned)[:-1] + course.at_nodes(view.leaned)[1:]) / 2,
        slant=mean(view.fix_slant),
        along=mean(view.fix_miss),
        across=mean(course.offset - view.fix_n),
        tangent=np.column_stack([mean(values) for values in view.fix_tangent]),
        stretch=np.where(total > 0, mean(view.fix_stretch), 1.0),
        pace=course.at_nodes(course.pace * view.gain),
        weight=total,
        line_m=scatter,
        unknown=course.unknown,
    )


def _moved(course: _Course, view: _View, result: Smoothed) -> Array:
    """s at the coarse clock: between two nodes it grows as the speed says."""
    base = result.scale * view.carried
    change = view.node_s + result.correction - course.at_nodes(base)
    return np.asarray(base + np.interp(course.clock, course.time, change))


def _shifted(
    course: _Course, centre: CentreLine, line: MeanLine, s: Array, result: Smoothed
) -> tuple[Array, Array, Smoothed]:
    """s and n at the coarse clock where the whole path is shifted as far as the smoother believes, and its draws with
    the error of that shift: along the line it is ds = d . T / (1 - n kappa), across it dn = d . N."""
    n, _, bend = line.at(np.maximum.accumulate(s))
    if len(result.mean):
        n = n + MeanBasis(centre).at(np.maximum.accumulate(s)) @ result.mean
    heading = np.interp(centre.wrap(s), centre.s, centre.heading)
    ahead = np.column_stack([np.cos(heading), np.sin(heading)]) / np.maximum(1.0 - n * bend, LEAST_STRETCH)[:, None]
    aside = np.column_stack([-np.sin(heading), np.cos(heading)])
    at_nodes = np.column_stack([course.at_nodes(ahead[:, axis]) for axis in (0, 1)])
    samples = result.samples + at_nodes @ result.shift_samples if result.samples.size else result.samples
    return s + ahead @ result.shift, n + aside @ result.shift, replace(result, samples=samples)


@dataclass(frozen=True)
class _LeftOver:
    """What the smoother leaves of the fixes, along and across the line, and the drift across it, (n,) m each."""

    along: Array
    across: Array
    drift_across: Array


def _left_over(course: _Course, view: _View, nodes: Nodes, result: Smoothed, correction: Array) -> _LeftOver:
    east, north, departure = (
        np.interp(course.fix_time, course.time, values) for values in (*result.drift.T, result.departure)
    )
    tx, ty = view.fix_tangent
    late = np.interp(course.fix_time, course.time, nodes.pace) * result.delay_s
    across = -east * ty + north * tx
    return _LeftOver(
        along=view.fix_stretch * (view.fix_miss - correction + late) - (east * tx + north * ty),
        across=course.offset - view.fix_n - departure - across,
        drift_across=across,
    )


def _placed(track: Track, course: _Course, centre: CentreLine, s: Array, n: Array, result: Smoothed) -> Placed:
    """The run at every sample of its speed; between two points of the coarse clock s grows with the distance."""
    covered = (track.speed_time >= course.time[0]) & (track.speed_time <= course.time[-1])
    time = track.speed_time[covered]
    way = np.interp(time, track.speed_time, _travelled(track))
    away = np.interp(time, course.fix_time, 1.0 - course.believed) > 0.5
    steps = np.diff(track.speed_time)
    index = np.clip(np.searchsorted(track.speed_time, time), 1, len(steps)) - 1
    return Placed(
        time=time,
        s=np.interp(way, course.way, s),
        n=np.interp(time, course.clock, n + np.interp(course.clock, course.time, result.departure)),
        speed=result.scale * track.speed[covered],
        node_time=course.time,
        node_draws=result.samples,
        on_circuit=~(away | (steps[index] > LONGEST_PAUSE_S)),
        scale=result.scale,
        scale_u=result.scale_u,
        delay_s=result.delay_s,
        inferred_speed=not track.logged_speed,
        misfit=result.misfit,
        guessed=track.guessed[covered] if track.guessed.any() else np.zeros(0, dtype=bool),
        warnings=(*track.warnings, *_elsewhere(centre, course.moving, course.believed > 0)),
    )


def _with_fix_noise(noise: Noise, along: Array, across: Array) -> Noise:
    """The white part of the fixes' error from what the smoother left over (median absolute deviation)."""
    left = np.concatenate([along, across])
    if len(left) < 100:
        return noise
    sigma = float(np.clip(1.4826 * np.median(np.abs(left)), 0.02, 5.0))
    return replace(noise, fix_m=sigma)


def _nodes(fix_time: Array, seldom_s: float) -> tuple[Array, NDArray[np.int64]]:
    """Times of the nodes, and which node each fix belongs to.

    Fixes within half a second share a node: between them the car follows its speed to the millimetre. Gaps
    get nodes of their own, so that the models in between stay smooth.
    """
    slot = np.floor((fix_time - fix_time[0]) / NODE_S + 1e-6).astype(np.int64)
    first = np.concatenate([[True], np.diff(slot) > 0])
    group = np.cumsum(first) - 1
    time = np.bincount(group, fix_time) / np.bincount(group)
    gaps = np.flatnonzero(np.diff(time) > seldom_s)
    extra = [np.arange(time[g] + NODE_S, time[g + 1] - 0.4 * NODE_S, NODE_S) for g in gaps]
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
    return np.asarray(cumulative_trapezoid(track.speed, track.speed_time, initial=0.0))


def _coarse(track: Track) -> tuple[Array, Array, Array]:
    """A clock of 20 Hz with the distance travelled (m) and speed (m/s) at it: all that geometry needs, while the
    distance keeps what a faster logger knows of it."""
    first, last = track.speed_time[0], track.speed_time[-1]
    clock = np.append(np.arange(first, last - COARSE_S / 2, COARSE_S), last)
    return clock, np.interp(clock, track.speed_time, _travelled(track)), np.interp(clock, track.speed_time, track.speed)


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
    if track.doubt.any():
        grown = cumulative_trapezoid(track.doubt, track.speed_time, initial=0.0)
        variance += np.diff(np.interp(time, track.speed_time, grown))
    if track.guessed.any():
        # Where another measurement stands in for a speed that lied, that one's own error counts.
        share = np.interp(time, track.speed_time, track.guessed.astype(float))
        variance += np.maximum(share[1:], share[:-1]) * (GUESSED_MS * np.diff(time)) ** 2
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
