"""Logs on their way out: one lap at once, whole runs and events as jobs whose file is fetched when it is ready."""

import tempfile
from pathlib import Path
from urllib.parse import quote

from apiflask import APIBlueprint
from flask import Response, send_file

from lauftakt.core.log.model import Unusable
from lauftakt.store.models import Event, Job, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer, one
from lauftakt.work import jobs
from lauftakt.work.exporting import FORMATS, export_path, run_log, write_one
from lauftakt.work.queue import send

blueprint = APIBlueprint("exports", __name__, tag="Export")


def attachment(data: bytes, name: str, kind: str) -> Response:
    """Bytes as a file to be kept, never shown as a page."""
    response = Response(data, mimetype=kind)
    response.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name, safe='')}"
    return response


@blueprint.get("/runs/<int:run_id>/file")
@only("see")
@blueprint.input(schemas.LapExportQuery, location="query")
def export_lap(viewer: Viewer, run_id: int, query_data: schemas.LapExportQuery) -> Response:
    """One lap of a run in an open format."""
    with database().begin() as session:
        one(session, Run, viewer, run_id)
    log, name = run_log(database(), viewer.team_id, run_id, query_data.lap)
    ending, kind, _ = FORMATS[query_data.format]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"lap{ending}"
        try:
            write_one(log, query_data.format, path)
        except Unusable as error:
            raise Problem(409, error.code, str(error)) from error
        return attachment(path.read_bytes(), name + ending, kind)


@blueprint.post("/runs/<int:run_id>/export")
@only("see")
@blueprint.input(schemas.ExportAsked)
@blueprint.output(schemas.JobOut, status_code=202)
def export_run(viewer: Viewer, run_id: int, json_data: schemas.ExportAsked) -> schemas.JobOut:
    """A whole run in an open format: begins the work, which is followed at ``/api/jobs/ID``."""
    with database().begin() as session:
        subject = ("run", one(session, Run, viewer, run_id).id)
    return _begin(viewer, subject, json_data)


@blueprint.post("/events/<int:event_id>/export")
@only("see-team")
@blueprint.input(schemas.ExportAsked)
@blueprint.output(schemas.JobOut, status_code=202)
def export_event(viewer: Viewer, event_id: int, json_data: schemas.ExportAsked) -> schemas.JobOut:
    """All runs of an event in an open format, as a zip archive: begins the work."""
    with database().begin() as session:
        subject = ("event", one(session, Event, viewer, event_id).id)
    return _begin(viewer, subject, json_data)


def _begin(viewer: Viewer, subject: tuple[str, int], asked: schemas.ExportAsked) -> schemas.JobOut:
    with database().begin() as session:
        job = jobs.add_job(
            session, viewer.team_id, "export", subject, payload={"format": asked.format}, account_id=viewer.account_id
        )
    send([job.id])
    return _shown(viewer, job.id)


def _job(viewer: Viewer, job_id: int) -> Job:
    with database().begin() as session:
        return one(session, Job, viewer, job_id)


def _shown(viewer: Viewer, job_id: int) -> schemas.JobOut:
    return show.job(_job(viewer, job_id))


@blueprint.get("/jobs/<int:job_id>/file")
@only("see")
def get_job_file(viewer: Viewer, job_id: int) -> Response:
    """The file that an export made."""
    row = _job(viewer, job_id)
    path = export_path(settings_of_app().exports, row.id)
    if row.kind not in ("export", "sheets") or row.state != "done" or not path.exists():
        raise Problem(404, "no-file", "There is no file of this work (any more). Ask for it again.")
    return send_file(path, mimetype=str(row.result["type"]), as_attachment=True, download_name=str(row.result["name"]))
