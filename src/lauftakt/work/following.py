"""Follows paces and cues over days, in the background: each run and each debrief is kept as soon as it is known."""

import logging
from collections.abc import Callable, Sequence
from typing import Literal

from sqlalchemy import select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.log.model import Unusable
from lauftakt.store.database import Database, mine
from lauftakt.store.following import follow_debrief, keep_pace
from lauftakt.store.lineup import CurveCache
from lauftakt.store.models import Debrief, Job, Run
from lauftakt.store.season import to_be_followed
from lauftakt.work.jobs import OPEN, Claim, Lost, add_job
from lauftakt.work.limits import TookTooLong
from lauftakt.work.sources import Cancelled, Report

log = logging.getLogger(__name__)

KIND = "follow"
# How often it is looked whether something else came meanwhile.
MOST_ROUNDS = 20


Hope = Literal["coming", "failed", "stopped"]


def want_following(
    session: Session, team_id: int, runs: Sequence[int], debriefs: Sequence[int], *, again: bool = False
) -> tuple[int | None, Hope]:
    """A job that follows what is to be followed, unless one is under way, or ended without it.

    Parameters
    ----------
    session, team_id : where
    runs, debriefs : see :func:`lauftakt.store.season.to_be_followed`
    again : also where the last one failed, or somebody stopped it

    Returns
    -------
    Id of a job to be sent, or None; and what can be hoped: that one brings it, or that the last one failed or was
    stopped before all of this.
    """
    if not runs and not debriefs:
        return None, "coming"
    query = select(Job.state, Job.payload).where(Job.team_id == team_id, Job.kind == KIND).order_by(Job.id.desc())
    last = session.execute(query.limit(20)).all()
    if any(state in OPEN for state, _ in last):
        return None, "coming"
    if last and not again:
        state, payload = last[0]
        tried = set(runs) <= set(payload["runs"]) and set(debriefs) <= set(payload["debriefs"])
        if state != "done" and tried:
            return None, "stopped" if state == "cancelled" else "failed"
    wanted = {"runs": list(runs), "debriefs": list(debriefs)}
    return add_job(session, team_id, KIND, ("team", team_id), payload=wanted).id, "coming"


def follow(database: Database, ours: Claim, report: Report) -> None:
    """Work out all paces and courses of a team that are not known as everything is now.

    Parameters
    ----------
    database, ours : the job
    report : told how far it is

    Raises
    ------
    Unusable
        where some could not be worked out; all others were.
    """
    cache = CurveCache()
    for _ in range(MOST_ROUNDS):
        with database.begin() as session:
            runs, debriefs = to_be_followed(session, ours.team_id)
        if not runs and not debriefs:
            return
        todo: list[tuple[Callable[[Database, int, int, CurveCache], None], int]] = [(_pace, run) for run in runs]
        todo += [(_course, debrief) for debrief in debriefs]
        failed = 0
        for done, (work, number) in enumerate(todo):
            report(done / len(todo), "following")
            try:
                work(database, ours.team_id, number, cache)
            except (Cancelled, Lost, TookTooLong, MemoryError, OperationalError):
                raise
            except Exception:
                # One of them takes nothing away from the others.
                log.exception("%s %s of team %s could not be followed", work.__name__, number, ours.team_id)
                failed += 1
        if failed:
            raise Unusable("not-followed", f"{failed} of {len(todo)} runs and debriefs could not be followed.")


def _pace(database: Database, team_id: int, run_id: int, cache: CurveCache) -> None:
    with database.begin() as session:
        query = mine(Run, team_id).where(Run.id == run_id).options(joinedload(Run.analysis), joinedload(Run.event))
        run = session.scalar(query)
        if run is not None:
            keep_pace(session, run, cache)


def _course(database: Database, team_id: int, debrief_id: int, cache: CurveCache) -> None:
    with database.begin() as session:
        row = session.scalar(mine(Debrief, team_id).where(Debrief.id == debrief_id))
        if row is not None:
            follow_debrief(session, row, cache)
