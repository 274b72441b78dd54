"""Places a run without positions: by its corners, by a lap counter, or by the lap distance that it logs."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid
from scipy.ndimage import gaussian_filter1d
from scipy.sparse import diags

from lauftakt.core.circuit.bends import LEAST_MATCH, SMOOTH_M, STEP_M, best_phase, follow
from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.bending import Way, driven_way, path_bending
from lauftakt.core.log.model import Log, Unusable, Warning
from lauftakt.core.log.triggers import line_moments
from lauftakt.core.placing.mean_line import LINE_LENGTH_M, MeanBasis, correlated
from lauftakt.core.placing.placed import DRAWS, Placed
from lauftakt.core.placing.smoother import Nodes, Noise, smooth

Array = NDArray[np.float64]
# How far a driver's line lies from the layout's: corners are cut and straights used, nobody knows how much.
LINE_M = 3.0
# A corner is recognised where its curvature lies on the driven line: every lap as far from the layout's own place.
CORNER_BIAS_M, BIAS_LENGTH_M = 3.0, 120.0
# Windows overlap fourfold: together they know as much as one.
OVERLAP = 2.0
# The wheel is turned further the faster the car goes: so much less sure than an accelerometer.
STEERING = 5.0
# A lap counter's own jitter at racing speed.
TRIGGER_M = 0.6
# One that resolves 20 ms or better is a real trigger, which sees the line in the same place every lap.
SHARP_M, SHARP_HZ = 0.15, 50.0
# A logged lap distance follows another line than the centre line, the same every lap.
DISTANCE_BIAS_M, DISTANCE_M = 3.0, 0.4
PATH_M = 0.12  # by wheels that slip, m per root second
# As in placing by positions.
NODE_S = 0.5
# Of less than a lap and a bit nothing repeats.
LEAST_LAPS = 1.2
# So many windows recognised make a place.
LEAST_WINDOWS = 4


@dataclass(frozen=True)
class _Seen:
    """Places recognised: at which time, at which unwrapped s, how sure (m), and by how much every lap's places may be
    wrong alike (m; 0 for what saw the line itself)."""

    time: Array
    s: Array
    sigma: Array
    bias: Array


def place_without_positions(log: Log, layout: Layout) -> Placed:
    """Position along the layout's centre line of a run that holds no positions.

    Distance travelled is the integral of the speed. Curvature of the path, from yaw rate or lateral acceleration over
    speed (or steering), is compared with the centre line's in windows of 260 m: where they match best, the car was. A
    lap counter adds where the line is; a logged lap distance (or share of the lap) replaces both. A smoother
    (:func:`lauftakt.core.placing.smoother.smooth`) weighs what was recognised against the speed, whose scale it
    estimates. The offset across the line stays unknown.

    Parameters
    ----------
    log : with a speed and one of lap distance, share of the lap, yaw rate, lateral acceleration or steering
    layout : a closed circuit

    Returns
    -------
    See :class:`lauftakt.core.placing.placed.Placed`; ``offset_known`` is False.

    Raises
    ------
    Unusable
        ``no-positions`` where the log does not hold enough; ``elsewhere`` where its corners are not the layout's.
    """
    way = driven_way(log)
    if not layout.centre.closed:
        raise Unusable("no-positions", "On an open course a log needs positions.")
    if way.travelled[-1] < LEAST_LAPS * layout.length:
        raise Unusable("no-positions", "Without positions a log must hold more than one lap.")
    seen = _by_distance(log, layout)
    if seen is None:
        seen = _by_corners(log, layout, way)
    seen = _with_counter(log, layout, way.time, way.travelled, seen)
    return _fuse(layout, way.time, way.speed, way.travelled, seen)


def corners_match(log: Log, layout: Layout) -> float:
    """How well a run without positions fits a closed layout by its corners: a correlation, 0 to 1; 0 where the log does
    not hold what is needed, or the layout is open."""
    if not layout.centre.closed:
        return 0.0
    try:
        way = driven_way(log)
        if way.travelled[-1] < LEAST_LAPS * layout.length:
            return 0.0
        return _laid_over(log, layout, way).match
    except Unusable:
        return 0.0


def _by_distance(log: Log, layout: Layout) -> _Seen | None:
    """From a logged distance since the line, or share of the lap."""
    channel = log.role("lap_distance") or log.role("lap_share")
    if channel is None or len(channel.time) < 50:
        return None
    values = channel.values
    falls = np.flatnonzero(np.diff(values) < -0.5 * np.ptp(values)) + 1
    whole = np.median(values[falls - 1]) if len(falls) else float(values.max())
    if channel.role == "lap_share":
        whole = 1.0
    turn = np.zeros(len(values))
    turn[falls] = 1.0
    # Laps differ in length by the line driven: what the logger calls the lap's end is the line.
    s = (np.clip(values / max(float(whole), 1e-9), 0.0, 1.0) + np.cumsum(turn)) * layout.length
    keep = np.concatenate([[True], np.diff(s) > 1e-6])
    count = int(keep.sum())
    sigma = np.hypot(DISTANCE_M, _resolution(values) * layout.length / max(float(whole), 1e-9) / np.sqrt(12))
    return _Seen(channel.time[keep], s[keep], np.full(count, sigma), np.full(count, DISTANCE_BIAS_M))


def _resolution(values: Array) -> float:
    """The step in which a channel is written: the smallest between different values."""
    steps = np.diff(np.unique(np.round(values, 9)))
    return float(steps.min()) if len(steps) else 0.0


@dataclass(frozen=True)
class _LaidOver:
    """A run's curvature at the layout's steps, laid over it: how well they ``match``, at which step it begins, metres
    of the layout for each travelled (``ratio``) and for each step."""

    own: Array
    bend: Array
    match: float
    phase: int
    ratio: float
    step: float
    power: int


def _laid_over(log: Log, layout: Layout, way: Way) -> _LaidOver:
    """A run's curvature over the layout's, as well as they fit anywhere."""
    keep = way.moving
    grid = np.arange(0.0, way.travelled[-1], STEP_M)
    found = path_bending(log, way)
    own = gaussian_filter1d(np.interp(grid, way.travelled[keep], found.curvature[keep]), SMOOTH_M / STEP_M)
    count = round(layout.length / STEP_M)
    # Whole steps make a lap, or places would creep round the circuit from lap to lap.
    step = layout.length / count
    places = np.arange(count) * step
    bend = gaussian_filter1d(
        np.interp(places, layout.centre.s, layout.centre.curvature), SMOOTH_M / STEP_M, mode="wrap"
    )
    ratio = _lap_in_distance(own, layout.length)
    # From here on in metres of the layout: travelled distance times the ratio.
    scaled = np.arange(0.0, grid[-1] * ratio, step)
    own = np.interp(scaled, grid * ratio, own)
    match, phase, sign = best_phase(own, bend)
    return _LaidOver(sign * own, bend, match, phase, ratio, step, found.power)


def _by_corners(log: Log, layout: Layout, way: Way) -> _Seen:
    laid = _laid_over(log, layout, way)
    elsewhere = Unusable("elsewhere", "The corners of this log are not those of the circuit's layout.")
    if laid.match < LEAST_MATCH:
        raise elsewhere
    s, where, sigma = follow(laid.own, laid.bend, laid.phase)
    if len(s) < LEAST_WINDOWS:
        raise elsewhere
    if laid.power == 0:
        sigma = STEERING * sigma  # the wheel is turned further the faster the car goes
    keep = way.moving
    when = np.interp(where * laid.step / laid.ratio, way.travelled[keep], way.time[keep])
    return _Seen(when, s * laid.step, OVERLAP * sigma, np.full(len(s), CORNER_BIAS_M))


def _lap_in_distance(own: Array, length: float) -> float:
    """Length of the layout over the travelled distance after which the curvature repeats itself, from 0.94 to 1.06."""
    low, high = round(0.94 * length / STEP_M), round(1.06 * length / STEP_M)
    lags = np.arange(low, min(high, len(own) - 50))
    if len(lags) < 3:
        return 1.0
    match = np.array([np.dot(own[lag:], own[:-lag]) / (len(own) - lag) for lag in lags])
    return float(length / (lags[np.argmax(match)] * STEP_M))


def _with_counter(log: Log, layout: Layout, time: Array, travelled: Array, seen: _Seen) -> _Seen:
    """Adds a lap trigger's pulses or a lap counter's steps, where they agree with what was recognised about where the
    line is."""
    steps, rate = line_moments(log)
    steps = steps[(steps > seen.time[0]) & (steps < seen.time[-1])]
    if not len(steps):
        return seen
    s = np.interp(steps, seen.time, seen.s)
    line = np.round(s / layout.length) * layout.length
    near = np.abs(s - line) < 60.0
    pace = np.interp(steps, time, np.gradient(travelled, time))
    sigma = np.hypot(SHARP_M if rate >= SHARP_HZ else TRIGGER_M, pace / max(rate, 1.0) / np.sqrt(12))
    order = np.argsort(np.concatenate([seen.time, steps[near]]), kind="stable")
    return _Seen(
        np.concatenate([seen.time, steps[near]])[order],
        np.concatenate([seen.s, line[near]])[order],
        np.concatenate([seen.sigma, sigma[near]])[order],
        np.concatenate([seen.bias, np.zeros(int(near.sum()))])[order],
    )


def _turned(centre: CentreLine, s: Array) -> Array:
    """Radians by which the centre line has turned at unwrapped places."""
    turned = cumulative_trapezoid(centre.curvature, centre.s, initial=0.0)
    return np.asarray(np.floor(s / centre.length) * turned[-1] + np.interp(centre.wrap(s), centre.s, turned))


def _fuse(layout: Layout, time: Array, speed: Array, travelled: Array, seen: _Seen) -> Placed:
    """Smoother over what was recognised and the speed."""
    noise = Noise(fix_m=1.0, speed_m=PATH_M, scale=0.03, delay_s=1e-5)
    begin, end = max(time[0], seen.time[0] - 60.0), min(time[-1], seen.time[-1] + 60.0)
    nodes_time = np.arange(begin, end, NODE_S)
    group = np.clip(np.searchsorted(nodes_time, seen.time - NODE_S / 2), 0, len(nodes_time) - 1)
    at_seen = np.interp(seen.time, time, travelled)
    moved = np.interp(nodes_time, time, travelled)
    gain = float(np.polyfit(at_seen, seen.s, 1)[0])
    first = gain * moved + np.interp(nodes_time, seen.time, seen.s - gain * at_seen)
    # What was seen at another moment than the node's is carried there by the speed.
    value = seen.s + gain * (moved[group] - at_seen)
    precision = 1.0 / seen.sigma**2
    total = np.bincount(group, precision, minlength=len(nodes_time)).astype(np.float64)
    mean = np.bincount(group, precision * (value - first[group]), minlength=len(nodes_time)) / np.maximum(total, 1e-12)
    flat = np.zeros(len(nodes_time))
    gaps = np.zeros(len(nodes_time) - 1)
    for gap in np.flatnonzero(np.diff(time) > 1.0):
        inside = (nodes_time[1:] > time[gap]) & (nodes_time[:-1] < time[gap + 1])
        gaps[inside] += (0.5 * np.diff(moved)[inside] + 1.0) ** 2
    shared = np.bincount(group, precision * seen.bias, minlength=len(nodes_time)) / np.maximum(total, 1e-12)
    centre = layout.centre
    basis = MeanBasis(centre)
    at_nodes = basis.at(first)
    found = smooth(
        Nodes(
            time=nodes_time,
            s=first,
            advance=gain * np.diff(moved),
            swing=np.diff(_turned(centre, first)),
            along=mean,
            across=flat,
            tangent=np.zeros((len(nodes_time), 2)),
            stretch=np.ones(len(nodes_time)),
            pace=flat,
            weight=total,
            across_weight=flat,
            unknown=gaps,
            mean=at_nodes,
            mean_prior=(correlated(centre, basis.knots, LINE_LENGTH_M) / LINE_M**2, np.zeros(len(basis.knots))),
            landmark=diags([shared], [0]) @ at_nodes,
            landmark_prior=correlated(centre, basis.knots, BIAS_LENGTH_M),
        ),
        noise,
        draws=DRAWS,
    )
    inside = (time >= nodes_time[0]) & (time <= nodes_time[-1])
    scale = gain * found.scale
    change = first + found.correction - scale * moved
    s = np.maximum.accumulate(scale * travelled[inside] + np.interp(time[inside], nodes_time, change))
    index = np.clip(np.searchsorted(time, time[inside]), 1, len(time) - 1) - 1
    return Placed(
        time=time[inside],
        s=s,
        n=np.zeros(len(s)),
        speed=scale * speed[inside],
        node_time=nodes_time,
        node_draws=found.samples,
        on_circuit=np.diff(time)[index] <= 1.0,
        scale=scale,
        scale_u=found.scale_u * gain,
        delay_s=0.0,
        inferred_speed=False,
        warnings=(
            Warning("placed-by-corners", "The log holds no positions: it was placed by its corners and its speed."),
        ),
        offset_known=False,
    )
