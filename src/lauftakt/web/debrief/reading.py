"""What drivers read and say: the sheet on screen, as a file and on paper, with an account or by a personal link."""

from flask import Response
from sqlalchemy.orm import Session

from lauftakt.formats.spoken import Reader
from lauftakt.store.database import now
from lauftakt.store.models import Debrief
from lauftakt.web import schemas
from lauftakt.web.access import database, only
from lauftakt.web.debrief import files, sheet, voices
from lauftakt.web.debrief.seeing import day_of
from lauftakt.web.debrief.views import blueprint
from lauftakt.web.givers import link_of, viewer_of
from lauftakt.web.limits import limiter
from lauftakt.web.policy import WHOLE_TEAM, Viewer, one

TYPES = {"pdf": "application/pdf", "png": "image/png", "html": "text/html"}


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


def _sheet(session: Session, viewer: Viewer, debrief_id: int, reader: Reader) -> schemas.DebriefSheet:
    row = one(session, Debrief, viewer, debrief_id)
    leads = viewer.kind in WHOLE_TEAM
    if not leads and row.opened_at is None:
        row.opened_at = now()
    day = None
    if row.run_id is not None and row.run is not None:
        day = day_of(session, viewer.team_id, row.run.event_id, want=False)
    return sheet.content(session, row, day, reader, given=not leads)


def _file(found: schemas.DebriefSheet, form: str) -> Response:
    made = files.as_page(found) if form == "html" else files.as_paper(found, form)  # type: ignore[arg-type]
    answer = Response(made, mimetype=TYPES[form])
    name = "".join(c if c.isalnum() else "-" for c in found.driver).strip("-").lower() or "driver"
    answer.headers.set("Content-Disposition", "attachment", filename=f"debrief-{name[:60]}.{form}")
    return answer
