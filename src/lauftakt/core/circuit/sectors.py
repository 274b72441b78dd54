"""Sectors that are proposed where nobody has drawn any."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout

Array = NDArray[np.float64]
# As few as can be named from memory; the contract fixes it.
SECTORS = 3


def propose_splits(layout: Layout, times: Array) -> tuple[float, ...]:
    """Two splits that cut the lap into three sectors of comparable time, where passages (so: braking) begin.

    Parameters
    ----------
    layout : with passages
    times : (laps, g) s from the line, on the layout's grid
    """
    usual = np.median(times, axis=0)
    grid = layout.grid()
    places = sorted(p.from_m for p in layout.passages if 0.05 * layout.length < p.from_m < 0.95 * layout.length)
    when = np.interp(places, grid, usual)
    splits: list[float] = []
    for k in range(1, SECTORS):
        wanted = usual[-1] * k / SECTORS
        free = [(abs(t - wanted), p) for p, t in zip(places, when, strict=True) if p not in splits]
        if free and min(free)[0] < usual[-1] / SECTORS / 2:
            splits.append(min(free)[1])
        else:
            splits.append(float(np.interp(wanted, usual, grid)))
    return tuple(sorted(splits))
