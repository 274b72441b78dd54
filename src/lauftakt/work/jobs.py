"""Jobs: claimed with a lease, kept alive by a heartbeat, put back when their worker died."""

import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import or_, select, update
from sqlalchemy.orm import Session

from lauftakt.store.database import Database, now
from lauftakt.store.models import HandIn, Job

LEASE = timedelta(seconds=float(os.environ.get("LAUFTAKT_LEASE_S", "30")))
MOST_ATTEMPTS = 3
STAYS = "The run stays as it was."


@dataclass(frozen=True)
class Claim:
    """A job that is ours for now."""

    job_id: int
    hand_in_id: int
    team_id: int
    attempts: int
    task: str
    file_name: str
    run_id: int | None
    source: str
    origin: str | None


def claim(database: Database, job_id: int) -> Claim | None:
    """Take a job that waits, or whose worker died; None where somebody else has it or it is finished."""
    with database.begin() as session:
        job = session.get(Job, job_id, with_for_update=True)
        if job is None or job.state not in ("waiting", "running"):
            return None
        if job.state == "running" and job.lease_until is not None and job.lease_until > now():
            return None
        if job.cancel:
            end(job, "cancelled", "cancelled", "Cancelled before it began.")
            return None
        if job.attempts >= MOST_ATTEMPTS:
            end(job, "failed", "gave-up", "The import stopped three times without a result. Try the file again.")
            return None
        job.state, job.attempts, job.lease_until = "running", job.attempts + 1, now() + LEASE
        job.hand_in.state = "running"
        given = job.hand_in
        return Claim(
            job_id=job.id,
            hand_in_id=given.id,
            team_id=job.team_id,
            attempts=job.attempts,
            task=job.task,
            file_name=given.file_name,
            run_id=given.run_id,
            source=given.source,
            origin=given.origin,
        )


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
            end(job, state, code, message)


def end(job: Job, state: str, code: str | None, message: str | None) -> None:
    """End a job in the caller's transaction, and tell the fate of its file."""
    job.state, job.lease_until = state, None
    if state == "done":
        job.progress = 1.0
        if job.hand_in.state == "running":
            job.hand_in.state = "taken"
    elif job.task == "renew" and job.hand_in.run_id is not None:
        # The run is stored and stays; only the attempt to understand it anew ended.
        job.hand_in.state, job.hand_in.code = "taken", code
        job.hand_in.message = f"{STAYS} {message}" if message else None
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


def is_settled(database: Database, hand_in_id: int) -> bool:
    """Whether the file of a hand-in is needed no more: taken, or refused for what it is. After a cancel it may be tried
    again."""
    with database.begin() as session:
        hand_in = session.get(HandIn, hand_in_id)
        return hand_in is None or hand_in.state in ("taken", "refused")


def again(session: Session, hand_in: HandIn, task: str) -> int:
    """Put the job of a hand-in back to work; returns its id.

    Parameters
    ----------
    session : the caller's transaction
    hand_in : whose job is finished
    task : ``import`` or ``renew``
    """
    job = hand_in.job
    if job is None:
        job = Job(team_id=hand_in.team_id, hand_in_id=hand_in.id, created_at=now())
        session.add(job)
    job.task, job.state, job.step, job.progress = task, "waiting", "waiting", 0.0
    job.attempts, job.cancel, job.lease_until, job.created_at = 0, False, None, now()
    hand_in.state, hand_in.dismissed_at = "waiting", None
    if (hand_in.message or "").startswith(STAYS):
        hand_in.code = hand_in.message = None  # of the last attempt, which this one replaces
    session.flush()
    return job.id
