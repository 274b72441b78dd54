"""A circuit driven the other way round: the same road, with everything that direction decides turned."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.layout import Layout, Line
from lauftakt.core.log.model import Unusable

Array = NDArray[np.float64]


def turned(layout: Layout, name: str) -> Layout:
    """The layout driven in the opposite direction.

    Parameters
    ----------
    layout : a closed circuit
    name : of the new one

    Returns
    -------
    Centre line, start line, limits and marks turned. Corners, passages and splits are left to whoever knows how it is
    driven this way: braking begins elsewhere.

    Raises
    ------
    Unusable
        ``no-positions`` for an open course, which ends where it would have to begin.
    """
    if not layout.centre.closed:
        raise Unusable("no-positions", "An open course is not driven the other way round without a log of positions.")
    centre, length = layout.centre, layout.length

    def limit(offsets: Array | None) -> Array | None:
        if offsets is None:
            return None
        return np.asarray(-np.interp(length - layout.grid(), layout.grid(), offsets))

    return replace(
        layout,
        name=name,
        start=Line(left=layout.start.right, right=layout.start.left),
        centre=CentreLine(centre.x[::-1].copy(), centre.y[::-1].copy(), (length - centre.s)[::-1].copy(), True),
        skew=layout.skew,
        corners=(),
        passages=(),
        splits_m=(),
        split_skews=(),
        split_names=(),
        left_limit=limit(layout.right_limit),
        right_limit=limit(layout.left_limit),
        marks=tuple(sorted(((name, (length - at) % length) for name, at in layout.marks), key=lambda mark: mark[1])),
    )
