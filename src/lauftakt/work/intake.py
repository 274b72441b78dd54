"""Takes files in, whichever way they come: a row, bytes in the inbox, a job."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.orm import Session

from lauftakt.core.log.text import one_line, printable
from lauftakt.store.database import Database, mine, now
from lauftakt.store.models import Driver, HandIn
from lauftakt.work.inbox import inbox_path
from lauftakt.work.jobs import add_job
from lauftakt.work.keeping import put_beside
from lauftakt.work.sources import sha256_of

LOG_ENDINGS = (
    ".csv", ".txt", ".tsv", ".asc", ".log", ".dat", ".gpx", ".kml", ".nmea", ".nma", ".mf4", ".mdf", ".parquet",
    ".arrow", ".feather", ".ipc", ".xlsx", ".ods", ".zip", ".geojson", ".json", ".jsonl", ".ndjson", ".gz", ".zst",
    ".bz2", ".xz",
)  # fmt: skip
# Videos may carry channels. They are taken from whoever gives one, not looked for: most of them carry none.
ENDINGS = (*LOG_ENDINGS, ".mp4", ".m4v", ".mov", ".webm", ".mkv")


@dataclass(frozen=True)
class Giver:
    """Who hands in, and by which way.

    ``source`` is ``browser``, ``link``, ``folder``, ``logger``, ``stream``, ``shell`` or ``archive``; ``origin`` says
    more of it where there is more to say.
    """

    team_id: int
    source: str
    driver_id: int | None = None
    driver_name: str | None = None
    account_id: int | None = None
    link_id: int | None = None
    parent_id: int | None = None
    origin: str | None = None

    @property
    def key(self) -> str:
        """Tells givers apart whose unfinished uploads must not meet."""
        return f"link {self.link_id}" if self.link_id is not None else f"account {self.account_id}"


def clean_name(given: str | None) -> str:
    """A file's name without its folders and without what cannot be printed, at most 300 characters."""
    name = (given or "").replace("\\", "/").rstrip("/").rsplit("/", 1)[-1]
    name = printable(name).strip()
    if len(name) > 300:
        ending = Path(name).suffix[:12]
        name = name[: 300 - len(ending)] + ending
    return name or "log"


def take_in(
    database: Database,
    inbox: Path,
    giver: Giver,
    file_name: str,
    path: Path,
    *,
    move: bool,
    then: Callable[[Session, HandIn], None] | None = None,
) -> tuple[int, int]:
    """Put one file's bytes into the inbox and make its hand-in and job; returns their ids. The job is not sent yet.

    Parameters
    ----------
    database, inbox : where to
    giver : whose
    file_name : as the person calls it
    path : the bytes
    move : whether they may be moved instead of copied; where something fails they are still where they were
    then : does more in the same transaction
    """
    inbox.mkdir(parents=True, exist_ok=True)
    digest = sha256_of(path)
    # Where this fails, the bytes stay in the inbox, too: whoever's connection broke in the middle of a commit does not
    # know whether it was one. What belongs to no row is cleared away later.
    with database.begin() as session:
        row = add_hand_in(session, giver, clean_name(file_name), path.stat().st_size, digest)
        if then is not None:
            then(session, row)
        put_beside(path, inbox_path(inbox, row.id), same_disk=move)
        made = row.id, job_of(row)
    if move:
        path.unlink(missing_ok=True)
    return made


def add_hand_in(session: Session, giver: Giver, file_name: str, size: int, digest: str) -> HandIn:
    """The rows of a hand-in whose bytes are put into the inbox by the caller in the same transaction."""
    typed = one_line(giver.driver_name or "", 200) or None
    driver_id = giver.driver_id
    if driver_id is None and typed:
        # A new name becomes a driver together with the run: a file that is refused leaves no name behind.
        known = session.scalar(mine(Driver, giver.team_id).where(Driver.name == typed))
        driver_id = known.id if known else None
    row = HandIn(
        team_id=giver.team_id,
        file_name=file_name,
        size=size,
        sha256=digest,
        source=giver.source,
        origin=giver.origin[:500] if giver.origin else None,
        driver_id=driver_id,
        driver_name=typed,
        account_id=giver.account_id,
        link_id=giver.link_id,
        parent_id=giver.parent_id,
        created_at=now(),
    )
    session.add(row)
    session.flush()
    row.job = add_job(session, giver.team_id, "import", ("hand_in", row.id), account_id=giver.account_id)
    row.job_id = row.job.id
    session.flush()
    return row


def job_of(row: HandIn) -> int:
    """The id of a hand-in's latest job; every hand-in has one from the beginning."""
    assert row.job_id is not None
    return row.job_id
