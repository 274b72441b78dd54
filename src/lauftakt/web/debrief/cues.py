"""Cues and keeps: asked, put in other words, withdrawn, and given to the driver; each with its way back."""

from dataclasses import replace
from datetime import datetime
from typing import Any

from flask_login import current_user
from sqlalchemy.orm import Session

from lauftakt.core.debrief import wording
from lauftakt.core.debrief.target import HIGH, LOW, Proposal, Target
from lauftakt.core.debrief.wording import MOST_WORDS, words_in
from lauftakt.core.debrief.worth import Worth, aimed_elsewhere
from lauftakt.store.actions import note_action
from lauftakt.store.asked import cues_of, target_on
from lauftakt.store.database import INCLUDE_REMOVED, NotFound, now
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import CueRow, Debrief, Run
from lauftakt.web import schemas
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.debrief import preparing, telling
from lauftakt.web.debrief.advice import MOST_CUES, MOST_KEEPS, fill, new_row
from lauftakt.web.debrief.seeing import day_of, seen_on, stated, with_marks
from lauftakt.web.debrief.views import blueprint, run_of, send_of
from lauftakt.web.policy import Viewer, one, visible


@blueprint.get("/runs/<int:run_id>/cues")
@only("change")
@blueprint.output(schemas.RunCues)
def get_cues(viewer: Viewer, run_id: int) -> schemas.RunCues:
    """What is asked by a run already, and what its driver is told to keep."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id)
        debrief = telling.debrief_of_run(session, viewer.team_id, run.id)
        rows = [] if debrief is None else cues_of(session, debrief)
        return schemas.RunCues(cues=[telling.cue_out(row) for row in rows])


@blueprint.post("/cues")
@only("change")
@blueprint.input(schemas.CueIn)
@blueprint.output(schemas.CueDone, status_code=201)
def ask(viewer: Viewer, json_data: schemas.CueIn) -> schemas.CueDone:
    """Ask something of a driver after a run, or tell them to keep something. Nobody keeps more than three cues in
    mind: for a fourth one says which one is left (``leave``)."""
    _few_words(json_data.text)
    with database().begin() as session:
        run = run_of(session, viewer, json_data.run, lock=True)
        day = day_of(session, viewer.team_id, run.event_id)
        seen = seen_on(session, day, run)
        if seen is None:
            raise Problem(409, "nothing-to-ask", "No lap of this run counts, so nothing can be asked by it.")
        lost, won = stated(day, run)
        debrief = telling.debrief_of_run(session, viewer.team_id, run.id, lock=True)
        if debrief is None:
            debrief = preparing.new_debrief(session, seen, viewer.account_id, current_user.name)
        row = new_row(session, seen, debrief, json_data, lost, won)
        rows = cues_of(session, debrief)
        steps = _make_room(rows, row, json_data.leave)
        row.rank = max((other.rank for other in rows), default=0) + 1
        session.add(row)
        session.flush()
        what = "was asked something" if row.kind == "cue" else "was told what to keep"
        action = _log(session, viewer, debrief, f"{run.driver.name} {what}.", [_step(row, {"removed": True}), *steps])
        found = _done(session, row, debrief, action)
    send_of(day)
    return found


@blueprint.patch("/cues/<int:cue_id>")
@only("change")
@blueprint.input(schemas.CueChange)
@blueprint.output(schemas.CueDone)
def change_cue(viewer: Viewer, cue_id: int, json_data: schemas.CueChange) -> schemas.CueDone:
    """Put it in other words, aim at another value, move it up or down, withdraw it or bring it back."""
    _few_words(json_data.text)
    with database().begin() as session:
        query = visible(CueRow, viewer).where(CueRow.id == cue_id).with_for_update()
        row = session.scalar(query, execution_options=INCLUDE_REMOVED)
        if row is None:
            raise NotFound("cue")
        debrief = session.get_one(Debrief, row.debrief_id)
        wanted = json_data.model_dump(exclude_unset=True)
        if wanted.get("removed") is False and row.removed_at is not None:
            _make_room(cues_of(session, debrief), row, None)
        before = _set(row, wanted) | _aim(session, row, json_data.value)
        session.flush()
        what = "withdrawn" if wanted.get("removed") else "changed"
        summary = f"A {row.kind} of {debrief.driver.name} was {what}."
        action = _log(session, viewer, debrief, summary, [_step(row, before)]) if before else None
        return _done(session, row, debrief, action)


@blueprint.post("/debriefs/<int:debrief_id>/give")
@only("change")
@blueprint.input(schemas.GiveIn)
@blueprint.output(schemas.DebriefHead)
def give(viewer: Viewer, debrief_id: int, json_data: schemas.GiveIn) -> schemas.DebriefHead:
    """Give a debrief to its driver as it stands now, or take it back. What was given before says what changed."""
    with database().begin() as session:
        row = one(session, Debrief, viewer, debrief_id, lock=True)
        now_there = telling.snapshot(cues_of(session, row))
        if json_data.given and not now_there:
            raise Problem(409, "empty", "There is nothing in it yet. Ask for something, or say what to keep, first.")
        before = {"given": row.given, "at": None if row.given_at is None else row.given_at.isoformat()}
        if json_data.given:
            old = (row.given or {}).get("cues") if row.given_at is not None else None
            row.given, row.given_at = {"cues": now_there, "before": old}, now()
        else:
            row.given_at = None
        row.opened_at = None
        what = "given to" if json_data.given else "taken back from"
        _log(
            session, viewer, row, f"A debrief was {what} {row.driver.name}.",
            [{"do": "debrief-given", "debrief": row.id, "set": before}],
        )  # fmt: skip
        return telling.head(session, row)


def undo_cue(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take back what was done with a cue or keep."""
    query = visible(CueRow, viewer).where(CueRow.id == step["cue"]).with_for_update()
    row = session.scalar(query, execution_options=INCLUDE_REMOVED)
    if row is None:
        raise NotFound("cue")
    if step["set"].get("removed") is False:
        debrief = session.get_one(Debrief, row.debrief_id)
        _make_room(cues_of(session, debrief), row, None)
    _set(row, step["set"])
    _aim(session, row, step["set"].get("value"))
    return []


def undo_given(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take back that a debrief was given, or was taken back."""
    row = one(session, Debrief, viewer, step["debrief"], lock=True)
    row.given = step["set"]["given"]
    row.given_at = None if step["set"]["at"] is None else datetime.fromisoformat(step["set"]["at"])
    return []


def _few_words(text: str | None) -> None:
    if text and words_in(text) > MOST_WORDS:
        raise Problem(422, "too-long", f"Nobody keeps more than {MOST_WORDS} words in mind. Say it shorter.")


def _make_room(rows: list[CueRow], row: CueRow, leave: int | None) -> list[dict[str, Any]]:
    """Let one more stand beside the others, which may say that one is left for it; returns what brings that back.

    Raises
    ------
    Problem
        409 where the same is asked already, and where there are too many.
    """
    same = [other for other in rows if other.kind == row.kind and other.id != row.id]
    left = next((other for other in same if other.id == leave), None)
    steps = []
    if left is not None:
        left.removed_at = now()
        same.remove(left)
        steps = [{"do": "cue", "cue": left.id, "set": {"removed": False}}]
    about = row.passage, row.corner, row.figure
    if any((other.passage, other.corner, other.figure) == about for other in same):
        raise Problem(409, "asked-already", "The same stands in this debrief already.")
    _one_thing_of_a_place(rows, row, same)
    most = MOST_CUES if row.kind == "cue" else MOST_KEEPS
    if len(same) >= most:
        told = "Nobody keeps more than three things to try in mind. Which one is left for it?"
        raise Problem(409, "too-many", told if row.kind == "cue" else f"{MOST_KEEPS} things to keep are enough.")
    return steps


def _one_thing_of_a_place(rows: list[CueRow], row: CueRow, same: list[CueRow]) -> None:
    """Nobody is told to keep what they are asked to change, nor asked twice for what is one movement.

    Raises
    ------
    Problem
        409 with a sentence that says what stands in the way.
    """
    where = row.corner or "this passage"
    other_kind = next((one for one in rows if one.kind != row.kind and one.passage == row.passage), None)
    if other_kind is not None:
        kept = "is asked to be changed" if row.kind == "keep" else "is to be kept as it is"
        raise Problem(
            409, "changed-and-kept",
            f"In this debrief {where} {kept} already. Withdraw that first: a place cannot be both.",
        )  # fmt: skip
    if row.kind == "cue" and any(_target(one).brings_along(_target(row)) for one in same):
        raise Problem(
            409, "brought-along",
            f"Another cue for {where} brings this along already. Ask for one of the two, not for both.",
        )  # fmt: skip


def _target(row: CueRow) -> Target:
    return Target(row.figure, row.passage, row.corner, row.value, row.direction)


def _set(row: CueRow, wanted: dict[str, Any]) -> dict[str, Any]:
    """Change a row; returns what brings the present state back."""
    before: dict[str, Any] = {}
    if "removed" in wanted and wanted["removed"] is not None and wanted["removed"] != (row.removed_at is not None):
        before["removed"] = not wanted["removed"]
        row.removed_at = now() if wanted["removed"] else None
    if "text" in wanted and (wanted["text"] or None) != row.text:
        before["text"], row.text = row.text, wanted["text"] or None
    if wanted.get("rank") is not None and wanted["rank"] != row.rank:
        before["rank"], row.rank = row.rank, wanted["rank"]
    return before


def _aim(session: Session, row: CueRow, value: float | None) -> dict[str, Any]:
    """Aim at another value, with the sentence that says so; returns what brings the present one back."""
    debrief = session.get_one(Debrief, row.debrief_id)
    if value is None or value == row.value or row.kind != "cue":
        return {}
    if debrief.run is None or debrief.run.analysis is None:
        raise Problem(409, "no-run", "The run after which this was asked is gone, so its target stays as it is.")
    layout = load_layout(session, debrief.run.analysis.layout_version_id, None, curve_cache().layouts)
    target = target_on(row, layout)
    if target is None:
        raise Problem(409, "redrawn", "The circuit was redrawn, and this place is no longer on it.")
    before = {"value": target.value}
    way = row.direction if value == row.now else HIGH if value > row.now else LOW
    theirs = row.basis.get("theirs")
    proposal = Proposal(row.cause, replace(target, direction=way), row.now, None, "coach", theirs)
    if row.basis.get("worth_s") is not None:
        worth = aimed_elsewhere(Worth(row.basis["worth_s"], row.basis["worth_u_s"]), proposal, value)
        row.basis = row.basis | {"worth_s": worth.gain_s, "worth_u_s": worth.gain_u_s}
    proposal = proposal.by_coach(value, theirs)
    marked = with_marks(session, debrief.run.layout, layout)
    fill(row, proposal, wording.ask(proposal, marked, row.basis.get("than") or "the reference"), layout)
    return before


def _step(row: CueRow, before: dict[str, Any]) -> dict[str, Any]:
    return {"do": "cue", "cue": row.id, "set": before}


def _log(session: Session, viewer: Viewer, row: Debrief, summary: str, inverse: list[dict[str, Any]]) -> int:
    return note_action(
        session, viewer.team_id, account_id=viewer.account_id, kind="debrief", subject=("debrief", row.id),
        summary=summary, inverse=inverse,
    ).id  # fmt: skip


def _done(session: Session, row: CueRow, debrief: Debrief, action: int | None) -> schemas.CueDone:
    return schemas.CueDone(cue=telling.cue_out(row), debrief=telling.head(session, debrief), action=action)
