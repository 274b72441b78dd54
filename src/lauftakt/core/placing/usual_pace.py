"""How fast a driver usually goes at each place, learnt from all laps of a run whose positions are seldom."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import BSpline
from scipy.linalg import cholesky_banded, solve_banded
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.circuit.centre import CentreLine

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]
# A brake is put on within such a distance; finer than this nothing is asked.
KNOT_M = 10.0
# From fewer laps nothing more is seen than from each by itself.
LEAST_LAPS = 3.0
# Between positions further apart than so many usual steps nothing is learnt.
LONGEST_STEPS = 6.0
# Slower, a car on the circuit does not race.
LEAST_MS = 4.0
# Times between two positions that miss the usual ones by so many times the usual miss count half (Student's t, four
# degrees of freedom); two rounds settle that.
FREEDOM, ROUNDS = 4.0, 3
# Weights of smoothness that are tried, each against how well it foretells what is left out.
SMOOTHNESS = tuple(10.0**power for power in range(-2, 7))
# A course with as many freedoms as times foretells none of them.
MOST_FREEDOM = 0.9
# What a lap is ahead of or behind the usual is seen over so many positions.
BESIDE = 1.5
# Whoever goes slower than this share of the usual is not on a lap.
LEAST_SHARE = 0.2
# What the squares of a normal variable have their median at; and so many times as much is no usual miss any more.
MEDIAN_SQUARE, LEFT_MOST = 0.455, 4.0
# Beyond the ends of a part, so that a lap that is ahead finds its place.
AROUND_M = 300.0
# So many pairs from the middle of a run tell the usual lap as well as all.
MOST_PAIRS = 6000


@dataclass(frozen=True)
class UsualPace:
    """The usual course of a lap.

    Attributes
    ----------
    centre : of the layout
    slowness : (m,) s/m along the centre line at its points
    apart_m2_s : by how much, m^2 per second, laps leave it
    """

    centre: CentreLine
    slowness: Array
    apart_m2_s: float

    def clock(self, s: Array) -> Array:
        """Seconds at which a usual lap is at ``s``, unwrapped: laps add up."""
        step = np.diff(self.centre.s)
        times = np.concatenate([[0.0], np.cumsum((self.slowness[1:] + self.slowness[:-1]) / 2 * step)])
        laps = np.floor((s - self.centre.s[0]) / self.centre.period)
        inside = s - laps * self.centre.period
        return np.asarray(laps * times[-1] + np.interp(inside, self.centre.s, times))

    def at(self, s: Array) -> Array:
        """(n,) s/m at places."""
        return np.interp(self.centre.wrap(s), self.centre.s, self.slowness)


def usual_pace(centre: CentreLine, time: Array, s: Array, good: Bools) -> UsualPace | None:
    """The course of a driver's usual lap from positions that are too seldom to show it in a single one.

    Each pair of successive positions says how long the way between them took: an integral of the slowness
    w = 1 / (ds/dt) over that way. Laps meet each place at other moments, so that ten laps of one position a second show
    what happens within a tenth of it. w is a smooth spline (P-splines: Eilers and Marx, Statistical Science
    11, 1996), stiffer where the car is fast, since the same braking bends it less there, by w^-3; how smooth,
    generalised cross-validation says (Craven and Wahba 1979). Noise of positions enters neighbouring times with
    opposite signs, which the weights know.

    Parameters
    ----------
    centre : closed
    time, s : (n,) s and m, positions along the centre line, unwrapped
    good : (n,) which of them lie on the layout

    Returns
    -------
    See :class:`UsualPace`; None where the run is too short or too slow to say.
    """
    first, last, took = _pairs(time, s, good)
    part = _middle(len(took))
    first, last, took = first[part], last[part], took[part]
    driven = float((s[last] - s[first]).sum())
    if not centre.closed or len(first) < 60 or driven < LEAST_LAPS * centre.period:
        return None
    basis, ways = _basis(centre, s[first], s[last])
    if len(first) < ways.shape[1] / 4:
        return None
    rough = np.full(ways.shape[1], float(took.sum() / driven))
    coefficients, trust = rough, np.ones(len(first))
    white, walk, tried = 0.3, 0.1, SMOOTHNESS
    for _ in range(ROUNDS):
        slow = np.maximum(basis @ coefficients, 1e-3)
        pace = took / np.maximum(s[last] - s[first], 1e-3)
        factor = _whitening(first, last, took, pace, white, walk, trust)
        coefficients, weight = _fitted(ways, took, factor, slow, tried)
        tried = (weight,)
        left = took - ways @ coefficients
        white, walk = _scatter(left / pace, took, first, last)
        usual = (white**2 * 2 + walk * took) * pace**2
        trust = (FREEDOM + 1.0) / (FREEDOM + left**2 / usual)
    slowness = np.clip(basis @ coefficients, 1.0 / 150.0, 1.0 / LEAST_MS)
    return UsualPace(centre, slowness, walk)


@dataclass(frozen=True)
class Paced:
    """A run that is driven as usual between its positions, a little ahead or behind, at the moments of a clock.

    Attributes
    ----------
    s : (m,) m, unwrapped
    pace : (m,) m/s along the centre line
    doubt : (m,) m^2 per second, by how much more than usual this part leaves the usual lap
    known : (m,) where positions on either side allow to say so
    """

    s: Array
    pace: Array
    doubt: Array
    known: Bools


def paced(usual: UsualPace, time: Array, s: Array, good: Bools, clock: Array) -> Paced:
    """Where a car is between its positions, and how fast, if it drives as it usually does, a little ahead or behind.

    Parameters
    ----------
    usual : the driver's usual lap
    time, s, good : (n,) s, m, unwrapped, and whether it lies on the layout: the positions
    clock : (m,) s

    Returns
    -------
    See :class:`Paced`.
    """
    first, last, _ = _pairs(time, s, good)
    ends = np.flatnonzero(np.append(last[:-1] != first[1:], True))
    parts = [np.append(first[a:b], last[b - 1]) for a, b in zip([0, *ends[:-1] + 1], ends + 1, strict=True)]
    # Seconds behind the usual lap: white noise of the positions on something that changes slowly.
    behind = [time[part] - usual.clock(s[part]) for part in parts]
    smooth = [gaussian_filter1d(own, BESIDE, mode="nearest") for own in behind]
    missed = [(own - kept) / usual.at(s[part]) for own, kept, part in zip(behind, smooth, parts, strict=True)]
    most = LEFT_MOST * float(np.median(np.concatenate(missed) ** 2)) / MEDIAN_SQUARE
    found = Paced(np.zeros(len(clock)), np.zeros(len(clock)), np.zeros(len(clock)), np.zeros(len(clock), dtype=bool))
    for part, late, left in zip(parts, smooth, missed, strict=True):
        own = time[part]
        inside = slice(*np.searchsorted(clock, [own[0], own[-1]], side="left"))
        at = clock[inside]
        fine = np.arange(s[part[0]] - AROUND_M, s[part[-1]] + AROUND_M, 1.0)
        found.s[inside] = np.interp(at - np.interp(at, own, late), usual.clock(fine), fine)
        changing = np.interp(at, own, np.gradient(late, own))
        found.pace[inside] = np.maximum(1.0 - changing, LEAST_SHARE) / usual.at(found.s[inside])
        more = np.maximum(gaussian_filter1d(left**2, BESIDE, mode="nearest") - most, 0.0) / np.gradient(own)
        found.doubt[inside] = np.interp(at, own, more)
        found.known[inside] = True
    return found


def _middle(count: int) -> slice:
    begin = max(0, (count - MOST_PAIRS) // 2)
    return slice(begin, begin + MOST_PAIRS)


def _pairs(time: Array, s: Array, good: Bools) -> tuple[NDArray[np.int64], NDArray[np.int64], Array]:
    """Successive positions on the layout between which the car drove, and how long that took."""
    kept = np.flatnonzero(good)
    first, last = kept[:-1], kept[1:]
    took, way = time[last] - time[first], s[last] - s[first]
    usual = float(np.median(took)) if len(took) else 1.0
    use = (took > 1e-3) & (took < LONGEST_STEPS * usual) & (way > LEAST_MS * took)
    return first[use], last[use], took[use]


def _basis(centre: CentreLine, begin: Array, end: Array) -> tuple[Array, Array]:
    """Periodic cubic B-splines at the centre line's points, (m, k), and their integrals over ways, (n, k) m."""
    count = max(8, round(centre.period / KNOT_M))
    knots = centre.s[0] + centre.period / count * np.arange(-3, count + 4)
    design = BSpline.design_matrix(
        np.clip(centre.s, knots[3], knots[-4] - 1e-9), knots, 3
    ).toarray()  # fmt: skip
    design[:, :3] += design[:, count:]
    design = design[:, :count]
    step = np.diff(centre.s)[:, None]
    whole = np.vstack([np.zeros(count), np.cumsum((design[1:] + design[:-1]) / 2 * step, axis=0)])

    def until(s: Array) -> Array:
        laps = np.floor((s - centre.s[0]) / centre.period)
        inside = s - laps * centre.period
        index = np.clip(np.searchsorted(centre.s, inside) - 1, 0, len(centre.s) - 2)
        share = ((inside - centre.s[index]) / (centre.s[index + 1] - centre.s[index]))[:, None]
        at = laps[:, None] * whole[-1] + whole[index] * (1.0 - share) + whole[index + 1] * share
        return np.asarray(at, dtype=np.float64)

    return design, until(end) - until(begin)


def _whitening(
    first: NDArray[np.int64], last: NDArray[np.int64], took: Array, pace: Array, white: float, walk: float, trust: Array
) -> Array:
    """(2, n) lower band of the Cholesky factor of the times' covariance: two pairs that share a position miss by it
    with opposite signs."""
    spread = pace / np.sqrt(trust)
    shared = np.append(last[:-1] == first[1:], False)
    own = (2.0 * white**2 + walk * took) * spread**2
    beside = np.where(shared, -(white**2) * spread * np.append(spread[1:], 0.0), 0.0)
    return np.asarray(cholesky_banded(np.vstack([own, beside]), lower=True))


def _fitted(ways: Array, took: Array, factor: Array, slow: Array, weights: tuple[float, ...]) -> tuple[Array, float]:
    """Coefficients of the slowness, as smooth as cross-validation wants them, and the weight of smoothness."""
    design = solve_banded((1, 0), factor, ways)
    seen = solve_banded((1, 0), factor, took)
    # Second differences of the coefficients, each in what a change of braking is there.
    count = ways.shape[1]
    at = np.maximum(slow[np.linspace(0, len(slow) - 1, count, endpoint=False).astype(int)], 1e-3)
    one = np.eye(count)
    bent = (np.roll(one, 1, axis=0) - 2.0 * one + np.roll(one, -1, axis=0)) / at[:, None] ** 3
    normal, stiff, right = design.T @ design, bent.T @ bent, design.T @ seen
    stiff *= np.trace(normal) / np.trace(stiff)
    best: tuple[float, Array, float] | None = None
    for weight in weights:
        inverse = np.linalg.inv(normal + weight * stiff + 1e-12 * np.trace(normal) * one)
        found = inverse @ right
        freedom = min(float((inverse * normal).sum()) / len(seen), MOST_FREEDOM)
        missed = float(((seen - design @ found) ** 2).sum()) / (1.0 - freedom) ** 2
        if best is None or missed < best[0]:
            best = missed, found, weight
    assert best is not None, "some weight is always tried"
    return best[1], best[2]


def _scatter(left: Array, took: Array, first: NDArray[np.int64], last: NDArray[np.int64]) -> tuple[float, float]:
    """White error of the positions (m) and how fast laps leave the usual one (m^2 per second), from what is left.

    Over k successive pairs the misses add up: the positions' own error counts twice whatever k is, what a lap does
    otherwise grows with it.
    """
    spans, squares = [], []
    for many in (1, 2, 3, 4):
        whole = np.ones(max(len(left) - many + 1, 0), dtype=bool)
        for step in range(1, many):
            whole &= last[step - 1 : len(left) - many + step] == first[step : len(left) - many + step + 1]
        if whole.sum() < 30:
            break
        added = np.convolve(left, np.ones(many), mode="valid")[whole]
        spans.append(float(np.mean(np.convolve(took, np.ones(many), mode="valid")[whole])))
        squares.append((1.4826 * float(np.median(np.abs(added)))) ** 2)
    if len(spans) < 2:
        return 0.3, 0.1
    slope = float(np.polyfit(spans, squares, 1)[0])
    walk = float(np.clip(slope, 1e-3, 4.0))
    white = float(np.sqrt(np.clip((squares[0] - walk * spans[0]) / 2.0, 0.02**2, 25.0)))
    return white, walk
