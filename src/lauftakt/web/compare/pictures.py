"""The desk's pictures: where a driver is steady, what grip was used, how often a channel has which value."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.envelope import Envelope, envelope, even_edges, seconds_at, share_used, time_shares
from lauftakt.core.comparison.grip import CornerLevel, beside, corner_level, grip_of_laps, slowed_everywhere
from lauftakt.core.comparison.spread import Spread
from lauftakt.core.findings.steady import SteadyPassage, steady_passages, strong_first
from lauftakt.core.laps.lap import inside
from lauftakt.core.registry import STEPPED
from lauftakt.core.run import AnalysedRun, counting_rows
from lauftakt.store.lineup import Entry
from lauftakt.web import schemas
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.compare.curves import derived_by_run, values_of
from lauftakt.web.keeping import Kept

Key = tuple[int, int]
Array = NDArray[np.float64]


# An analysis with its laps' decisions never changes.
_STEADY: Kept[list[SteadyPassage]] = Kept(120)


def steady(session: Session, entries: Mapping[int, Entry], own: Key, reference: Key) -> schemas.SteadyOut:
    """How steady the driver of a lap is in every passage, and how fast beside the reference."""
    entry, against = entries[own[0]], entries[reference[0]]
    if entry.made:
        raise Problem(422, "made", "Nobody drove this lap as a whole, so it has no spread. Choose a driven lap.")
    run = curve_cache().analysed(session, entry)
    itself = not against.made and against.run.id == entry.run.id
    base = None if itself else against.trace(reference[1])
    theirs = None if itself or against.made else curve_cache().analysed(session, against)
    name = (entry.identity, entry.revision, against.identity, against.revision, reference[1])
    found = _STEADY.get(name, lambda: steady_passages(run, entry.layout, reference=theirs, lap=base))
    return schemas.SteadyOut(
        lap=entry.name(own[1]),
        laps=len(run.counting),
        passages=[_passage(one) for one in found],
        strong_first=[one.name for one in strong_first(found)],
    )


def _passage(one: SteadyPassage) -> schemas.SteadyPassageOut:
    return schemas.SteadyPassageOut(
        name=one.name,
        numbers=list(one.numbers),
        times_s=one.times.tolist(),
        time=_spread(one.time),
        loss_s=one.loss_s,
        loss_u_s=one.loss_u_s,
        against=one.against,
        level_s=one.level_s,
        fast=one.fast,
        steady=one.steady,
        fast_sure=one.fast_sure,
        steady_sure=one.steady_sure,
        slope_s=one.change.slope,
        slope_clear=one.change.clear,
        apart=list(one.apart),
        corners=[
            schemas.SteadyCornerOut(
                corner=corner.corner,
                figures={code: schemas.SpreadOut(**asdict(spread)) for code, spread in corner.figures.items()},
            )
            for corner in one.corners
        ],
        loosest=None if one.loosest is None else schemas.LooseOut(corner=one.loosest[0], figure=one.loosest[1]),
    )


def _spread(found: Spread | None) -> schemas.SpreadOut | None:
    return None if found is None else schemas.SpreadOut(**asdict(found))


def grip(
    session: Session, entries: Mapping[int, Entry], laps: Sequence[Key], reference: Key, query: schemas.GripQuery
) -> schemas.GripOut:
    """What grip runs show, beside the reference's run, and what laps use of it in a stretch."""
    known = {run: curve_cache().analysed(session, entry) for run, entry in entries.items()}
    layout = entries[laps[0][0]].layout
    part = between(layout, query.from_m, query.to_m)
    reached = {run: _GRIP.get((entries[run].identity, entries[run].revision), partial(_reached, known[run], layout))
               for run in known}  # fmt: skip
    base = None if entries[reference[0]].made else known[reference[0]]
    runs = [
        _run(run, known[run], reached[run], layout, None if base is None else (base, reached[reference[0]].corners))
        for run, entry in entries.items()
        if not entry.made
    ]
    told = []
    for run, number in laps:
        used = theirs = None
        signals = known[run].signals
        if signals is not None:
            row = signals.numbers.index(number)
            ahead, aside = (rows[row, inside(layout)][part] for rows in (signals.ahead, signals.aside))
            spent = seconds_at(signals.time[row, inside(layout)])[part]
            used = share_used(ahead, aside, spent, reached[run].envelope)
            theirs = share_used(ahead, aside, spent, reached[reference[0]].envelope)
        told.append(
            schemas.LapGripOut(
                lap=entries[run].name(number),
                run=None if entries[run].made else run,
                used=used,
                of_reference=theirs,
            )
        )
    return schemas.GripOut(runs=runs, laps=told)


def between(layout: Layout, from_m: float | None, to_m: float | None) -> NDArray[np.bool_]:
    """Which places of the grid lie in a stretch, the whole lap without one; one that crosses the line has its end
    before its beginning."""
    grid = layout.grid()
    if from_m is None or to_m is None:
        return np.ones(len(grid), dtype=bool)
    found = (grid >= from_m) & (grid <= to_m) if from_m < to_m else (grid >= from_m) | (grid <= to_m)
    if found.sum() < 3:
        raise Problem(422, "too-short", "A stretch must be at least 3 m long.")
    return found


@dataclass(frozen=True)
class _Reached:
    """What a run reached over the laps that count: in every direction from line to line, and in every corner."""

    envelope: Envelope
    corners: list[CornerLevel]


_GRIP: Kept[_Reached] = Kept(120)


def _reached(run: AnalysedRun, layout: Layout) -> _Reached:
    """Where no lap counts over all of them."""
    signals = run.signals
    share_u = 0.0 if signals is None else signals.aside_share_u
    corners = [corner_level(laps, share_u) for laps in grip_of_laps(run, layout)]
    if signals is None:
        return _Reached(envelope(np.zeros((0, 0)), np.zeros((0, 0))), corners)
    rows = counting_rows(run.laps, signals) or list(range(len(signals.numbers)))
    part = inside(layout)
    return _Reached(envelope(signals.ahead[rows][:, part], signals.aside[rows][:, part], share_u), corners)


def _run(
    run_id: int,
    run: AnalysedRun,
    reached: _Reached,
    layout: Layout,
    base: tuple[AnalysedRun, list[CornerLevel]] | None,
) -> schemas.RunGripOut:
    itself = base is None or run is base[0]
    corners = [
        schemas.CornerGripOut(
            corner=corner.name,
            level=one.level,
            level_u=one.level_u,
            laps=one.laps,
            beside=None if base is None or itself else beside(one, base[1][index]),
        )
        for index, (corner, one) in enumerate(zip(layout.corners, reached.corners, strict=True))
    ]
    return schemas.RunGripOut(
        run=run_id,
        laps=len(run.counting),
        slowed=0.0 if base is None or itself else slowed_everywhere(run, base[0], layout),
        envelope=schemas.EnvelopeOut(
            direction=reached.envelope.direction.tolist(),
            level=_or_none(reached.envelope.level),
            level_u=_or_none(reached.envelope.level_u),
        ),
        corners=corners,
    )


def _or_none(values: Array) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


def often(entries: Mapping[int, Entry], laps: Sequence[Key], role: str, query: schemas.OftenQuery) -> schemas.OftenOut:
    """How much of their time laps spend at which values of a channel."""
    part = between(entries[laps[0][0]].layout, query.from_m, query.to_m)
    derived = derived_by_run(entries, laps, [role])
    rows = []
    for run, number in laps:
        values, time = values_of(entries[run], number, role, derived[run]), entries[run].on_grid(number, "time")
        rows.append(None if values is None or time is None else (values[part], seconds_at(time)[part]))
    known = np.concatenate([values for values, _ in (row for row in rows if row is not None)] or [np.zeros(0)])
    known = known[np.isfinite(known)]
    if not len(known):
        return schemas.OftenOut(edges=[], laps=[schemas.OftenLap(lap=entries[r].name(n), shares=[]) for r, n in laps])
    edges = even_edges(
        float(known.min()), float(known.max()), stepped=role in STEPPED, factor=query.factor, zero=query.zero
    )
    found = []
    for (run, number), row in zip(laps, rows, strict=True):
        shares = np.zeros(0) if row is None else time_shares(*row, edges)
        found.append(schemas.OftenLap(lap=entries[run].name(number), shares=shares[np.isfinite(shares)].tolist()))
    return schemas.OftenOut(edges=edges.tolist(), laps=found)
