"""A driver's mean line over the laps of a run: its shape, its error, and how far laps leave it."""

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid
from scipy.ndimage import uniform_filter1d
from scipy.sparse import csr_matrix

from lauftakt.core.circuit.centre import CentreLine, smooth_curve
from lauftakt.core.placing.smoother import Noise

Array = NDArray[np.float64]
# Knots of the mean line's error: on straights by distance,
MEAN_STEP_M = 100.0
# in corners by what is turned, since a line changes there.
MEAN_STEP_RAD = 0.6
# Nobody repeats a line better than this.
LINE_FLOOR_M = 0.12
# Over about such a distance a driver's line departs from another (simulator, benchmarks/accuracy.py).
LINE_LENGTH_M = 80.0


class MeanLine:
    """A driver's mean offset over the laps of a run, and its angle to the centre line.

    The best rigid shift is taken off before the offsets are smoothed and put back afterwards: in a tight corner it
    changes faster than a line does, and what smoothing took of it would look like something that a run can tell.
    """

    def __init__(self, centre: CentreLine, s: Array, n: Array, weight: Array) -> None:
        self._centre = centre
        self._curvature = centre.curvature
        self._offset = np.zeros(len(centre.s))
        self._slope = np.zeros(len(centre.s))
        if weight.sum() > centre.length / 20:
            first, span = centre.s[0], float(centre.s[-1] - centre.s[0])
            design = _sideways(centre, s)
            root = np.sqrt(weight)
            shift = np.linalg.lstsq(design * root[:, None], n * root, rcond=None)[0]
            left = n - design @ shift
            spline, _ = smooth_curve(
                centre.wrap(s) - first, left, left, span, closed=centre.closed, cutoff_m=30.0, weight=weight
            )
            inside = centre.wrap(centre.s) - first
            ahead = np.column_stack([np.cos(centre.heading), np.sin(centre.heading)])
            self._offset = spline(inside) + _sideways(centre, centre.s) @ shift
            self._slope = spline(inside, 1) - self._curvature * (ahead @ shift)

    def at(self, s: Array) -> tuple[Array, Array, Array]:
        """Offset (m), tangent of the angle to the centre line, and curvature of the centre line (1/m) at ``s``."""
        inside = self._centre.wrap(s)
        n, slope, bend = (
            np.interp(inside, self._centre.s, values) for values in (self._offset, self._slope, self._curvature)
        )
        return n, slope / (1 - n * bend), bend


def _sideways(centre: CentreLine, s: Array) -> Array:
    """(n, 2) unit vectors to the left of the centre line, east and north, at places inside the line or beyond."""
    heading = np.interp(centre.wrap(s), centre.s, centre.heading)
    return np.column_stack([-np.sin(heading), np.cos(heading)])


class MeanBasis:
    """Piecewise linear functions of s for the mean line's error, periodic on a closed line.

    Knots are at most 100 m and six tenths of a radian of turning apart: the slow position errors, averaged over laps,
    shift the whole line sideways to its own direction, which changes fast in a tight corner. Knots too far apart could
    not follow that, and the smoother would believe to know what it cannot know.
    """

    def __init__(self, centre: CentreLine) -> None:
        self._centre = centre
        density = 1.0 / MEAN_STEP_M + np.abs(centre.curvature) / MEAN_STEP_RAD
        turns = cumulative_trapezoid(density, centre.s, initial=0.0)
        self._count = max(4, round(turns[-1]))
        self._scaled = turns * (self._count / turns[-1])
        numbers = np.arange(self._count if centre.closed else self._count + 1, dtype=float)
        self.knots = np.interp(numbers, self._scaled, centre.s)

    def shifted(self) -> Array:
        """(k, 2) coefficients of a rigid shift of the whole path by a metre east and north."""
        return _sideways(self._centre, self.knots)

    def at(self, s: Array) -> csr_matrix:
        """(n, k) values at (n,) places."""
        place = np.interp(self._centre.wrap(s), self._centre.s, self._scaled)
        left = np.minimum(place.astype(int), self._count - 1)
        share = place - left
        closed = self._centre.closed
        right = (left + 1) % self._count if closed else left + 1
        rows = np.arange(len(s))
        return csr_matrix(
            (np.concatenate([1 - share, share]), (np.concatenate([rows, rows]), np.concatenate([left, right]))),
            shape=(len(s), self._count if closed else self._count + 1),
        )


def line_scatter(centre: CentreLine, s: Array, away: Array, trust: Array, noise: Noise, at: Array) -> Array | None:
    """Standard deviation of the laps' departure from the driver's mean line, m, at unwrapped places ``at``.

    Somebody who sometimes turns in late leaves his mean line by metres there and by decimetres elsewhere. The scatter
    of the fixes across the mean line, less their white noise, is taken over 60 m, as if 30 more fixes had shown the
    usual value; it can only add to that, because mean line and drift have already taken their share of it.
    """
    count = max(4, round((centre.s[-1] - centre.s[0]) / 20.0))
    place = np.clip(((centre.wrap(s) - centre.s[0]) / (centre.s[-1] - centre.s[0]) * count).astype(int), 0, count - 1)
    limit = 4.0 * np.maximum(noise.fix_m, np.median(np.abs(away)) * 1.4826)
    squares = np.bincount(place, trust * np.minimum(np.abs(away), limit) ** 2, minlength=count)
    weight = np.bincount(place, trust, minlength=count)
    mode = "wrap" if centre.closed else "nearest"
    squares, weight = (3 * uniform_filter1d(values, 3, mode=mode) for values in (squares, weight))
    variance = (squares - weight * noise.fix_m**2 + 30.0 * noise.line_m**2) / (weight + 30.0)
    sigma = np.sqrt(np.clip(1.3 * variance, noise.line_m**2, 9.0))
    middle = centre.s[0] + (np.arange(count) + 0.5) * (centre.s[-1] - centre.s[0]) / count
    return np.asarray(np.interp(centre.wrap(at), middle, sigma, period=centre.length if centre.closed else None))


def correlated(centre: CentreLine, knots: Array, length_m: float) -> Array:
    """(k, k) precision of values at knots that each vary by 1 and whose correlation falls by e over a distance."""
    gap = np.abs(knots[:, None] - knots[None, :])
    if centre.closed:
        gap = np.minimum(gap, centre.length - gap)
    return np.asarray(np.linalg.inv(np.exp(-gap / length_m) + np.eye(len(knots)) * 1e-6), dtype=np.float64)


def line_prior(basis: MeanBasis, line: MeanLine, centre: CentreLine) -> tuple[Array, Array]:
    """What is known of the mean line's error before the fixes are weighed: precision and mean of its coefficients.

    A driver's line differs from the layout's centre line, the mean of good laps, by something that changes over some
    80 m. The receiver's slow error, averaged over the laps, shifts the whole line sideways to its own direction. That
    tells the two apart: how much lines differ is learnt from this run's own line less its best rigid shift (robustly:
    median absolute deviation), and where it lies far off, as somebody who turns in late does, little is assumed
    (Student's t with four degrees of freedom).
    """
    knots = basis.knots
    n, _, _ = line.at(knots)
    design = _sideways(centre, knots)
    weight = np.ones(len(knots))
    for _ in range(5):
        shift = np.linalg.lstsq(design * weight[:, None], n * weight, rcond=None)[0]
        left = n - design @ shift
        size = max(1.4826 * float(np.median(np.abs(left))), LINE_FLOOR_M)
        weight = np.sqrt(1.0 / (1.0 + (left / size) ** 2 / 4.0))
    sigma = size * np.sqrt((4.0 + (left / size) ** 2) / 5.0)
    gap = np.abs(knots[:, None] - knots[None, :])
    if centre.closed:
        gap = np.minimum(gap, centre.length - gap)
    covariance = np.exp(-gap / LINE_LENGTH_M) * sigma[:, None] * sigma[None, :]
    return np.asarray(np.linalg.inv(covariance + np.eye(len(knots)) * 1e-6), dtype=np.float64), -n
