"""Jobs: claimed with a lease and a token, kept alive by a heartbeat, put back when their worker died.

Whoever claims a job gets a new token. Everything a worker writes afterwards carries it, so that one that was presumed
dead and comes back changes nothing; its heartbeat finds out and stops it.
"""

import logging
import os
import secrets
import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Literal

from sqlalchemy import and_, false, or_, select, true, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from lauftakt.store.database import Database, mine, now
from lauftakt.store.models import HandIn, Job

log = logging.getLogger(__name__)

LEASE = timedelta(seconds=float(os.environ.get("LAUFTAKT_LEASE_S", "30")))
# A file refused for one of these may be placed once somebody says where it was driven.
PLACEABLE = frozenset({"no-positions", "elsewhere", "no-laps", "start-line", "not-here"})
MOST_ATTEMPTS = 3
STAYS = "The run stays as it was."
OPEN = ("waiting", "running")
# A message that nobody took in this time is taken for lost and sent again, if the broker holds no other: workers that
# are busy, or frozen, are no reason to send the same again and again.
LOST = timedelta(seconds=60)
# What a job may be unable to go on without: a circuit's new layout that another run makes, the team's one place where
# runs are stored, room on the disk.
Waits = Literal["layout", "store", "disk"]
# Done by the process that keeps everything running, or by the server, not by workers.
NOT_FOR_WORKERS = ("backup", "sheets")
# Those of them that cannot be stopped in the middle.
NOT_TO_BE_STOPPED = ("backup",)
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


def claim(database: Database, job_id: int) -> Claim | None:
    """Take a job that waits, or whose worker died; None where somebody else has it or it is finished."""
    with database.begin() as session:
        job = session.get(Job, job_id, with_for_update=True)
        if job is None or job.state not in OPEN:
            return None
        if job.state == "running" and job.lease_until is not None and job.lease_until > now():
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
        _put_back(session, job)
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


def due(database: Database, *, idle: bool = True, room: bool = True) -> list[int]:
    """Jobs that nobody works on although they are not finished: lost messages and dead workers; marked as sent.

    Parameters
    ----------
    database : where
    idle : whether the broker holds no message, so that what was sent long ago must be lost
    room : whether there is room on the disk for those that wait for it
    """
    moment = now()
    late = moment - timedelta(seconds=5)
    sent_long_ago = and_(Job.sent_at < moment - LOST, true() if idle else false())
    waiting = or_(and_(Job.created_at < late, Job.sent_at.is_(None)), sent_long_ago)
    with database.begin() as session:
        query = select(Job.id).where(
            Job.kind.not_in(NOT_FOR_WORKERS),
            or_(
                and_(Job.state == "waiting", Job.waits_for.is_(None), waiting),
                and_(Job.state == "waiting", Job.waits_for == "disk", true() if room else false(), Job.sent_at < late),
                # Told once of each worker that died, and again where that was lost, too.
                and_(
                    Job.state == "running",
                    Job.lease_until < moment,
                    or_(Job.sent_at.is_(None), Job.sent_at < Job.lease_until, sent_long_ago),
                ),
            ),
        )
        ids = list(session.scalars(query.order_by(Job.id).limit(200).with_for_update(skip_locked=True)))
        mark_sent(session, ids)
        return ids


def end_abandoned(database: Database) -> None:
    """Tell of work that a server did beside requests, and did not survive."""
    with database.begin() as session:
        late = or_(
            and_(Job.state == "running", Job.lease_until < now()),
            and_(Job.state == "waiting", Job.created_at < now() - LEASE),
        )
        for job in session.scalars(select(Job).where(Job.kind == "sheets", late).with_for_update(skip_locked=True)):
            end(session, job, "failed", "abandoned", "The server ended in the middle of it. Try it again.")


def begin_anew(database: Database) -> None:
    """Put back everything that was under way when all of an installation ended: for a start at which nobody works yet.

    Nothing is waited for, and what was cut off counts as no try: it was not the job that ended its worker. Whoever
    still works on another machine finds its token gone, and stops.
    """
    with database.begin() as session:
        session.execute(update(Job).where(Job.state == "waiting").values(sent_at=None))
        cut_off = select(Job).where(Job.state == "running", Job.kind.not_in(NOT_FOR_WORKERS)).with_for_update()
        for job in session.scalars(cut_off):
            _put_back(session, job)


def _put_back(session: Session, job: Job) -> None:
    """Let a job that somebody had wait again, as if it had not been tried."""
    job.state, job.token, job.lease_until, job.waits_for, job.sent_at = "waiting", None, None, None, None
    job.attempts, job.progress, job.step = max(job.attempts - 1, 0), 0.0, "waiting"
    hand_in = hand_in_of(session, job)
    if hand_in is not None and job.kind == "import" and hand_in.state == "running":
        hand_in.state = "waiting"


def mark_sent(session: Session, job_ids: Iterable[int]) -> None:
    """Note that workers were told of jobs, so that they are not told again at once."""
    session.execute(update(Job).where(Job.id.in_(list(job_ids))).values(sent_at=now()))


def settled_file(database: Database, job_id: int) -> int | None:
    """The hand-in whose file is needed no more, where a job is about one and ended."""
    with database.begin() as session:
        job = session.get(Job, job_id)
        if job is None or job.subject != "hand_in" or job.state in OPEN:
            return None
        hand_in_id = job.subject_id
    return hand_in_id if is_settled(database, hand_in_id) else None


def is_settled(database: Database, hand_in_id: int) -> bool:
    """Whether the file of a hand-in is needed no more: taken, or refused for what it is. After a cancel it may be tried
    again, and one that could not be placed on a circuit that somebody names."""
    with database.begin() as session:
        hand_in = session.get(HandIn, hand_in_id)
        if hand_in is None or hand_in.state == "taken":
            return True
        return hand_in.state == "refused" and hand_in.code not in PLACEABLE


def import_again(session: Session, hand_in: HandIn, *, turned: bool = False) -> int:
    """A new job for a hand-in whose last one is finished; returns its id. ``turned``: see
    :class:`lauftakt.work.sources.Source`."""
    job = add_job(
        session, hand_in.team_id, "import", ("hand_in", hand_in.id), payload={"turned": turned},
        account_id=hand_in.account_id,
    )  # fmt: skip
    hand_in.job_id, hand_in.job = job.id, job
    hand_in.state, hand_in.dismissed_at, hand_in.code, hand_in.message = "waiting", None, None, None
    session.flush()
    return job.id


def renew_runs(session: Session, team_id: int, run_ids: Iterable[int], account_id: int | None = None) -> list[int]:
    """Jobs that compute runs anew, one for each that has none waiting yet; returns the ids of those that wait."""
    wanted = list(dict.fromkeys(run_ids))
    waiting: dict[int, int] = dict(
        session.execute(
            select(Job.subject_id, Job.id).where(
                Job.team_id == team_id, Job.kind == "renew", Job.subject == "run", Job.state == "waiting",
                Job.subject_id.in_(wanted),
            )
        ).all()
    )  # fmt: skip
    for run_id in wanted:
        if run_id not in waiting:
            waiting[run_id] = add_job(session, team_id, "renew", ("run", run_id), account_id=account_id).id
    # Whoever looks at the list of files is told that newer numbers are coming.
    session.execute(update(HandIn).where(HandIn.team_id == team_id, HandIn.run_id.in_(wanted)).values(changed_at=now()))
    return list(waiting.values())


def being_renewed(session: Session, team_id: int, run_ids: Iterable[int]) -> set[int]:
    """Runs of which newer numbers are coming."""
    query = select(Job.subject_id).where(
        Job.team_id == team_id, Job.kind == "renew", Job.subject == "run", Job.state.in_(OPEN),
        Job.subject_id.in_(list(run_ids)),
    )  # fmt: skip
    return set(session.scalars(query))
