"""From logs to layouts and analysed runs: the one way through the core, for screens, shell and notebooks alike."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.corners import find_corners, name_corners
from lauftakt.core.circuit.drafting import draft_layout, read_tracks
from lauftakt.core.circuit.layout import Layout, LayoutSketch, Line
from lauftakt.core.circuit.passages import find_passages
from lauftakt.core.circuit.reckoning import Reckoned, reckon_layout
from lauftakt.core.circuit.sectors import propose_splits
from lauftakt.core.circuit.turning import turned
from lauftakt.core.laps.counting import counting_of
from lauftakt.core.laps.cutting import split_laps
from lauftakt.core.laps.lap import Lap, LapTrace, inside
from lauftakt.core.laps.remarks import located, remarks
from lauftakt.core.laps.times import sector_times
from lauftakt.core.log.model import Log, Unusable, Warning
from lauftakt.core.log.track import Track, not_understood
from lauftakt.core.placing.by_corners import place_without_positions
from lauftakt.core.placing.by_positions import place_run
from lauftakt.core.placing.placed import Placed
from lauftakt.core.run import AnalysedRun, counting_rows, put_together
from lauftakt.core.technique.figures import Technique
from lauftakt.core.technique.signals import Scale, Signals, run_signals
from lauftakt.core.technique.throttle import FULL, INFERRED_FULL
from lauftakt.core.technique.traffic import held_up
from lauftakt.core.technique.windows import windows

Array = NDArray[np.float64]

# Raised whenever the computation changes: what is stored of an older one is computed again.
CODE_VERSION = 13


def make_layout(
    logs: Log | Sequence[Log], sketch: LayoutSketch | str, start: Line | None = None
) -> tuple[Layout, tuple[Warning, ...]]:
    """A complete layout from one or more logs.

    Parameters
    ----------
    logs : one log or several of the same layout; where none has positions, see :func:`layout_without_positions`
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
    logs = [logs] if isinstance(logs, Log) else logs
    sketch = LayoutSketch(name=sketch, start=start) if isinstance(sketch, str) else sketch
    if logs and all(log.positions() is None for log in logs):
        return layout_without_positions(logs, sketch)
    return layout_from(read_tracks(logs), sketch)


def layout_from(read: Sequence[tuple[Log, Track]], sketch: LayoutSketch) -> tuple[Layout, tuple[Warning, ...]]:
    """The same from logs whose tracks were read already (:func:`lauftakt.core.circuit.drafting.read_tracks`)."""
    layout, warnings = draft_layout(read, sketch)
    layout = _with_corners(layout, sketch)
    return _as_driven(layout, [_whole_laps(log, track, layout) for log, track in read]), tuple(warnings)


def layout_without_positions(logs: Sequence[Log], sketch: LayoutSketch) -> tuple[Layout, tuple[Warning, ...]]:
    """A complete layout from logs none of which holds positions: a drawn closed line, or else a map by dead reckoning.

    Parameters
    ----------
    logs : of the same layout; the map is made of the longest that makes one
    sketch : with a centre line, or only with a name

    Raises
    ------
    Unusable
        ``no-positions`` or ``no-laps`` with the sentence of the longest log.
    """
    warnings: tuple[Warning, ...] = ()
    if sketch.centre:
        layout, _ = draft_layout((), sketch)
    elif sketch.start is not None:
        raise Unusable(
            "no-positions",
            "No log holds positions, and a start line alone does not tell where they were driven: draw the circuit's "
            "centre line too, or leave the layout out and have it drawn from the logs.",
        )
    else:
        made = _reckoned(logs, sketch.name)
        layout, warnings = made.layout, made.warnings
    layout = _with_corners(layout, sketch)
    return _as_driven(layout, [_laps_without_positions(log, layout) for log in logs]), warnings


def _reckoned(logs: Sequence[Log], name: str) -> Reckoned:
    problem: Unusable | None = None
    for log in sorted(logs, key=_span, reverse=True):
        try:
            return reckon_layout(log, name)
        except Unusable as error:
            problem = problem or Unusable(error.code, f"{error}{not_understood(log)}")
    raise problem or Unusable("no-positions", "There is no log to make a layout from.")


def _span(log: Log) -> float:
    """Seconds that a log covers."""
    return max(
        (float(channel.time[-1] - channel.time[0]) for channel in log.channels if len(channel.time)), default=0.0
    )


def _laps_without_positions(log: Log, layout: Layout) -> "_Driven | None":
    try:
        return _laps_of(log, place_without_positions(log, layout), layout)
    except Unusable:
        return None


_Driven = tuple[Array, NDArray[np.bool_], NDArray[np.bool_]]


def _with_corners(layout: Layout, sketch: LayoutSketch) -> Layout:
    return replace(layout, corners=name_corners(layout, find_corners(layout), sketch.corners))


def _as_driven(layout: Layout, laps: Sequence[_Driven | None]) -> Layout:
    """The layout with passages and splits as whole laps show them."""
    driven = [found for found in laps if found is not None]
    if not driven:
        raise Unusable("no-laps", "No log holds a whole lap from start line to start line.")
    times, flat, braking = (np.concatenate(rows) for rows in zip(*driven, strict=True))
    layout = replace(layout, passages=find_passages(layout, times, flat, braking))
    return layout if layout.splits_m else replace(layout, splits_m=propose_splits(layout, times))


def layout_turned(log: Log, layout: Layout, name: str) -> Layout:
    """The layout driven the other way round, complete, as a run drove it.

    Parameters
    ----------
    log : a run in that direction, with or without positions
    layout : a closed circuit
    name : of the new layout

    Raises
    ------
    Unusable
        ``elsewhere`` where the run does not fit that way either, ``no-laps``, ``no-positions``.
    """
    found = _with_corners(turned(layout, name), LayoutSketch(name=name))
    return _as_driven(found, [_laps_of(log, place(log, found), found)])


def _whole_laps(log: Log, track: Track, layout: Layout) -> _Driven | None:
    """Times, where the throttle is full and where the brake is on in the laps that count, (laps, g) each."""
    try:
        return _laps_of(log, place_run(log, layout.plane, layout.centre, draws=False, track=track), layout)
    except Unusable:
        return None


def _laps_of(log: Log, placed: Placed, layout: Layout) -> _Driven | None:
    laps, traces = split_laps(placed, layout)
    if not counting_of(laps):
        return None
    signals = run_signals(log, placed, laps, traces, layout)
    rows, inner = counting_rows(laps, signals), inside(layout)
    full = INFERRED_FULL if signals.throttle_inferred else FULL
    return (
        signals.time[rows, inner],
        signals.throttle[rows, inner] > full,
        signals.brake[rows, inner] > signals.brake_on,
    )


def place(log: Log, layout: Layout, track: Track | None = None) -> Placed:
    """A run on a layout: by its positions, or by its corners where the log or the layout has none."""
    if log.positions() is None or layout.reckoned:
        return place_without_positions(log, layout)
    return place_run(log, layout.plane, layout.centre, track=track)


def analyse_run(log: Log, layout: Layout, *, track: Track | None = None) -> AnalysedRun:
    """Place a run on a layout, cut it into laps and compute what its driver did in each.

    Parameters
    ----------
    log : one run
    layout : complete, from :func:`make_layout`
    track : of the log, where it was read already

    Returns
    -------
    See :class:`lauftakt.core.run.AnalysedRun`.

    Raises
    ------
    Unusable
        ``no-positions`` or ``elsewhere``.
    """
    placed = place(log, layout, track)
    laps, traces = split_laps(placed, layout)
    laps = with_sectors(laps, traces, layout)
    warnings = (*log.warnings, *located(placed, laps, layout.length), *remarks(placed, laps, layout))
    signals = run_signals(log, placed, laps, traces, layout) if traces else None
    return put_together(
        laps if signals is None else with_held_up(laps, signals, layout),
        traces,
        signals,
        None if signals is None else Technique(signals, windows(layout)),
        layout,
        scale=Scale(None, None) if signals is None else signals.scale(),
        speed_scale=placed.scale,
        delay_s=placed.delay_s,
        warnings=warnings,
    )


def with_sectors(laps: Sequence[Lap], traces: dict[int, LapTrace], layout: Layout) -> list[Lap]:
    """Laps with the times of the layout's sectors."""
    return [
        replace(lap, sector_times_s=sector_times(traces[lap.number], layout)) if lap.number in traces else lap
        for lap in laps
    ]


def with_held_up(laps: Sequence[Lap], signals: Signals, layout: Layout) -> list[Lap]:
    """Laps with the parts in which another car was probably in the way, judged among the laps that count."""
    held = held_up(signals, counting_rows(laps, signals), layout.length)
    by_number = {signals.numbers[row]: parts for row, parts in held.items()}
    return [replace(lap, held_up=by_number.get(lap.number, ())) for lap in laps]
