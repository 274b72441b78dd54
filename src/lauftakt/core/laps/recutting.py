"""A run's laps as another drawing of the same road would cut them, from what is kept of them: nothing is placed anew.

What it tells is exact as far as laps were logged around the old line; :func:`lauftakt.core.pipeline.analyse_run` on the
new layout says the same (tested against it).
"""

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.counting import set_slow_aside
from lauftakt.core.laps.lap import Lap, LapTrace, draw_places, inside, reach
from lauftakt.core.laps.times import draws_at, sector_times

Array = NDArray[np.float64]
# Laps that follow one another begin where the other ends.
SAME_MOMENT_S = 0.01
# A lap set aside for being slow may count on another line, and the other way round; other reasons stay.
BY_PACE = ("slow",)


@dataclass(frozen=True)
class Recut:
    """Laps on a changed layout.

    Attributes
    ----------
    laps : timed laps with their sectors; those that cannot be told from what is kept are ``part``
    traces : of the timed ones, by number
    places : for each number, where each of ``reach(new)`` lies on the old layout, (e,) m from the old line
    """

    laps: tuple[Lap, ...]
    traces: dict[int, LapTrace]
    places: Array


def recut(laps: Sequence[Lap], traces: dict[int, LapTrace], old: Layout, new: Layout, start_m: float) -> Recut:
    """Laps as a changed layout cuts them.

    Parameters
    ----------
    laps, traces : on the old layout; ``set_aside`` as the computation says it
    old, new : the layout before and after (:func:`lauftakt.core.circuit.editing.redrawn`)
    start_m : where the new start line lies on the old layout

    Returns
    -------
    See :class:`Recut`.
    """
    places = _on_old(reach(new), old, new, start_m)
    if new.centre is old.centre and new.skew == old.skew:
        found = [_with_sectors(lap, traces, new) for lap in laps]
        return Recut(tuple(set_slow_aside(_unslow(found))), dict(traces), reach(old))
    course = _Course(laps, traces, old)
    ends = _on_old(np.array([0.0, new.length]), old, new, start_m)
    drawn, inner = draw_places(new), inside(new)
    at_draws = _on_old(drawn, old, new, start_m)
    moved: list[Lap] = []
    cut: dict[int, LapTrace] = {}
    for lap in laps:
        if lap.number not in traces:
            moved.append(lap)
            continue
        offset = course.offset(lap.number, ends)
        begin, end = course.time(lap.number, ends - np.array([new.skew, _finish_skew(new)]) * offset).tolist()
        if not np.isfinite(begin + end):
            moved.append(replace(lap, kind="part", set_aside="part", time_s=None, time_u_s=None, sector_times_s=()))
            continue
        since = course.time(lap.number, places) - begin
        since[inner.start], since[inner.stop - 1] = 0.0, end - begin
        draws = course.draws(lap.number, at_draws)
        spread = draws_at_ends(drawn, draws, new.length)
        trace = LapTrace(since[inner], course.offset(lap.number, places[inner]), reach(new), since, drawn, draws)
        cut[lap.number] = trace
        own = replace(
            lap,
            start_s=lap.start_s + begin,
            end_s=lap.start_s + end,
            time_s=float(end - begin),
            time_u_s=float(np.sqrt(np.mean(spread**2))) if spread.size else None,
        )
        moved.append(_with_sectors(own, cut, new))
    return Recut(tuple(set_slow_aside(_unslow(moved))), cut, places)


def draws_at_ends(places: Array, draws: Array, length: float) -> Array:
    """Draws of the error of a lap's time, (m,), from draws (d, m) at places (d,)."""
    first, last = np.searchsorted(places, [0.0, length])
    return np.asarray(draws[last] - draws[first])


def rows_at(rows: Array, numbers: Sequence[int], laps: Sequence[Lap], old: Layout, places: Array) -> Array:
    """A channel's rows at other places, (laps, e): a lap's own row as far as it reaches, then its neighbour's.

    Parameters
    ----------
    rows : (laps, e') at ``reach(old)``
    numbers : the rows' laps
    laps : all laps of the run, on the old layout
    old : the layout
    places : (e,) m from the old line of each lap
    """
    own, length = reach(old), old.length
    known = dict(zip(numbers, rows, strict=True))
    following = _following(laps)
    found = np.empty((len(numbers), len(places)))
    for index, number in enumerate(numbers):
        values = np.interp(places, own, known[number], left=np.nan, right=np.nan)
        after, before = known.get(following.get(number, -1)), known.get(_before(following, number))
        for other, away, shift in ((after, places > own[-1], -length), (before, places < own[0], length)):
            if other is not None and away.any():
                values[away] = np.interp(places[away] + shift, own, other, left=np.nan, right=np.nan)
        found[index] = values
    return found


class _Course:
    """Times, offsets and draws of a run's laps at places that may lie before or after them."""

    def __init__(self, laps: Sequence[Lap], traces: dict[int, LapTrace], old: Layout) -> None:
        self._starts = {lap.number: lap.start_s for lap in laps}
        self._traces, self._old = traces, old
        self._following = _following(laps)

    def time(self, number: int, places: Array) -> Array:
        """Seconds from the crossing of the lap's old line; NaN where nothing is known."""
        return self._pieces(number, places, lambda trace, at: _known(at, trace.reach_s, trace.reach_time), True)

    def offset(self, number: int, places: Array) -> Array:
        """Metres across, left positive; that of the lap's ends beyond what is known."""
        grid = self._old.grid()
        found = self._pieces(
            number, places, lambda trace, at: np.interp(at, grid, trace.offset, left=np.nan, right=np.nan), False
        )
        return np.where(np.isfinite(found), found, np.interp(places, grid, self._traces[number].offset))

    def draws(self, number: int, places: Array) -> Array:
        """Draws of the error of time, (p, m): a lap's own, which reach beyond it."""
        return draws_at(self._traces[number], places)

    def _pieces(self, number: int, places: Array, of: Callable[[LapTrace, Array], Array], timed: bool) -> Array:
        found = np.asarray(of(self._traces[number], places), float)
        length = self._old.length
        for other, shift in ((self._following.get(number), length), (_before(self._following, number), -length)):
            if other is None or other not in self._traces:
                continue
            missing = ~np.isfinite(found) & (places > 0 if shift > 0 else places < 0)
            if missing.any():
                apart = self._starts[other] - self._starts[number] if timed else 0.0
                found[missing] = of(self._traces[other], places[missing] - shift) + apart
        return found


def _known(at: Array, places: Array, times: Array) -> Array:
    return np.interp(at, places, times, left=np.nan, right=np.nan)


def _following(laps: Sequence[Lap]) -> dict[int, int]:
    """For each lap, the one that begins where it ends."""
    return {
        lap.number: other.number
        for lap, other in itertools.pairwise(laps)
        if abs(other.start_s - lap.end_s) < SAME_MOMENT_S
    }


def _before(following: dict[int, int], number: int) -> int:
    return next((own for own, other in following.items() if other == number), -1)


def _on_old(places: Array, old: Layout, new: Layout, start_m: float) -> Array:
    """Places of the new layout on the old one, in metres from the old line of the lap that begins nearest to it."""
    if not old.centre.closed:
        return np.asarray(places + start_m)
    shift = (start_m + old.length / 2) % old.length - old.length / 2
    if not new.centre.closed:
        return np.asarray(places + shift)
    return np.asarray(places * old.length / new.length + shift)


def _finish_skew(layout: Layout) -> float:
    return layout.skew if layout.centre.closed else layout.finish_skew


def _with_sectors(lap: Lap, traces: dict[int, LapTrace], layout: Layout) -> Lap:
    return replace(lap, sector_times_s=sector_times(traces[lap.number], layout)) if lap.number in traces else lap


def _unslow(laps: Sequence[Lap]) -> list[Lap]:
    """Laps before it is asked which of them are slow."""
    return [replace(lap, set_aside=None) if lap.set_aside in BY_PACE else lap for lap in laps]
