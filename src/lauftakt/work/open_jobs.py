"""Jobs that are not finished: which are to be sent, which begin anew, and those that are asked for once more."""

from collections.abc import Iterable
from datetime import timedelta

from sqlalchemy import and_, false, or_, select, true, update
from sqlalchemy.orm import Session

from lauftakt.store.database import INCLUDE_REMOVED, Database, now
from lauftakt.store.models import HandIn, Job, Team
from lauftakt.work.jobs import NOT_FOR_WORKERS, OPEN, add_job, put_back, unheld, was_before

# A file refused for one of these may be placed once somebody says where it was driven.
PLACEABLE = frozenset({"no-positions", "elsewhere", "no-laps", "start-line", "not-here"})
# A message that nobody took in this time is taken for lost and sent again, if the broker holds no other: workers that
# are busy, or frozen, are no reason to send the same again and again.
LOST = timedelta(seconds=60)
# What is brought up to date by itself, often many at once: it waits in a line of its own, beside what was asked for.
NOBODY_WAITS = frozenset({"renew", "compare", "follow", "remove", "seal"})


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
    sent_long_ago = and_(was_before(Job.sent_at, moment - LOST), true() if idle else false())
    waiting = or_(and_(was_before(Job.created_at, late), Job.sent_at.is_(None)), sent_long_ago)
    with database.begin() as session:
        query = select(Job.id).where(
            Job.kind.not_in(NOT_FOR_WORKERS),
            Job.team_id.not_in(select(Team.id).where(Team.removed_at.is_not(None))),
            or_(
                and_(Job.state == "waiting", Job.waits_for.is_(None), waiting),
                and_(
                    Job.state == "waiting",
                    Job.waits_for == "disk",
                    true() if room else false(),
                    was_before(Job.sent_at, late),
                ),
                # Told once of each worker that died, and again where that was lost, too.
                and_(
                    Job.state == "running",
                    unheld(),
                    or_(Job.sent_at.is_(None), Job.sent_at < Job.lease_until, sent_long_ago),
                ),
            ),
        )
        ids = list(
            session.scalars(
                query.order_by(Job.id).limit(200).with_for_update(skip_locked=True), execution_options=INCLUDE_REMOVED
            )
        )
        mark_sent(session, ids)
        return ids


def mark_sent(session: Session, job_ids: Iterable[int]) -> None:
    """Note that workers were told of jobs, so that they are not told again at once."""
    session.execute(update(Job).where(Job.id.in_(list(job_ids))).values(sent_at=now()))


def begin_anew(database: Database) -> None:
    """Put back everything that was under way when all of an installation ended: for a start at which nobody works yet.

    Nothing is waited for, and what was cut off counts as no try: it was not the job that ended its worker. Whoever
    still works on another machine finds its token gone, and stops.
    """
    with database.begin() as session:
        session.execute(update(Job).where(Job.state == "waiting").values(sent_at=None))
        cut_off = select(Job).where(Job.state == "running", Job.kind.not_in(NOT_FOR_WORKERS)).with_for_update()
        for job in session.scalars(cut_off):
            put_back(session, job)


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
