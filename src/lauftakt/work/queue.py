"""Celery: carries the ids of jobs to workers; the job table is the truth."""

import logging
import threading
from functools import cache
from pathlib import Path
from typing import Any

from celery import Celery
from celery.signals import worker_process_init, worker_ready, worker_shutting_down
from kombu.transport.sqlalchemy import Transport as SqlTransport

from lauftakt import settings
from lauftakt.core.log import Unusable
from lauftakt.store.database import Database
from lauftakt.work import jobs
from lauftakt.work.importing import Cancelled, Source, import_file

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


def inbox_path(inbox: Path, hand_in_id: int, file_name: str) -> Path:
    """Where the bytes of a hand-in wait; only the ending of the person's file name is used."""
    ending = Path(file_name).suffix.lower()
    return inbox / f"{hand_in_id}{ending if ending in ('.csv', '.txt', '.geojson', '.json') else '.csv'}"


@app.task(name="lauftakt.run_job")
def run_job(job_id: int) -> None:
    """Import the file of a job, if the job is still to be done."""
    work_on(_database(), settings.load().inbox, job_id)


def work_on(database: Database, inbox: Path, job_id: int, *, retry: bool = True) -> None:
    """Do one job in this process; ``retry``: leave it to the sweep where it fails for a reason of our own."""
    ours = jobs.claim(database, job_id)
    if ours is None:
        return
    file_name, driver_id, driver_name = jobs.driver_chosen(database, ours.hand_in_id)
    path = inbox_path(inbox, ours.hand_in_id, file_name)

    def report(share: float, step: str) -> None:
        if jobs.progress(database, job_id, share, step):
            raise Cancelled

    try:
        with jobs.heartbeat(database, job_id):
            if not path.exists():
                raise Unusable("file-lost", "The file is no longer in the inbox. Hand it in again.")
            import_file(
                database, Source(path, file_name, ours.team_id, ours.hand_in_id, driver_id, driver_name), report
            )
        jobs.finish(database, job_id, "done")
    except Unusable as error:
        jobs.finish(database, job_id, "refused", error.code, str(error))
    except Cancelled:
        jobs.finish(database, job_id, "cancelled", "cancelled", "Cancelled; nothing of it was stored.")
    except Exception:
        log.exception("Import of job %s failed", job_id)
        if retry and ours.attempts < jobs.MOST_ATTEMPTS:
            raise  # the lease runs out, the sweep puts it back
        jobs.finish(
            database,
            job_id,
            "failed",
            "internal",
            "The import failed for a reason of our own; the file was not stored.",
        )
    path.unlink(missing_ok=True)
