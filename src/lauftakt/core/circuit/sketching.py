"""A layout as a drawing that can be handed on: the inverse of laying one out."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout, LayoutSketch
from lauftakt.core.circuit.lines import line_across

Array = NDArray[np.float64]
# Dense enough that the line is the same again to a centimetre.
EVERY_M = 2.0
HALF_SPLIT_M = 15.0


def sketch_from(
    layout: Layout, name: str, marks: tuple[tuple[str, tuple[float, float]], ...] | None = None
) -> LayoutSketch:
    """A layout as it would have been drawn: lines, limits, corners and marks in degrees.

    Parameters
    ----------
    layout : any
    name : by which it is known now
    marks : name and (latitude, longitude) in degrees; None for those that lie on its line
    """
    grid = np.append(np.arange(0.0, layout.length - 0.5 * EVERY_M, EVERY_M), layout.length)

    def points(at: Array, offset: Array | float = 0.0) -> tuple[tuple[float, float], ...]:
        latitude, longitude = layout.plane.to_degrees(*layout.centre.beside(at, np.broadcast_to(offset, at.shape)))
        return tuple((float(a), float(b)) for a, b in zip(latitude, longitude, strict=True))

    def limit(offsets: Array | None) -> tuple[tuple[float, float], ...]:
        return () if offsets is None else points(grid, np.interp(grid, layout.grid(), offsets))

    begin, end = float(layout.centre.s[0]), float(layout.centre.s[-1])
    whole = grid[:-1] if layout.centre.closed else np.arange(begin, end, EVERY_M)
    splits = []
    for number, (at, split) in enumerate(zip(layout.splits_m, layout.names_of_splits, strict=True), 1):
        x, y, heading = layout.centre.at(np.array([at]))
        line = line_across(layout.plane, float(x[0]), float(y[0]), float(heading[0]), HALF_SPLIT_M)
        splits.append((split or f"Split {number}", line))
    return LayoutSketch(
        name=name,
        start=layout.start,
        finish=layout.finish,
        centre=points(whole),
        left_limit=limit(layout.left_limit),
        right_limit=limit(layout.right_limit),
        pit_lane=layout.pit_lane,
        reckoned=layout.reckoned,
        splits=tuple(splits),
        first_sector=layout.first_sector,
        corners=tuple((corner.name, points(np.array([corner.apex_m]))[0]) for corner in layout.corners),
        marks=marks if marks is not None else tuple((mark, points(np.array([at]))[0]) for mark, at in layout.marks),
    )
