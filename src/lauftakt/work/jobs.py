"""Jobs: claimed with a lease, kept alive by a heartbeat, put back when their worker died."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import or_, select, update

from lauftakt.store.database import Database, now
from lauftakt.store.models import HandIn, Job

LEASE = timedelta(seconds=30)
MOST_ATTEMPTS = 3


@dataclass(frozen=True)
class Claim:
    """A job that is ours for now."""

    job_id: int
    hand_in_id: int
    team_id: int
    attempts: int


def claim(database: Database, job_id: int) -> Claim | None:
    """Take a job that waits, or whose worker died; None where somebody else has it or it is finished."""
    with database.begin() as session:
        job = session.get(Job, job_id, with_for_update=True)
        if job is None or job.state not in ("waiting", "running"):
            return None
        if job.state == "running" and job.lease_until is not None and job.lease_until > now():
            return None
        if job.cancel:
            _end(job, "cancelled", "cancelled", "Cancelled before it began.")
            return None
        if job.attempts >= MOST_ATTEMPTS:
            _end(job, "failed", "gave-up", "The import stopped three times without a result. Try the file again.")
            return None
        job.state, job.attempts, job.lease_until = "running", job.attempts + 1, now() + LEASE
        job.hand_in.state = "running"
        return Claim(job.id, job.hand_in_id, job.team_id, job.attempts)


@contextmanager
def heartbeat(database: Database, job_id: int) -> Iterator[None]:
    """Renew the lease until the block is left."""
    stop = threading.Event()

    def beat() -> None:
        while not stop.wait(LEASE.total_seconds() / 3):
            with database.begin() as session:
                session.execute(update(Job).where(Job.id == job_id).values(lease_until=now() + LEASE))

    thread = threading.Thread(target=beat, daemon=True, name=f"heartbeat-{job_id}")
    thread.start()
    try:
        yield
    finally:
        stop.set()
        thread.join(timeout=5)


def progress(database: Database, job_id: int, share: float, step: str) -> bool:
    """Tell how far a job is; True where somebody asked to cancel it."""
    with database.begin() as session:
        session.execute(update(Job).where(Job.id == job_id).values(progress=share, step=step))
        return bool(session.scalar(select(Job.cancel).where(Job.id == job_id)))


def finish(database: Database, job_id: int, state: str, code: str | None = None, message: str | None = None) -> None:
    """End a job as ``done``, ``refused``, ``cancelled`` or ``failed``, with its sentence for the person."""
    with database.begin() as session:
        job = session.get(Job, job_id, with_for_update=True)
        if job is not None:
            _end(job, state, code, message)


def _end(job: Job, state: str, code: str | None, message: str | None) -> None:
    job.state, job.lease_until = state, None
    if state == "done":
        job.progress = 1.0
    else:
        job.hand_in.state, job.hand_in.code, job.hand_in.message = state, code, message


def due(database: Database) -> list[int]:
    """Jobs that nobody works on although they are not finished: lost messages and dead workers."""
    with database.begin() as session:
        late = now() - timedelta(seconds=5)
        query = select(Job.id).where(
            or_(
                (Job.state == "waiting") & (Job.created_at < late),
                (Job.state == "running") & (Job.lease_until < now()),
            )
        )
        return list(session.scalars(query.order_by(Job.id).limit(200)))


def driver_chosen(database: Database, hand_in_id: int) -> tuple[str, int | None, str | None]:
    """File name and chosen driver of a hand-in."""
    with database.begin() as session:
        hand_in = session.get_one(HandIn, hand_in_id)
        return hand_in.file_name, hand_in.driver_id, hand_in.driver_name
