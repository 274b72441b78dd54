"""Compares a day's runs with its reference: the paddock says what costs most before anything is opened."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.service.day import Compared, DayGroup, compared, groups_of_day
from lauftakt.store.comparisons import comparison_of
from lauftakt.store.database import Database, mine
from lauftakt.store.lineup import CurveCache, load_entries
from lauftakt.store.models import Event, Job
from lauftakt.work.jobs import OPEN, add_job

KIND = "compare"


def want_comparison(session: Session, team_id: int, event_id: int, key: str) -> tuple[int | None, bool]:
    """A job that computes what a day lacks, unless one is under way or failed for the same.

    One that ended well without it found something else to compare by then, and is no reason not to try again.

    Parameters
    ----------
    session, team_id, event_id : which day
    key : what the comparison that is missing is called

    Returns
    -------
    Id of a job to be sent, or None; and whether there is any hope that one brings it.
    """
    same = session.execute(
        select(Job.state, Job.payload).where(
            Job.team_id == team_id, Job.kind == KIND, Job.subject == "event", Job.subject_id == event_id
        )
    ).all()
    states = [state for state, payload in same if payload.get("key") == key]
    if any(state in OPEN for state in states):
        return None, True
    if any(state != "done" for state in states):
        return None, False
    return add_job(session, team_id, KIND, ("event", event_id), payload={"key": key}).id, True


def compare_day(database: Database, team_id: int, event_id: int) -> None:
    """Compute the comparisons of a day's runs with the laps they are measured against, and keep them.

    Parameters
    ----------
    database, team_id, event_id : which day
    """
    cache = CurveCache()
    with database.begin() as session:
        event = session.scalar(mine(Event, team_id).where(Event.id == event_id))
        if event is None:
            return
        for group in groups_of_day(session, event):
            found = compared(session, group, cache)
            if found.key is not None and found.comparison is None:
                _compute(database, session, group, found, cache)


def _compute(database: Database, session: Session, group: DayGroup, found: Compared, cache: CurveCache) -> None:
    entries = load_entries(session, group.compared, found.analyses, ["time_draws", *JUDGED_BY], cache)
    known = {run: cache.analysed(session, entry) for run, entry in entries.items()}
    comparison_of(database, session, entries, known, group.reference, cache)
