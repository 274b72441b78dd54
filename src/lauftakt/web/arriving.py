"""Files on their way: announced, put together from their pieces, and handed in once, when they are whole."""

import fcntl
import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import IO

from flask import current_app
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session
from werkzeug.exceptions import RequestTimeout

from lauftakt import settings
from lauftakt.store.database import AHEAD, mine, mine_by_id, now
from lauftakt.store.models import HandIn, Team, Upload
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Kind, Viewer
from lauftakt.work import room
from lauftakt.work.intake import ENDINGS, Giver, clean_name, take_in
from lauftakt.work.queue import send

BLOCK = 1 << 18
# What was begun and does not go on is forgotten; so long, too, somebody can ask what became of a file that is whole.
KEPT = timedelta(days=2)
# What did not go on for so long is on its way no more, and keeps nobody from sending others.
GOING = timedelta(hours=1)


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


def announce(giver: Giver, name: str, size: int, modified: str) -> Upload:
    """The row of a file that will come; that of the same file where its giver had begun it before.

    Raises
    ------
    Problem
        where it is too large, of no use, or there is too much on its way already.
    """
    most = settings_of_app().upload_mb * 1_000_000
    if size > most:
        told = f"The file has {size / 1e6:,.0f} MB; the limit set here is {most / 1e6:,.0f} MB."
        raise Problem(413, "file-large", told)
    if size == 0:
        raise Problem(422, "file-empty", "The file is empty.")
    name = clean_name(name)
    check_kind(name)
    settings_of_app().inbox.mkdir(parents=True, exist_ok=True)
    digest = hashlib.sha256(f"{name}\n{size}\n{modified}\n{giver.driver_name or ''}".encode()).hexdigest()
    with database().begin() as session:
        # One announcement of a team at a time, so that all of them together keep to the limits.
        session.execute(select(Team.id).where(Team.id == giver.team_id).with_for_update())
        _clean_up(session, giver.team_id)
        own = mine(Upload, giver.team_id).where(Upload.giver == giver.key)
        row = session.scalar(own.where(Upload.key == digest))
        if row is None:
            _check_quota(session, giver, size)
            room.need(settings_of_app().var, size)
            row = Upload(
                team_id=giver.team_id,
                giver=giver.key,
                key=digest,
                file_name=name,
                size=size,
                driver_name=giver.driver_name,
                account_id=giver.account_id,
                link_id=giver.link_id,
                created_at=now(),
                touched_at=now(),
            )
            session.add(row)
        row.touched_at = now()
        session.flush()
        return row


def _check_quota(session: Session, giver: Giver, size: int) -> None:
    """Refuse for now what would be more than may be on its way at once, of one giver or of a team."""
    going = mine(Upload, giver.team_id).where(
        Upload.hand_in_id.is_(None), Upload.touched_at.between(now() - GOING, now() + AHEAD)
    )
    for whose, query in (("you", going.where(Upload.giver == giver.key)), ("your team", going)):
        files, megabytes = settings.open_uploads("giver" if whose == "you" else "team")
        open_ones = query.subquery()
        count, total = session.execute(select(func.count(), func.coalesce(func.sum(open_ones.c.size), 0))).one()
        if count >= files or int(total) + size > megabytes * 1_000_000:
            raise Problem(
                429,
                "too-many-open",
                f"{count} files of {whose} ({int(total) / 1e6:,.0f} MB) are on their way; more are taken when these "
                "have come or were given up.",
            )


def begun(giver: Giver, upload_id: int) -> Upload:
    """The row of a giver's own upload."""
    with database().begin() as session:
        row = mine_by_id(session, Upload, giver.team_id, upload_id)
        if row.giver != giver.key:
            raise Problem(404, "not-found", "This does not exist, or does not belong to your team.")
        return row


def arrived(row: Upload) -> int:
    """How many bytes of a file have come."""
    if row.hand_in_id is not None:
        return row.size
    try:
        return part_path(row.id).stat().st_size
    except FileNotFoundError:
        return 0


@contextmanager
def _alone(row: Upload) -> Iterator[IO[bytes]]:
    """The file of an upload, open for more, for one request at a time."""
    with part_path(row.id).open("ab") as target:
        try:
            fcntl.flock(target, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise Problem(423, "busy", "Another piece of this file is just arriving.") from error
        yield target


def take_piece(giver: Giver, row: Upload, offset: int, stream: IO[bytes]) -> int:
    """Append a piece; returns how much has come. With the last one the file is handed in.

    Raises
    ------
    Problem
    lauftakt.work.room.NoRoom
    """
    if row.hand_in_id is not None:
        if offset != row.size:
            raise _elsewhere(row.size)
        return row.size
    with _alone(row) as target:
        came = target.tell()
        if came != offset:
            # Not an error of the person's: the client asks how much came and goes on from there.
            raise _elsewhere(came)
        try:
            while came < row.size and (block := stream.read(min(BLOCK, row.size - came))):
                room.need(settings_of_app().var)
                target.write(block)
                came += len(block)
        except RequestTimeout:
            target.flush()  # what came of it is kept
            raise
        target.flush()
        if came == row.size and stream.read(1):
            part_path(row.id).unlink(missing_ok=True)
            raise Problem(413, "file-size", "More bytes came than were announced. Hand the file in again.")
        with database().begin() as session:
            mine_by_id(session, Upload, giver.team_id, row.id).touched_at = now()
        if came == row.size:
            _hand_in(giver, row)
        return came


def _elsewhere(came: int) -> Problem:
    return Problem(409, "offset", f"The file continues at byte {came}.")


def finish(giver: Giver, row: Upload) -> int | None:
    """The hand-in of a file that is whole; made now where it could not be made when its last byte came. None where more
    is to come."""
    if row.hand_in_id is not None:
        return row.hand_in_id
    if arrived(row) < row.size:
        return None
    with _alone(row):
        return _hand_in(giver, row)


def _hand_in(giver: Giver, row: Upload) -> int:
    """Hand a whole file in, once: the hand-in and the word of it are committed together."""
    with database().begin() as session:
        done = mine_by_id(session, Upload, giver.team_id, row.id).hand_in_id
    if done is not None:
        return done

    def tell(session: Session, made: HandIn) -> None:
        own = mine_by_id(session, Upload, giver.team_id, row.id)
        # Whoever hands the same file in again means it.
        own.hand_in_id, own.key = made.id, f"done {own.id}"

    whose = giver if giver.driver_id is not None else Giver(**{**giver.__dict__, "driver_name": row.driver_name})
    inbox = settings_of_app().inbox
    hand_in_id, job_id = take_in(database(), inbox, whose, row.file_name, part_path(row.id), move=True, then=tell)
    send([job_id])
    return hand_in_id


def shown(giver: Giver, row: Upload, hand_in_id: int | None) -> schemas.UploadOut:
    """How far a file is, and what became of it."""
    found = None
    if hand_in_id is not None:
        kind: Kind = "coach" if giver.link_id is None else "link"
        viewer = Viewer(kind, giver.team_id, driver_id=giver.driver_id, link_id=giver.link_id)
        with database().begin() as session:
            found = show.hand_in(session, viewer, mine_by_id(session, HandIn, giver.team_id, hand_in_id))
    came = row.size if hand_in_id is not None else arrived(row)
    return schemas.UploadOut(id=row.id, size=row.size, offset=came, hand_in=found)


def forget(giver: Giver, row: Upload) -> None:
    """Give up what has come of a file."""
    with database().begin() as session:
        session.execute(delete(Upload).where(Upload.team_id == giver.team_id, Upload.id == row.id))
    part_path(row.id).unlink(missing_ok=True)


def _clean_up(session: Session, team_id: int) -> None:
    """Forget what was begun long ago and never went on, and what was whole long ago."""
    old = session.scalars(mine(Upload, team_id).where(Upload.touched_at < now() - KEPT).limit(400)).all()
    for row in old:
        part_path(row.id).unlink(missing_ok=True)
        session.delete(row)
    if old:
        current_app.logger.info("%d uploads were forgotten", len(old))
