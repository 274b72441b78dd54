"""From logs to analysed runs: the one way through the core, for screens, shell and notebooks alike."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.comparing import passage_draws, passage_times
from lauftakt.core.consistency import held_up
from lauftakt.core.landmarks import place_without_positions
from lauftakt.core.laps import Lap, LapTrace, sector_times, split_laps
from lauftakt.core.layout import Layout, LayoutSketch, Line
from lauftakt.core.log import Log, Unusable, Warning
from lauftakt.core.making import draft_layout
from lauftakt.core.places import find_corners, find_passages, name_corners, propose_splits
from lauftakt.core.placing import Placed, place_run
from lauftakt.core.signals import Scale, Signals, run_scale, run_signals
from lauftakt.core.technique import GRAVITY, Technique, windows

Array = NDArray[np.float64]

CODE_VERSION = 2
WET_WORDS = ("wet", "rain", "damp")


@dataclass(frozen=True)
class AnalysedRun:
    """Everything computed from one run on one layout.

    Attributes
    ----------
    laps : all laps, in order
    traces : of the timed laps, by lap number
    scale : what "some brake" and "full throttle" mean in this run
    signals : what the driver did along the timed laps; None where there are none
    technique : figures of each timed lap by number, one for each corner of the layout; None where there are none
    passage_s, passage_draws_s : by number, seconds in each passage, (p,), and draws of their error, (p, m)
    speed_scale, delay_s : estimated factor of the logged speed; how much later positions are than speeds
    grip_level : 98th percentile of combined acceleration over the laps that count, m/s^2; None without timed laps
    """

    laps: tuple[Lap, ...]
    traces: dict[int, LapTrace]
    scale: Scale
    signals: Signals | None
    technique: Technique | None
    passage_s: dict[int, Array]
    passage_draws_s: dict[int, Array]
    speed_scale: float
    delay_s: float
    grip_level: float | None
    warnings: tuple[Warning, ...]

    @property
    def counting(self) -> tuple[Lap, ...]:
        """Timed laps that are not set aside."""
        return tuple(lap for lap in self.laps if lap.time_s is not None and lap.set_aside is None)

    @property
    def best_lap(self) -> Lap | None:
        """The fastest lap that counts."""
        return min(self.counting, key=lambda lap: lap.time_s or 0.0, default=None)

    def theoretical_best_s(self) -> float | None:
        """Sum of the best sector times over the laps that count, seconds."""
        rows = [lap.sector_times_s for lap in self.counting if lap.sector_times_s]
        return float(np.min(rows, axis=0).sum()) if rows else None

    def unbroken_best_s(self) -> float | None:
        """Fastest full circuit of consecutive sectors, wherever it starts, over laps that count, seconds."""
        counting = {lap.number: lap for lap in self.counting}
        best: float | None = None
        for number, lap in counting.items():
            following = counting.get(number + 1)
            own = lap.sector_times_s
            for first in range(len(own)):
                if first and (following is None or abs(following.start_s - lap.end_s) > 0.01):
                    break
                time = sum(own[first:]) + (sum(following.sector_times_s[:first]) if first and following else 0.0)
                best = time if best is None else min(best, time)
        return best


def make_layout(logs: Log | Sequence[Log], sketch: LayoutSketch | str, start: Line | None = None) -> tuple[
    Layout, tuple[Warning, ...]
]:  # fmt: skip
    """A complete layout from one or more logs.

    Parameters
    ----------
    logs : one log or several of the same layout, with positions
    sketch : what was drawn of it, or only its name
    start : its start line, where only that is known

    Returns
    -------
    The layout with corners, passages and sectors (three proposed ones unless splits were drawn), and what had to be
    assumed.

    Raises
    ------
    Unusable
        with a sentence that says why no layout can be made.
    """
    several = [logs] if isinstance(logs, Log) else list(logs)
    if isinstance(sketch, str):
        sketch = LayoutSketch(name=sketch, start=start)
    layout, warnings = draft_layout(several, sketch)
    layout = replace(layout, corners=name_corners(layout, find_corners(layout), sketch.corners))
    found: list[Signals] = []
    rows: list[list[int]] = []
    for log in several:
        try:
            placed = place_run(log, layout.plane, layout.centre, draws=False)
        except Unusable:
            continue
        laps, traces = split_laps(placed, layout)
        numbers = [lap.number for lap in laps if lap.set_aside is None and lap.number in traces]
        if numbers:
            found.append(run_signals(log, placed, laps, traces, layout))
            rows.append([list(traces).index(number) for number in numbers])
    if not found:
        raise Unusable("no-laps", "No log holds a whole lap from start line to start line.")
    grid = layout.grid()
    inner = slice(int(np.searchsorted(found[0].places, 0.0)), int(np.searchsorted(found[0].places, 0.0)) + len(grid))
    times = np.concatenate([signals.time[r, inner] for signals, r in zip(found, rows, strict=True)])
    flat = np.concatenate(
        [
            signals.throttle[r, inner] > (0.8 if signals.throttle_inferred else 0.95)
            for signals, r in zip(found, rows, strict=True)
        ]
    )
    braking = np.concatenate(
        [signals.brake[r, inner] > signals.brake_on for signals, r in zip(found, rows, strict=True)]
    )
    layout = replace(layout, passages=find_passages(layout, times, flat, braking))
    if not layout.splits_m:
        layout = replace(layout, splits_m=propose_splits(layout, times))
    return layout, tuple(warnings)


def place(log: Log, layout: Layout) -> Placed:
    """A run on a layout: by its positions, or without them by its corners."""
    if log.role("latitude") is None or log.role("longitude") is None:
        return place_without_positions(log, layout)
    return place_run(log, layout.plane, layout.centre)


def analyse_run(log: Log, layout: Layout) -> AnalysedRun:
    """Place a run on a layout, cut it into laps and compute what its driver did in each.

    Parameters
    ----------
    log : one run
    layout : complete, from :func:`make_layout`

    Returns
    -------
    See :class:`AnalysedRun`.

    Raises
    ------
    Unusable
        ``no-positions`` or ``elsewhere``.
    """
    placed: Placed = place(log, layout)
    laps, traces = split_laps(placed, layout)
    laps = [
        replace(lap, sector_times_s=sector_times(traces[lap.number], layout)) if lap.number in traces else lap
        for lap in laps
    ]
    if is_wet(log.meta):
        laps = [replace(lap, set_aside=lap.set_aside or "wet") if lap.number in traces else lap for lap in laps]
    warnings = log.warnings + placed.warnings
    if not traces:
        return AnalysedRun(
            tuple(laps), {}, Scale(None, None), None, None, {}, {}, placed.scale, placed.delay_s, None, warnings
        )
    signals = run_signals(log, placed, laps, traces, layout)
    counting = [row for row, number in enumerate(signals.numbers) if _lap(laps, number).set_aside is None]
    held = held_up(signals, counting, layout.length)
    laps = [
        replace(lap, held_up=held[signals.numbers.index(lap.number)])
        if lap.number in traces and signals.numbers.index(lap.number) in held
        else lap
        for lap in laps
    ]
    return AnalysedRun(
        laps=tuple(laps),
        traces=traces,
        scale=run_scale(signals.others, len(signals.numbers)),
        signals=signals,
        technique=Technique(signals, windows(layout)),
        passage_s={number: passage_times(trace, layout) for number, trace in traces.items()},
        passage_draws_s={number: passage_draws(trace, layout) for number, trace in traces.items()},
        speed_scale=placed.scale,
        delay_s=placed.delay_s,
        grip_level=_grip(signals, counting),
        warnings=warnings,
    )


def is_wet(meta: Mapping[str, str]) -> bool:
    """Whether a run's conditions, or the words of its kind, say that it was not driven in the dry."""
    words = f"{meta.get('kind', '')} {meta.get('conditions', '')}".lower().split()
    return any(word in words for word in WET_WORDS)


def from_rows(
    laps: Sequence[Lap],
    traces: dict[int, LapTrace],
    signals: Signals,
    layout: Layout,
    scale: Scale,
    speed_scale: float,
    delay_s: float,
) -> AnalysedRun:
    """An analysed run from what was kept of it: what :func:`analyse_run` gave.

    Parameters
    ----------
    laps, traces, signals, scale, speed_scale, delay_s : as they were; draws may be missing
    layout : the one it was analysed on
    """
    return AnalysedRun(
        laps=tuple(laps),
        traces=traces,
        scale=scale,
        signals=signals,
        technique=Technique(signals, windows(layout)),
        passage_s={number: passage_times(trace, layout) for number, trace in traces.items()},
        passage_draws_s={number: passage_draws(trace, layout) for number, trace in traces.items()},
        speed_scale=speed_scale,
        delay_s=delay_s,
        grip_level=_grip(
            signals, [row for row, number in enumerate(signals.numbers) if _lap(list(laps), number).set_aside is None]
        ),
        warnings=(),
    )


def _lap(laps: list[Lap], number: int) -> Lap:
    return next(lap for lap in laps if lap.number == number)


def _grip(signals: Signals, rows: list[int]) -> float:
    """98th percentile of combined acceleration, m/s^2."""
    rows = rows or list(range(len(signals.numbers)))
    driven = np.isfinite(signals.time[rows])
    return float(np.percentile(np.hypot(signals.ahead[rows], signals.aside[rows])[driven], 98))


__all__ = ["CODE_VERSION", "GRAVITY", "AnalysedRun", "analyse_run", "from_rows", "make_layout", "place"]
