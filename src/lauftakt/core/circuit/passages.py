"""Passages: the lap divided into corners with the straights that follow, without gaps."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from lauftakt.core.circuit.layout import Corner, Layout, Passage

Array = NDArray[np.float64]
# Corners with less full throttle between them depend on one another: the first pays for the last.
LINK_S = 1.0


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


def passage_range(layout: Layout, index: int) -> tuple[float, float]:
    """From where to where a passage lies, in metres from the start line of the lap to which it belongs.

    A passage belongs to the lap in which its first apex lies; the beginning may be negative, the end beyond the length.
    """
    passage = layout.passages[index]
    if not layout.centre.closed:
        return passage.from_m, passage.to_m
    span = (passage.to_m - passage.from_m) % layout.length or layout.length
    first = next((c.apex_m for c in layout.corners if passage.corners and c.name == passage.corners[0]), passage.from_m)
    low = passage.from_m if passage.from_m <= first else passage.from_m - layout.length
    return low, low + span
