"""Files on their way in pieces: announced, sent piece by piece, taken up again after a broken connection."""

import errno
import fcntl
import hashlib
from datetime import timedelta
from pathlib import Path

from apiflask import APIBlueprint
from flask import current_app, request
from sqlalchemy import delete
from sqlalchemy.exc import IntegrityError

from lauftakt.store.database import Database, mine, mine_by_id, now
from lauftakt.store.models import HandIn, Upload
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.givers import by_link, myself, settings_of_app
from lauftakt.web.limits import limiter
from lauftakt.web.policy import Kind, Viewer
from lauftakt.work.intake import ENDINGS, Giver, clean_name, take_in
from lauftakt.work.queue import send

blueprint = APIBlueprint("uploads", __name__, tag="Hand-in")

BLOCK = 1 << 18
KEPT = timedelta(days=2)
MOST_OPEN = 400


@blueprint.post("/uploads")
@only("hand-in")
@blueprint.input(schemas.UploadBegin)
@blueprint.output(schemas.UploadOut, status_code=201)
def begin_upload(viewer: Viewer, json_data: schemas.UploadBegin) -> schemas.UploadOut:
    """Announce a file; where the same one was begun before, the answer says from which byte to go on."""
    return _begin(myself(viewer, json_data.driver), json_data)


@blueprint.get("/uploads/<int:upload_id>")
@only("hand-in")
@blueprint.output(schemas.UploadOut)
def get_upload(viewer: Viewer, upload_id: int) -> schemas.UploadOut:
    """How much of a file has arrived."""
    return _state(myself(viewer), upload_id)


@blueprint.patch("/uploads/<int:upload_id>")
@only("hand-in")
@blueprint.output(schemas.UploadOut)
def send_piece(viewer: Viewer, upload_id: int) -> schemas.UploadOut:
    """The next piece, as the request's body; ``Upload-Offset`` says from which byte. The last one starts the import."""
    return _piece(myself(viewer), upload_id)


@blueprint.delete("/uploads/<int:upload_id>")
@only("hand-in")
@blueprint.output({}, status_code=204)
def give_up(viewer: Viewer, upload_id: int) -> str:
    """Forget a file that was begun."""
    return _forget(myself(viewer), upload_id)


@blueprint.post("/link/<token>/uploads")
@limiter.limit("600 per minute")
@blueprint.input(schemas.UploadBegin)
@blueprint.output(schemas.UploadOut, status_code=201)
def begin_upload_by_link(token: str, json_data: schemas.UploadBegin) -> schemas.UploadOut:
    """Announce a file by a personal link."""
    return _begin(by_link(token), json_data)


@blueprint.get("/link/<token>/uploads/<int:upload_id>")
@blueprint.output(schemas.UploadOut)
def get_upload_by_link(token: str, upload_id: int) -> schemas.UploadOut:
    """How much of a file has arrived."""
    return _state(by_link(token), upload_id)


@blueprint.patch("/link/<token>/uploads/<int:upload_id>")
@blueprint.output(schemas.UploadOut)
def send_piece_by_link(token: str, upload_id: int) -> schemas.UploadOut:
    """The next piece of a file that is sent by a personal link."""
    return _piece(by_link(token), upload_id)


@blueprint.delete("/link/<token>/uploads/<int:upload_id>")
@blueprint.output({}, status_code=204)
def give_up_by_link(token: str, upload_id: int) -> str:
    """Forget a file that was begun by a personal link."""
    return _forget(by_link(token), upload_id)


def part_path(upload_id: int) -> Path:
    """Where the pieces of an upload are put together."""
    return settings_of_app().inbox / f"{upload_id}.upload"


def check_kind(name: str) -> None:
    """Refuse at once what no reader would take.

    Raises
    ------
    Problem
        415
    """
    if Path(name).suffix.lower() not in ENDINGS:
        raise Problem(
            415,
            "file-kind",
            "This kind of file cannot be read. Hand in a log as CSV, GPX, MDF 4, Parquet or Arrow, a zip archive of "
            "logs, or a layout as GeoJSON.",
        )


def _begin(giver: Giver, asked: schemas.UploadBegin) -> schemas.UploadOut:
    most = settings_of_app().upload_mb * 1_000_000
    if asked.size > most:
        raise Problem(
            413, "file-large", f"The file has {asked.size / 1e6:,.0f} MB; the limit set here is {most / 1e6:,.0f} MB."
        )
    if asked.size == 0:
        raise Problem(422, "file-empty", "The file is empty.")
    name = clean_name(asked.name)
    check_kind(name)
    digest = hashlib.sha256(f"{name}\n{asked.size}\n{asked.modified}\n{giver.driver_name or ''}".encode()).hexdigest()
    settings_of_app().inbox.mkdir(parents=True, exist_ok=True)
    _clean_up(database(), giver.team_id)
    try:
        with database().begin() as session:
            row = session.scalar(mine(Upload, giver.team_id).where(Upload.giver == giver.key, Upload.key == digest))
            if row is None:
                row = Upload(
                    team_id=giver.team_id,
                    giver=giver.key,
                    key=digest,
                    file_name=name,
                    size=asked.size,
                    driver_name=giver.driver_name,
                    account_id=giver.account_id,
                    link_id=giver.link_id,
                    created_at=now(),
                    touched_at=now(),
                )
                session.add(row)
            row.touched_at = now()
            session.flush()
            return _out(row)
    except IntegrityError as error:
        raise Problem(409, "busy", "The same file is being announced twice at this moment. Try again.") from error


def _mine(giver: Giver, upload_id: int) -> Upload:
    with database().begin() as session:
        row = mine_by_id(session, Upload, giver.team_id, upload_id)
        if row.giver != giver.key:
            raise Problem(404, "not-found", "This does not exist, or does not belong to your team.")
        return row


def _state(giver: Giver, upload_id: int) -> schemas.UploadOut:
    return _out(_mine(giver, upload_id))


def _out(row: Upload, hand_in: schemas.HandInOut | None = None) -> schemas.UploadOut:
    path = part_path(row.id)
    arrived = row.size if hand_in is not None else (path.stat().st_size if path.exists() else 0)
    return schemas.UploadOut(id=row.id, size=row.size, offset=arrived, hand_in=hand_in)


def _piece(giver: Giver, upload_id: int) -> schemas.UploadOut:
    row = _mine(giver, upload_id)
    try:
        offset = int(request.headers.get("Upload-Offset", ""))
    except ValueError as error:
        raise Problem(422, "invalid", "Not understood: Upload-Offset.") from error
    path = part_path(row.id)
    try:
        with path.open("ab") as target:
            try:
                fcntl.flock(target, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError as error:
                raise Problem(409, "busy", "Another piece of this file is just arriving.") from error
            arrived = target.tell()
            if arrived != offset:
                # Not an error of the person's: the client asks how much arrived and goes on from there.
                raise Problem(409, "offset", f"The file continues at byte {arrived}.")
            while arrived < row.size and (block := request.stream.read(min(BLOCK, row.size - arrived))):
                target.write(block)
                arrived += len(block)
            target.flush()
            if arrived < row.size:
                with database().begin() as session:
                    mine_by_id(session, Upload, giver.team_id, row.id).touched_at = now()
                return _out(row)
            if request.stream.read(1):
                path.unlink(missing_ok=True)
                raise Problem(422, "file-size", "More bytes came than were announced. Hand the file in again.")
            return _finish(giver, row, path)
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EACCES):
            raise _disk() from error
        raise


def _disk() -> Problem:
    return Problem(
        507,
        "disk",
        "The file could not be kept: the disk of the machine that runs Lauftakt is full or not writable. "
        "Nothing was lost; try again when there is room.",
    )


def _finish(giver: Giver, row: Upload, path: Path) -> schemas.UploadOut:
    hand_in_id, job_id = take_in(
        database(), settings_of_app().inbox, giver_with(giver, row.driver_name), row.file_name, path, move=True
    )
    with database().begin() as session:
        session.execute(delete(Upload).where(Upload.team_id == giver.team_id, Upload.id == row.id))
    send([job_id])
    with database().begin() as session:
        kind: Kind = "coach" if giver.link_id is None else "link"
        viewer = Viewer(kind, giver.team_id, driver_id=giver.driver_id, link_id=giver.link_id)
        return _out(row, show.hand_in(session, viewer, mine_by_id(session, HandIn, giver.team_id, hand_in_id)))


def giver_with(giver: Giver, driver_name: str | None) -> Giver:
    """The giver with the driver's name that was typed when the file was announced."""
    return giver if giver.driver_id is not None else Giver(**{**giver.__dict__, "driver_name": driver_name})


def _forget(giver: Giver, upload_id: int) -> str:
    row = _mine(giver, upload_id)
    with database().begin() as session:
        session.execute(delete(Upload).where(Upload.team_id == giver.team_id, Upload.id == row.id))
    part_path(row.id).unlink(missing_ok=True)
    return ""


def _clean_up(store: Database, team_id: int) -> None:
    """Forget what was begun long ago and never went on."""
    with store.begin() as session:
        old = session.scalars(mine(Upload, team_id).where(Upload.touched_at < now() - KEPT).limit(MOST_OPEN)).all()
        for row in old:
            part_path(row.id).unlink(missing_ok=True)
            session.delete(row)
    if old:
        current_app.logger.info("%d unfinished uploads were forgotten", len(old))
