"""Forgets what nobody needs any more."""

import time
from datetime import timedelta
from pathlib import Path

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lauftakt.store.analyses import forget_replaced
from lauftakt.store.database import Database, now
from lauftakt.store.models import HandIn, Job, RequestCount, Team, Upload
from lauftakt.store.removing import long_removed, purge_small, purge_teams
from lauftakt.store.sign_ins import forget_sign_ins
from lauftakt.work import jobs, open_jobs
from lauftakt.work.exporting import forget_exports
from lauftakt.work.inbox import clear_settled, discard, inbox_path
from lauftakt.work.sealing import unsealed

# So long a file that was taken off the list can be put back.
KEPT_OFF_THE_LIST = timedelta(days=1)
# How work ended is told for so long; of a file's last job as long as the file is known.
JOBS_KEPT = timedelta(days=30)
# Bytes without a row may be of a transaction that is still going on.
ORPHANS_KEPT = timedelta(hours=6)
# A row that something still refers to cannot go: that is tried again, but not all the time.
REMOVE_AGAIN = timedelta(days=1)


def tidy(database: Database, exports: Path, inbox: Path) -> list[int]:
    """Forget replaced analyses, old archives, old sign-ins, jobs that ended long ago, and files that could not be
    placed and were taken off the list; what was removed a month ago goes by jobs, whose ids are returned to be sent."""
    with database.begin() as session:
        forget_replaced(session)
        forget_sign_ins(session)
        purge_teams(session)
        purge_small(session)
        _forget_jobs(session)
        session.execute(delete(RequestCount).where(RequestCount.until < time.time() - 3600))
        long_gone = HandIn.dismissed_at < now() - KEPT_OFF_THE_LIST
        off = session.scalars(select(HandIn.id).where(HandIn.code.in_(open_jobs.PLACEABLE), long_gone)).all()
        made = _remove_for_good(session) + _seal(session)
    for path in (inbox_path(inbox, hand_in_id) for hand_in_id in off):
        if path.exists():
            discard(database, path)
    clear_settled(database, inbox)
    forget_exports(exports)
    _forget_orphans(database, inbox)
    return made


def _forget_orphans(database: Database, inbox: Path) -> None:
    """Delete bytes that no row speaks of: of a transaction that was not committed, or of somebody who left."""
    if not inbox.is_dir():
        return
    old = time.time() - ORPHANS_KEPT.total_seconds()
    found = {path for path in inbox.iterdir() if path.is_file() and path.stat().st_mtime < old}
    with database.begin() as session:
        known = {f"{row}.file" for row in session.scalars(select(HandIn.id))}
        known |= {f"{row}.upload" for row in session.scalars(select(Upload.id).where(Upload.hand_in_id.is_(None)))}
    for path in found:
        if path.suffix in (".file", ".upload", ".part", ".fetch") and path.name not in known:
            discard(database, path)


def _forget_jobs(session: Session) -> None:
    of_a_file = select(HandIn.job_id).where(HandIn.job_id.is_not(None))
    session.execute(delete(Job).where(Job.finished_at < now() - JOBS_KEPT, Job.id.not_in(of_a_file)))


def _seal(session: Session) -> list[int]:
    """Jobs for the teams with runs whose blocks an older version wrote, without checksums."""
    made = []
    for team_id in sorted({team for team, _ in unsealed(session)}):
        open_one = select(Job.id).where(Job.team_id == team_id, Job.kind == "seal", Job.state.in_(jobs.OPEN))
        if session.get(Team, team_id) is not None and session.scalar(open_one.limit(1)) is None:
            made.append(jobs.add_job(session, team_id, "seal", ("team", team_id)).id)
    return made


def _remove_for_good(session: Session) -> list[int]:
    """Jobs for the teams of which something is to be deleted for good."""
    made = []
    for team_id in sorted({team for team, _, _ in long_removed(session)}):
        last = session.scalar(
            select(Job).where(Job.team_id == team_id, Job.kind == "remove").order_by(Job.id.desc()).limit(1)
        )
        in_vain = last is not None and not last.result.get("gone") and last.created_at > now() - REMOVE_AGAIN
        if last is None or (last.state not in jobs.OPEN and not in_vain):
            made.append(jobs.add_job(session, team_id, "remove", ("team", team_id)).id)
    return made
