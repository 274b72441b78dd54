"""Passages: the lap divided into corners with the straights that follow, without gaps."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.arrays import spans
from lauftakt.core.circuit.layout import Corner, Layout, Passage

Array = NDArray[np.float64]
# Corners with less full throttle between their apexes depend on one another: the first pays for the last. Bends that
# follow at once in the other direction do so at more, since turning over takes a part of it.
LINK_S, LINK_CHICANE_S = 1.2, 1.7
# From one bend's end to the other's beginning, where turning over takes all of it.
NEAR_M = 60.0
# Nobody brakes for longer; what ends further before an apex was braking for something else.
MOST_BRAKING_M, LATE_BRAKING_M = 400.0, 140.0
# Full throttle for so many metres ends what belongs to one corner.
FULL_FOR_M = 20


def find_passages(
    layout: Layout, times: Array, flats: NDArray[np.bool_], brakings: NDArray[np.bool_]
) -> tuple[Passage, ...]:
    """Divide the lap into passages, without gaps.

    Neighbouring corners belong together where nobody is at full throttle for more than about a second between them (in
    a chicane, a little more). A passage begins a little before the earliest ordinary braking point of its first corner.

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
    full_s = full_between(layout, times, flats)

    def linked(first: int, second: int) -> bool:
        one, other = corners[first], corners[second]
        apart = (other.entry_m - one.exit_m + layout.length / 2) % layout.length - layout.length / 2
        over = one.direction != other.direction and apart < NEAR_M
        most = LINK_CHICANE_S if over else LINK_S
        return full_s[first] < most

    members: list[list[Corner]] = []
    for i, corner in enumerate(corners):
        if i > 0 and linked(i - 1, i):
            members[-1].append(corner)
        else:
            members.append([corner])
    if len(members) > 1 and closed and linked(len(corners) - 1, 0):
        members[0] = members.pop() + members[0]
    begins: list[float] = []
    for i, group in enumerate(members):
        first = group[0]
        last = members[i - 1][-1]
        if not closed and i == 0:
            begins.append(0.0)
            continue
        reach = (first.apex_m - last.apex_m) % layout.length or layout.length
        begin = _braking_begins(layout, grid, brakings[:, :-1], flat, first.apex_m, reach)
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


def full_between(layout: Layout, times: Array, flats: NDArray[np.bool_]) -> list[float]:
    """How long nine laps in ten are at full throttle at most between each corner's apex and the next one's, s; of the
    last corner of a closed circuit, to the first one's.

    Parameters
    ----------
    layout : with corners
    times, flats : (laps, g) s from the line and True at full throttle, on the layout's grid
    """
    grid, seconds = layout.grid()[:-1], np.diff(times, axis=1)
    found = []
    for index, corner in enumerate(layout.corners):
        a, b = corner.apex_m, layout.corners[(index + 1) % len(layout.corners)].apex_m
        gap = (grid >= a) & (grid < b) if a < b else (grid >= a) | (grid < b)
        found.append(float(np.quantile(((flats[:, :-1] & gap) * seconds).sum(axis=1), 0.9)))
    return found


def _braking_begins(
    layout: Layout, grid: Array, braking: NDArray[np.bool_], flat: NDArray[np.bool_], apex: float, reach: float
) -> float:
    """Earliest ordinary (10th percentile) place at which braking for an apex begins; a fixed way before it if never.

    A lap brakes for an apex wherever it brakes after it was last at full throttle for some way: also twice, a little
    and then again.
    """
    ahead = (apex - grid) % layout.length
    order = np.argsort(ahead)
    window = order[ahead[order] < min(reach, MOST_BRAKING_M)]
    starts = []
    for on, full in zip(braking[:, window], flat[:, window], strict=True):
        if not on.any():
            continue
        first = int(np.argmax(on))
        if ahead[window[first]] > LATE_BRAKING_M:  # braking that belongs to something before
            continue
        fast = [begin for begin, end in spans(full & ~on) if end - begin >= FULL_FOR_M and begin > first]
        last = int(np.flatnonzero(on[: fast[0] if fast else len(on)])[-1])
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
