"""A team's runs over days, read at once: without laps, curves or rows that a session would have to look after."""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from typing import Any

from sqlalchemy import BigInteger, cast, func, select
from sqlalchemy.orm import Session, aliased

from lauftakt.core.debrief.alike import Setting
from lauftakt.core.season.pace import RunPace
from lauftakt.store.following import Driven, debriefs_to_follow, pace_from_row, pace_key
from lauftakt.store.following import driver_key as key_of_runs
from lauftakt.store.models import Car, Debrief, Event, Run, RunPaceRow

# Paces kept at hand: several seasons of a school.
MOST_PACES = 10_000
# Teams whose season is kept at hand.
MOST_SEASONS = 30


class PaceCache:
    """Paces that were unpacked before; each holds for good under its run and its key."""

    def __init__(self, most: int = MOST_PACES) -> None:
        self._most, self._lock = most, Lock()
        self._paces: OrderedDict[tuple[int, str], RunPace] = OrderedDict()

    def get(self, session: Session, team_id: int, wanted: Sequence[tuple[int, str]]) -> dict[int, RunPace]:
        """Paces by run, of those that are kept as they are now; asks the database only for what is not at hand."""
        with self._lock:
            found = {run: self._paces[run, key] for run, key in wanted if (run, key) in self._paces}
        missing = [run for run, _ in wanted if run not in found]
        if missing:
            query = select(RunPaceRow.run_id, RunPaceRow.key, RunPaceRow.pace).where(
                RunPaceRow.team_id == team_id, RunPaceRow.run_id.in_(missing)
            )
            keys = dict(wanted)
            read = {(run, key): pace_from_row(pace) for run, key, pace in session.execute(query) if keys[run] == key}
            found |= {run: pace for (run, _), pace in read.items()}
            with self._lock:
                self._paces |= read
                while len(self._paces) > self._most:
                    self._paces.popitem(last=False)
        return found


@dataclass(frozen=True)
class SeasonRun:
    """A run with laps that count, as lists and figures over days need it; ``followed`` says whether its pace was worked
    out for the run as it is now, ``pace`` is None where it was not, or was not read."""

    id: int
    driver: int
    event: int
    event_name: str
    day: str
    started_at: datetime | None
    kind: str
    setting: Setting
    analysis: int | None
    decided: int
    laps: int
    laps_all: int
    duration_s: float | None
    best_s: float
    theoretical_s: float | None
    version: int | None
    followed: bool
    pace: RunPace | None

    @property
    def driven(self) -> Driven:
        at = self.day, self.started_at.isoformat() if self.started_at else "", self.id
        return Driven(self.id, self.driver, self.analysis, self.decided, at, self.setting)


def runs_of_season(session: Session, team_id: int, cache: PaceCache | None) -> list[SeasonRun]:
    """Runs of a team in the order in which they were driven; without a cache their paces are not read."""
    car = aliased(Car)
    query = (
        select(
            Run.id, Run.driver_id, Run.event_id, Event.name, Event.day, Run.started_at, Run.kind, Run.layout_id,
            Run.car_id, car.name, Run.tyres, Run.conditions, Run.analysis_id, Run.decided, Run.laps_counting,
            Run.laps_all, Run.duration_s, Run.best_s, Run.theoretical_best_s, RunPaceRow.layout_version_id,
            RunPaceRow.key,
        )
        .join(Event, Event.id == Run.event_id)
        .outerjoin(car, car.id == Run.car_id)
        .outerjoin(RunPaceRow, RunPaceRow.run_id == Run.id)
        .where(Run.team_id == team_id, Run.analysis_id.is_not(None), Run.best_s.is_not(None))
    )  # fmt: skip
    rows = session.execute(query).all()
    fresh = {row[0]: row[20] for row in rows if row[20] is not None and row[20] == pace_key(row[12] or 0, row[13])}
    paces = {} if cache is None else cache.get(session, team_id, list(fresh.items()))
    found = []
    for (
        run, driver, event, name, day, started, kind, layout, car_id, car_name, tyres, conditions, analysis, decided,
        laps, laps_all, duration, best, theoretical, version, _,
    ) in rows:  # fmt: skip
        setting = Setting(layout, day, car_id, car_name or "", tyres or None, conditions)
        pace = paces.get(run)
        found.append(
            SeasonRun(
                run, driver, event, name, day, started, kind, setting, analysis, decided, laps, laps_all, duration,
                best or 0.0, theoretical, version if run in fresh else None, run in fresh, pace,
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: one.driven.at)


@dataclass(frozen=True)
class Season:
    """A team's runs in the order in which they were driven, and what is not followed as everything is now: runs whose
    pace, and debriefs whose cues' courses, are to be worked out. ``name`` changes with any of it."""

    name: str
    runs: tuple[SeasonRun, ...]
    paces_left: tuple[int, ...]
    courses_left: tuple[int, ...]


class SeasonCache:
    """Seasons read last, each for as long as nothing of it changes in the database."""

    def __init__(self, most: int = MOST_SEASONS) -> None:
        self.paces = PaceCache()
        self._most, self._lock = most, Lock()
        self._seasons: OrderedDict[int, Season] = OrderedDict()

    def get(self, session: Session, team_id: int) -> Season:
        """A team's season as it is now."""
        name = season_name(session, team_id)
        with self._lock:
            kept = self._seasons.get(team_id)
            if kept is not None and kept.name == name:
                self._seasons.move_to_end(team_id)
                return kept
        runs = runs_of_season(session, team_id, self.paces)
        paces, courses = not_followed(session, team_id, runs)
        found = Season(name, tuple(runs), tuple(paces), tuple(courses))
        with self._lock:
            self._seasons[team_id] = found
            while len(self._seasons) > self._most:
                self._seasons.popitem(last=False)
        return found


def season_name(session: Session, team_id: int) -> str:
    """A name that changes with anything that a season is read from: worked out by the database, in one row.

    Digests of rows are put together by exclusive or; a row's own number is in its digest, so no two cancel out.
    """

    def digest(*columns: Any) -> Any:
        whole = func.sha2(func.concat_ws("\x1f", *(func.coalesce(column, "\x1e") for column in columns)), 256)
        # The first 60 bits of it, as a number.
        return func.count(), func.bit_xor(cast(func.conv(func.left(whole, 15), 16, 10), BigInteger))

    car = aliased(Car)
    runs = (
        select(
            *digest(
                Run.id, Run.driver_id, Run.event_id, Event.name, Event.day, Run.started_at, Run.kind, Run.layout_id,
                Run.car_id, car.name, Run.tyres, Run.conditions, Run.analysis_id, Run.decided, Run.laps_counting,
                Run.laps_all, Run.duration_s, Run.best_s, Run.theoretical_best_s, RunPaceRow.key,
            )
        )
        .select_from(Run)
        .join(Event, Event.id == Run.event_id)
        .outerjoin(car, car.id == Run.car_id)
        .outerjoin(RunPaceRow, RunPaceRow.run_id == Run.id)
        .where(Run.team_id == team_id, Run.analysis_id.is_not(None), Run.best_s.is_not(None))
    )  # fmt: skip
    debriefs = select(*digest(Debrief.id, Debrief.driver_id, Debrief.run_id, Debrief.given_at, Debrief.followed)).where(
        Debrief.team_id == team_id
    )
    return repr([tuple(session.execute(query).one()) for query in (runs, debriefs)])


def driver_keys(runs: Sequence[SeasonRun]) -> dict[int, str]:
    """A name of all runs of each driver; ``runs`` in the order in which they were driven."""
    by_driver: dict[int, list[Driven]] = {}
    for run in runs:
        by_driver.setdefault(run.driver, []).append(run.driven)
    return {driver: key_of_runs(own) for driver, own in by_driver.items()}


def to_be_followed(session: Session, team_id: int) -> tuple[list[int], list[int]]:
    """Runs whose pace, and debriefs whose cues' courses, are not known as everything is now."""
    return not_followed(session, team_id, runs_of_season(session, team_id, None))


def not_followed(session: Session, team_id: int, runs: Sequence[SeasonRun]) -> tuple[list[int], list[int]]:
    """The same of runs that were read already: all of a team's."""
    return [run.id for run in runs if not run.followed], debriefs_to_follow(session, team_id, driver_keys(runs))
