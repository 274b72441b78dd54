"""Where a circuit is braked for: parts of the lap in which laps brake, and where that begins."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.arrays import spans
from lauftakt.core.circuit.layout import Layout

Array = NDArray[np.float64]
# A zone is where half of the laps brake somewhere; it begins where the first tenth of them do.
MOST_LAPS, FIRST_LAPS = 0.5, 0.1
# A brush of the brake is no zone; two a few car lengths apart are one.
LEAST_M, JOIN_M = 12.0, 25.0


@dataclass(frozen=True)
class BrakingZone:
    """From where the first tenth of the laps brake to where the last tenth does, metres; ``usual_m`` is where half of
    them do. ``from_m`` > ``to_m`` across the line."""

    from_m: float
    usual_m: float
    to_m: float


def braking_zones(layout: Layout, braking: NDArray[np.bool_]) -> list[BrakingZone]:
    """Braking zones of a layout.

    Parameters
    ----------
    layout : which
    braking : (laps, g) where laps that count brake, on the layout's grid

    Returns
    -------
    Zones in driving order; none where no lap counts.
    """
    if not len(braking):
        return []
    share = braking[:, :-1].mean(axis=0)
    count = len(share)
    # The search begins where hardly anybody brakes, so that no zone is cut by the line.
    shift = int(np.argmin(share)) if layout.centre.closed else 0
    rolled = np.roll(share, -shift)
    parts: list[list[int]] = []
    for first, last in spans(rolled >= FIRST_LAPS):
        if parts and first - parts[-1][1] < JOIN_M:
            parts[-1][1] = last
        else:
            parts.append([first, last])
    grid, found = layout.grid()[:-1], []
    for first, last in parts:
        most = np.flatnonzero(rolled[first:last] >= min(MOST_LAPS, 1.0))
        if last - first < LEAST_M or not len(most):
            continue
        ends = [float(grid[(index + shift) % count]) for index in (first, first + int(most[0]), last - 1)]
        found.append(BrakingZone(*ends))
    return sorted(found, key=lambda zone: zone.from_m)
