"""A better line for a layout that is in use: made from more runs, with everything else where it lies on the ground."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.circuit.drafting import draft_layout
from lauftakt.core.circuit.layout import Layout, LayoutSketch
from lauftakt.core.log.model import Log, Unusable
from lauftakt.core.log.track import Track

Array = NDArray[np.float64]
# Further from the line a car is not on the circuit.
ON_ROAD_M = 15.0
# The widest lines, without the fixes of a receiver that wandered; and half of a car beyond its antenna.
WIDEST, HALF_CAR_M = 0.01, 0.9
# A limit is told every ten metres, and smoothed over three of those steps.
BIN_M, SMOOTH_BINS = 10.0, 3.0
LEAST_FIXES = 12


@dataclass(frozen=True)
class Relined:
    """A layout on a new line; ``moved_m`` and ``most_m`` are the mean and the largest distance from the old one."""

    layout: Layout
    moved_m: float
    most_m: float


def relined(layout: Layout, read: Sequence[tuple[Log, Track]], *, limits: bool) -> Relined:
    """A layout with its line made anew from runs.

    Parameters
    ----------
    layout : in use
    read : runs with positions, from :func:`lauftakt.core.circuit.drafting.read_tracks`
    limits : whether its limits are to be those of the widest lines driven

    Returns
    -------
    The layout on the new line: its start line, corners, passages, sectors and marks lie where they lay.

    Raises
    ------
    Unusable
        where the runs hold no whole lap of it.
    """
    if layout.reckoned:
        raise Unusable(
            "no-positions", "This map was drawn without positions; runs with positions make a circuit of their own."
        )
    drafted, _ = draft_layout(read, LayoutSketch(name=layout.name, start=layout.start, finish=layout.finish))
    x, y, _ = layout.centre.at(layout.grid()[:-1])
    there = drafted.plane.to_xy(*layout.plane.to_degrees(x, y))
    away = np.abs(drafted.centre.project(*there)[1])

    def moved(place: float) -> float:
        return expressed(layout, drafted, place)

    found = replace(
        drafted,
        corners=tuple(
            replace(c, entry_m=moved(c.entry_m), apex_m=moved(c.apex_m), exit_m=moved(c.exit_m)) for c in layout.corners
        ),
        passages=tuple(replace(p, from_m=moved(p.from_m), to_m=moved(p.to_m)) for p in layout.passages),
        splits_m=tuple(moved(place) for place in layout.splits_m),
        split_names=layout.split_names,
        first_sector=layout.first_sector,
        marks=tuple((name, moved(place)) for name, place in layout.marks),
        left_limit=_limit(layout, drafted, layout.left_limit),
        right_limit=_limit(layout, drafted, layout.right_limit),
        pit_lane=layout.pit_lane,
    )
    if not layout.centre.closed and found.passages:
        passages = list(found.passages)
        passages[0] = replace(passages[0], from_m=0.0)
        passages[-1] = replace(passages[-1], to_m=found.length)
        found = replace(found, passages=tuple(passages))
    if limits:
        left, right = widest(found, [track for _, track in read])
        found = replace(found, left_limit=left, right_limit=right)
    return Relined(found, float(away.mean()), float(away.max()))


def expressed(layout: Layout, other: Layout, place: float) -> float:
    """A place of a layout on another drawing of the same road, metres from the other's start line."""
    if place in (0.0, layout.length):
        return 0.0 if place == 0.0 else other.length
    x, y, heading = layout.centre.at(np.array([place]))
    own = other.plane.to_xy(*layout.plane.to_degrees(x, y))
    return float(other.centre.project(*own, heading)[0][0])


def _limit(layout: Layout, other: Layout, offsets: Array | None) -> Array | None:
    """A limit of one layout as offsets from another's line, on the other's grid."""
    if offsets is None:
        return None
    grid = layout.grid()
    x, y, heading = layout.centre.at(grid)
    edge = layout.plane.to_degrees(x - offsets * np.sin(heading), y + offsets * np.cos(heading))
    s, n = other.centre.project(*other.plane.to_xy(*edge), heading)
    order = np.argsort(s)
    period = other.length if other.centre.closed else None
    return np.asarray(np.interp(other.grid(), s[order], n[order], period=period))


def widest(layout: Layout, tracks: Sequence[Track]) -> tuple[Array, Array]:
    """Limits of the road from the widest lines driven, (g,) m each, left and right, on the layout's grid.

    Parameters
    ----------
    layout : with its line
    tracks : of runs there
    """
    places, offsets = [], []
    for track in tracks:
        own = track.in_plane(layout.plane)
        s, n = layout.centre.project(own.x, own.y, own.heading)
        moving = np.interp(own.fix_time, own.speed_time, own.speed) > 5.0
        near = (np.abs(n) < ON_ROAD_M) & moving
        places.append(s[near])
        offsets.append(n[near])
    s, n = np.concatenate(places), np.concatenate(offsets)
    count = max(4, round(layout.length / BIN_M))
    bins = np.clip((s / layout.length * count).astype(int), 0, count - 1)
    middles = (np.arange(count) + 0.5) * layout.length / count
    limits = []
    for share, beyond in ((1.0 - WIDEST, HALF_CAR_M), (WIDEST, -HALF_CAR_M)):
        found = np.array([
            np.quantile(n[bins == k], share) if (bins == k).sum() >= LEAST_FIXES else np.nan for k in range(count)
        ])  # fmt: skip
        known = np.isfinite(found)
        if not known.any():
            found = np.full(count, 0.0)
        else:
            period = layout.length if layout.centre.closed else None
            found = np.interp(middles, middles[known], found[known], period=period)
        smooth = gaussian_filter1d(found, SMOOTH_BINS, mode="wrap" if layout.centre.closed else "nearest")
        # A limit never lies inside a line that was driven.
        smooth = np.maximum(smooth, found) if beyond > 0 else np.minimum(smooth, found)
        period = layout.length if layout.centre.closed else None
        limits.append(np.interp(layout.grid(), middles, smooth, period=period) + beyond)
    return limits[0], limits[1]
