"""A day's runs by what they are compared within, and the lap that each group is measured against."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import Select, exists, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.comparison.reference import Group, Standing, groups_of
from lauftakt.core.laps.conditions import Conditions, conditions_of
from lauftakt.core.laps.counting import begins_at
from lauftakt.store.comparisons import kept_comparison, key_of_runs
from lauftakt.store.database import mine
from lauftakt.store.lap_names import OWN_BESTS, lap_of
from lauftakt.store.lineup import Apart, CurveCache, common_analyses
from lauftakt.store.models import Analysis, Comparison, Event, LapRow, Run


@dataclass(frozen=True)
class DayGroup:
    """Runs of a day that are compared with each other.

    Attributes
    ----------
    conditions : in which all of them were driven
    runs : the quickest first
    base : whose lap the reference is: one of them, or a run of another day that a coach chose
    lap : that lap
    chosen : whether a coach chose it
    """

    conditions: Conditions
    runs: tuple[Run, ...]
    base: Run
    lap: LapRow
    chosen: bool

    @property
    def reference(self) -> tuple[int, int]:
        """Run and number of the reference lap."""
        return self.base.id, self.lap.number

    @property
    def compared(self) -> list[Run]:
        """All runs of the comparison, with the reference's."""
        there = any(run.id == self.base.id for run in self.runs)
        return list(self.runs) if there else [*self.runs, self.base]

    @property
    def of_own(self) -> bool:
        """Whether a single driver is measured against the own best."""
        return all(run.driver_id == self.base.driver_id for run in self.runs)


def groups_of_day(session: Session, event: Event, runs: Sequence[Run] | None = None) -> list[DayGroup]:
    """The groups of a day, dry before damp before wet.

    Parameters
    ----------
    session, event : which day
    runs : those among which it is looked, for a viewer who may not see others; None for all of the day, and for the
        reference that a coach chose for it
    """
    known = _runs_of_day(session, event) if runs is None else [run for run in runs if _compares(run, event.layout_id)]
    by_id = {run.id: run for run in known}
    own_bests = event.reference == OWN_BESTS
    found = groups_of((_standing(run) for run in known), own_bests=own_bests)
    laps = _laps(session, [by_id[group.reference.run] for group in found])
    chosen = None if runs is not None or own_bests else _chosen(session, event)
    return [
        made
        for group in found
        if (made := _group(group, by_id, laps, None if chosen is None or not _fits(group, chosen[0]) else chosen))
    ]


def latest_event(session: Session, events: Select[Event]) -> Event | None:
    """The day that is shown where none is named: the newest with a lap that counts, else the newest. A stray run
    without a timed lap takes nobody away from the day they work on.

    Parameters
    ----------
    session : where
    events : those among which it is looked
    """
    counts = exists().where(Run.event_id == Event.id, Run.best_s.is_not(None), Run.removed_at.is_(None))
    return session.scalar(events.order_by(None).order_by(counts.desc(), Event.day.desc(), Event.id.desc()).limit(1))


def group_of(groups: Sequence[DayGroup], run_id: int) -> DayGroup | None:
    """The group that a run belongs to."""
    return next((group for group in groups if any(run.id == run_id for run in group.runs)), None)


def main_group(groups: Sequence[DayGroup]) -> DayGroup | None:
    """The one with the most runs, which stands for the day where only one can."""
    return max(groups, key=lambda group: len(group.runs), default=None)


def _standing(run: Run) -> Standing:
    assert run.best_s is not None
    return Standing(
        run.id, run.driver_id, run.best_s, conditions_of(run.conditions), run.driver.reference_only, run.car_id
    )


def _runs_of_day(session: Session, event: Event) -> list[Run]:
    query = mine(Run, event.team_id).where(
        Run.event_id == event.id, Run.best_number.is_not(None), Run.analysis_id.is_not(None)
    )
    parts = joinedload(Run.driver), joinedload(Run.car), joinedload(Run.event), joinedload(Run.analysis)
    runs = session.scalars(query.options(*parts).order_by(Run.best_s, Run.id)).all()
    return [run for run in runs if _compares(run, event.layout_id)]


def _compares(run: Run, layout_id: int) -> bool:
    return run.best_s is not None and run.analysis_id is not None and run.layout_id == layout_id


def _laps(session: Session, runs: Sequence[Run]) -> dict[int, LapRow]:
    """The best lap of each run, by run."""
    best = {run.analysis_id: run.best_number for run in runs}
    query = select(LapRow).where(LapRow.analysis_id.in_(list(best)), LapRow.time_s.is_not(None))
    return {lap.run_id: lap for lap in session.scalars(query) if best[lap.analysis_id] == lap.number}


def _chosen(session: Session, event: Event) -> tuple[Run, LapRow] | None:
    """The lap that a coach chose for a day; None where nobody did, and where it is gone."""
    if event.reference is None:
        return None
    run_id, second = lap_of(event.reference)
    parts = joinedload(Run.driver), joinedload(Run.car), joinedload(Run.event), joinedload(Run.analysis)
    run = session.scalar(mine(Run, event.team_id).where(Run.id == run_id).options(*parts))
    if run is None or run.analysis_id is None or run.layout_id != event.layout_id:
        return None
    query = select(LapRow).where(LapRow.analysis_id == run.analysis_id, LapRow.time_s.is_not(None))
    middle = second + 0.5
    near = [lap for lap in session.scalars(query) if begins_at(lap, middle)]
    lap = min(near, key=lambda lap: abs(lap.start_s - middle), default=None)
    return None if lap is None else (run, lap)


def _fits(group: Group, run: Run) -> bool:
    """Whether a chosen lap was driven in the conditions of a group: no student in the wet hears a dry lap's speeds."""
    return conditions_of(run.conditions) == group.conditions


def _group(
    group: Group, runs: dict[int, Run], laps: dict[int, LapRow], chosen: tuple[Run, LapRow] | None
) -> DayGroup | None:
    own = tuple(runs[one.run] for one in group.runs)
    if chosen is not None:
        return DayGroup(group.conditions, own, *chosen, chosen=True)
    lap = laps.get(group.reference.run)
    # While a run is computed anew its summary may be ahead of its laps for a moment.
    return None if lap is None else DayGroup(group.conditions, own, runs[group.reference.run], lap, chosen=False)


@dataclass(frozen=True)
class Compared:
    """A group with the analyses it is compared on; ``key`` names the comparison, which may not be computed yet."""

    group: DayGroup
    analyses: dict[int, Analysis]
    key: str | None
    comparison: Comparison | None


def compared(session: Session, group: DayGroup, cache: CurveCache) -> Compared:
    """The comparison of a group as everything is now, where it was computed already; nothing of runs that are just
    being computed on a changed layout."""
    try:
        analyses = common_analyses(session, group.compared)
    except Apart:
        return Compared(group, {}, None, None)
    key = key_of_runs(session, group.compared, analyses, group.reference, cache)
    return Compared(group, analyses, key, kept_comparison(session, group.base.team_id, key, cache))
