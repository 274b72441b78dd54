"""What is known of a driver's run beside the day's reference: loaded once for whatever a debrief needs of it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.ground import place_of
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.findings.statement import Finding
from lauftakt.core.run import AnalysedRun
from lauftakt.store.asked import driven_at
from lauftakt.store.comparisons import statement_of
from lauftakt.store.database import mine
from lauftakt.store.lineup import Apart, Entry, common_analyses, load_entries
from lauftakt.store.models import Analysis, Comparison, Driver, LayoutRow, MarkRow, Run
from lauftakt.web.access import curve_cache
from lauftakt.web.compare.named import JUDGED
from lauftakt.work.comparing import day_comparison, runs_of_day, want_comparison

READY, COMING, FAILED, NONE = "ready", "coming", "failed", "none"


@dataclass(frozen=True)
class Day:
    """A day's runs that can be compared, quickest first, and the comparison where it is there; ``job`` is to be sent
    where it is not."""

    state: str
    runs: tuple[Run, ...]
    analyses: dict[int, Analysis]
    compared: Comparison | None
    job: int | None = None

    @property
    def base(self) -> Run | None:
        return self.runs[0] if self.runs else None


def day_of(session: Session, team_id: int, event_id: int, *, want: bool = True) -> Day:
    """What is compared on a day; a job is added where it is not computed yet, and ``want`` it is."""
    found = runs_of_day(session, team_id, event_id)
    query = mine(Run, team_id).where(Run.id.in_([run.id for run in found]))
    session.scalars(query.options(joinedload(Run.driver), joinedload(Run.car), joinedload(Run.event))).all()
    try:
        analyses = common_analyses(session, found) if found else {}
    except Apart:
        return Day(COMING, tuple(found), {}, None)
    compared = day_comparison(session, team_id, found, curve_cache())
    if compared is None:
        return Day(NONE, tuple(found), analyses, None)
    key, row = compared
    if row is not None:
        return Day(READY, tuple(found), analyses, row)
    if not want:
        return Day(COMING, tuple(found), analyses, None)
    job, hope = want_comparison(session, team_id, event_id, key)
    return Day(COMING if hope else FAILED, tuple(found), analyses, None, job)


def may_be_shown(driver: Driver) -> bool:
    """Whether others may see a driver's laps: those of instructors, and of who agreed."""
    return driver.reference_only or bool(driver.shows_laps)


@dataclass(frozen=True)
class Seen:
    """A run and the day's reference run on one layout version; ``marked`` is that with all marks that people set."""

    run: Run
    base: Run
    entries: dict[int, Entry]
    layout: Layout
    marked: Layout

    def analysed(self, session: Session, run: Run) -> AnalysedRun:
        return curve_cache().analysed(session, self.entries[run.id])

    @property
    def itself(self) -> bool:
        """Whether the driver is the reference, and measured against the own best passages."""
        return self.run.driver_id == self.base.driver_id

    @property
    def than(self) -> str:
        """What a driver is told to be quicker than: another student is named only where they agreed to be shown."""
        return self.base.driver.name if may_be_shown(self.base.driver) else "the reference"


def seen_on(session: Session, day: Day, run: Run) -> Seen:
    """A run of a day with the day's reference."""
    assert day.base is not None
    return seen_of(session, run, day.base, day.analyses)


def seen_of(session: Session, run: Run, base: Run, analyses: dict[int, Analysis]) -> Seen:
    runs = list({one.id: one for one in (run, base)}.values())
    entries = load_entries(session, runs, analyses, list(JUDGED), curve_cache())
    layout = entries[run.id].layout
    return Seen(run, base, entries, layout, with_marks(session, run.layout, layout))


def with_marks(session: Session, row: LayoutRow, layout: Layout) -> Layout:
    """A layout with the marks that lie beside it now: they are kept on the ground, not with a version."""
    rows = session.scalars(mine(MarkRow, row.team_id).where(MarkRow.layout_id == row.id).order_by(MarkRow.id))
    placed = [(mark.name, place_of(layout, mark.latitude, mark.longitude)) for mark in rows]
    return replace(layout, marks=tuple((name, place) for name, place in placed if place is not None))


def stated(day: Day, run: Run) -> tuple[list[Finding], list[Finding]]:
    """Findings and strengths of a run, as the day's comparison holds them."""
    if day.compared is None:
        return [], []
    rows = [(row.strength, statement_of(row, run.driver.name)) for row in day.compared.findings if row.run_id == run.id]
    return [one for strong, one in rows if not strong], [one for strong, one in rows if strong]


def latest_by_driver(runs: Sequence[Run]) -> dict[int, list[Run]]:
    """Runs of each driver in the order in which they were driven, by driver."""
    found: dict[int, list[Run]] = {}
    for run in sorted(runs, key=driven_at):
        found.setdefault(run.driver_id, []).append(run)
    return found
