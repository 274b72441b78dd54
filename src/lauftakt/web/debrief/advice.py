"""Cues and keeps: what could be asked of a driver, made into rows, and their targets on the layout as it is now."""

import math
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.ground import on_ground
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.target import (
    HIGH,
    LOW,
    Proposal,
    Target,
    best_passage,
    by_figure,
    comparable,
    figure_entry,
    is_place,
    passage_index,
    usual,
    values_of,
)
from lauftakt.core.debrief.wording import ask, corners_in, praise
from lauftakt.core.debrief.worth import Worth, asked_for, worth_of
from lauftakt.core.findings.statement import Finding
from lauftakt.core.findings.steady import SteadyPassage, steady_passages, strong_first
from lauftakt.core.findings.words import Said
from lauftakt.core.registry import FIGURES, OF_PASSAGES, PASSAGE_TIME
from lauftakt.core.run import AnalysedRun
from lauftakt.formats.spoken import to_rows
from lauftakt.store.database import now
from lauftakt.store.models import CueRow, Debrief
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem
from lauftakt.web.debrief.seeing import Seen
from lauftakt.web.keeping import Kept

# Nobody keeps more in mind.
MOST_CUES, MOST_KEEPS = 3, 4
_steady: Kept[list[SteadyPassage]] = Kept(120)


def steady_of(session: Session, seen: Seen) -> list[SteadyPassage]:
    """How fast and steady the run is in every passage."""
    own, base = seen.entries[seen.run.id], seen.entries[seen.base.id]
    name = (own.identity, own.revision, base.identity, base.revision)
    theirs = None if seen.itself else seen.analysed(session, seen.base)
    run = seen.analysed(session, seen.run)
    return _steady.get(name, lambda: steady_passages(run, seen.layout, reference=theirs))


def keeps_of(
    session: Session, seen: Seen, strengths: list[Finding], losses: list[Finding]
) -> list[schemas.KeepProposal]:
    """What is good: where the driver gains, then where they are fast and steady, else the best there is; never a place
    that is put forward to be changed."""
    steady = {one.name: one for one in steady_of(session, seen)}
    found = []
    for one in strengths:
        if one.passage is not None:
            said = praise(
                corners_in(seen.layout, one.passage),
                quicker_s=-one.loss_s,
                than=seen.than,
                spread_s=None,
                laps=one.clean,
            )
            found.append(_keep(one.passage, one.corner, one.loss_s, steady.get(one.passage), said))
    changed = {one.passage for one in losses if one.put_forward}
    strong = strong_first([one for one in steady.values() if one.name not in changed])
    good = [one for one in strong if one.fast and one.steady] or strong[:2]
    for passage in good:
        if all(passage.name != other.passage for other in found):
            said = _steadily(seen, passage)
            found.append(_keep(passage.name, None, passage.loss_s, passage, said))
    return found


def _steadily(seen: Seen, passage: SteadyPassage) -> Said:
    spread = passage.time.value if passage.time is not None and passage.fast and passage.steady else None
    name = corners_in(seen.layout, passage.name)
    return praise(name, quicker_s=None, than="", spread_s=spread, laps=len(passage.numbers))


def _keep(
    passage: str, corner: str | None, loss: float | None, steady: SteadyPassage | None, said: Said
) -> schemas.KeepProposal:
    spread = steady.time.value if steady is not None and steady.time is not None else None
    return schemas.KeepProposal(passage=passage, corner=corner, loss_s=loss, spread_s=spread, says=show.said(said))


def proposed(
    finding: Finding, run: AnalysedRun, seen: Seen, reference: AnalysedRun | None
) -> list[schemas.ProposalOut]:
    """What could be asked after a finding."""
    return [
        schemas.ProposalOut(
            cause=one.cause,
            target=target_out(one.target, one.now),
            lap=one.lap,
            shown=one.shown,
            says=show.said(ask(one, seen.marked, seen.than)),
            **_promised(worth),
        )
        for one, worth in asked_for(finding, run, seen.layout, reference)
    ]


def target_out(target: Target, present: float) -> schemas.TargetOut:
    entry = figure_entry(target.figure)
    return schemas.TargetOut(
        figure=target.figure,
        label=entry.label,
        quantity=entry.quantity,
        direction=target.direction,  # type: ignore[arg-type]
        value=target.value,
        now=present,
    )


def new_row(
    session: Session, seen: Seen, debrief: Debrief, asked: schemas.CueIn, findings: list[Finding],
    strengths: list[Finding],
) -> CueRow:  # fmt: skip
    """A row for what is asked, not added yet.

    Raises
    ------
    Problem
        404 for a passage or corner that is none, 422 for a figure that is none, or where no lap tells anything.
    """
    layout = seen.layout
    passage = _passage_of(layout, asked)
    corner = asked.corner
    if corner is not None and corner not in layout.passages[passage_index(layout, passage)].corners:
        raise Problem(404, "not-found", f"The passage {passage} has no corner {corner}.")
    if asked.kind == "keep":
        strong = next((one for one in strengths if one.passage == passage), None)
        proposal, said = _kept(session, seen, passage, strong)
        basis = {} if strong is None else _basis(strong)
    else:
        finding = next((one for one in findings if one.passage == passage), None)
        proposal = _asked_for(session, seen, passage, corner, asked, finding)
        said = ask(proposal, seen.marked, seen.than)
        basis = {} if finding is None else _basis(finding)
        # Another value may be written later: whether it goes beyond the reference is said then, too.
        target = proposal.target
        basis |= {"theirs": _theirs(session, seen, passage, target.corner, target.figure), "than": seen.than}
        basis |= _promised(worth_of(proposal, finding, seen.analysed(session, seen.run), layout))
    at = _apex(layout, passage, proposal.target.corner)
    latitude, longitude = on_ground(layout, at)
    row = CueRow(
        team_id=debrief.team_id, debrief_id=debrief.id, driver_id=debrief.driver_id, kind=asked.kind, rank=0,
        passage=passage, latitude=latitude, longitude=longitude, text=asked.text or None, basis=basis, made_at=now(),
    )  # fmt: skip
    fill(row, proposal, said, layout)
    return row


def fill(row: CueRow, proposal: Proposal, said: Said, layout: Layout) -> None:
    """Put a proposal into a row."""
    target = proposal.target
    row.corner, row.figure, row.direction, row.value = target.corner, target.figure, target.direction, target.value
    row.now, row.cause, row.shown, row.lap = proposal.now, proposal.cause, proposal.shown, proposal.lap
    row.sentence = to_rows(said)
    row.target_latitude = row.target_longitude = None
    if is_place(target.figure):
        inside = target.value % layout.length if layout.centre.closed else target.value
        row.target_latitude, row.target_longitude = on_ground(layout, inside)


def _passage_of(layout: Layout, asked: schemas.CueIn) -> str:
    if asked.passage is not None:
        if all(one.name != asked.passage for one in layout.passages):
            raise Problem(404, "not-found", f"The layout has no passage {asked.passage}.")
        return asked.passage
    if asked.from_m is None or asked.to_m is None:
        raise Problem(422, "invalid", "Name a passage, or both ends of a stretch.")
    high = asked.to_m if asked.to_m > asked.from_m else asked.to_m + layout.length
    middle = (asked.from_m + high) / 2.0
    middle = middle % layout.length if layout.centre.closed else min(middle, layout.length)
    for one in layout.passages:
        if one.from_m <= one.to_m and one.from_m <= middle <= one.to_m:
            return one.name
        if one.from_m > one.to_m and (middle >= one.from_m or middle <= one.to_m):
            return one.name
    return layout.passages[-1].name


def _asked_for(
    session: Session, seen: Seen, passage: str, corner: str | None, asked: schemas.CueIn, finding: Finding | None
) -> Proposal:
    run, layout = seen.analysed(session, seen.run), seen.layout
    reference = seen.analysed(session, seen.base) if seen.measured else None
    found = asked_for(finding, run, layout, reference) if finding is not None and not seen.across else []
    offered = [one for one, _ in found]
    chosen = None
    if asked.figure is None:
        chosen = offered[0] if offered else None
    else:
        if asked.figure not in FIGURES and asked.figure not in OF_PASSAGES:
            raise Problem(422, "invalid", "There is no such figure.")
        own = [one for one in offered if one.target.figure == asked.figure]
        chosen = next((one for one in own if asked.direction in (None, one.target.direction)), None)
        if chosen is None and asked.figure != PASSAGE_TIME:
            chosen = _plain(session, seen, passage, corner, asked)
    chosen = chosen or _by_time(run, layout, passage)
    if asked.value is not None:
        target = chosen.target
        chosen = chosen.by_coach(asked.value, _theirs(session, seen, passage, target.corner, target.figure))
    return chosen


def _theirs(session: Session, seen: Seen, passage: str, corner: str | None, figure: str) -> float | None:
    """What the reference usually does there; None where the driver is the reference, and where it had another car."""
    if not seen.measured:
        return None
    return usual(seen.analysed(session, seen.base), seen.layout, passage, corner, figure)


def _plain(session: Session, seen: Seen, passage: str, corner: str | None, asked: schemas.CueIn) -> Proposal:
    """A figure that no finding puts forward, in the corner that is named, else in the passage's first."""
    run, layout = seen.analysed(session, seen.run), seen.layout
    corners = layout.passages[passage_index(layout, passage)].corners
    where = corner or (corners[0] if corners else None)
    assert asked.figure is not None
    if where is None:
        raise Problem(422, "no-corner", "There is no corner in this passage; ask for its time instead.")
    good = figure_entry(asked.figure).good
    way = asked.direction or (LOW if good == "low" else HIGH)
    theirs = _theirs(session, seen, passage, where, asked.figure)
    found = by_figure(run, layout, passage, where, asked.figure, way, theirs=theirs)
    if found is not None:
        return found
    values = values_of(run, layout, passage, where, asked.figure)[1]
    known = values[np.isfinite(values)]
    if not len(known):
        raise Problem(422, "unknown", "No clean lap of this run tells this figure here. Choose another one.")
    present = float(np.median(known))
    target = Target(asked.figure, passage, where, present if asked.value is None else asked.value, way)
    return Proposal(None, target, present, None, "coach")


def _by_time(run: AnalysedRun, layout: Layout, passage: str) -> Proposal:
    """By the time in the passage alone, as quick as in the own best."""
    found = by_figure(run, layout, passage, None, PASSAGE_TIME, LOW)
    if found is not None:
        return found
    numbers, times = values_of(run, layout, passage, None, PASSAGE_TIME)
    if not len(times):
        raise Problem(422, "no-lap", "No lap of this run went through here undisturbed, so nothing can be asked by it.")
    lends = comparable(run, layout, passage, None, PASSAGE_TIME, numbers)
    best = np.where(lends, times, np.nan) if lends.any() else times
    target = Target(PASSAGE_TIME, passage, None, float(np.nanmin(best)), LOW)
    return Proposal(None, target, float(np.median(times)), best_passage(numbers, best), "own best")


def _kept(session: Session, seen: Seen, passage: str, strong: Finding | None) -> tuple[Proposal, Said]:
    """Something to be kept: the time in the passage as it is."""
    run = seen.analysed(session, seen.run)
    _, times = values_of(run, seen.layout, passage, None, PASSAGE_TIME)
    if not len(times):
        raise Problem(422, "no-lap", "No lap of this run went through here undisturbed, so nothing can be kept by it.")
    present = float(np.median(times))
    proposal = Proposal(None, Target(PASSAGE_TIME, passage, None, present, LOW), present, None, "kept")
    if strong is not None:
        than = seen.than
        return proposal, praise(
            corners_in(seen.layout, passage), quicker_s=-strong.loss_s, than=than, spread_s=None, laps=strong.clean
        )
    steady = next((one for one in steady_of(session, seen) if one.name == passage), None)
    name = corners_in(seen.layout, passage)
    said = praise(name, quicker_s=None, than="", spread_s=None, laps=0) if steady is None else _steadily(seen, steady)
    return proposal, said


def _apex(layout: Layout, passage: str, corner: str | None) -> float:
    """Where a passage is known by: the corner's apex, the first one's of a passage."""
    found = layout.passages[passage_index(layout, passage)]
    name = corner or (found.corners[0] if found.corners else None)
    for one in layout.corners:
        if one.name == name:
            return one.apex_m
    return found.from_m


def _promised(worth: Worth | None) -> dict[str, Any]:
    """What is kept of a promise: nothing where none can be made."""
    if worth is None or not math.isfinite(worth.gain_u_s):
        return {}
    return {"worth_s": worth.gain_s, "worth_u_s": worth.gain_u_s}


def _basis(finding: Finding) -> dict[str, Any]:
    return {
        "loss_s": finding.loss_s,
        "loss_u_s": finding.loss_u_s,
        "seen": len(finding.seen_in),
        "of": finding.clean,
        "best_loss_s": finding.best_loss_s,
        "against": finding.against,
        "cause": finding.cause,
    }
