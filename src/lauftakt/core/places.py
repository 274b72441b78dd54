"""Corners, passages and proposed sectors of a layout."""

import itertools
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d
from scipy.signal import find_peaks

from lauftakt.core.layout import Corner, Layout, Passage

Array = NDArray[np.float64]

BEND_ON = 1 / 320.0
BEND_OFF = 1 / 650.0
LEAST_TURN = 0.15
JOIN_SAME_M = 28.0
VALLEY = 0.25
CHICANE_M = 40.0
LINK_S = 1.0
SECTORS = 3


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
        inside = np.flatnonzero(np.diff(np.concatenate([[0], (sign * turned > BEND_OFF).astype(int), [0]])))
        for first, last in inside.reshape(-1, 2):
            part = sign * turned[first:last]
            if part.max() > BEND_ON:
                found.append((int(first), int(last), sign))
    found.sort()
    joined: list[tuple[int, int, int]] = []
    for first, last, sign in (piece for part in found for piece in _split_at_valleys(turned, *part, step)):
        if joined and joined[-1][2] == sign:
            before, after = sign * turned[joined[-1][0] : joined[-1][1]], sign * turned[first:last]
            little = VALLEY * min(float(before.max()), float(after.max()))
            gap = first + int(np.argmax(after > little)) - joined[-1][0] - int(np.flatnonzero(before > little)[-1])
            if gap * step < _join_m(1.0 / max(float(before.max()), float(after.max()))):
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
    """A bend cut where its curvature stays below a quarter of both neighbouring peaks for longer than joins them."""
    part = sign * turned[first:last]
    peaks = find_peaks(part, prominence=max(0.5 * BEND_ON, 0.15 * float(part.max())))[0]
    for left, right in itertools.pairwise(peaks):
        weaker = min(part[left], part[right])
        low = np.flatnonzero(part[left:right] < VALLEY * weaker)
        if len(low) and len(low) * step >= _join_m(1.0 / max(part[left], part[right])):
            begin, end = first + left + int(low[0]), first + left + int(low[-1]) + 1
            return [(first, begin, sign), *_split_at_valleys(turned, end, last, sign, step)]
    return [(first, last, sign)]


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


def find_passages(
    layout: Layout, times: Array, flats: NDArray[np.bool_], brakings: NDArray[np.bool_]
) -> tuple[Passage, ...]:
    """Divide the lap into passages, without gaps.

    Neighbouring corners belong together where nobody is at full throttle for more than a second between them. A
    passage begins a little before the earliest ordinary braking point of its first corner.

    Parameters
    ----------
    layout : with corners
    times : (laps, g) s from the line, on the layout's grid
    flats : (laps, g) True at full throttle
    brakings : (laps, g) True where the car brakes

    Returns
    -------
    Passages P1, P2, … in driving order from the start line.
    """
    corners = layout.corners
    closed = layout.centre.closed
    grid = layout.grid()[:-1]
    if not corners:
        return (Passage("P1", (), 0.0, layout.length),)
    flat = flats[:, :-1]
    seconds = np.diff(times, axis=1)

    def between(a: float, b: float) -> NDArray[np.bool_]:
        return (grid >= a) & (grid < b) if a < b else (grid >= a) | (grid < b)

    members: list[list[Corner]] = []
    for i, corner in enumerate(corners):
        before = corners[i - 1]
        gap = between(before.apex_m, corner.apex_m)
        full = (flat & gap).astype(float) * seconds
        linked = i > 0 and np.quantile(full.sum(axis=1), 0.9) < LINK_S
        if linked:
            members[-1].append(corner)
        else:
            members.append([corner])
    if len(members) > 1 and closed:
        gap = between(corners[-1].apex_m, corners[0].apex_m)
        if np.quantile(((flat & gap) * seconds).sum(axis=1), 0.9) < LINK_S:
            members[0] = members.pop() + members[0]
    begins: list[float] = []
    for i, group in enumerate(members):
        first = group[0]
        last = members[i - 1][-1]
        if not closed and i == 0:
            begins.append(0.0)
            continue
        reach = (first.apex_m - last.apex_m) % layout.length or layout.length
        begin = _braking_begins(layout, grid, brakings[:, :-1], first.apex_m, reach)
        clear = (first.apex_m - last.exit_m) % layout.length
        distance = (first.apex_m - begin) % layout.length
        # Others will brake earlier than those whose laps made the layout: leave room, but not inside the last corner.
        wanted = max(distance * 1.3, distance + 25.0)
        begins.append((first.apex_m - min(wanted, max(clear * 0.9, distance + 12.0))) % layout.length)
    order = np.argsort([group[0].apex_m for group in members])
    passages = []
    for k, i in enumerate(order):
        follower = order[(k + 1) % len(order)]
        until = layout.length if not closed and k + 1 == len(order) else begins[follower]
        passages.append(Passage(f"P{k + 1}", tuple(c.name for c in members[i]), begins[i], until))
    if len(passages) == 1 and closed:
        only = passages[0]
        return (replace(only, to_m=only.from_m) if only.from_m else replace(only, to_m=layout.length),)
    return tuple(passages)


def _braking_begins(layout: Layout, grid: Array, braking: NDArray[np.bool_], apex: float, reach: float) -> float:
    """Earliest ordinary (10th percentile) place at which braking for an apex begins; a fixed way before it if never."""
    ahead = (apex - grid) % layout.length
    order = np.argsort(ahead)
    window = order[ahead[order] < min(reach, 400.0)]
    starts = []
    for lap in braking:
        on = lap[window]
        if not on.any():
            continue
        nearest = int(np.argmax(on))
        if ahead[window[nearest]] > 140.0:  # braking that belongs to something before
            continue
        quiet = uniform_filter1d(on.astype(float), 25)[nearest:] < 0.04
        stop = nearest + (int(np.argmax(quiet)) if quiet.any() else len(quiet) - 1)
        last = nearest + int(np.flatnonzero(on[nearest : stop + 1])[-1])
        starts.append(ahead[window[last]])
    if not starts:
        return (apex - min(60.0, 0.5 * reach)) % layout.length
    return float((apex - np.quantile(starts, 0.9)) % layout.length)


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
