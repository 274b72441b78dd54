"""Zip archives: every file of use becomes a hand-in of its own; nothing is written where the archive says."""

import stat
import tempfile
import zipfile
from pathlib import Path, PurePosixPath

from lauftakt import settings
from lauftakt.core.log.model import Unusable
from lauftakt.store.database import Database, mine, mine_by_id
from lauftakt.store.models import HandIn
from lauftakt.work.inbox import inbox_path
from lauftakt.work.intake import ENDINGS, Giver, add_hand_in, clean_name, job_of
from lauftakt.work.jobs import hold
from lauftakt.work.keeping import put_beside
from lauftakt.work.room import need
from lauftakt.work.sources import Report, Source, sha256_of

MOST_FILES = 500
BLOCK = 1 << 20
# What can be trusted to shrink to a hundredth is no log: figures compress to a tenth.
MOST_RATIO = 200


def unpack(database: Database, source: Source, inbox: Path, report: Report) -> list[int]:
    """Take the files out of an archive; returns the ids of the jobs that import them.

    Parameters
    ----------
    database, inbox : where to
    source : the archive
    report : see :func:`lauftakt.work.importing.import_file`

    Raises
    ------
    Unusable
        ``archive``, ``archive-size``, ``archive-locked``: nothing of it was taken.
    """
    report(0.05, "unpacking")
    left_out: list[str] = []
    try:
        with zipfile.ZipFile(source.path) as archive, tempfile.TemporaryDirectory(dir=inbox) as folder:
            members = _members(archive, left_out, ENDINGS)
            _announced(inbox.parent, members)
            taken: list[tuple[str, Path]] = []
            room = settings.archive_megabytes() * 1_000_000
            for number, member in enumerate(members):
                path = Path(folder) / str(number)
                room -= _extract(archive, member, path, room)
                taken.append((clean_name(member.filename), path))
                report(0.05 + 0.7 * (number + 1) / len(members), "unpacking")
            report(0.8, "storing")
            # What is put into the inbox stays there where this fails: see take_in.
            with database.begin() as session:
                if source.claim is not None:
                    hold(session, source.claim)
                own = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
                # A try that was killed after this transaction has nothing left to do.
                done = session.scalars(mine(HandIn, source.team_id).where(HandIn.parent_id == own.id)).all()
                if done:
                    return [job_of(item) for item in done]
                giver = Giver(
                    team_id=own.team_id,
                    source=own.source,
                    driver_id=own.driver_id,
                    driver_name=own.driver_name,
                    account_id=own.account_id,
                    link_id=own.link_id,
                    parent_id=own.id,
                    origin=own.file_name,
                )
                jobs = []
                for name, path in taken:
                    row = add_hand_in(session, giver, name, path.stat().st_size, sha256_of(path))
                    put_beside(path, inbox_path(inbox, row.id), same_disk=True)
                    jobs.append(job_of(row))
                own.state, own.code = "taken", "archive"
                own.message = _sentence(len(taken), left_out)
            return jobs
    except (zipfile.BadZipFile, zipfile.LargeZipFile, EOFError, NotImplementedError, ValueError) as error:
        raise Unusable(
            "archive", "The archive is damaged or written in a way that cannot be read; zip it again."
        ) from error


def _members(archive: zipfile.ZipFile, left_out: list[str], endings: tuple[str, ...]) -> list[zipfile.ZipInfo]:
    found = []
    for member in archive.infolist():
        path = PurePosixPath(member.filename.replace("\\", "/"))
        if member.is_dir() or "__MACOSX" in path.parts or path.name.startswith("."):
            continue
        if member.flag_bits & 1:
            raise Unusable("archive-locked", "The archive is locked with a password; zip the files without one.")
        kind = (member.external_attr >> 16) & 0o170000
        if kind and not stat.S_ISREG(kind):
            left_out.append(path.name)  # links and devices
        elif path.suffix.lower() not in endings or path.suffix.lower() == ".zip":
            left_out.append(path.name)
        else:
            found.append(member)
    if len(found) > MOST_FILES:
        raise Unusable(
            "archive-size", f"The archive holds {len(found)} files; at most {MOST_FILES} can be taken at once."
        )
    if not found:
        raise Unusable("archive", "The archive holds no file that could be a log.")
    return found


def _announced(var: Path, members: list[zipfile.ZipInfo]) -> None:
    """Refuse at once what would not be taken whole, by what the archive announces; what really comes is counted, too.

    Raises
    ------
    Unusable
    lauftakt.work.room.NoRoom
    """
    whole = sum(member.file_size for member in members)
    if whole > settings.archive_megabytes() * 1_000_000:
        raise _too_large()
    need(var, whole)


def _too_large() -> Unusable:
    return Unusable(
        "archive-size", f"The archive unpacks to more than {settings.archive_megabytes()} MB, the limit set here."
    )


def _extract(archive: zipfile.ZipFile, member: zipfile.ZipInfo, path: Path, room: int) -> int:
    """Write one member, counting the bytes that really come, whatever the archive announces."""
    written = 0
    with archive.open(member) as given, path.open("wb") as target:
        while block := given.read(BLOCK):
            written += len(block)
            if written > room:
                raise _too_large()
            if written > 10 * BLOCK and written > MOST_RATIO * max(member.compress_size, 1):
                raise Unusable("archive-size", "The archive unpacks to far more than any log would; it was not taken.")
            target.write(block)
    return written


def _sentence(taken: int, left_out: list[str]) -> str:
    told = f"{taken} {'file was' if taken == 1 else 'files were'} taken out of the archive."
    if left_out:
        some = ", ".join(f"“{name[:40]}”" for name in left_out[:3])
        told += f" Left out: {some}{f' and {len(left_out) - 3} more' if len(left_out) > 3 else ''}."
    return told
