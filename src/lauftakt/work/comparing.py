"""Compares a day's runs with its quickest lap: the paddock says what costs most before anything is opened."""

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.store.comparisons import comparison_of, kept_comparison, key_of_runs
from lauftakt.store.database import Database, mine
from lauftakt.store.lineup import Apart, CurveCache, common_analyses, load_entries
from lauftakt.store.models import Comparison, Event, Job, Run
from lauftakt.work.jobs import OPEN, add_job

KIND = "compare"


def runs_of_day(session: Session, team_id: int, event_id: int) -> list[Run]:
    """Runs of an event that can be compared, quickest first: those with a lap that counts, on the quickest's layout."""
    query = mine(Run, team_id).where(
        Run.event_id == event_id, Run.best_number.is_not(None), Run.analysis_id.is_not(None)
    )
    runs = session.scalars(query.options(joinedload(Run.analysis)).order_by(Run.best_s, Run.id)).all()
    return [run for run in runs if run.layout_id == runs[0].layout_id]


def day_comparison(
    session: Session, team_id: int, runs: list[Run], cache: CurveCache
) -> tuple[str, Comparison | None] | None:
    """What a day's comparison is called as everything is now, and the comparison where it was computed already.

    Parameters
    ----------
    session, team_id : where
    runs : see :func:`runs_of_day`
    cache : what was read before

    Returns
    -------
    None where nothing can be compared: fewer than one run, or runs that are just being computed on a changed layout.
    """
    if not runs or runs[0].best_number is None:
        return None
    try:
        analyses = common_analyses(session, runs)
    except Apart:
        return None
    key = key_of_runs(session, runs, analyses, (runs[0].id, runs[0].best_number), cache)
    return key, kept_comparison(session, team_id, key, cache)


def want_comparison(session: Session, team_id: int, event_id: int, key: str) -> tuple[int | None, bool]:
    """A job that computes a day's comparison, unless one is under way or failed for the same.

    One that ended well without it found something else to compare by then, and is no reason not to try again.

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
    """Compute the comparison of a day's runs with its quickest lap, and keep it.

    Parameters
    ----------
    database, team_id, event_id : which day
    """
    cache = CurveCache()
    with database.begin() as session:
        if session.scalar(mine(Event, team_id).where(Event.id == event_id)) is None:
            return
        runs = runs_of_day(session, team_id, event_id)
        found = day_comparison(session, team_id, runs, cache)
        if found is None or found[1] is not None or runs[0].best_number is None:
            return
        entries = load_entries(session, runs, common_analyses(session, runs), ["time_draws", *JUDGED_BY], cache)
        known = {run: cache.analysed(session, entry) for run, entry in entries.items()}
        comparison_of(database, session, entries, known, (runs[0].id, runs[0].best_number), cache)
