"""What a drawing would do, told before it is kept: bests and what counts at once, findings a moment later."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.editing import Drawing, DrawnCorner, redrawn
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.statement import Finding
from lauftakt.core.laps.counting import best_of, counting_of, outcome, theoretical_best
from lauftakt.core.laps.lap import LEAST_REACH_M, Lap
from lauftakt.core.laps.recutting import recut
from lauftakt.core.log.model import Unusable
from lauftakt.core.redrawing import on_redrawn
from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.store.analyses import to_lap
from lauftakt.store.counting import word_for
from lauftakt.store.layouts import load_layout
from lauftakt.store.lineup import Entry
from lauftakt.store.models import LayoutRow, Run, SectorSet
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.circuits.describing import describe
from lauftakt.web.circuits.ground import drawn_layout, entries_of_day
from lauftakt.web.circuits.views import blueprint
from lauftakt.web.policy import Viewer, one


def drawing_of(wanted: schemas.DrawingIn) -> Drawing:
    """The core's drawing of what was asked for."""
    return Drawing(
        start_m=wanted.start_m,
        start_turn=float(np.radians(wanted.start_turn_deg)),
        finish_m=wanted.finish_m,
        corners=tuple(DrawnCorner(c.name, c.entry_m, c.apex_m, c.exit_m) for c in wanted.corners),
        borders=tuple(wanted.borders),
        splits=tuple((split.name, split.m) for split in wanted.splits),
        first_sector=wanted.first_sector,
    )


@dataclass(frozen=True)
class Asked:
    """A drawing with the layout before and after it, and the day's runs on the layout before."""

    drawing: Drawing
    before: Layout
    after: Layout
    entries: list[Entry]


def moved_on(row: LayoutRow) -> Problem:
    """Somebody changed the ground meanwhile."""
    return Problem(
        409,
        "moved-on",
        f"{row.name} was changed by somebody else meanwhile. Look at what they did, then change it again.",
    )


def asked(session: Session, viewer: Viewer, layout_id: int, wanted: schemas.PreviewIn, roles: Sequence[str]) -> Asked:
    """What a preview is about.

    Raises
    ------
    Problem
        409 where the layout has another version by now, 422 with what cannot be so.
    """
    row = drawn_layout(session, viewer, layout_id)
    if row.current_id != wanted.base:
        raise moved_on(row)
    if wanted.sector_set is not None and one(session, SectorSet, viewer, wanted.sector_set).layout_id != row.id:
        raise Problem(422, "sectors", "These sectors belong to another circuit.")
    before = load_layout(session, wanted.base, wanted.sector_set, curve_cache().layouts)
    drawing = drawing_of(wanted)
    try:
        after = redrawn(before, drawing)
    except Unusable as error:
        raise Problem(422, error.code, str(error)) from error
    entries = entries_of_day(session, viewer, row, wanted.event, roles)
    return Asked(drawing, before, after, entries)


@blueprint.post("/layouts/<int:layout_id>/preview")
@only("change")
@blueprint.input(schemas.PreviewIn)
@blueprint.output(schemas.PreviewOut)
def preview(viewer: Viewer, layout_id: int, json_data: schemas.PreviewIn) -> schemas.PreviewOut:
    """What a drawing does to a day's laps: bests, sectors, and what counts, before and after."""
    with database().begin() as session:
        found = asked(session, viewer, layout_id, json_data, ["time_draws"])
        by_driver: dict[int, list[Entry]] = {}
        for entry in found.entries:
            by_driver.setdefault(entry.run.driver_id, []).append(entry)
        after = found.after
        far = abs((found.drawing.start_m + found.before.length / 2) % found.before.length - found.before.length / 2)
        return schemas.PreviewOut(
            length_m=after.length,
            summary=describe(found.before, after, found.drawing),
            passages=[p.called for p in after.passages],
            sectors_m=list(after.splits_m),
            drivers=[_driver(entries, found) for entries in by_driver.values()],
            unknown=2 * len(found.entries) if after.centre.closed and far > LEAST_REACH_M else 0,
        )


def _driver(entries: Sequence[Entry], found: Asked) -> schemas.DriverPreview:
    """One driver's day before and after."""
    before: list[tuple[Entry, Lap]] = []
    after: list[tuple[Entry, Lap]] = []
    begins: list[str] = []
    ceases: list[str] = []
    for entry in entries:
        old = [to_lap(lap) for lap in entry.laps]
        if entry.layout.splits_m != found.before.splits_m:
            old = _settled(entry, _automatic(entry, found.before, found.before, 0.0))
        new = _automatic(entry, found.before, found.after, found.drawing.start_m)
        settled = _settled(entry, new)
        before += [(entry, lap) for lap in old]
        after += [(entry, lap) for lap in settled]
        was, will = ({lap.number for lap in counting_of(laps)} for laps in (old, settled))
        run = entry.run
        begins += [_told(run, number) for number in sorted(will - was)]
        ceases += [_told(run, number) for number in sorted(was - will)]
    return schemas.DriverPreview(
        driver=show.driver(entries[0].run.driver),
        before=_bests(before),
        after=_bests(after),
        begins=begins,
        ceases=ceases,
    )


def _told(run: Run, number: int) -> str:
    when = f" of {run.started_at:%H:%M}" if run.started_at else ""
    return f"lap {number}{when}"


def _automatic(entry: Entry, before: Layout, after: Layout, start_m: float) -> Sequence[Lap]:
    """Laps as the computation would say, without what people said of them."""
    laps = [replace(to_lap(lap), set_aside=lap.automatic) for lap in entry.laps]
    traces = {number: trace for number in entry.numbers if (trace := entry.trace(number)) is not None}
    return recut(laps, traces, before, after, start_m).laps


def _settled(entry: Entry, laps: Sequence[Lap]) -> list[Lap]:
    """Laps with what people say of them."""
    found = []
    for lap in laps:
        word = word_for(lap, entry.run.words)
        counts, reason = (word.counts, word.reason) if word is not None else (None, None)
        found.append(replace(lap, set_aside=outcome(lap.set_aside, lap.time_s is not None, counts, reason)))
    return found


def _bests(laps: Sequence[tuple[Entry, Lap]]) -> schemas.Bests:
    own = [lap for _, lap in laps]
    best, counting = best_of(own), counting_of(own)
    rows = [lap.sector_times_s for lap in counting if lap.sector_times_s]
    return schemas.Bests(
        best_s=best.time_s if best is not None else None,
        best_lap=best.number if best is not None else None,
        sectors_s=[min(times) for times in zip(*rows, strict=True)] if rows else [],
        theoretical_s=theoretical_best(own),
        counting=len(counting),
    )


@blueprint.post("/layouts/<int:layout_id>/preview/findings")
@only("change")
@blueprint.input(schemas.PreviewIn)
@blueprint.output(schemas.FindingsPreview)
def preview_findings(viewer: Viewer, layout_id: int, json_data: schemas.PreviewIn) -> schemas.FindingsPreview:
    """Findings that change place, or come and go, with a drawing."""
    with database().begin() as session:
        found = asked(session, viewer, layout_id, json_data, ["time_draws", *JUDGED_BY])
        timed = [entry for entry in found.entries if best_of([to_lap(lap) for lap in entry.laps]) is not None]
        if len(timed) < 2:
            return schemas.FindingsPreview(against="", changes=[])
        known = [curve_cache().analysed(session, entry) for entry in timed]
        moved = [
            on_redrawn(run, found.before, found.after, found.drawing.start_m, entry.said)
            for run, entry in zip(known, timed, strict=True)
        ]
        reference = min(range(len(timed)), key=lambda i: _best_s(known[i]))
        names = [f"{entry.run.driver_id}" for entry in timed]
        old = _largest(find([Contender(r, n) for r, n in zip(known, names, strict=True)], reference, found.before)[0])
        new: dict[Any, Finding] = {}
        if all(run.best_lap is not None for run in moved):
            whole = [Contender(r, n) for r, n in zip(moved, names, strict=True)]
            new = _largest(find(whole, reference, found.after)[0])
        drivers = {entry.run.driver_id: entry.run.driver for entry in timed}
        changes = []
        for key in sorted(old.keys() | new.keys(), key=lambda key: -max(_loss(old.get(key)), _loss(new.get(key)))):
            was, will = old.get(key), new.get(key)
            one_of = will or was
            assert one_of is not None
            changes.append(
                schemas.FindingChange(
                    driver=show.driver(drivers[timed[key[0]].run.driver_id]),
                    passage=one_of.passage or "",
                    corner=one_of.corner or "",
                    before_s=was.loss_s if was is not None else None,
                    after_s=will.loss_s if will is not None else None,
                    cause_before=was.cause if was is not None else None,
                    cause_after=will.cause if will is not None else None,
                )
            )
        return schemas.FindingsPreview(against=timed[reference].run.driver.name, changes=changes)


def _best_s(run: Any) -> float:
    return run.best_lap.time_s if run.best_lap is not None and run.best_lap.time_s is not None else float("inf")


def _loss(finding: Finding | None) -> float:
    return finding.loss_s if finding is not None else 0.0


def _largest(findings: Sequence[Finding]) -> dict[tuple[int, str], Finding]:
    """Findings by run and the corner where most is lost, which keeps its name when passages change."""
    found: dict[tuple[int, str], Finding] = {}
    for item in findings:
        key = (item.run, item.corner or "")
        if item.against != "reference":
            continue
        if key not in found or item.loss_s > found[key].loss_s:
            found[key] = item
    return found
