"""Celery: carries the ids of jobs to workers; the job table is the truth."""

import logging
import os
import resource
import threading
import time
from collections.abc import Sequence
from functools import cache
from typing import Any

from celery import Celery
from celery.signals import worker_process_init, worker_ready, worker_shutting_down
from kombu import Exchange, Queue
from kombu.transport.sqlalchemy import Transport as SqlTransport
from sqlalchemy import inspect, select, text

from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.store.models import Job
from lauftakt.work import open_jobs, room
from lauftakt.work.children import die_with_parent
from lauftakt.work.doing import work_on
from lauftakt.work.private_logs import keep_logs_private
from lauftakt.work.tidying import tidy

log = logging.getLogger(__name__)

SWEEP_S = 5.0
PURGE_S = 20.0
TIDY_S = float(os.environ.get("LAUFTAKT_TIDY_S", "600"))
# Workers take from both in turn: a file is not behind the renewals of a whole season, and these go on beside files.
QUEUE, LATER = "lauftakt", "lauftakt-later"

# The transport would hand an option of this name on to the database's engine, which refuses it.
SqlTransport.polling_interval = 0.2

keep_logs_private()
app = Celery("lauftakt")


def _line_of(name: str, args: Sequence[Any], *_: Any, **_more: Any) -> dict[str, str]:
    """Where a job waits for a worker."""
    with _sender().begin() as session:
        kind = session.scalar(select(Job.kind).where(Job.id == args[0]))
    return {"queue": LATER if kind in open_jobs.NOBODY_WAITS else QUEUE}


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
        task_default_queue=QUEUE,
        task_queues=[Queue(name, Exchange(name), routing_key=name) for name in (QUEUE, LATER)],
        task_routes=(_line_of,),
        # A pool's process that has once needed so much keeps much of it: another one takes its place between two jobs.
        worker_max_memory_per_child=settings.worker_megabytes() * 1000,
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
    # A pool whose main process was killed ends, too, instead of working on beside the next one.
    die_with_parent()
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
        tidied = purged = 0.0
        while not _stopping.wait(SWEEP_S):
            try:
                for job_id in open_jobs.due(database, idle=_is_idle(), room=not room.short_of(found.var)):
                    run_job.delay(job_id)
                if time.monotonic() - purged > PURGE_S:
                    purged = time.monotonic()
                    forget_delivered(database)
                if time.monotonic() - tidied > TIDY_S:
                    tidied = time.monotonic()
                    send(tidy(database, found.exports, found.inbox))
            except Exception:
                log.exception("The sweep for lost jobs failed and will be tried again.")

    threading.Thread(target=look, daemon=True, name="sweep").start()


@worker_shutting_down.connect
def _stop_sweep(**_: Any) -> None:
    _stopping.set()


def _is_idle() -> bool:
    """Whether the broker holds no message that a worker has still to take."""
    with app.connection_for_read() as connection:
        channel = connection.default_channel
        return not any(channel.queue_declare(name).message_count for name in (QUEUE, LATER))


def forget_delivered(database: Database) -> int:
    """Delete the messages that were delivered, which the database's transport keeps; returns how many. Our own table is
    the truth about the work."""
    with database.engine.begin() as connection:
        if not inspect(connection).has_table("kombu_message"):
            return 0
        return connection.execute(text("DELETE FROM kombu_message WHERE visible = 0 LIMIT 20000")).rowcount


@app.task(name="lauftakt.run_job")
def run_job(job_id: int) -> None:
    """Do the work of a job, if it is still to be done."""
    found = settings.load()
    send(work_on(_database(), found.inbox, job_id, exports=found.exports))


def send(job_ids: list[int]) -> None:
    """Tell the workers of jobs; where the broker is away the sweep finds them in the table."""
    if not job_ids:
        return
    sent = []
    for job_id in job_ids:
        try:
            run_job.delay(job_id)
            sent.append(job_id)
        except Exception:
            log.exception("Job %s waits for the sweep", job_id)
    with _sender().begin() as session:
        open_jobs.mark_sent(session, sent)
