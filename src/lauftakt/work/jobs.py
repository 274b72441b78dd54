"""Jobs: claimed with a lease and a token, kept alive by a heartbeat, put back when their worker died.

Whoever claims a job gets a new token. Everything a worker writes afterwards carries it, so that one that was presumed
dead and comes back changes nothing; its heartbeat finds out and stops it.
"""

import logging
import os
import secrets
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Literal

from sqlalchemy import ColumnElement, or_, select, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import InstrumentedAttribute, Session

from lauftakt.store.database import AHEAD, Database, mine, now
from lauftakt.store.models import HandIn, Job, Team

log = logging.getLogger(__name__)

LEASE = timedelta(seconds=float(os.environ.get("LAUFTAKT_LEASE_S", "30")))
MOST_ATTEMPTS = 3
STAYS = "The run stays as it was."
OPEN = ("waiting", "running")
# What a job may be unable to go on without: a circuit's new layout that another run makes, the team's one place where
# runs are stored, room on the disk.
Waits = Literal["layout", "store", "disk"]
# Done by the process that keeps everything running, or by the server, not by workers.
NOT_FOR_WORKERS = ("backup", "sheets")
# Often enough that somebody who cancels sees it happen, whatever the work does.
LONGEST_BEAT_S = 3.0


class Lost(Exception):
    """The job belongs to somebody else by now: nothing more may be written for it."""


@dataclass(frozen=True)
class Claim:
    """A job that is ours as long as its token is."""

    job_id: int
    token: str
    team_id: int
    kind: str
    subject: str
    subject_id: int
    payload: dict[str, Any]
    attempts: int


def add_job(
    session: Session,
    team_id: int,
    kind: str,
    subject: tuple[str, int],
    *,
    payload: dict[str, Any] | None = None,
    account_id: int | None = None,
) -> Job:
    """A new job about a row, in the caller's transaction; it is not sent yet.

    Parameters
    ----------
    session, team_id : where
    kind : see :data:`lauftakt.work.doing.KINDS`
    subject : kind and id of the row
    payload : what the work needs to know
    account_id : who asked
    """
    job = Job(
        team_id=team_id,
        kind=kind,
        subject=subject[0],
        subject_id=subject[1],
        payload=payload or {},
        account_id=account_id,
        created_at=now(),
    )
    session.add(job)
    session.flush()
    return job


def was_before(column: InstrumentedAttribute[Any], moment: datetime) -> ColumnElement[bool]:
    """The condition that a job's time is before a moment. One that is still to come was written while the clock was
    ahead, and counts as long ago."""
    return or_(column < moment, column > now() + AHEAD)


def unheld() -> ColumnElement[bool]:
    """The condition that nobody holds a job any more: its lease ran out, or was written when the clock was ahead.
    Whoever still works on such a job writes a lease of the present within seconds."""
    moment = now()
    return or_(Job.lease_until < moment, Job.lease_until > moment + LEASE + AHEAD)


def _is_held(job: Job) -> bool:
    moment = now()
    return job.lease_until is not None and moment < job.lease_until <= moment + LEASE + AHEAD


def claim(database: Database, job_id: int) -> Claim | None:
    """Take a job that waits, or whose worker died; None where somebody else has it or it is finished."""
    with database.begin() as session:
        job = session.get(Job, job_id, with_for_update=True)
        if job is None or job.state not in OPEN:
            return None
        if session.get(Team, job.team_id) is None:
            return None  # removed; what it left undone goes on where it is brought back
        if job.state == "running" and _is_held(job):
            return None
        hand_in = hand_in_of(session, job)
        if hand_in is not None and job.kind == "import" and hand_in.state == "taken":
            # The worker before was cut off after it had stored the file, and before it could say so.
            end(session, job, "done", None, None)
            return None
        if job.cancel:
            end(session, job, "cancelled", "cancelled", "Cancelled before it began.")
            return None
        if job.attempts >= MOST_ATTEMPTS:
            end(session, job, "failed", "gave-up", "The work stopped three times without a result. Try it again.")
            return None
        job.state, job.attempts, job.lease_until = "running", job.attempts + 1, now() + LEASE
        job.token, job.waits_for, job.started_at = secrets.token_hex(16), None, job.started_at or now()
        if hand_in is not None and job.kind == "import":
            hand_in.state = "running"
        return Claim(
            job_id=job.id,
            token=job.token,
            team_id=job.team_id,
            kind=job.kind,
            subject=job.subject,
            subject_id=job.subject_id,
            payload=job.payload,
            attempts=job.attempts,
        )


def hold(session: Session, ours: Claim) -> Job:
    """The job's row, locked in the caller's transaction, so that nobody else can claim it before the commit.

    Raises
    ------
    Lost
        where somebody else did already.
    """
    query = select(Job).where(Job.id == ours.job_id, Job.token == ours.token).with_for_update()
    job = session.scalar(query.execution_options(populate_existing=True))
    if job is None:
        raise Lost(f"Job {ours.job_id} was taken by another worker.")
    return job


def _mine(ours: Claim) -> Any:
    return update(Job).where(Job.id == ours.job_id, Job.token == ours.token)


@contextmanager
def heartbeat(database: Database, ours: Claim, gone: Callable[[Literal["lost", "cancelled"]], None]) -> Iterator[None]:
    """Renew the lease until the block is left, or the job is lost.

    Parameters
    ----------
    database, ours : the job
    gone : called once, from the heartbeat's own thread, when the job belongs to somebody else or is to be stopped
    """
    stop = threading.Event()

    def beat() -> None:
        while not stop.wait(min(LEASE.total_seconds() / 3, LONGEST_BEAT_S)):
            try:
                with database.begin() as session:
                    cancel = session.scalar(select(Job.cancel).where(Job.id == ours.job_id, Job.token == ours.token))
                    if cancel is None or cancel:
                        gone("lost" if cancel is None else "cancelled")
                        return
                    session.execute(_mine(ours).values(lease_until=now() + LEASE))
            except SQLAlchemyError as error:
                # A database that is away for a moment is no reason to give the work up: whether it still is ours is
                # asked again.
                log.warning("The heartbeat of job %s goes on after: %s", ours.job_id, error)

    thread = threading.Thread(target=beat, daemon=True, name=f"heartbeat-{ours.job_id}")
    thread.start()
    try:
        yield
    finally:
        stop.set()
        thread.join(timeout=5)


def progress(database: Database, ours: Claim, share: float, step: str) -> bool:
    """Tell how far a job is; True where somebody asked to cancel it.

    Raises
    ------
    Lost
    """
    with database.begin() as session:
        found = session.scalar(select(Job.cancel).where(Job.id == ours.job_id, Job.token == ours.token))
        if found is None:
            raise Lost(f"Job {ours.job_id} was taken by another worker.")
        if session.get(Team, ours.team_id) is None:
            return True
        session.execute(_mine(ours).values(progress=share, step=step, waits_for=None))
        return bool(found)


def waits(database: Database, ours: Claim, what: Waits) -> bool:
    """Tell what a job cannot go on without; True where somebody asked to cancel it.

    Raises
    ------
    Lost
    """
    with database.begin() as session:
        job = hold(session, ours)
        job.waits_for = what
        return job.cancel


def put_off(database: Database, ours: Claim, what: Waits) -> None:
    """Give a job back until there is what it waits for; the try does not count.

    Raises
    ------
    Lost
    """
    with database.begin() as session:
        job = hold(session, ours)
        if job.cancel:
            end(session, job, "cancelled", "cancelled", "Cancelled; nothing of it was stored.")
            return
        put_back(session, job)
        job.waits_for, job.sent_at = what, now()


def finish(
    database: Database,
    ours: Claim,
    state: str,
    code: str | None = None,
    message: str | None = None,
    result: dict[str, Any] | None = None,
) -> None:
    """End a job as ``done``, ``refused``, ``cancelled`` or ``failed``, with its sentence for the person.

    Raises
    ------
    Lost
    """
    with database.begin() as session:
        job = hold(session, ours)
        job.result = result or {}
        end(session, job, state, code, message)


def end(session: Session, job: Job, state: str, code: str | None, message: str | None) -> None:
    """End a job in the caller's transaction, and tell the fate of the file it is about."""
    hand_in = hand_in_of(session, job)
    if job.kind == "import" and hand_in is not None and hand_in.state == "taken":
        # Stored whole in one transaction: whatever stopped the work after it changes nothing of that.
        state, code, message = "done", None, None
    job.state, job.lease_until, job.token, job.waits_for, job.finished_at = state, None, None, None, now()
    job.code, job.message = code, message
    if state == "done":
        job.progress = 1.0
    if hand_in is None:
        return
    hand_in.changed_at = now()
    if job.kind == "renew":
        # The run is stored and stays; only the attempt to understand it anew ended.
        if state != "done":
            hand_in.code, hand_in.message = code, f"{STAYS} {message}" if message else None
        elif (hand_in.message or "").startswith(STAYS):
            hand_in.code = hand_in.message = None
    elif state != "done":
        hand_in.state, hand_in.code, hand_in.message = state, code, message
    elif hand_in.state == "running":
        hand_in.state = "taken"


def hand_in_of(session: Session, job: Job) -> HandIn | None:
    """The hand-in a job is about: the file itself, or the one that a run came with."""
    query = mine(HandIn, job.team_id)
    if job.subject == "hand_in":
        return session.scalar(query.where(HandIn.id == job.subject_id))
    if job.subject == "run" and job.kind == "renew":
        return session.scalar(query.where(HandIn.run_id == job.subject_id).order_by(HandIn.id).limit(1))
    return None


def cancel(session: Session, job: Job) -> None:
    """Ask a job to stop; one that waits is ended at once, a finished one stays as it is."""
    if job.state == "waiting":
        end(session, job, "cancelled", "cancelled", "Cancelled before it began.")
    elif job.state == "running":
        job.cancel = True
    session.flush()


def put_back(session: Session, job: Job) -> None:
    """Let a job that somebody had wait again, as if it had not been tried."""
    job.state, job.token, job.lease_until, job.waits_for, job.sent_at = "waiting", None, None, None, None
    job.attempts, job.progress, job.step = max(job.attempts - 1, 0), 0.0, "waiting"
    hand_in = hand_in_of(session, job)
    if hand_in is not None and job.kind == "import" and hand_in.state == "running":
        hand_in.state = "waiting"
