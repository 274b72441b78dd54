"""What is known of a driver's run beside the day's reference: loaded once for whatever a debrief needs of it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.ground import place_of
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.alike import Difference, differences
from lauftakt.core.findings.statement import Finding
from lauftakt.core.run import AnalysedRun
from lauftakt.service.day import Compared, DayGroup, compared, groups_of_day, main_group
from lauftakt.store.asked import driven_at, setting_of
from lauftakt.store.comparisons import statement_of
from lauftakt.store.database import mine
from lauftakt.store.lineup import Entry, load_entries
from lauftakt.store.models import Analysis, Driver, Event, LayoutRow, MarkRow, Run
from lauftakt.web.access import curve_cache
from lauftakt.web.compare.named import JUDGED
from lauftakt.work.comparing import want_comparison

READY, COMING, FAILED, NONE = "ready", "coming", "failed", "none"


@dataclass(frozen=True)
class Day:
    """A day's groups with their comparisons where they are there; ``job`` is to be sent where one is not."""

    state: str
    parts: tuple[Compared, ...]
    job: int | None = None

    def of(self, run: Run) -> Compared | None:
        """The part that a run belongs to, where it can be compared now."""
        own = next((part for part in self.parts if any(one.id == run.id for one in part.group.runs)), None)
        return None if own is None or run.id not in own.analyses else own

    @property
    def main(self) -> DayGroup | None:
        return main_group([part.group for part in self.parts])


def day_of(session: Session, team_id: int, event_id: int, *, want: bool = True) -> Day:
    """What is compared on a day; a job is added where something is not computed yet, and ``want`` it is."""
    event = session.scalar(select(Event).where(Event.team_id == team_id, Event.id == event_id))
    if event is None:
        return Day(NONE, ())
    parts = tuple(compared(session, group, curve_cache()) for group in groups_of_day(session, event))
    if not parts:
        return Day(NONE, parts)
    missing = next((part for part in parts if part.comparison is None), None)
    if missing is None:
        return Day(READY, parts)
    if missing.key is None or not want:
        return Day(COMING, parts)
    job, hope = want_comparison(session, team_id, event_id, missing.key)
    return Day(COMING if hope else FAILED, parts, job)


def may_be_shown(driver: Driver) -> bool:
    """Whether others may see a driver's laps: those of instructors, and of who agreed."""
    return driver.reference_only or bool(driver.shows_laps)


@dataclass(frozen=True)
class Seen:
    """A run and the day's reference run on one layout version.

    ``marked`` is that with all marks that people set, ``lap`` the number of the reference lap, ``chosen`` whether a
    coach chose it, ``across`` in what else than the driving the two differ although a coach chose to compare them: no
    figure of such a reference is asked of anybody.
    """

    run: Run
    base: Run
    lap: int
    entries: dict[int, Entry]
    layout: Layout
    marked: Layout
    chosen: bool = False
    across: tuple[Difference, ...] = ()

    def analysed(self, session: Session, run: Run) -> AnalysedRun:
        return curve_cache().analysed(session, self.entries[run.id])

    @property
    def itself(self) -> bool:
        """Whether the driver is the reference, and measured against the own best passages."""
        return self.run.driver_id == self.base.driver_id

    @property
    def measured(self) -> bool:
        """Whether the reference's figures may be asked of the driver."""
        return not self.itself and not self.across

    @property
    def than(self) -> str:
        """Whom a driver is told to be measured against: another student is named only where they agreed to be shown."""
        if may_be_shown(self.base.driver):
            return self.base.driver.name
        return "the lap your coach chose" if self.chosen else "the quickest driver of the day"


def seen_on(session: Session, day: Day, run: Run) -> Seen | None:
    """A run of a day with the reference of its like; None where it cannot be compared now."""
    part = day.of(run)
    if part is None:
        return None
    group = part.group
    seen = seen_of(session, run, group.base, group.lap.number, part.analyses)
    across = differences(setting_of(run), setting_of(group.base)) if group.chosen and not seen.itself else ()
    return replace(seen, chosen=group.chosen, across=across)


def seen_of(session: Session, run: Run, base: Run, number: int, analyses: dict[int, Analysis]) -> Seen:
    runs = list({one.id: one for one in (run, base)}.values())
    entries = load_entries(session, runs, analyses, list(JUDGED), curve_cache())
    layout = entries[run.id].layout
    return Seen(run, base, number, entries, layout, with_marks(session, run.layout, layout))


def with_marks(session: Session, row: LayoutRow, layout: Layout) -> Layout:
    """A layout with the marks that lie beside it now: they are kept on the ground, not with a version."""
    rows = session.scalars(mine(MarkRow, row.team_id).where(MarkRow.layout_id == row.id).order_by(MarkRow.id))
    placed = [(mark.name, place_of(layout, mark.latitude, mark.longitude)) for mark in rows]
    return replace(layout, marks=tuple((name, place) for name, place in placed if place is not None))


def stated(day: Day, run: Run) -> tuple[list[Finding], list[Finding]]:
    """Findings and strengths of a run, as the comparison of its like holds them."""
    part = day.of(run)
    if part is None or part.comparison is None:
        return [], []
    found = part.comparison.findings
    rows = [(row.strength, statement_of(row, run.driver.name)) for row in found if row.run_id == run.id]
    return [one for strong, one in rows if not strong], [one for strong, one in rows if strong]


def latest_by_driver(runs: Sequence[Run]) -> dict[int, list[Run]]:
    """Runs of each driver in the order in which they were driven, by driver."""
    found: dict[int, list[Run]] = {}
    for run in sorted(runs, key=driven_at):
        found.setdefault(run.driver_id, []).append(run)
    return found
