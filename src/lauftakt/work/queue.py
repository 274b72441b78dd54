"""Celery: carries the ids of jobs to workers; the job table is the truth."""

import logging
import resource
import threading
import time
from datetime import timedelta
from functools import cache
from pathlib import Path
from typing import Any

from celery import Celery
from celery.signals import worker_process_init, worker_ready, worker_shutting_down
from kombu.transport.sqlalchemy import Transport as SqlTransport
from sqlalchemy import inspect, select, text

from lauftakt import settings
from lauftakt.core.log.model import Unusable
from lauftakt.formats.reading import kind_of
from lauftakt.store.analyses import forget_replaced
from lauftakt.store.database import Database, mine_by_id, now
from lauftakt.store.models import HandIn
from lauftakt.store.removing import purge
from lauftakt.store.season import to_be_followed
from lauftakt.store.sign_ins import forget_sign_ins
from lauftakt.work import comparing, following, jobs
from lauftakt.work.exporting import export, forget_exports
from lauftakt.work.fetching import NoAnswer, address_of, fetch
from lauftakt.work.importing import import_file
from lauftakt.work.limits import TookTooLong, time_limit
from lauftakt.work.relining import reline
from lauftakt.work.renewing import renew_run
from lauftakt.work.sources import Cancelled, Report, Source, inbox_path, sha256_of
from lauftakt.work.unpacking import unpack

log = logging.getLogger(__name__)

SWEEP_S = 5.0
TIDY_S = 600.0
# So long a file that was taken off the list can be put back.
KEPT_OFF_THE_LIST = timedelta(days=1)

# The transport would hand an option of this name on to the database's engine, which refuses it.
SqlTransport.polling_interval = 0.2

app = Celery("lauftakt")


@app.on_configure.connect
def _configure(sender: Celery, **_: Any) -> None:
    found = settings.load()
    sender.conf.update(
        broker_url=found.broker_url,
        task_ignore_result=True,
        task_acks_late=False,
        worker_prefetch_multiplier=1,
        broker_connection_retry_on_startup=True,
        worker_hijack_root_logger=False,
        task_default_queue="lauftakt",
    )


@cache
def _database() -> Database:
    return Database(settings.load().database_url)


@cache
def _sender() -> Database:
    """The connection over which is noted what was sent; never crosses a fork."""
    return Database(settings.load().database_url)


@worker_process_init.connect
def _after_fork(**_: Any) -> None:
    _database.cache_clear()
    _sender.cache_clear()
    most = settings.import_megabytes() * 1_000_000
    if most:
        resource.setrlimit(resource.RLIMIT_AS, (most, most))


_stopping = threading.Event()


@worker_ready.connect
def _sweep(**_: Any) -> None:
    def look() -> None:
        database = Database(settings.load().database_url)
        found = settings.load()
        tidied = 0.0
        while not _stopping.wait(SWEEP_S):
            try:
                for job_id in jobs.due(database):
                    run_job.delay(job_id)
                if time.monotonic() - tidied > TIDY_S:
                    tidied = time.monotonic()
                    tidy(database, found.exports, found.inbox)
            except Exception:
                log.exception("The sweep for lost jobs failed and will be tried again.")

    threading.Thread(target=look, daemon=True, name="sweep").start()


@worker_shutting_down.connect
def _stop_sweep(**_: Any) -> None:
    _stopping.set()


def tidy(database: Database, exports: Path, inbox: Path) -> None:
    """Forget what nobody needs any more: what was removed a month ago, replaced analyses, old archives, messages that
    were delivered, and files that could not be placed and were taken off the list."""
    with database.begin() as session:
        forget_replaced(session)
        forget_sign_ins(session)
        purge(session)
        long_gone = HandIn.dismissed_at < now() - KEPT_OFF_THE_LIST
        for hand_in_id in session.scalars(select(HandIn.id).where(HandIn.code.in_(jobs.PLACEABLE), long_gone)):
            inbox_path(inbox, hand_in_id).unlink(missing_ok=True)
    forget_exports(exports)
    with database.engine.begin() as connection:
        if inspect(connection).has_table("kombu_message"):
            # The transport keeps what it delivered; our own table is the truth.
            connection.execute(
                text("DELETE FROM kombu_message WHERE visible = 0 AND timestamp < NOW() - INTERVAL 1 HOUR")
            )


@app.task(name="lauftakt.run_job")
def run_job(job_id: int) -> None:
    """Do the work of a job, if it is still to be done."""
    found = settings.load()
    work_on(_database(), found.inbox, job_id, exports=found.exports)


def send(job_ids: list[int]) -> None:
    """Tell the workers of jobs; where the broker is away the sweep finds them in the table."""
    if not job_ids:
        return
    database = _sender()
    with database.begin() as session:
        jobs.mark_sent(session, job_ids)
    for job_id in job_ids:
        try:
            run_job.delay(job_id)
        except Exception:
            log.exception("Job %s waits for the sweep", job_id)


def work_on(database: Database, inbox: Path, job_id: int, *, retry: bool = True, exports: Path | None = None) -> None:
    """Do one job in this process; ``retry``: leave it to the sweep where it fails for a reason of our own."""
    ours = jobs.claim(database, job_id)
    if ours is None:
        return
    until = time.monotonic() + settings.import_seconds()

    def report(share: float, step: str) -> None:
        if jobs.progress(database, ours, share, step):
            raise Cancelled
        if time.monotonic() > until:
            raise Unusable("too-long", _too_long())

    more: list[int] = []
    result: dict[str, Any] = {}
    try:
        with jobs.heartbeat(database, ours), time_limit(settings.import_seconds() * 1.1 + 1):
            if ours.kind == "renew":
                report(0.2, "recognising")
                renew_run(database, ours.team_id, ours.subject_id, ours)
            elif ours.kind == "demo":
                from lauftakt.work.demo_school import fill_demo_school

                more = fill_demo_school(database, inbox, ours, report)
            elif ours.kind == "reline":
                result = reline(database, ours, report)
            elif ours.kind == comparing.KIND:
                report(0.2, "comparing")
                comparing.compare_day(database, ours.team_id, ours.subject_id)
                more = _following(database, ours.team_id)
            elif ours.kind == following.KIND:
                following.follow(database, ours, report)
            elif ours.kind == "export":
                result = export(database, exports or inbox.parent / "exports", ours, report)
            else:
                more = _import(database, inbox, ours, report)
        jobs.finish(database, ours, "done", result=result)
    except jobs.Lost:
        log.warning("Job %s was taken by another worker; nothing of this try was stored.", job_id)
        return
    except Exception as error:
        state, code, message = _told(error)
        if state == "failed":
            log.exception("Job %s failed", job_id)
            if retry and ours.attempts < jobs.MOST_ATTEMPTS:
                raise  # the lease runs out, the sweep puts it back
        try:
            jobs.finish(database, ours, state, code, message)
        except jobs.Lost:
            return
        if state == "failed":
            return
    if ours.subject == "hand_in" and jobs.is_settled(database, ours.subject_id):
        inbox_path(inbox, ours.subject_id).unlink(missing_ok=True)
    send(more)


def _following(database: Database, team_id: int) -> list[int]:
    """The job that follows what a new run did to paces and cues, so that nobody has to wait for it later."""
    with database.begin() as session:
        wanted, _ = following.want_following(session, team_id, *to_be_followed(session, team_id))
    return [] if wanted is None else [wanted]


def _told(error: Exception) -> tuple[str, str, str]:
    """State, code and sentence for what ended a job."""
    if isinstance(error, Unusable):
        return "refused", error.code, str(error)
    if isinstance(error, Cancelled):
        return "cancelled", "cancelled", "Cancelled; nothing of it was stored."
    if isinstance(error, TookTooLong):
        return "refused", "too-long", _too_long()
    if isinstance(error, MemoryError):
        return "refused", "too-large", "The file needs more memory than one import may take."
    return "failed", "internal", "The work failed for a reason of our own; the file was kept and can be tried again."


def _import(database: Database, inbox: Path, ours: jobs.Claim, report: Report) -> list[int]:
    """Import the file of a hand-in; returns the jobs of the files that an archive held."""
    with database.begin() as session:
        row = mine_by_id(session, HandIn, ours.team_id, ours.subject_id)
    path = inbox_path(inbox, row.id)
    if not path.exists() and row.origin and row.source == "logger":
        _fetch(database, row, path, report)
    if not path.exists():
        raise Unusable("file-lost", "The file is no longer in the inbox. Hand it in again.")
    source = Source(path, row.file_name, ours.team_id, row.id, ours, bool(ours.payload.get("turned")))
    if kind_of(path) == "zip":
        return unpack(database, source, inbox, report)
    import_file(database, source, report)
    return []


def _fetch(database: Database, hand_in: HandIn, path: Path, report: Report) -> None:
    """Bring a logger's run into the inbox."""
    found = settings.load()
    name, _, key = (hand_in.origin or "").partition("\n")
    try:
        address = address_of(found, name)
    except NoAnswer as error:
        raise Unusable("logger", str(error)) from error
    path.parent.mkdir(parents=True, exist_ok=True)
    listing = fetch(address, key, path, found.upload_mb * 1_000_000, report)
    with database.begin() as session:
        row = mine_by_id(session, HandIn, hand_in.team_id, hand_in.id)
        row.sha256, row.size, row.clock_off_s = sha256_of(path), path.stat().st_size, listing.clock_off_s


def _too_long() -> str:
    return f"The work took longer than {settings.import_seconds():.0f} s, the limit set here; hand it in as parts."
