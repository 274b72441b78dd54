"""Does one job: claims it, works, and tells how it ended."""

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from sqlalchemy.exc import DBAPIError

from lauftakt import settings
from lauftakt.core.log.model import Unusable
from lauftakt.formats.reading import kind_of
from lauftakt.store.damage import Damaged
from lauftakt.store.database import Database, mine_by_id
from lauftakt.store.models import HandIn
from lauftakt.store.removing import long_removed, purge_row
from lauftakt.store.season import to_be_followed
from lauftakt.work import comparing, following, jobs, open_jobs, room
from lauftakt.work.exporting import export
from lauftakt.work.fetching import NoAnswer, address_of, fetch
from lauftakt.work.importing import import_file
from lauftakt.work.inbox import discard, inbox_path
from lauftakt.work.limits import TookTooLong, time_limit
from lauftakt.work.mending import put_aside
from lauftakt.work.relining import reline
from lauftakt.work.renewing import renew_run
from lauftakt.work.sealing import seal_team
from lauftakt.work.sources import Cancelled, Report, Source, sha256_of
from lauftakt.work.unpacking import unpack

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Doing:
    """What a kind of work is given."""

    database: Database
    inbox: Path
    exports: Path
    ours: jobs.Claim
    report: Report


@dataclass(frozen=True)
class Done:
    """What it gives: jobs that follow from it, and what whoever asked is told."""

    more: list[int] = field(default_factory=list)
    result: dict[str, Any] = field(default_factory=dict)


def _import(doing: Doing) -> Done:
    """Import the file of a hand-in; the jobs of the files that an archive held follow."""
    database, inbox, ours = doing.database, doing.inbox, doing.ours
    with database.begin() as session:
        row = mine_by_id(session, HandIn, ours.team_id, ours.subject_id)
    path = inbox_path(inbox, row.id)
    if not path.exists() and row.origin and row.source == "logger":
        _fetch(doing, row, path)
    if not path.exists():
        raise Unusable("file-lost", "The file is no longer in the inbox. Hand it in again.")
    room.need(inbox.parent, room.TIMES_A_FILE * path.stat().st_size)
    source = Source(path, row.file_name, ours.team_id, row.id, ours, bool(ours.payload.get("turned")))
    if kind_of(path) == "zip":
        return Done(unpack(database, source, inbox, doing.report))
    import_file(database, source, doing.report)
    return Done()


def _fetch(doing: Doing, hand_in: HandIn, path: Path) -> None:
    """Bring a logger's run into the inbox."""
    found = settings.load()
    name, _, key = (hand_in.origin or "").partition("\n")
    try:
        with doing.database.begin() as session:
            address = address_of(session, found, hand_in.team_id, name)
    except NoAnswer as error:
        raise Unusable("logger", str(error)) from error
    path.parent.mkdir(parents=True, exist_ok=True)
    listing = fetch(address, key, path, found.upload_mb * 1_000_000, doing.report)
    with doing.database.begin() as session:
        row = mine_by_id(session, HandIn, hand_in.team_id, hand_in.id)
        row.sha256, row.size, row.clock_off_s = sha256_of(path), path.stat().st_size, listing.clock_off_s


def _renew(doing: Doing) -> Done:
    doing.report(0.2, "recognising")
    renew_run(doing.database, doing.ours.team_id, doing.ours.subject_id, doing.ours)
    return Done()


def _reline(doing: Doing) -> Done:
    return Done(result=reline(doing.database, doing.ours, doing.report))


def _export(doing: Doing) -> Done:
    return Done(result=export(doing.database, doing.exports, doing.ours, doing.report))


def _compare(doing: Doing) -> Done:
    doing.report(0.2, "comparing")
    comparing.compare_day(doing.database, doing.ours.team_id, doing.ours.subject_id)
    # What a new run did to paces and cues is followed, so that nobody has to wait for it later.
    with doing.database.begin() as session:
        team = doing.ours.team_id
        wanted, _ = following.want_following(session, team, *to_be_followed(session, team))
    return Done([] if wanted is None else [wanted])


def _follow(doing: Doing) -> Done:
    following.follow(doing.database, doing.ours, doing.report)
    return Done()


def _remove(doing: Doing) -> Done:
    """Delete for good what was removed so long ago that nobody brings it back any more."""
    gone = 0
    with doing.database.begin() as session:
        rows = [(kind, row) for team, kind, row in long_removed(session) if team == doing.ours.team_id]
    for number, (kind, row) in enumerate(rows):
        doing.report(number / len(rows), "removing")
        # Each by itself: a run's samples are many, and nothing is locked for long.
        with doing.database.begin() as session:
            gone += purge_row(session, kind, row)
    return Done(result={"gone": gone})


def _seal(doing: Doing) -> Done:
    return Done(seal_team(doing.database, doing.ours, doing.report))


def _demo(doing: Doing) -> Done:
    from lauftakt.work.demo_school import fill_demo_school

    return Done(fill_demo_school(doing.database, doing.inbox, doing.ours, doing.report))


# Every kind of work that workers do.
KINDS: dict[str, Callable[[Doing], Done]] = {
    "import": _import, "renew": _renew, "reline": _reline, "export": _export, "compare": _compare, "follow": _follow,
    "remove": _remove, "seal": _seal, "demo": _demo,
}  # fmt: skip
# What gives room rather than taking it goes on with a full disk.
GIVES_ROOM = frozenset({"remove"})


def work_on(
    database: Database, inbox: Path, job_id: int, *, retry: bool = True, exports: Path | None = None
) -> list[int]:
    """Do one job in this process.

    Parameters
    ----------
    database, inbox, exports : where
    job_id : which; nothing happens where somebody else has it, or it is finished
    retry : leave it to the sweep where it fails for a reason of our own

    Returns
    -------
    Ids of jobs that follow from it and are to be sent.
    """
    ours = jobs.claim(database, job_id)
    if ours is None:
        _forget_file(database, inbox, job_id)
        return []
    until = time.monotonic() + settings.import_seconds()
    var = inbox.parent

    def report(share: float, step: str) -> None:
        if jobs.progress(database, ours, share, step):
            raise Cancelled
        if time.monotonic() > until:
            raise Unusable("too-long", _too_long())
        if ours.kind not in GIVES_ROOM:
            room.need(var)

    done = Done()
    try:
        with time_limit(settings.import_seconds() * 1.1 + 1) as interrupt:

            def gone(how: Literal["lost", "cancelled"]) -> None:
                taken = jobs.Lost(f"Job {job_id} was taken by another worker.")
                interrupt(Cancelled() if how == "cancelled" else taken)

            with jobs.heartbeat(database, ours, gone):
                if ours.kind not in GIVES_ROOM:
                    room.need(var)
                done = KINDS[ours.kind](Doing(database, inbox, exports or var / "exports", ours, report))
        jobs.finish(database, ours, "done", result=done.result)
    except jobs.Lost:
        log.warning("Job %s was taken by another worker; nothing of this try was stored.", job_id)
        return []
    except Exception as error:
        if isinstance(error, Damaged):
            again = put_aside(database, error).jobs
            _ended(database, ours, error, retry=False)
            return again
        if not _ended(database, ours, error, retry=retry):
            return []
    _forget_file(database, inbox, job_id)
    return done.more


def _forget_file(database: Database, inbox: Path, job_id: int) -> None:
    """Delete the bytes of a hand-in from the inbox once its fate is settled."""
    settled = open_jobs.settled_file(database, job_id)
    if settled is not None:
        discard(database, inbox_path(inbox, settled))


def _ended(database: Database, ours: jobs.Claim, error: Exception, *, retry: bool) -> bool:
    """Tell how a job ended that did not end well; False where it will be tried again, or belongs to somebody else.

    Raises
    ------
    Exception
        the error itself, where it is to be tried again: the lease runs out, and the sweep puts the job back.
    """
    try:
        if room.is_full(error):
            log.warning("Job %s waits for room on the disk.", ours.job_id)
            jobs.put_off(database, ours, "disk")
            return False
        state, code, message = _told(error)
        if state == "failed":
            log.exception("Job %s failed", ours.job_id, exc_info=error)
            if retry and (ours.attempts < jobs.MOST_ATTEMPTS or _is_away(error)):
                raise error
        jobs.finish(database, ours, state, code, message)
        return state != "failed"
    except jobs.Lost:
        return False


def _is_away(error: Exception) -> bool:
    return isinstance(error, DBAPIError) and error.connection_invalidated


def _told(error: Exception) -> tuple[str, str, str]:
    """State, code and sentence for what ended a job."""
    if isinstance(error, Unusable):
        return "refused", error.code, str(error)
    if isinstance(error, Damaged):
        return "failed", "damaged", f"{error} It is being made anew where that can be done; try this again then."
    if isinstance(error, Cancelled):
        return "cancelled", "cancelled", "Cancelled; nothing of it was stored."
    if isinstance(error, TookTooLong):
        return "refused", "too-long", _too_long()
    if isinstance(error, MemoryError):
        return "refused", "too-large", "The file needs more memory than one import may take."
    return "failed", "internal", "The work failed for a reason of our own; the file was kept and can be tried again."


def _too_long() -> str:
    return f"The work took longer than {settings.import_seconds():.0f} s, the limit set here; hand it in as parts."
