"""The routes of debriefs: for those who lead and assist the team, for drivers with an account, and by a link."""

from dataclasses import replace
from datetime import datetime
from typing import Any

from apiflask import APIBlueprint
from flask import Response
from flask_login import current_user
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.debrief import wording
from lauftakt.core.debrief.target import HIGH, LOW, Proposal
from lauftakt.core.debrief.wording import MOST_WORDS, words_in
from lauftakt.formats.spoken import Reader
from lauftakt.store.actions import note_action
from lauftakt.store.database import INCLUDE_REMOVED, NotFound, now
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import CueRow, Debrief, Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.debrief import checking, files, preparing, sheet, telling, voices
from lauftakt.web.debrief.advice import MOST_CUES, MOST_KEEPS, fill, new_row, target_on
from lauftakt.web.debrief.seeing import NONE, Day, day_of, seen_on, stated, with_marks
from lauftakt.web.givers import link_of, viewer_of
from lauftakt.web.limits import limiter
from lauftakt.web.policy import WHOLE_TEAM, Viewer, one, visible
from lauftakt.work.queue import send

blueprint = APIBlueprint("debrief", __name__, tag="Debrief")

TYPES = {"pdf": "application/pdf", "png": "image/png", "html": "text/html"}


@blueprint.get("/debriefs")
@only("see-team")
@blueprint.input(schemas.DebriefDayQuery, location="query")
@blueprint.output(schemas.DebriefDay)
def get_day(viewer: Viewer, query_data: schemas.DebriefDayQuery) -> schemas.DebriefDay:
    """The drivers of a day, the latest one where none is named, and how far their debriefs are."""
    with database().begin() as session:
        event = _event(session, viewer, query_data.event)
        if event is None:
            return schemas.DebriefDay(state=NONE, event=None, reference=None, drivers=[])  # type: ignore[arg-type]
        runs = _runs(session, viewer, event.id)
        day = day_of(session, viewer.team_id, event.id)
        found = schemas.DebriefDay(
            state=day.state,  # type: ignore[arg-type]
            event=show.event(event, len(runs)),
            reference=None if day.base is None else day.base.driver.name,
            drivers=preparing.drivers_of_day(session, day, runs),
        )
    _send(day)
    return found


@blueprint.get("/debriefs/runs/<int:run_id>")
@only("see-team")
@blueprint.output(schemas.PrepareOut)
def prepare(viewer: Viewer, run_id: int) -> schemas.PrepareOut:
    """What was found of a run, what could be asked and kept, what was, and what became of the last cues."""
    with database().begin() as session:
        run = _run(session, viewer, run_id)
        day = day_of(session, viewer.team_id, run.event_id)
        found = preparing.of_run(session, day, run, _runs(session, viewer, run.event_id))
    _send(day)
    return found


@blueprint.get("/debriefs/runs/<int:run_id>/picture")
@only("see-team")
@blueprint.input(schemas.PictureQuery, location="query")
@blueprint.doc(responses={200: "SVG"})
def get_picture(viewer: Viewer, run_id: int, query_data: schemas.PictureQuery) -> Response:
    """A passage as this run and the day's reference drove it: from above, or curves along it."""
    with database().begin() as session:
        run = _run(session, viewer, run_id)
        day = day_of(session, viewer.team_id, run.event_id)
        if run.id not in day.analyses:
            raise Problem(409, "nothing-to-draw", "This run cannot be compared yet.")
        seen = seen_on(session, day, run)
        if all(passage.name != query_data.passage for passage in seen.layout.passages):
            raise Problem(404, "not-found", f"The layout has no passage {query_data.passage}.")
        try:
            drawn = sheet.picture(session, seen, query_data)
        except KeyError as error:
            raise Problem(422, "invalid", "There is no such figure.") from error
    _send(day)
    response = Response(drawn, mimetype="image/svg+xml")
    response.headers["Cache-Control"] = "private, max-age=3600" if query_data.v else "private, no-cache"
    return response


@blueprint.post("/cues")
@only("change")
@blueprint.input(schemas.CueIn)
@blueprint.output(schemas.CueDone, status_code=201)
def ask(viewer: Viewer, json_data: schemas.CueIn) -> schemas.CueDone:
    """Ask something of a driver after a run, or tell them to keep something. Nobody keeps more than three cues in
    mind: for a fourth one says which one is left (``leave``)."""
    _few_words(json_data.text)
    with database().begin() as session:
        run = _run(session, viewer, json_data.run, lock=True)
        day = day_of(session, viewer.team_id, run.event_id)
        if run.id not in day.analyses:
            raise Problem(409, "nothing-to-ask", "No lap of this run counts, so nothing can be asked by it.")
        seen = seen_on(session, day, run)
        lost, won = stated(day, run)
        debrief = telling.debrief_of_run(session, viewer.team_id, run.id, lock=True)
        if debrief is None:
            debrief = preparing.new_debrief(session, seen, viewer.account_id, current_user.name)
        row = new_row(session, seen, debrief, json_data, lost, won)
        rows = telling.cues_of(session, debrief)
        steps = _make_room(rows, row, json_data.leave)
        row.rank = max((other.rank for other in rows), default=0) + 1
        session.add(row)
        session.flush()
        what = "was asked something" if row.kind == "cue" else "was told what to keep"
        action = _log(session, viewer, debrief, f"{run.driver.name} {what}.", [_step(row, {"removed": True}), *steps])
        found = _done(session, row, debrief, action)
    _send(day)
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
            _make_room(telling.cues_of(session, debrief), row, None)
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
        now_there = telling.snapshot(telling.cues_of(session, row))
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


@blueprint.get("/debriefs/<int:debrief_id>/check")
@only("see-team")
@blueprint.input(schemas.CheckQuery, location="query")
@blueprint.output(schemas.CheckOut)
def get_check(viewer: Viewer, debrief_id: int, query_data: schemas.CheckQuery) -> schemas.CheckOut:
    """What became of what was asked, by a later run."""
    with database().begin() as session:
        row = one(session, Debrief, viewer, debrief_id)
        if query_data.run is not None:
            one(session, Run, viewer, query_data.run)
        looked = checking.checked(session, row, query_data.run)
        return schemas.CheckOut(
            debrief=row.id,
            run=None if looked.run is None else looked.run.id,
            look=looked.look,
            apart=looked.apart or looked.remark,
            answers={key: telling.answer_out(found) for key, found in looked.answers.items()},
            elsewhere=preparing.elsewhere_out(looked),
        )


@blueprint.get("/debriefs/<int:debrief_id>/sheet")
@only("see")
@blueprint.input(schemas.DebriefSheetQuery, location="query")
@blueprint.output(schemas.DebriefSheet)
def get_debrief_sheet(viewer: Viewer, debrief_id: int, query_data: schemas.DebriefSheetQuery) -> schemas.DebriefSheet:
    """The sheet: for a driver as it was given, for those who lead as it stands now."""
    with database().begin() as session:
        return _sheet(session, viewer, debrief_id, Reader(query_data.units))


@blueprint.get("/debriefs/<int:debrief_id>/sheet/file")
@only("see")
@blueprint.input(schemas.SheetFileQuery, location="query")
@blueprint.doc(responses={200: "The sheet as a file."})
def get_sheet_file(viewer: Viewer, debrief_id: int, query_data: schemas.SheetFileQuery) -> Response:
    """The sheet as one A4 page, or as a page that opens by itself."""
    with database().begin() as session:
        found = _sheet(session, viewer, debrief_id, Reader(query_data.units))
    return _file(found, query_data.format)


@blueprint.get("/own-debriefs")
@only("see")
@blueprint.output(schemas.OwnDebriefs)
def get_own(viewer: Viewer) -> schemas.OwnDebriefs:
    """What somebody who drives was given, and the latest run to say something of."""
    with database().begin() as session:
        return voices.own_debriefs(session, viewer)


@blueprint.post("/voices")
@only("tell")
@blueprint.input(schemas.VoiceIn)
@blueprint.output(schemas.DriverRun)
def say(viewer: Viewer, json_data: schemas.VoiceIn) -> schemas.DriverRun:
    """What a driver felt in a corner of an own run, or asks the coach."""
    with database().begin() as session:
        return voices.say(session, viewer, json_data)


@blueprint.post("/cues/<int:cue_id>/answer")
@only("tell")
@blueprint.input(schemas.CueAnswer)
@blueprint.output({}, status_code=204)
def answer(viewer: Viewer, cue_id: int, json_data: schemas.CueAnswer) -> str:
    """Whether a driver understood a cue, tried it, or felt it unsafe."""
    with database().begin() as session:
        voices.answer_cue(session, viewer, cue_id, json_data)
    return ""


@blueprint.get("/link/<token>/debriefs")
@limiter.limit("240 per minute")
@blueprint.output(schemas.OwnDebriefs)
def own_by_link(token: str) -> schemas.OwnDebriefs:
    """What the driver of a personal link was given, and the latest run that came by it to say something of."""
    viewer = viewer_of(link_of(token)[0])
    with database().begin() as session:
        return voices.own_debriefs(session, viewer)


@blueprint.get("/link/<token>/debriefs/<int:debrief_id>")
@limiter.limit("240 per minute")
@blueprint.input(schemas.DebriefSheetQuery, location="query")
@blueprint.output(schemas.DebriefSheet)
def sheet_by_link(token: str, debrief_id: int, query_data: schemas.DebriefSheetQuery) -> schemas.DebriefSheet:
    """A sheet as it was given."""
    viewer = viewer_of(link_of(token)[0])
    with database().begin() as session:
        return _sheet(session, viewer, debrief_id, Reader(query_data.units))


@blueprint.get("/link/<token>/debriefs/<int:debrief_id>/file")
@limiter.limit("60 per minute")
@blueprint.input(schemas.SheetFileQuery, location="query")
@blueprint.doc(responses={200: "The sheet as a file."})
def file_by_link(token: str, debrief_id: int, query_data: schemas.SheetFileQuery) -> Response:
    """A sheet as a file to be kept."""
    viewer = viewer_of(link_of(token)[0])
    with database().begin() as session:
        found = _sheet(session, viewer, debrief_id, Reader(query_data.units))
    return _file(found, query_data.format)


@blueprint.post("/link/<token>/voices")
@limiter.limit("120 per minute")
@blueprint.input(schemas.VoiceIn)
@blueprint.output(schemas.DriverRun)
def say_by_link(token: str, json_data: schemas.VoiceIn) -> schemas.DriverRun:
    """What the driver felt in a corner of a run that came by the link, or asks the coach."""
    viewer = viewer_of(link_of(token)[0])
    with database().begin() as session:
        return voices.say(session, viewer, json_data)


@blueprint.post("/link/<token>/cues/<int:cue_id>/answer")
@limiter.limit("120 per minute")
@blueprint.input(schemas.CueAnswer)
@blueprint.output({}, status_code=204)
def answer_by_link(token: str, cue_id: int, json_data: schemas.CueAnswer) -> str:
    """Whether the driver understood a cue, tried it, or felt it unsafe."""
    viewer = viewer_of(link_of(token)[0])
    with database().begin() as session:
        voices.answer_cue(session, viewer, cue_id, json_data)
    return ""


def undo_cue(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take back what was done with a cue or keep."""
    query = visible(CueRow, viewer).where(CueRow.id == step["cue"]).with_for_update()
    row = session.scalar(query, execution_options=INCLUDE_REMOVED)
    if row is None:
        raise NotFound("cue")
    if step["set"].get("removed") is False:
        debrief = session.get_one(Debrief, row.debrief_id)
        _make_room(telling.cues_of(session, debrief), row, None)
    _set(row, step["set"])
    _aim(session, row, step["set"].get("value"))
    return []


def undo_given(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take back that a debrief was given, or was taken back."""
    row = one(session, Debrief, viewer, step["debrief"], lock=True)
    row.given = step["set"]["given"]
    row.given_at = None if step["set"]["at"] is None else datetime.fromisoformat(step["set"]["at"])
    return []


def _event(session: Session, viewer: Viewer, event_id: int | None) -> Event | None:
    if event_id is not None:
        return one(session, Event, viewer, event_id)
    return session.scalar(visible(Event, viewer).order_by(Event.day.desc(), Event.id.desc()).limit(1))


def _runs(session: Session, viewer: Viewer, event_id: int) -> list[Run]:
    """Runs of a day with a lap that counts."""
    query = visible(Run, viewer).where(Run.event_id == event_id, Run.best_s.is_not(None))
    return list(session.scalars(query.options(*show.RUN_PARTS).order_by(Run.started_at, Run.id)))


def _run(session: Session, viewer: Viewer, run_id: int, *, lock: bool = False) -> Run:
    found = one(session, Run, viewer, run_id, lock=lock)
    query = visible(Run, viewer).where(Run.id == run_id)
    session.scalars(query.options(*show.RUN_PARTS, joinedload(Run.analysis), joinedload(Run.layout))).all()
    return found


def _send(day: Day) -> None:
    if day.job is not None:
        send([day.job])


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
    most = MOST_CUES if row.kind == "cue" else MOST_KEEPS
    if len(same) >= most:
        told = "Nobody keeps more than three things to try in mind. Which one is left for it?"
        raise Problem(409, "too-many", told if row.kind == "cue" else f"{MOST_KEEPS} things to keep are enough.")
    return steps


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
    proposal = Proposal(row.cause, replace(target, value=value, direction=way), row.now, None, "coach")
    fill(row, proposal, wording.ask(proposal, with_marks(session, debrief.run, layout)), layout)
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


def _sheet(session: Session, viewer: Viewer, debrief_id: int, reader: Reader) -> schemas.DebriefSheet:
    row = one(session, Debrief, viewer, debrief_id)
    leads = viewer.kind in WHOLE_TEAM
    if not leads and row.opened_at is None:
        row.opened_at = now()
    day = None
    if row.run_id is not None and row.run is not None:
        day = day_of(session, viewer.team_id, row.run.event_id)
    return sheet.content(session, row, day, reader, given=not leads)


def _file(found: schemas.DebriefSheet, form: str) -> Response:
    made = files.as_page(found) if form == "html" else files.as_paper(found, form)  # type: ignore[arg-type]
    answer = Response(made, mimetype=TYPES[form])
    name = "".join(c if c.isalnum() else "-" for c in found.driver).strip("-").lower() or "driver"
    answer.headers.set("Content-Disposition", "attachment", filename=f"debrief-{name[:60]}.{form}")
    return answer
