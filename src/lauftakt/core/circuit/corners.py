"""Corners of a layout, from the centre line's curvature."""

import itertools
from dataclasses import replace

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from lauftakt.core.arrays import spans
from lauftakt.core.circuit.layout import Corner, Layout

Array = NDArray[np.float64]
# Radius of 320 m: at racing pace the first that is not simply flat. Tried on the simulator's four circuits.
BEND_ON = 1 / 320.0
# Twice that radius, so that a corner does not end in its own noise.
BEND_OFF = 1 / 650.0
# Radians, 9 degrees: less is a kink of a straight.
LEAST_TURN = 0.15
# A few car lengths: bends of one direction nearer than this are one corner with two apexes.
JOIN_SAME_M = 28.0
# Share of the weaker bend's curvature below which two bends are apart.
VALLEY = 0.25
# A driven line never quite straightens between two corners of one direction: there it is enough that the curvature is
# below half of the weaker bend's for ten car lengths, and below a third of it somewhere.
SHALLOW, DEEP, SHALLOW_M = 0.5, 0.35, 40.0
# Bends of opposite direction nearer than this are a chicane.
CHICANE_M = 40.0


def find_corners(layout: Layout) -> tuple[Corner, ...]:
    """Corners by threshold on the centre line's curvature, with hysteresis.

    Two bends of the same direction less than 28 m apart (in tight corners less than six tenths of the radius) are one
    corner (a double apex); between them the curvature must stay below a quarter of the weaker bend's. Bends of
    opposite direction less than 40 m apart stay two and share a group (a chicane).

    Parameters
    ----------
    layout : with its centre line; a closed one may begin anywhere, also inside a corner

    Returns
    -------
    Corners in driving order, named T1, T2, …
    """
    centre = layout.centre
    count = len(centre.s) - 1 if centre.closed else len(centre.s)
    mode = "wrap" if centre.closed else "nearest"
    bend = uniform_filter1d(centre.curvature[:count], 9, mode=mode)
    step = float(centre.s[-1] - centre.s[0]) / (len(centre.s) - 1)
    # Start the search on a straight, so that no corner is cut in two.
    shift = int(np.argmin(uniform_filter1d(np.abs(bend), 41, mode=mode))) if centre.closed else 0
    turned = np.roll(bend, -shift)
    found: list[tuple[int, int, int]] = []
    for sign in (1, -1):
        for first, last in spans(sign * turned > BEND_OFF):
            if (sign * turned[first:last]).max() > BEND_ON:
                found.append((first, last, sign))
    found.sort()
    joined: list[tuple[int, int, int]] = []
    for first, last, sign in (piece for part in found for piece in _split_at_valleys(turned, *part, step)):
        if joined and joined[-1][2] == sign:
            before = joined[-1][0] + int(np.argmax(sign * turned[joined[-1][0] : joined[-1][1]]))
            after = first + int(np.argmax(sign * turned[first:last]))
            if _valley(sign * turned[before : after + 1], step) is None:
                joined[-1] = (joined[-1][0], last, sign)
                continue
        joined.append((first, last, sign))
    corners: list[Corner] = []
    group = -1
    previous: int | None = None
    for first, last, sign in joined:
        part = sign * turned[first:last]
        if part.sum() * step < LEAST_TURN:
            continue
        near = CHICANE_M / JOIN_SAME_M * _join_m(1.0 / max(float(part.max()), 1e-6))
        if previous is None or (first - previous) * step >= near:
            group += 1
        previous = last
        strong = part >= 0.9 * part.max()
        apex = first + int(np.flatnonzero(strong)[0] + np.flatnonzero(strong)[-1]) // 2
        if not strong[apex - first]:  # two apexes: the first one counts
            apex = first + int(np.argmax(part))
        entry_m, apex_m, exit_m = (
            float(centre.s[(i + shift) % count if centre.closed else min(i, count - 1)]) for i in (first, apex, last)
        )
        if not 0.0 <= apex_m <= layout.length:
            continue
        corners.append(Corner("", "left" if sign > 0 else "right", entry_m, apex_m, exit_m, group))
    corners.sort(key=lambda corner: corner.apex_m)
    groups = {g: i + 1 for i, g in enumerate(dict.fromkeys(c.group for c in corners))}
    return tuple(replace(corner, name=f"T{i + 1}", group=groups[corner.group]) for i, corner in enumerate(corners))


def _join_m(radius: float) -> float:
    """How far apart two bends of one direction may be to count as one corner, for the radius of the tighter."""
    return float(np.clip(0.6 * radius, 8.0, JOIN_SAME_M))


def _split_at_valleys(turned: Array, first: int, last: int, sign: int, step: float) -> list[tuple[int, int, int]]:
    """A bend cut where a valley of its curvature parts it."""
    part = sign * turned[first:last]
    peaks = scipy.signal.find_peaks(part, prominence=max(0.5 * BEND_ON, 0.15 * float(part.max())))[0]
    for left, right in itertools.pairwise(peaks):
        valley = _valley(part[left : right + 1], step)
        if valley is not None:
            begin, end = first + left + valley[0], first + left + valley[1]
            return [(first, begin, sign), *_split_at_valleys(turned, end, last, sign, step)]
    return [(first, last, sign)]


def _valley(between: Array, step: float) -> tuple[int, int] | None:
    """Where two bends of one direction are apart, from one's peak to the other's; None where they are one corner.

    The curvature stays below a quarter of the weaker peak for longer than joins them, or below half of it for much
    longer, and below a third somewhere.
    """
    left, right = float(between[0]), float(between[-1])
    weaker = min(left, right)
    low = np.flatnonzero(between < VALLEY * weaker)
    if not len(low) or len(low) * step < _join_m(1.0 / max(left, right, 1e-9)):
        low = np.flatnonzero(between < SHALLOW * weaker)
        if between.min() >= DEEP * weaker or len(low) * step < SHALLOW_M:
            return None
    return int(low[0]), int(low[-1]) + 1


def name_corners(
    layout: Layout, corners: tuple[Corner, ...], named: tuple[tuple[str, tuple[float, float]], ...]
) -> tuple[Corner, ...]:
    """Corners with the names that somebody gave them.

    Parameters
    ----------
    layout : with its centre line
    corners : found ones
    named : name and (latitude, longitude) in degrees of an apex; the nearest corner within 75 m takes the name

    Returns
    -------
    The corners; where a named apex lies on no found corner there is one more, 30 m to either side of it.
    """
    centre = layout.centre
    free = list(corners)
    result: list[Corner] = []
    for name, (latitude, longitude) in named:
        x, y = layout.plane.to_xy([latitude], [longitude])
        place = float(centre.project(x, y)[0][0])

        def away(corner: Corner, place: float = place) -> float:
            gap = abs(corner.apex_m - place)
            return min(gap, layout.length - gap) if centre.closed else gap

        nearest = min(free, key=away, default=None)
        if nearest is not None and away(nearest) < 75.0:
            free.remove(nearest)
            result.append(replace(nearest, name=name))
            continue
        bend = float(np.interp(place, centre.s, centre.curvature))
        entry, out = (float(centre.wrap(np.array([place + d]))[0]) for d in (-30.0, 30.0))
        result.append(Corner(name, "left" if bend > 0 else "right", entry, place, out, 1000 + len(result)))
    taken = {corner.name for corner in result}
    for corner in free:
        while corner.name in taken:
            corner = replace(corner, name=corner.name + "'")
        result.append(corner)
    result.sort(key=lambda corner: corner.apex_m)
    groups = {g: i + 1 for i, g in enumerate(dict.fromkeys(c.group for c in result))}
    return tuple(replace(corner, group=groups[corner.group]) for corner in result)
