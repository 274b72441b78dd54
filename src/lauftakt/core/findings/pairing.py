"""Clean passages of two drivers side by side, and what each passage's parts cost."""

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.parts import PARTS, part_edges
from lauftakt.core.comparison.spread import MEDIAN_FACTOR
from lauftakt.core.findings.prices import Drives
from lauftakt.core.laps.lap import Lap
from lauftakt.core.laps.times import time_at
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures
from lauftakt.core.technique.windows import Window

Array = NDArray[np.float64]
# Of fewer passages a median says no more than the reference lap itself.
FEW = 3
# In driving order; the contract fixes them.


@dataclass(frozen=True)
class Contender:
    """A run with who drove it, and in which car where that is known."""

    run: AnalysedRun
    driver: str
    car: str | None = None


@dataclass(frozen=True)
class Side:
    """Clean passages of one run in one passage: lap numbers, times, and draws of their common error."""

    numbers: list[int]
    times: Array
    draws: Array


def clean_passages(run: AnalysedRun, layout: Layout, index: int) -> Side:
    """Passages of :func:`clean_laps` that were driven to their end."""
    low, high = passage_range(layout, index)
    numbers = [n for n in clean_laps(run, low, high, layout.length) if np.isfinite(run.passage_s[n][index])]
    draws = [run.passage_draws_s[number][index] for number in numbers]
    return Side(
        numbers,
        np.array([run.passage_s[number][index] for number in numbers]),
        np.array(draws) if draws else np.zeros((0, 0)),
    )


def clean_laps(run: AnalysedRun, low: float, high: float, length: float) -> list[int]:
    """Numbers of the laps that count and were not held up between two places.

    Parameters
    ----------
    run : with its laps
    low, high : metres from the start line of the lap; what reaches into a neighbouring lap needs that lap to count, too
    length : of the lap, m
    """
    counting = {lap.number: lap for lap in run.counting}
    reached = [0, *([-1] if low < 0 else []), *([1] if high > length else [])]
    return [
        number
        for number in counting
        if all(number + step in counting for step in reached)
        and not any(_held(counting[number + step], low, high, step * length) for step in reached)
    ]


def _held(lap: Lap, low: float, high: float, shift: float) -> bool:
    """Whether a lap, ``shift`` metres further on, was held up between two places."""
    return any(a + shift < high and b + shift > low for a, b in lap.held_up)


def median_error(times: Array) -> float:
    """Standard error of the median of (n,) times."""
    if len(times) < 2:
        return 0.0
    return float(MEDIAN_FACTOR * np.std(times, ddof=1) / np.sqrt(len(times)))


def common_error(side: Side) -> float:
    """Standard deviation of the error that all passages of a run share, seconds."""
    return float(np.sqrt(np.mean(side.draws.mean(axis=0) ** 2))) if side.draws.size else 0.0


def lone_error(run: AnalysedRun, layout: Layout) -> float:
    """What one or two passages may be off by: the usual scatter of this run where it is known, else 0.05 s."""
    spreads = [
        float(np.std(side.times, ddof=1))
        for side in (clean_passages(run, layout, i) for i in range(len(layout.passages)))
        if len(side.times) >= FEW
    ]
    return float(np.median(spreads)) if spreads else 0.05


def known_figures(run: AnalysedRun, numbers: list[int], which: int) -> list[Figures]:
    assert run.technique is not None
    return [found for number in numbers if (found := run.technique.at(number, which)) is not None]


def drives(run: AnalysedRun, numbers: Sequence[int], position: int) -> Drives:
    """Laps of a run through a passage, as they were driven; without those that do not reach through it."""
    assert run.signals is not None
    rows = {number: row for row, number in enumerate(run.signals.numbers)}
    known = [n for n in numbers if n in rows and np.isfinite(run.passage_s[n][position])]
    return Drives(
        run.signals, tuple(rows[n] for n in known), tuple(float(run.passage_s[n][position]) for n in known)
    )  # fmt: skip


def passage_places(layout: Layout, position: int, places: Sequence[Window]) -> tuple[float, float, list[float]]:
    """From where to where a passage lies and where its apexes are, metres from the start line of its lap."""
    low, high = passage_range(layout, position)
    by_name = {window.corner: window.apex for window in places}
    names = [name for name in layout.passages[position].corners if name in by_name]
    # The passage's first apex decides the lap; later corners of a passage over the line belong to the same drive.
    return low, high, [by_name[name] + (layout.length if by_name[name] < low else 0.0) for name in names]


def corner_parts(
    run: AnalysedRun,
    numbers: list[int],
    base: AnalysedRun,
    base_numbers: list[int],
    layout: Layout,
    position: int,
    places: Sequence[Window],
) -> dict[str, dict[str, float]]:
    """Median loss in entry, middle, exit and straight of each corner of a passage, s.

    Entry lasts to the reference's brake release, middle to its throttle pick-up, exit to the corner's exit, straight to
    the passage's end.
    """
    low, high = passage_range(layout, position)
    by_name = {window.corner: (i, window) for i, window in enumerate(places)}
    names = [name for name in layout.passages[position].corners if name in by_name]
    found: dict[str, dict[str, float]] = {}
    begin = low
    for order, name in enumerate(names):
        which, window = by_name[name]
        # The passage's first apex decides the lap; later corners of a passage over the line belong to the same drive.
        shift = layout.length if window.apex < low else 0.0
        last = order == len(names) - 1
        end = high if last else min(window.high + shift, high)
        figures = known_figures(base, base_numbers, which)
        release = _middle([f.brake_release_m for f in figures])
        pickup = _middle([f.throttle_pickup_m for f in figures])
        edges = part_edges(window, release, pickup, begin, end, shift)
        times = [_spans(run, number, edges) for number in numbers]
        theirs = [_spans(base, number, edges) for number in base_numbers]
        losses = np.nanmedian(times, axis=0) - np.nanmedian(theirs, axis=0)
        found[name] = dict(zip(PARTS, (float(v) for v in losses), strict=True))
        begin = end
    return found


def _middle(values: list[float | None]) -> float | None:
    """The median; None where fewer than half of them are known."""
    known = [value for value in values if value is not None]
    return median(known) if known and 2 * len(known) >= len(values) else None


def _spans(run: AnalysedRun, number: int, edges: Array) -> Array:
    return np.diff(time_at(run.traces[number], edges))
