"""The centre line: a smooth closed (or open) curve by arc length, and what is where along it."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import BSpline, CubicSpline
from scipy.sparse import csr_matrix, diags
from scipy.sparse.linalg import spsolve
from scipy.spatial import cKDTree

from lauftakt.core.log.model import Unusable

Array = NDArray[np.float64]
# Half of what a hairpin's radius is: fine enough for it, coarse enough to be solved at once.
KNOT_SPACING_M = 6.0


@dataclass(frozen=True)
class CentreLine:
    """A curve sampled about every metre.

    Attributes
    ----------
    x, y : (n,) metres in the layout's plane; for a closed line the last point repeats the first
    s : (n,) metres of arc length from the start line, rising; from 0 to the length on a closed line, while an open one
        may begin before its start line and end after its finish
    closed : whether the end is the beginning
    finish_m : where an open line's finish is; None: at its end
    """

    x: Array
    y: Array
    s: Array
    closed: bool = True
    finish_m: float | None = None

    @property
    def length(self) -> float:
        """Metres from the start line to the start line (or the finish)."""
        return float(self.s[-1]) if self.finish_m is None else self.finish_m

    @property
    def period(self) -> float:
        """What unwrapped s grows by from one drive along the line to the next: the length of a closed line; on an open
        one more than the line, so that successive drives cannot touch."""
        return self.length if self.closed else float(self.s[-1] - self.s[0]) + 500.0

    @cached_property
    def _splines(self) -> tuple[CubicSpline, CubicSpline]:
        ends = "periodic" if self.closed else "natural"
        x, y = self.x, self.y
        if self.closed:
            x, y = np.append(x[:-1], x[0]), np.append(y[:-1], y[0])
        return CubicSpline(self.s, x, bc_type=ends), CubicSpline(self.s, y, bc_type=ends)

    @cached_property
    def heading(self) -> Array:
        """(n,) radians, counter-clockwise from east, unwrapped, at ``s``."""
        fx, fy = self._splines
        return np.unwrap(np.arctan2(fy(self.s, 1), fx(self.s, 1)))

    @cached_property
    def curvature(self) -> Array:
        """(n,) 1/m, left positive, at ``s``."""
        fx, fy = self._splines
        dx, dy, ddx, ddy = fx(self.s, 1), fy(self.s, 1), fx(self.s, 2), fy(self.s, 2)
        return np.asarray((dx * ddy - dy * ddx) / np.maximum(np.hypot(dx, dy), 1e-9) ** 3)

    @cached_property
    def _tree(self) -> cKDTree:
        return cKDTree(np.column_stack([self.x, self.y, self._headings(np.cos), self._headings(np.sin)]))

    def _headings(self, of: np.ufunc) -> Array:
        return np.asarray(HEADING_WEIGHT_M * of(self.heading))

    def wrap(self, s: Array) -> Array:
        """Unwrapped ``s`` brought into [0, length) on a closed line; on an open one into the line's own range."""
        if self.closed:
            return np.asarray(np.mod(s, self.length))
        first, last = self.s[0], self.s[-1]
        # The stretch between two drives belongs half to the end of one and half to the beginning of the next.
        margin = (self.period - (last - first)) / 2
        return np.asarray(np.clip(np.mod(s - first + margin, self.period) + first - margin, first, last))

    def at(self, s: Array) -> tuple[Array, Array, Array]:
        """Position and heading (radians) at (n,) places ``s`` in metres."""
        fx, fy = self._splines
        inside = self.wrap(np.asarray(s, float))
        return fx(inside), fy(inside), np.arctan2(fy(inside, 1), fx(inside, 1))

    def beside(self, s: Array, n: Array) -> tuple[Array, Array]:
        """Positions beside the line, (n,) metres each in the layout's plane: at places ``s``, ``n`` across, left
        positive."""
        x, y, heading = self.at(s)
        return x - n * np.sin(heading), y + n * np.cos(heading)

    def project(self, x: Array, y: Array, heading: Array | None = None) -> tuple[Array, Array]:
        """Foot of the perpendicular for each position.

        Parameters
        ----------
        x, y : (n,) metres in the layout's plane
        heading : (n,) radians, the direction of travel; keeps neighbouring roads of opposite direction apart

        Returns
        -------
        s : (n,) metres along the line, in [0, length]
        n : (n,) metres across it, left positive
        """
        if heading is None:
            _, index = cKDTree(np.column_stack([self.x, self.y])).query(np.column_stack([x, y]))
        else:
            _, index = self._tree.query(
                np.column_stack([x, y, HEADING_WEIGHT_M * np.cos(heading), HEADING_WEIGHT_M * np.sin(heading)])
            )
        s = self.s[np.asarray(index)]
        fx, fy = self._splines
        for _ in range(3):
            inside = self.wrap(s)
            tx, ty = fx(inside, 1), fy(inside, 1)
            speed = np.hypot(tx, ty)
            dx, dy = x - fx(inside), y - fy(inside)
            across = (-ty * dx + tx * dy) / speed
            bend = np.interp(inside, self.s, self.curvature)
            stretch = np.clip(1.0 - across * bend, 0.3, 3.0)
            s = s + np.clip((tx * dx + ty * dy) / speed / stretch, -5.0, 5.0)
        inside = self.wrap(s)
        tx, ty = fx(inside, 1), fy(inside, 1)
        n = (-ty * (x - fx(inside)) + tx * (y - fy(inside))) / np.hypot(tx, ty)
        return inside, n


# A fix driving the other way counts as 50 m further off: neighbouring roads of opposite direction are that near.
HEADING_WEIGHT_M = 25.0


def smooth_curve(
    u: Array,
    x: Array,
    y: Array,
    length: float,
    *,
    closed: bool,
    cutoff_m: float,
    weight: Array | None = None,
    knot_m: float = KNOT_SPACING_M,
) -> tuple[BSpline, BSpline]:
    """Penalised regression spline through scattered positions along a path.

    Parameters
    ----------
    u : (n,) metres along the path, in [0, length]
    x, y : (n,) metres
    length : metres; the period where the path is closed
    closed : periodic, or with free ends
    cutoff_m : wavelength at which the amplitude falls to a half
    weight : (n,) relative weights of the positions
    knot_m : distance of the knots

    Returns
    -------
    Two splines over ``u``.

    Notes
    -----
    Cubic B-splines on equidistant knots with a penalty on the third differences of the coefficients: Eilers and Marx,
    "Flexible smoothing with B-splines and penalties", Statistical Science 11, 1996. The third derivative is punished so
    that a circle is not straightened; the weight follows from the wanted wavelength as for the smoothing spline's
    transfer function 1 / (1 + lambda omega^6).
    """
    count = max(12, round(length / knot_m))
    step = length / count
    if closed:
        knots = np.arange(-3, count + 4) * step
        design = BSpline.design_matrix(np.clip(np.mod(u, length), 0, length * (1 - 1e-12)), knots, 3).tocsr()
        fold = csr_matrix(
            (np.ones(count + 3), (np.arange(count + 3), np.arange(count + 3) % count)), shape=(count + 3, count)
        )
        design = design @ fold
        size = count
        third = sum(
            diags([c, c], [k, k - size], shape=(size, size)) if k else diags([c], [0], shape=(size, size))
            for k, c in ((0, -1.0), (1, 3.0), (2, -3.0), (3, 1.0))
        )
    else:
        knots = np.concatenate([[0.0] * 3, np.linspace(0, length, count + 1), [length] * 3])
        design = BSpline.design_matrix(np.clip(u, 0, length), knots, 3).tocsr()
        size = count + 3
        third = diags([-1.0, 3.0, -3.0, 1.0], [0, 1, 2, 3], shape=(size - 3, size))
    weights = np.ones(len(u)) if weight is None else weight
    density = max(float(weights.sum()) / length, 1e-9)
    smoothing = density * (cutoff_m / (2 * np.pi)) ** 6 / step**5
    normal = (design.T @ diags([weights], [0]) @ design + smoothing * (third.T @ third)).tocsc()
    right = design.T @ (weights[:, None] * np.column_stack([x, y]))
    found = spsolve(normal, right)
    if closed:
        found = np.vstack([found, found[:3]])
    return BSpline(knots, found[:, 0], 3), BSpline(knots, found[:, 1], 3)


def centre_from_curve(
    fx: Callable[[Array], Array], fy: Callable[[Array], Array], length: float, *, closed: bool
) -> CentreLine:
    """Sample a curve by arc length, about every metre.

    Raises
    ------
    Unusable
        ``layout-short`` where less than 100 m are left.
    """
    fine = np.linspace(0.0, length, max(200, round(length * 2)) + 1)
    x, y = (fx(np.mod(fine, length)), fy(np.mod(fine, length))) if closed else (fx(fine), fy(fine))
    arc = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    if arc[-1] < 100.0:
        raise Unusable("layout-short", "The path is shorter than 100 m, so no circuit can be made from it.")
    s = np.linspace(0.0, arc[-1], round(arc[-1]) + 1)
    return CentreLine(x=np.interp(s, arc, x), y=np.interp(s, arc, y), s=s, closed=closed)


def centre_through(x: Array, y: Array, closed: bool) -> CentreLine:
    """The curve through given points, (n,) metres each; a closed one does not repeat its first."""
    if closed:
        x, y = np.append(x, x[0]), np.append(y, y[0])
    chord = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    ends = "periodic" if closed else "natural"
    fx, fy = CubicSpline(chord, x, bc_type=ends), CubicSpline(chord, y, bc_type=ends)
    return centre_from_curve(fx, fy, float(chord[-1]), closed=closed)
