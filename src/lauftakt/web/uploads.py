"""Resumable uploads by the open protocol tus 1.0: announced, sent in pieces, taken up again after a broken connection.

Beside what the protocol asks for, ``GET`` of an upload tells as JSON what became of the file: whoever missed the answer
to the last piece asks, and does not send it again.
"""

import base64
import binascii
from collections.abc import Callable
from typing import Any, cast

from apiflask import APIBlueprint
from flask import Response, jsonify, request, url_for

from lauftakt.store.models import Upload
from lauftakt.web import schemas
from lauftakt.web.access import Problem, only
from lauftakt.web.arriving import KEPT, announce, arrived, begun, finish, forget, shown, take_piece
from lauftakt.web.givers import by_link, myself, settings_of_app
from lauftakt.web.limits import limiter
from lauftakt.web.policy import Viewer
from lauftakt.work.intake import Giver

blueprint = APIBlueprint("uploads", __name__, tag="Hand-in")

VERSION = "1.0.0"
EXTENSIONS = "creation,termination,expiration"
LONGEST_METADATA = 8_000


@blueprint.after_request
def _name_the_protocol(response: Response) -> Response:
    response.headers["Tus-Resumable"] = VERSION
    return response


@blueprint.before_request
def _check_the_protocol() -> None:
    """Refuse another version of the protocol; reading as JSON is none of it."""
    if request.method in ("OPTIONS", "GET"):
        return
    if request.headers.get("Tus-Resumable") != VERSION:
        raise Problem(412, "protocol", f"Uploads follow tus {VERSION}; say so with the header Tus-Resumable.")


@blueprint.route("/uploads", methods=["OPTIONS"], provide_automatic_options=False)
@blueprint.doc(hide=True)
def what_is_offered() -> Response:
    """What the server knows of the protocol."""
    return _offer()


@blueprint.post("/uploads")
@only("hand-in")
@blueprint.output(schemas.UploadOut, status_code=201)
def begin_upload(viewer: Viewer) -> Response:
    """Announce a file by ``Upload-Length`` and ``Upload-Metadata`` (``filename``, ``modified``, ``driver``)."""
    length, said = _announced()
    giver = myself(viewer, said.get("driver"))
    return _created(giver, length, said, lambda row: url_for("uploads.get_upload", upload_id=row.id))


@blueprint.get("/uploads/<int:upload_id>")
@only("hand-in")
@blueprint.output(schemas.UploadOut)
def get_upload(viewer: Viewer, upload_id: int) -> Response:
    """How much of a file has arrived; once it is whole, what became of it."""
    return _state(myself(viewer), upload_id)


@blueprint.patch("/uploads/<int:upload_id>")
@only("hand-in")
@blueprint.output({}, status_code=204)
def send_piece(viewer: Viewer, upload_id: int) -> Response:
    """The next piece, as the request's body; ``Upload-Offset`` says from which byte. The last one starts the import."""
    return _piece(myself(viewer), upload_id)


@blueprint.delete("/uploads/<int:upload_id>")
@only("hand-in")
@blueprint.output({}, status_code=204)
def give_up(viewer: Viewer, upload_id: int) -> str:
    """Forget a file that was begun."""
    return _forget(myself(viewer), upload_id)


@blueprint.route("/link/<token>/uploads", methods=["OPTIONS"], provide_automatic_options=False)
@blueprint.doc(hide=True)
def what_is_offered_by_link(token: str) -> Response:
    """What the server knows of the protocol."""
    return _offer()


@blueprint.post("/link/<token>/uploads")
@limiter.limit("600 per minute")
@blueprint.output(schemas.UploadOut, status_code=201)
def begin_upload_by_link(token: str) -> Response:
    """Announce a file by a personal link."""
    giver = by_link(token)
    length, said = _announced()
    to = "uploads.get_upload_by_link"
    return _created(giver, length, said, lambda row: url_for(to, token=token, upload_id=row.id))


@blueprint.get("/link/<token>/uploads/<int:upload_id>")
@blueprint.output(schemas.UploadOut)
def get_upload_by_link(token: str, upload_id: int) -> Response:
    """How much of a file has arrived; once it is whole, what became of it."""
    return _state(by_link(token), upload_id)


@blueprint.patch("/link/<token>/uploads/<int:upload_id>")
@blueprint.output({}, status_code=204)
def send_piece_by_link(token: str, upload_id: int) -> Response:
    """The next piece of a file that is sent by a personal link."""
    return _piece(by_link(token), upload_id)


@blueprint.delete("/link/<token>/uploads/<int:upload_id>")
@blueprint.output({}, status_code=204)
def give_up_by_link(token: str, upload_id: int) -> str:
    """Forget a file that was begun by a personal link."""
    return _forget(by_link(token), upload_id)


def _offer() -> Response:
    response = Response(status=204)
    response.headers["Tus-Version"] = VERSION
    response.headers["Tus-Extension"] = EXTENSIONS
    response.headers["Tus-Max-Size"] = str(settings_of_app().upload_mb * 1_000_000)
    return response


def _number(name: str) -> int:
    said = request.headers.get(name, "")
    if not said.isascii() or not said.isdigit() or len(said) > 15:
        raise Problem(422, "invalid", f"Not understood: {name}.")
    return int(said)


def _announced() -> tuple[int, dict[str, str]]:
    """Length and metadata of a file that is announced."""
    raw = request.headers.get("Upload-Metadata", "")
    said: dict[str, str] = {}
    try:
        if len(raw) > LONGEST_METADATA:
            raise ValueError
        for item in filter(None, (part.strip() for part in raw.split(","))):
            key, _, value = item.partition(" ")
            said[key] = base64.b64decode(value, validate=True).decode()
    except (ValueError, binascii.Error) as error:
        raise Problem(422, "invalid", "Not understood: Upload-Metadata.") from error
    if not said.get("filename"):
        raise Problem(422, "invalid", "Not understood: Upload-Metadata, which has to hold a filename.")
    return _number("Upload-Length"), said


def _created(giver: Giver, length: int, said: dict[str, str], address: Callable[[Upload], str]) -> Response:
    row = announce(giver, said["filename"], length, said.get("modified", "")[:40])
    response = jsonify(shown(giver, row, row.hand_in_id).model_dump())
    response.status_code = 201
    response.headers["Location"] = address(row)
    return _with_state(response, row, arrived(row))


def _with_state(response: Response, row: Upload, came: int) -> Response:
    response.headers["Upload-Offset"] = str(came)
    response.headers["Upload-Length"] = str(row.size)
    response.headers["Cache-Control"] = "no-store"
    if row.hand_in_id is None:
        response.headers["Upload-Expires"] = (row.touched_at + KEPT).strftime("%a, %d %b %Y %H:%M:%S GMT")
    return response


def _state(giver: Giver, upload_id: int) -> Response:
    row = begun(giver, upload_id)
    if request.method == "HEAD":
        return _with_state(Response(status=200), row, arrived(row))
    found = shown(giver, row, finish(giver, row))
    return _with_state(jsonify(found.model_dump()), row, found.offset)


def _piece(giver: Giver, upload_id: int) -> Response:
    row = begun(giver, upload_id)
    came = take_piece(giver, row, _number("Upload-Offset"), cast(Any, request.stream))
    return _with_state(Response(status=204), row, came)


def _forget(giver: Giver, upload_id: int) -> str:
    forget(giver, begun(giver, upload_id))
    return ""
