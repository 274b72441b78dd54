"""The edges of the road and the pit lane: drawn, or from a lap driven along them."""

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.relining import HALF_CAR_M
from lauftakt.core.log.model import Unusable

Array = NDArray[np.float64]
Degrees = Sequence[tuple[float, float]]
# What is drawn further from the line does not bound this road.
BESIDE_M = 60.0
# A lap along an edge is smoothed over so many metres: nobody drives on the very edge everywhere.
SMOOTH_M = 15
# A pit lane that nobody could drive through in a second is none.
LEAST_PIT_M = 20.0
# Of a drawn edge every so many metres one point is looked at, so that few points make straight pieces between them.
STEP_M = 2.0


def edge_from_points(layout: Layout, points: Degrees, side: str) -> Array:
    """An edge of the road from what was drawn of it.

    Parameters
    ----------
    layout : with its line
    points : (latitude, longitude) in degrees, along the road in either direction; the edge is straight between them
    side : ``left`` or ``right``

    Returns
    -------
    (g,) metres across on the layout's grid, left positive. Where nothing was drawn the edge goes on as far from the
    line as at the nearest ends of what was.

    Raises
    ------
    Unusable
        ``edge`` where fewer than two points were drawn, or where they lie beside another road.
    """
    if len(points) < 2:
        raise Unusable("edge", f"The {side} edge needs at least two points.")
    degrees = np.array(points, float)
    x, y = _dense(*layout.plane.to_xy(degrees[:, 0], degrees[:, 1]))
    s, n = layout.centre.project(x, y)
    near = np.abs(n) < BESIDE_M
    if near.mean() < 0.5:
        raise Unusable("edge", f"The {side} edge does not lie beside {layout.name}: more than {BESIDE_M:.0f} m away.")
    grid = layout.grid()
    bins = np.clip(np.rint(s[near]).astype(int), 0, len(grid) - 1)
    total, count = np.zeros(len(grid)), np.zeros(len(grid))
    np.add.at(total, bins, n[near])
    np.add.at(count, bins, 1)
    known = np.flatnonzero(count)
    period = layout.length if layout.centre.closed else None
    return np.asarray(np.interp(grid, grid[known], total[known] / count[known], period=period))


def edge_from_lap(layout: Layout, offset: Array, side: str) -> Array:
    """An edge of the road from a lap that was driven along it.

    Parameters
    ----------
    layout : with its line
    offset : (g,) m, the lap's line across the road on the layout's grid, left positive
    side : ``left`` or ``right``

    Returns
    -------
    (g,) metres across, half a car beyond the line that its antenna took.
    """
    mode = "wrap" if layout.centre.closed else "edge"
    wide = np.pad(offset, SMOOTH_M, mode=mode)  # type: ignore[call-overload]
    smooth = np.convolve(wide, np.full(2 * SMOOTH_M + 1, 1 / (2 * SMOOTH_M + 1)), mode="valid")
    return np.asarray(smooth + (HALF_CAR_M if side == "left" else -HALF_CAR_M))


def check_edges(layout: Layout) -> None:
    """See that a layout's left edge lies left of its right one.

    Raises
    ------
    Unusable
        ``edge`` with the first place where it does not.
    """
    if layout.left_limit is None or layout.right_limit is None:
        return
    crossed = np.flatnonzero(layout.left_limit - layout.right_limit < 1.0)
    if len(crossed):
        raise Unusable(
            "edge",
            f"At {crossed[0]:.0f} m the left edge would lie on the right one or beyond it; were they drawn the other "
            "way round?",
        )


def pit_lane_from(layout: Layout, points: Degrees) -> tuple[tuple[float, float], ...]:
    """A pit lane as drawn, (latitude, longitude) in degrees, in driving direction.

    Raises
    ------
    Unusable
        ``pit-lane`` where it is too short, or lies elsewhere.
    """
    degrees = np.array(points, float).reshape(-1, 2)
    x, y = layout.plane.to_xy(degrees[:, 0], degrees[:, 1])
    if len(x) < 2 or float(np.sum(np.hypot(np.diff(x), np.diff(y)))) < LEAST_PIT_M:
        raise Unusable("pit-lane", f"A pit lane needs two points at least, {LEAST_PIT_M:.0f} m apart.")
    s, n = layout.centre.project(x, y)
    if np.abs(n).min() > 2 * BESIDE_M:
        raise Unusable("pit-lane", f"This pit lane does not lie beside {layout.name}.")
    # From its beginning to its end one drives forward.
    on = float(s[-1] - s[0])
    if layout.centre.closed:
        on = (on + layout.length / 2) % layout.length - layout.length / 2
    ordered = degrees if on >= 0 else degrees[::-1]
    return tuple((float(latitude), float(longitude)) for latitude, longitude in ordered)


def in_pit_lane(layout: Layout, x: Array, y: Array, offset: Array) -> NDArray[np.bool_]:
    """Where a car was nearer to the pit lane than to the road's line, (t,).

    Parameters
    ----------
    layout : with or without a pit lane
    x, y : (t,) m in the layout's plane
    offset : (t,) m from the road's line
    """
    if not layout.pit_lane:
        return np.zeros(len(x), dtype=bool)
    degrees = np.array(layout.pit_lane)
    lane = np.column_stack(layout.plane.to_xy(degrees[:, 0], degrees[:, 1]))
    nearest = np.full(len(x), np.inf)
    for a, b in itertools.pairwise(lane):
        along = b - a
        share = np.clip(((x - a[0]) * along[0] + (y - a[1]) * along[1]) / max(float(along @ along), 1e-9), 0.0, 1.0)
        nearest = np.minimum(nearest, np.hypot(x - a[0] - share * along[0], y - a[1] - share * along[1]))
    return np.asarray(nearest < np.abs(offset))


def _dense(x: Array, y: Array) -> tuple[Array, Array]:
    """The straight pieces between points, with a point every few metres."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    at = np.union1d(np.arange(0.0, along[-1], STEP_M), along)
    return np.interp(at, along, x), np.interp(at, along, y)
