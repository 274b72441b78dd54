"""Follows paces and cues over days, in the background: each run and each debrief is kept as soon as it is known."""

import hashlib

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from lauftakt.store.database import Database, mine
from lauftakt.store.following import follow_debrief, keep_pace
from lauftakt.store.lineup import CurveCache
from lauftakt.store.models import Debrief, Job, Run
from lauftakt.store.season import PaceCache, to_be_followed
from lauftakt.work.jobs import OPEN, Claim, add_job
from lauftakt.work.sources import Report

KIND = "follow"
# How often it is looked whether something else came meanwhile.
MOST_ROUNDS = 20


def want_following(session: Session, team_id: int, runs: list[int], debriefs: list[int]) -> tuple[int | None, bool]:
    """A job that follows what is to be followed, unless one is under way or failed for the same.

    Parameters
    ----------
    session, team_id : where
    runs, debriefs : see :func:`lauftakt.store.season.to_be_followed`

    Returns
    -------
    Id of a job to be sent, or None; and whether there is any hope that one brings it.
    """
    if not runs and not debriefs:
        return None, True
    key = hashlib.sha256(repr((runs, debriefs)).encode()).hexdigest()
    same = session.execute(
        select(Job.state, Job.payload).where(Job.team_id == team_id, Job.kind == KIND).order_by(Job.id.desc()).limit(50)
    ).all()
    if any(state in OPEN for state, _ in same):
        return None, True
    if any(state == "failed" and payload.get("key") == key for state, payload in same):
        return None, False
    return add_job(session, team_id, KIND, ("team", team_id), payload={"key": key}).id, True


def follow(database: Database, ours: Claim, report: Report) -> None:
    """Work out all paces and courses of a team that are not known as everything is now.

    Parameters
    ----------
    database, ours : the job
    report : told how far it is
    """
    cache, paces = CurveCache(), PaceCache()
    for _ in range(MOST_ROUNDS):
        with database.begin() as session:
            runs, debriefs = to_be_followed(session, ours.team_id, paces)
        if not runs and not debriefs:
            return
        whole = len(runs) + len(debriefs)
        for done, run_id in enumerate(runs):
            report(done / whole, "following")
            _pace(database, ours.team_id, run_id, cache)
        for done, debrief_id in enumerate(debriefs, len(runs)):
            report(done / whole, "following")
            _course(database, ours.team_id, debrief_id, cache)


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
