"""Logs on their way out."""

import tempfile
from pathlib import Path
from urllib.parse import quote

from apiflask import APIBlueprint
from flask import Response, send_file

from lauftakt.core.log.model import Unusable
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, for_coaches, team_id
from lauftakt.work.exporting import FORMATS, run_log, write_event, write_one

blueprint = APIBlueprint("exports", __name__, tag="Export")


def attachment(data: bytes, name: str, kind: str) -> Response:
    """Bytes as a file to be kept, never shown as a page."""
    response = Response(data, mimetype=kind)
    response.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name, safe='')}"
    return response


def _send(path: Path, name: str, kind: str) -> Response:
    # The file is opened before its name goes: it is deleted when it was sent.
    file = path.open("rb")
    path.unlink()
    response = send_file(file, mimetype=kind, as_attachment=True, download_name=name)
    response.call_on_close(file.close)
    return response


@blueprint.get("/runs/<int:run_id>/file")
@for_coaches
@blueprint.input(schemas.ExportQuery, location="query")
def export_run(run_id: int, query_data: schemas.ExportQuery) -> Response:
    """A run, or one lap of it, in an open format."""
    log, name = run_log(database(), team_id(), run_id, query_data.lap)
    ending, kind, _ = FORMATS[query_data.format]
    path = Path(tempfile.mkstemp(suffix=ending)[1])
    try:
        write_one(log, query_data.format, path)
    except Unusable as error:
        path.unlink(missing_ok=True)
        raise Problem(409, error.code, str(error)) from error
    return _send(path, name + ending, kind)


@blueprint.get("/events/<int:event_id>/file")
@for_coaches
@blueprint.input(schemas.EventExportQuery, location="query")
def export_event(event_id: int, query_data: schemas.EventExportQuery) -> Response:
    """All runs of an event in an open format, as a zip archive."""
    path = Path(tempfile.mkstemp(suffix=".zip")[1])
    try:
        name = write_event(database(), team_id(), event_id, query_data.format, path)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return _send(path, name + ".zip", "application/zip")
