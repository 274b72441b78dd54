"""A circuit's map without any position: laps found by their bends, drawn by dead reckoning, and closed."""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.circuit.bends import SMOOTH_M, STEP_M, best_phase, follow
from lauftakt.core.circuit.centre import CentreLine, centre_through
from lauftakt.core.circuit.drafting import HALF_LINE_M, lay
from lauftakt.core.circuit.layout import Layout, LayoutSketch
from lauftakt.core.circuit.lines import line_across
from lauftakt.core.circuit.starting import at_counter, flat_out, into_straight
from lauftakt.core.log.bending import SLOW_MS, Bending, Way, driven_way, path_bending
from lauftakt.core.log.model import Log, Unusable, Warning
from lauftakt.core.log.triggers import line_moments
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
# Where a map is put that lies nowhere on Earth that anybody knows.
NOWHERE = Plane(0.0, 0.0)
# No circuit is shorter.
SHORTEST_M = 200.0
# Bends that repeat themselves less after a distance are no lap; of others only those that do about as well as the best,
# and so many of them, are tried.
LEAST_REPEAT, AS_WELL, MOST_TRIES = 0.6, 0.85, 10
# What a correlation counts beside a chi-square, and by how much of both one distance is as likely as another: corners
# of one kind repeat after a part of a lap nearly as well (0.95) as after all of it, but close worse.
MATCH_COUNTS, ABOUT_AS_LIKELY = 300.0, 8.0
# So much of a log must be understood as laps, and so many of them make a map.
LEAST_LAPS = 2
# A window of the lap that was seen in fewer laps says nothing.
LEAST_SEEN = 2
# Bends are drawn in steps of a metre, without what is shorter than a car.
FINE_M = 2.5
# How far off a sensor's zero may be (a gyroscope's after its rest was taken out, rad/s; an accelerometer's with camber
# and mounting, m/s^2), its gain (an accelerometer leans with the car in its springs), and the line's own scatter.
YAW_BIAS, YAW_GAIN = 0.01, 0.02
LATERAL_BIAS, LATERAL_GAIN = 0.4, 0.06
SCATTER = 0.003  # radians per root metre
# A loop that needs more than this to be closed is none: chi-square of three constraints, far beyond chance.
MOST_EFFORT = 40.0
ROUNDS = 40
# As many tell where a straight is.
MOST_MOMENTS = 20_000


@dataclass(frozen=True)
class Reckoned:
    """A map by dead reckoning.

    Attributes
    ----------
    layout : closed, on a plane that lies nowhere; without corners, passages and sectors
    gap_m, turn_rad : by how much a lap missed its own beginning, and its direction, before it was closed
    effort : what closing took, as a chi-square of three: about 3 where the sensors are as good as they are thought
    laps : of how many laps it was made
    warnings : ``layout-reckoned``, and how the start line was found
    """

    layout: Layout
    gap_m: float
    turn_rad: float
    effort: float
    laps: int
    warnings: tuple[Warning, ...]


@dataclass(frozen=True)
class _Laps:
    """A lap as its bends repeat themselves: how far the run had got on it (unwrapped, m, at ``along`` metres
    travelled), radians turned in each metre of it, and what a sensor's zero adds to that, (length,) each."""

    along: Array
    place: Array
    turned: Array
    zero: Array
    count: int


def reckon_layout(log: Log, name: str) -> Reckoned:
    """The map of a closed circuit from one log without positions.

    The distance is the integral of the speed; bends come from yaw rate or lateral acceleration. Where they repeat
    themselves a lap is over. All laps are laid over one another, window by window, and the median of what they turned
    at each metre is integrated. A lap must end where it began, in the direction in which it began: the sensor's zero
    and gain and a scatter along the lap, each as likely as it is, are changed by the least that closes the loop
    (Gauss-Newton on three constraints, each step the conditional mean of a Gaussian prior).

    Parameters
    ----------
    log : with a speed, and yaw rate or lateral acceleration; of at least two laps
    name : of the layout

    Returns
    -------
    See :class:`Reckoned`. North, place, and whether left is right are not known: a sensor's sign decides it.

    Raises
    ------
    Unusable
        ``no-positions`` where the log does not hold enough, nothing repeats itself, or the loop does not close.
    """
    way = driven_way(log)
    bending = path_bending(log, way)
    if bending.power == 0:
        raise Unusable(
            "no-positions",
            "The log holds neither positions nor yaw rate or lateral acceleration; the steering alone draws no map.",
        )
    keep = way.moving
    way = Way(way.time[keep], way.speed[keep], way.travelled[keep])
    bending = Bending(bending.curvature[keep], bending.power)
    tried: list[tuple[float, _Laps, _Closed]] = []
    for length, match in _repeats(log, way, bending):
        laps = _laps(way, bending, length)
        closed = None if laps is None else _close(laps, bending.power)
        if laps is not None and closed is not None and closed.effort < MOST_EFFORT:
            tried.append((closed.effort - MATCH_COUNTS * match, laps, closed))
    least = min((doubt for doubt, _, _ in tried), default=0.0)
    # Two laps repeat and close as well as one: the shortest of the likely ones.
    best = next((found for found in tried if found[0] < least + ABOUT_AS_LIKELY), None)
    if best is None:
        raise Unusable(
            "no-positions",
            "The log holds no positions, and no lap that repeats itself and closes: say on which circuit it was "
            "driven, or hand in a run with positions.",
        )
    _, laps, closed = best
    centre = centre_through(closed.x, closed.y, True)
    start, told = _start(log, way, laps, centre)
    x, y, heading = centre.at(np.array([start]))
    line = line_across(NOWHERE, float(x[0]), float(y[0]), float(heading[0]), HALF_LINE_M)
    layout = lay(centre, NOWHERE, line, LayoutSketch(name=name, start=line, reckoned=True))
    return Reckoned(
        layout, closed.gap_m, closed.turn_rad, closed.effort, laps.count, (_told(layout, closed, laps), told)
    )


def _told(layout: Layout, closed: "_Closed", laps: _Laps) -> Warning:
    return Warning(
        "layout-reckoned",
        f"No positions are logged: the map was drawn from speed and turning over {laps.count} laps. A lap of "
        f"{layout.length:.0f} m missed its own beginning by {closed.gap_m:.0f} m, which was spread over it. Where "
        "north is, and whether left is right, it does not know.",
    )


def _repeats(log: Log, way: Way, bending: Bending) -> list[tuple[float, float]]:
    """Distances after which the bends repeat themselves, rising, and how well (a correlation): what a lap trigger says,
    else all that do about as well as the best."""
    moments, _ = line_moments(log)
    if len(moments) > LEAST_LAPS:
        length = float(np.median(np.diff(np.interp(moments, way.time, way.travelled))))
        return [(length, 1.0)] if length > SHORTEST_M else []
    own = _on_grid(way, bending.curvature, STEP_M, SMOOTH_M)
    lags = np.arange(round(SHORTEST_M / STEP_M), len(own) // LEAST_LAPS)
    if len(lags) < 3:
        return []
    spectrum = np.fft.rfft(own, 2 * len(own))
    both = np.fft.irfft(np.abs(spectrum) ** 2)[lags]
    power = np.concatenate([[0.0], np.cumsum(own**2)])
    # Each product is measured by what both parts hold, not by the whole run.
    size = np.sqrt((power[-1] - power[lags]) * power[len(own) - lags])
    match = both / np.maximum(size, 1e-12)
    peaks, _ = scipy.signal.find_peaks(match)
    if not len(peaks) or match[peaks].max() < LEAST_REPEAT:
        return []
    good = peaks[match[peaks] >= AS_WELL * match[peaks].max()]
    good = np.sort(good[np.argsort(-match[good])][:MOST_TRIES])
    return [(float(lags[peak] * STEP_M), float(match[peak])) for peak in good]


def _on_grid(way: Way, values: Array, step: float, smooth: float) -> Array:
    grid = np.arange(0.0, way.travelled[-1], step)
    return np.asarray(gaussian_filter1d(np.interp(grid, way.travelled, values), smooth / step))


def _laps(way: Way, bending: Bending, length: float) -> _Laps | None:
    """All laps of a run laid over one another; None where they do not agree."""
    count = round(length / STEP_M)
    step = length / count
    own = _on_grid(way, bending.curvature, step, SMOOTH_M)
    template = _typical(own, count)
    found = None
    for _ in range(3):
        match, phase, sign = best_phase(own, template)
        if match < LEAST_REPEAT or sign < 0:
            return None
        places, where, _ = follow(own, template, phase)
        if len(places) < 4 or places[-1] - places[0] < LEAST_LAPS * count:
            return None
        found = _laid_over(way, bending, where * step, places * step, round(length))
        if found is None:
            return None
        bend = gaussian_filter1d(found.turned, SMOOTH_M, mode="wrap")
        template = np.interp(np.arange(count) * step, np.arange(len(bend)) + 0.5, bend, period=float(len(bend)))
    return found


def _typical(own: Array, count: int) -> Array:
    """The stretch of one lap's length that is most like the one that follows."""
    best, found = -np.inf, own[:count]
    for begin in range(0, len(own) - 2 * count, max(count // 4, 1)):
        one, other = own[begin : begin + count], own[begin + count : begin + 2 * count]
        match = float(one @ other) / max(float(np.linalg.norm(one) * np.linalg.norm(other)), 1e-12)
        if match > best:
            best, found = match, one
    return found


def _laid_over(way: Way, bending: Bending, along: Array, place: Array, length: int) -> _Laps | None:
    """What all laps turned in each metre of the lap, by their median."""
    order = np.argsort(along)
    along, place = along[order], np.maximum.accumulate(place[order])
    rising = np.concatenate([[True], np.diff(place) > 0.2 * np.diff(along)])
    along, place = along[rising], place[rising]
    turned = cumulative_trapezoid(bending.curvature, way.travelled, initial=0.0)
    slow = np.maximum(way.speed, SLOW_MS) ** -float(bending.power)
    zero = cumulative_trapezoid(slow, way.travelled, initial=0.0)
    first, last = int(np.ceil(place[0] / length)), int(np.floor(place[-1] / length))
    if last - first < LEAST_LAPS - 1:
        return None
    edges = np.arange(int(np.ceil(place[0])), int(np.floor(place[-1])) + 1)
    at = np.interp(edges, place, along)
    lap, metre = np.divmod(edges[:-1], length)
    whole = np.full((int(lap[-1] - lap[0]) + 1, length, 2), np.nan)
    for column, summed in enumerate((turned, zero)):
        whole[lap - lap[0], metre, column] = np.diff(np.interp(at, way.travelled, summed))
    seen = np.isfinite(whole[:, :, 0]).sum(axis=0)
    if seen.min() < LEAST_SEEN:
        return None
    median = np.nanmedian(whole, axis=0)
    return _Laps(along, place, median[:, 0], median[:, 1], int(np.median(seen)))


@dataclass(frozen=True)
class _Closed:
    x: Array
    y: Array
    gap_m: float
    turn_rad: float
    effort: float


def _close(laps: _Laps, power: int) -> _Closed:
    """The lap drawn and closed by the least that is needed; the whole number of turns that needs the least."""
    turned = gaussian_filter1d(laps.turned, FINE_M, mode="wrap")
    turns = round(float(turned.sum()) / (2 * np.pi))
    tried = [_closed_with(turned, laps.zero, power, number) for number in (turns - 1, turns, turns + 1)]
    return min(tried, key=lambda closed: closed.effort)


def _closed_with(turned: Array, zero: Array, power: int, turns: int) -> _Closed:
    bias, gain = (YAW_BIAS, YAW_GAIN) if power == 1 else (LATERAL_BIAS, LATERAL_GAIN)
    known = np.column_stack([bias * zero, gain * turned])

    def spread(rows: Array) -> Array:
        """The prior's covariance times (3, n) rows."""
        return np.asarray((rows @ known) @ known.T + SCATTER**2 * rows)

    change = np.zeros(len(turned))
    gap, turn, effort = 0.0, 0.0, np.inf
    for number in range(ROUNDS):
        x, y, heading = _drawn(turned + change)
        missed = np.array([heading[-1] - 2 * np.pi * turns, x[-1], y[-1]])
        if number == 0:
            gap, turn = float(np.hypot(x[-1], y[-1])), float(missed[0])
        if number and np.hypot(missed[1], missed[2]) < 1e-3 and abs(missed[0]) < 1e-6:
            break
        middle_x, middle_y = (x[1:] + x[:-1]) / 2, (y[1:] + y[:-1]) / 2
        rows = np.vstack([np.ones(len(turned)), -(y[-1] - middle_y), x[-1] - middle_x])
        spread_rows = spread(rows)
        wanted = rows @ change - missed
        factor = np.linalg.solve(rows @ spread_rows.T, wanted)
        effort = float(factor @ wanted)
        change = factor @ spread_rows
    else:
        effort = np.inf
    x, y, _ = _drawn(turned + change)
    return _Closed(x[:-1], y[:-1], gap, turn, effort)


def _drawn(turned: Array) -> tuple[Array, Array, Array]:
    """Places and headings at the ends of metres that turn by so much each, beginning at 0, 0 eastwards."""
    heading = np.concatenate([[0.0], np.cumsum(turned)])
    middle = (heading[1:] + heading[:-1]) / 2
    x = np.concatenate([[0.0], np.cumsum(np.cos(middle))])
    y = np.concatenate([[0.0], np.cumsum(np.sin(middle))])
    return x, y, heading


def _start(log: Log, way: Way, laps: _Laps, centre: CentreLine) -> tuple[float, Warning]:
    """Where the start line lies on the map: at the logger's trigger or counter, else on the longest straight."""
    length = len(laps.turned)
    scale = centre.length / length

    def placed(time: Array) -> Array:
        along = np.interp(time, way.time, way.travelled)
        inside = (along > laps.along[0]) & (along < laps.along[-1])
        return np.asarray(np.interp(along[inside], laps.along, laps.place) % length * scale)

    moments, _ = line_moments(log)
    at = placed(moments)
    if len(at) >= LEAST_LAPS:
        return at_counter(at, centre.length)
    clock = way.time[:: max(1, len(way.time) // MOST_MOMENTS)]
    along = np.interp(clock, way.time, way.travelled)
    flat = flat_out(log, clock, way.time, way.speed)[(along > laps.along[0]) & (along < laps.along[-1])]
    return into_straight(placed(clock), flat, centre.length)
