"""The card in depth: every figure of a part, two laps beside each other in all parts, and where to look first."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import beyond_doubt, loss_rate, stretch_loss
from lauftakt.core.comparison.joined import passage_edges
from lauftakt.core.comparison.parts import (
    PartFigures,
    lost_between,
    part_edges,
    part_figures,
    telling_stretches,
    to_median_of_others,
)
from lauftakt.core.comparison.trend import trend
from lauftakt.core.findings.pairing import clean_laps
from lauftakt.core.laps.times import time_at
from lauftakt.core.registry import FIGURES
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures
from lauftakt.store.lineup import Entry
from lauftakt.web import schemas
from lauftakt.web.access import curve_cache
from lauftakt.web.compare.card import Part, in_window, most_lost, part_of
from lauftakt.web.compare.lineup import rate_doubt

Key = tuple[int, int]


def figures_of_part(
    session: Session,
    entries: Mapping[int, Entry],
    keys: Sequence[Key],
    reference: Key,
    query: schemas.CardQuery,
) -> schemas.PartFiguresOut:
    """Every figure of the registry for every lap in a part, and of all laps of their runs."""
    known = {run: curve_cache().analysed(session, entry) for run, entry in entries.items()}
    part = part_of(entries[reference[0]].layout, query, most_lost(known, keys, reference))
    theirs = in_window(entries[reference[0]], known[reference[0]], reference[1], part)
    ends = np.array([part.low, part.high])
    times = [float(np.diff(time_at(known[run].traces[number], ends))[0]) for run, number in keys]
    base = known[reference[0]].traces[reference[1]]
    # Of several corners the parts are those of the one on show, up to the next one's beginning.
    released = None if theirs is None else theirs.brake_release_m
    picked = None if theirs is None else theirs.throttle_pickup_m
    window = part.window
    edges = None if not window.corner else part_edges(window, released, picked, window.low, window.high)
    length = entries[reference[0]].layout.length
    laps = []
    for index, (run, number) in enumerate(keys):
        lost = np.zeros(0) if edges is None else lost_between(known[run].traces[number], base, edges)
        laps.append(
            schemas.LapFiguresOut(
                lap=entries[run].name(number),
                held_up=_held_up(entries[run], known[run], number, part, length),
                values=_values(in_window(entries[run], known[run], number, part)),
                parts_s=[float(value) if np.isfinite(value) else None for value in lost],
                others_s=to_median_of_others(times, index),
            )
        )
    runs = dict.fromkeys(run for run, _ in (*keys, reference) if not entries[run].made)
    return schemas.PartFiguresOut(
        corner=part.window.corner or None,
        laps=laps,
        runs=[_over_laps(run, entries[run], known[run], part, length) for run in runs],
    )


def _values(found: Figures | None) -> dict[str, float | None]:
    if found is None:
        return dict.fromkeys(FIGURES)
    return {code: None if (value := getattr(found, code)) is None else float(value) for code in FIGURES}


def _held_up(entry: Entry, run: AnalysedRun, number: int, part: Part, length: float) -> bool:
    lap = next((each for each in run.laps if each.number == number), None)
    if lap is None or entry.made:
        return False
    spans = [(part.low, part.high), (part.low + length, part.high + length)]
    return any(low < to and from_m < high for low, high in spans for from_m, to in lap.held_up)


def _over_laps(run: int, entry: Entry, known: AnalysedRun, part: Part, length: float) -> schemas.RunFiguresOut:
    """Figures of the laps that count and were not held up there, as dots with their trend."""
    numbers = clean_laps(known, part.low, part.high, length)
    rows = [_values(in_window(entry, known, number, part)) for number in numbers]
    found = {}
    for code in FIGURES:
        values = [row[code] for row in rows]
        change = trend(np.array(numbers, float), np.array([np.nan if v is None else v for v in values]))
        found[code] = schemas.ScatterOut(values=values, slope=change.slope, clear=change.clear)
    return schemas.RunFiguresOut(run=run, numbers=numbers, figures=found)


def beside(session: Session, entries: Mapping[int, Entry], own: Key, reference: Key, by: str) -> schemas.BesideOut:
    """Two laps in all passages or sectors."""
    known = {run: curve_cache().analysed(session, entry) for run, entry in entries.items()}
    same_run = entries[own[0]].same_run(entries[reference[0]])
    rows = []
    for name, corners, low, high in _parts(entries[reference[0]].layout, by):
        lap, base = (known[run].traces[number] for run, number in (own, reference))
        loss = stretch_loss(lap, base, low, high, same_run)
        length = entries[reference[0]].layout.length
        rows.append(
            schemas.BesideRow(
                name=name,
                corners=corners,
                from_m=low % length,
                to_m=high if high <= length else high % length,
                loss_s=loss.loss_s if loss.whole else None,
                loss_u_s=loss.loss_u_s if loss.whole else None,
                own=_side(known[own[0]], entries[own[0]], own[1], low, high),
                reference=_side(known[reference[0]], entries[reference[0]], reference[1], low, high),
            )
        )
    return schemas.BesideOut(rows=rows)


def _parts(layout: Layout, by: str) -> list[tuple[str, list[str], float, float]]:
    if by == "sectors":
        ends = [0.0, *layout.splits_m, layout.length]
        return [
            (str(index + 1), _corners_in(layout, ends[index], ends[index + 1]), ends[index], ends[index + 1])
            for index in range(len(ends) - 1)
        ]
    return [
        (passage.name, list(passage.corners), *passage_range(layout, index))
        for index, passage in enumerate(layout.passages)
    ]


def _corners_in(layout: Layout, low: float, high: float) -> list[str]:
    return [corner.name for corner in layout.corners if low <= corner.apex_m < high]


def _corners_of(layout: Layout, low: float, high: float) -> list[str]:
    """Corners that a stretch belongs to: those whose apex it holds, else those that it touches (the way out of one)."""
    touched = [c.name for c in layout.corners if c.entry_m <= c.exit_m and c.entry_m < high and c.exit_m > low]
    return _corners_in(layout, low, high) or touched


def _side(run: AnalysedRun, entry: Entry, number: int, low: float, high: float) -> schemas.SideOut | None:
    assert run.signals is not None
    found: PartFigures | None = part_figures(run.signals, entry.numbers.index(number), low, high)
    if found is None:
        return None
    return schemas.SideOut(
        **{name: value for name, value in asdict(found).items() if name in schemas.SideOut.model_fields}
    )


def stretches(entries: Mapping[int, Entry], own: Key, reference: Key) -> schemas.StretchesOut:
    """Where a lap loses to another, or gains, from where that begins to where it has grown to its whole size."""
    entry, against = entries[own[0]], entries[reference[0]]
    lap, base = entry.trace(own[1]), against.trace(reference[1])
    assert lap is not None
    assert base is not None
    if own == reference:
        return schemas.StretchesOut(stretches=[])
    layout = against.layout
    delta = lap.time - base.time
    sure = beyond_doubt(loss_rate(delta, layout.length), rate_doubt(entry, own[1], against, base))
    found = []
    for one in telling_stretches(layout.grid(), delta, sure, passage_edges(layout)):
        loss = stretch_loss(lap, base, one.from_m, one.to_m, entry.same_run(against))
        found.append(
            schemas.StretchOut(
                from_m=one.from_m,
                to_m=one.to_m,
                loss_s=loss.loss_s,
                loss_u_s=loss.loss_u_s,
                corners=_corners_of(layout, one.from_m, one.to_m),
            )
        )
    return schemas.StretchesOut(stretches=found)
