"""Puts right what the database gave back damaged: what was computed is computed anew, and samples are read again from
the file as it was handed in."""

import logging
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from lauftakt.store.damage import Damaged
from lauftakt.store.database import INCLUDE_REMOVED, Database, now
from lauftakt.store.models import Analysis, Original, Run
from lauftakt.store.originals import original_parts
from lauftakt.work.open_jobs import renew_runs

log = logging.getLogger(__name__)

# The version of the reader of samples that are to be read again whatever the present one is.
READ_AGAIN = 0


@dataclass(frozen=True)
class PutAside:
    """What was done about damage: of which run, whether it can be made anew from what was handed in, and the jobs that
    do so."""

    run_id: int | None
    told: str
    mends: bool
    jobs: list[int]


def put_aside(database: Database, error: Damaged) -> PutAside:
    """Take what is damaged out of use and let it be made anew, in a transaction of its own.

    A damaged analysis is deleted, all of it can be computed. Damaged samples stay until they were read again.
    """
    with database.begin() as session:
        run = _run_of(session, error)
        if run is None:
            log.error("Damaged, and nothing can be made anew of it: %s", error)
            return PutAside(None, str(error), False, [])
        told = f"{run.driver.name}’s run “{run.file_name}”"
        mends = error.part == "analysis" or _is_whole(session, run)
        log.error("Damaged (%s) in run %s: %s", error.part, run.id, error)
        if error.part == "analysis":
            if run.analysis_id == error.analysis_id:
                run.analysis_id = None
                session.flush()
            session.execute(delete(Analysis).where(Analysis.id == error.analysis_id))
        elif mends:
            session.execute(update(Run).where(Run.id == run.id).values(reader_version=READ_AGAIN))
        jobs = renew_runs(session, run.team_id, [run.id]) if mends and run.removed_at is None else []
        return PutAside(run.id, told, mends, jobs)


def _run_of(session: Session, error: Damaged) -> Run | None:
    run_id = error.run_id
    if error.analysis_id is not None:
        run_id = session.scalar(select(Analysis.run_id).where(Analysis.id == error.analysis_id))
    if run_id is None:
        return None
    return session.scalar(select(Run).where(Run.id == run_id).with_for_update(), execution_options=INCLUDE_REMOVED)


def _is_whole(session: Session, run: Run) -> bool:
    """Whether the bytes of a run as they were handed in are there; notes it where they are not."""
    row = session.scalar(select(Original).where(Original.team_id == run.team_id, Original.run_id == run.id))
    if row is None:
        return False
    try:
        for _ in original_parts(session, row):
            pass
    except Damaged:
        row.damaged_at = now()
        return False
    return True


def backup_that_holds(session: Session, run_id: int, folder: Path) -> str | None:
    """The newest backup made by itself since a run came in; None where there is none."""
    query = select(Run.created_at).where(Run.id == run_id)
    came = session.scalar(query, execution_options=INCLUDE_REMOVED)
    kept = sorted(folder.glob("lauftakt-????-??-??.tar"))
    holds = [path for path in kept if came is not None and path.stem[-10:] > f"{came:%Y-%m-%d}"]
    return str(holds[-1]) if holds else None


def sentence(aside: PutAside) -> str:
    """What people are told."""
    if aside.run_id is None:
        return "What is stored here is damaged. Whoever runs this installation finds more with: lauftakt check"
    if aside.mends:
        return f"What is stored of {aside.told} is damaged; it is made anew from the file as it was handed in."
    return (
        f"What is stored of {aside.told} is damaged, and so is the file as it was handed in, or it was not kept. Hand "
        "it in again, or bring a backup back."
    )
