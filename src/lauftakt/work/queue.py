"""Celery: carries the ids of jobs to workers; the job table is the truth."""

import logging
import resource
import threading
import time
from functools import cache
from pathlib import Path
from typing import Any

from celery import Celery
from celery.signals import worker_process_init, worker_ready, worker_shutting_down
from kombu.transport.sqlalchemy import Transport as SqlTransport

from lauftakt import settings
from lauftakt.core.log.model import Unusable
from lauftakt.formats.reading import kind_of
from lauftakt.store.database import Database, mine_by_id
from lauftakt.store.models import HandIn
from lauftakt.work import jobs
from lauftakt.work.fetching import NoAnswer, address_of, fetch
from lauftakt.work.importing import import_file
from lauftakt.work.limits import TookTooLong, time_limit
from lauftakt.work.renewing import renew_run
from lauftakt.work.sources import Cancelled, Report, Source, inbox_path, sha256_of
from lauftakt.work.unpacking import unpack

log = logging.getLogger(__name__)

SWEEP_S = 5.0

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


@worker_process_init.connect
def _after_fork(**_: Any) -> None:
    _database.cache_clear()
    most = settings.import_megabytes() * 1_000_000
    if most:
        resource.setrlimit(resource.RLIMIT_AS, (most, most))


_stopping = threading.Event()


@worker_ready.connect
def _sweep(**_: Any) -> None:
    def look() -> None:
        database = Database(settings.load().database_url)
        while not _stopping.wait(SWEEP_S):
            try:
                for job_id in jobs.due(database):
                    run_job.delay(job_id)
            except Exception:
                log.exception("The sweep for lost jobs failed and will be tried again.")

    threading.Thread(target=look, daemon=True, name="sweep").start()


@worker_shutting_down.connect
def _stop_sweep(**_: Any) -> None:
    _stopping.set()


@app.task(name="lauftakt.run_job")
def run_job(job_id: int) -> None:
    """Import the file of a job, if the job is still to be done."""
    work_on(_database(), settings.load().inbox, job_id)


def send(job_ids: list[int]) -> None:
    """Tell the workers of jobs; where the broker is away the sweep finds them in the table."""
    for job_id in job_ids:
        try:
            run_job.delay(job_id)
        except Exception:
            log.exception("Job %s waits for the sweep", job_id)


def work_on(database: Database, inbox: Path, job_id: int, *, retry: bool = True) -> None:
    """Do one job in this process; ``retry``: leave it to the sweep where it fails for a reason of our own."""
    ours = jobs.claim(database, job_id)
    if ours is None:
        return
    path = inbox_path(inbox, ours.hand_in_id)
    until = time.monotonic() + settings.import_seconds()

    def report(share: float, step: str) -> None:
        if jobs.progress(database, job_id, share, step):
            raise Cancelled
        if time.monotonic() > until:
            raise Unusable("too-long", _too_long())

    more: list[int] = []
    try:
        with jobs.heartbeat(database, job_id), time_limit(settings.import_seconds() * 1.1 + 1):
            if ours.task == "renew" and ours.run_id is not None:
                report(0.2, "recognising")
                renew_run(database, ours.team_id, ours.run_id)
            else:
                if not path.exists() and ours.origin and ours.source == "logger":
                    _fetch(database, ours, path, report)
                if not path.exists():
                    raise Unusable("file-lost", "The file is no longer in the inbox. Hand it in again.")
                source = Source(path, ours.file_name, ours.team_id, ours.hand_in_id)
                if kind_of(path) == "zip":
                    more = unpack(database, source, inbox, report)
                else:
                    import_file(database, source, report)
        jobs.finish(database, job_id, "done")
    except Unusable as error:
        jobs.finish(database, job_id, "refused", error.code, str(error))
    except Cancelled:
        jobs.finish(database, job_id, "cancelled", "cancelled", "Cancelled; nothing of it was stored.")
    except TookTooLong:
        jobs.finish(database, job_id, "refused", "too-long", _too_long())
    except MemoryError:
        jobs.finish(database, job_id, "refused", "too-large", "The file needs more memory than one import may take.")
    except Exception:
        log.exception("Import of job %s failed", job_id)
        if retry and ours.attempts < jobs.MOST_ATTEMPTS:
            raise  # the lease runs out, the sweep puts it back
        jobs.finish(
            database,
            job_id,
            "failed",
            "internal",
            "The import failed for a reason of our own; the file was kept and can be tried again.",
        )
        return
    if jobs.is_settled(database, ours.hand_in_id):
        path.unlink(missing_ok=True)
    send(more)


def _fetch(database: Database, ours: jobs.Claim, path: Path, report: Report) -> None:
    """Bring a logger's run into the inbox."""
    found = settings.load()
    name, _, key = (ours.origin or "").partition("\n")
    try:
        address = address_of(found, name)
    except NoAnswer as error:
        raise Unusable("logger", str(error)) from error
    path.parent.mkdir(parents=True, exist_ok=True)
    listing = fetch(address, key, path, found.upload_mb * 1_000_000, report)
    with database.begin() as session:
        row = mine_by_id(session, HandIn, ours.team_id, ours.hand_in_id)
        row.sha256, row.size, row.clock_off_s = sha256_of(path), path.stat().st_size, listing.clock_off_s


def _too_long() -> str:
    return f"The import took longer than {settings.import_seconds():.0f} s, the limit set here; hand it in as parts."
