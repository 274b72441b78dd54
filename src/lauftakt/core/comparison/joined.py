"""Laps that nobody drove as a whole: best parts joined into one, and the lap that is usual at every place."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.lap import LapTrace, draw_places, inside, reach
from lauftakt.core.laps.times import sector_times
from lauftakt.core.registry import STEPPED

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Source:
    """A timed lap that a joined one is made of.

    Attributes
    ----------
    rows : ``time`` (s from the crossing of the line, NaN where nothing was driven), ``offset`` and any other channel,
        (e,) each at :func:`lauftakt.core.laps.lap.reach`
    draws : (d, m) s, draws of the error of time at :func:`lauftakt.core.laps.lap.draw_places`; (d, 0) without any
    """

    rows: Mapping[str, Array]
    draws: Array


@dataclass(frozen=True)
class Joined:
    """A joined lap.

    Attributes
    ----------
    rows : channels that all sources have, (e,) each
    draws : (d, m) s
    edges : (p + 1,) m, where its parts meet, from 0 to the length of the lap
    sources : index of the source of each part; empty for a median, to which all give
    times : seconds in each part
    """

    rows: dict[str, Array]
    draws: Array
    edges: tuple[float, ...]
    sources: tuple[int, ...]
    times: tuple[float, ...]


def sector_edges(layout: Layout) -> tuple[float, ...]:
    """Where the sectors of a layout meet, from the start line to the end of the lap, m."""
    return (0.0, *(float(split) for split in layout.splits_m), float(layout.length))


def passage_edges(layout: Layout) -> tuple[float, ...]:
    """Where passages begin inside a lap, with the line at both ends, m: one that crosses the line is two parts, since a
    lap begins and ends there."""
    inner = {float(passage.from_m) for passage in layout.passages if 0.0 < passage.from_m < layout.length}
    return (0.0, *sorted(inner), float(layout.length))


def part_times(source: Source, edges: Sequence[float], layout: Layout) -> Array:
    """Seconds that a lap takes in each part, (p,). Splits that are drawn askew are crossed where they were drawn."""
    if tuple(edges) == sector_edges(layout):
        return np.array(_sectors(source.rows, layout))
    grid, own = layout.grid(), source.rows["time"][inside(layout)]
    return np.diff(np.interp(edges, grid, own))


def best_parts(sources: Sequence[Source], edges: Sequence[float], layout: Layout) -> tuple[int, ...]:
    """Which source was the quickest in each part; the first of those that are alike."""
    times = np.array([part_times(source, edges, layout) for source in sources])
    return tuple(int(row) for row in np.argmin(times, axis=0))


def joined_lap(sources: Sequence[Source], which: Sequence[int], edges: Sequence[float], layout: Layout) -> Joined:
    """Parts of several laps as one lap: the composite.

    Each part keeps its own time, and its own error of time; beyond the line at either end what the first and the last
    part's lap did there is kept. Speeds do not fit where parts meet: nobody drove it.

    Parameters
    ----------
    sources : laps
    which : (p,) index of the source of each part
    edges : (p + 1,) m, from 0 to the length
    layout : they were driven on
    """
    places, draws_s, part_inside = reach(layout), draw_places(layout), inside(layout)
    # What lies before the line goes with the first part, what lies behind the next one with the last.
    part_of, part_of_draw = (np.clip(np.searchsorted(edges, at, "right") - 1, 0, len(which) - 1)
                             for at in (places, draws_s))  # fmt: skip
    common = [role for role in sources[which[0]].rows if all(role in sources[i].rows for i in which)]
    rows = {role: np.full(len(places), np.nan) for role in common}
    many = min(sources[i].draws.shape[1] for i in which)
    draws = np.zeros((len(draws_s), many))
    done, error, times = 0.0, np.zeros(many), []
    for part, index in enumerate(which):
        source, here = sources[index], part_of == part
        for role in common:
            rows[role][here] = source.rows[role][here]
        begin, end = np.interp(edges[part : part + 2], layout.grid(), source.rows["time"][part_inside])
        own = float(part_times(source, edges, layout)[part])
        rows["time"][here] = done + own / (end - begin) * (source.rows["time"][here] - begin)
        done += own
        times.append(own)
        if many:
            drawn, there = source.draws[:, :many], part_of_draw == part
            ends = np.array([_drawn(drawn, draws_s, edge) for edge in edges[part : part + 2]])
            draws[there] = error + drawn[there] - ends[0]
            error = error + ends[1] - ends[0]
    # The last place is the next lap's line: the lap's whole time.
    rows["time"][np.searchsorted(places, layout.length)] = done
    return Joined(rows, draws, tuple(edges), tuple(which), tuple(times))


def median_lap(sources: Sequence[Source], layout: Layout) -> Joined:
    """What is usual at every place: the median of the laps' pace there, and of every channel.

    The lap time is the sum of the medians of the seconds for each metre, not the median lap time: a slip in one lap
    leaves no trace. The error of time is the mean of the laps' errors, which they share where they are of one run.

    Parameters
    ----------
    sources : laps, one at least
    layout : they were driven on
    """
    places = reach(layout)
    zero = int(np.searchsorted(places, 0.0))
    times = np.array([source.rows["time"] for source in sources])
    steps = _middle(np.diff(times, axis=1))
    # From the line on in both directions: before it perhaps nothing was driven.
    time = np.concatenate([-np.cumsum(steps[:zero][::-1])[::-1], [0.0], np.cumsum(steps[zero:])])
    common = [role for role in sources[0].rows if all(role in source.rows for source in sources)]
    rows = {
        role: _middle(np.array([source.rows[role] for source in sources]), role in STEPPED)
        for role in common
        if role != "time"
    }
    whole = float(time[inside(layout)][-1])
    least = min(source.draws.shape[1] for source in sources)
    draws = np.mean([source.draws[:, :least] for source in sources], axis=0)
    return Joined({"time": time, **rows}, draws, (0.0, float(layout.length)), (), (whole,))


def joined_sectors(lap: Joined, layout: Layout) -> tuple[float, ...]:
    """Seconds in each sector of a joined lap."""
    if lap.sources and lap.edges == sector_edges(layout):
        return lap.times
    return _sectors(lap.rows, layout)


def _sectors(rows: Mapping[str, Array], layout: Layout) -> tuple[float, ...]:
    part = inside(layout)
    offset = np.nan_to_num(rows["offset"])
    trace = LapTrace(rows["time"][part], offset[part], reach(layout), rows["time"], np.zeros(0), np.zeros((0, 0)))
    return sector_times(trace, layout)


def _middle(values: Array, stepped: bool = False) -> Array:
    """Median over rows, NaN where no row tells; of what comes in steps one of the values that were there."""
    known = np.isfinite(values).any(axis=0)
    found = np.full(values.shape[1], np.nan)
    told = values[:, known]
    found[known] = np.nanquantile(told, 0.5, axis=0, method="nearest") if stepped else np.nanmedian(told, axis=0)
    return found


def _drawn(draws: Array, draws_s: Array, place: float) -> Array:
    """Draws at one place, (m,)."""
    right = int(np.clip(np.searchsorted(draws_s, place), 1, len(draws_s) - 1))
    share = (place - draws_s[right - 1]) / (draws_s[right] - draws_s[right - 1])
    return np.asarray((1 - share) * draws[right - 1] + share * draws[right])
