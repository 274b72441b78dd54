"""Computes runs anew: with another version of the code, on another version of their layout, or after a correction.

The new analysis is computed aside; it becomes the run's in one transaction, and only if nothing it rests on changed
meanwhile.
"""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import and_, or_, select, update
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.dialect import Choice, Dialect
from lauftakt.core.log.model import Log, RawLog, Unusable
from lauftakt.core.pipeline import CODE_VERSION, analyse_run
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.by_lap import figures_by_lap
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.reading import READER_VERSION, read_raw
from lauftakt.store.analyses import save_analysis
from lauftakt.store.damage import Damaged
from lauftakt.store.database import Database, mine_by_id, now
from lauftakt.store.dialects import find_dialect, to_dialect
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Analysis, DialectRow, Event, HandIn, LayoutRow, Original, Run
from lauftakt.store.originals import write_original
from lauftakt.store.runs import load_raw, save_channels, save_recognition
from lauftakt.work.jobs import Claim, hold
from lauftakt.work.open_jobs import renew_runs

Say = Callable[[str], None]
# How often a renewal begins again because somebody changed what it rests on.
MOST_ROUNDS = 5


def outdated(session: Session) -> list[tuple[int, int]]:
    """Team and run of everything that another version of the code or of its layout computed, or that was never, and of
    everything whose kept file another version of the reader read: that is read again.

    A file that is damaged, or that the present reader cannot read, is left alone: trying again would change nothing.
    """
    readable = and_(
        Original.id.is_not(None),
        Original.damaged_at.is_(None),
        or_(Original.unread_by.is_(None), Original.unread_by != READER_VERSION),
    )
    rows = session.execute(
        select(Run.team_id, Run.id)
        .join(LayoutRow, LayoutRow.id == Run.layout_id)
        .outerjoin(Analysis, Analysis.id == Run.analysis_id)
        .outerjoin(Original, and_(Original.team_id == Run.team_id, Original.run_id == Run.id))
        .where(
            LayoutRow.current_id.is_not(None),
            or_(
                Analysis.id.is_(None),
                Analysis.code_version != CODE_VERSION,
                Analysis.layout_version_id != LayoutRow.current_id,
                Analysis.reading != Run.reading,
                and_(Run.reader_version != READER_VERSION, readable),
            ),
        )
        .order_by(Run.id)
    ).all()
    return [(team_id, run_id) for team_id, run_id in rows]


def want_all(database: Database, say: Say) -> list[int]:
    """Jobs for everything that is outdated; the old numbers are shown until the new ones are there."""
    with database.begin() as session:
        waiting = outdated(session)
        jobs: list[int] = []
        for team_id in dict.fromkeys(team for team, _ in waiting):
            jobs += renew_runs(session, team_id, [run for team, run in waiting if team == team_id])
    if waiting:
        say(f"{len(waiting)} runs are computed anew with the present version, in the background.")
    return jobs


@dataclass(frozen=True)
class _Basis:
    """What an analysis rests on, read at one moment."""

    raw: RawLog
    dialect: Dialect | None
    dialect_id: int | None
    layout: Layout
    layout_version_id: int
    sector_set_id: int | None
    reading: int
    read_again: bool

    def holds(self, run: Run) -> bool:
        """Whether nothing of it changed since."""
        return (self.reading, self.layout_version_id, self.sector_set_id) == (
            run.reading,
            run.layout.current_id,
            run.event.sector_set_id,
        )


def renew_run(database: Database, team_id: int, run_id: int, ours: Claim | None = None) -> None:
    """Understand and compute one run again, with what is known of its logger and what was said about it.

    Parameters
    ----------
    database, team_id, run_id : which
    ours : the job, where it is one

    Raises
    ------
    Unusable
        where the run cannot be used so; it stays as it was.
    Lost
        where the job was taken by another worker.
    """
    for _ in range(MOST_ROUNDS):
        made = computed(database, team_id, run_id)
        basis, log, analysed = made.basis, made.log, made.analysed
        by_lap = figures_by_lap(log, analysed.laps, analysed.signals, basis.layout.length)
        with database.begin() as session:
            if ours is not None:
                hold(session, ours)
            run = session.get_one(Run, run_id, with_for_update=True, populate_existing=True)
            if not basis.holds(run):
                continue
            if basis.read_again:
                save_channels(session, run, basis.raw)
                run.reader_version = READER_VERSION
            run.dialect_id = basis.dialect_id
            save_recognition(session, run, log)
            save_analysis(session, run, analysed, basis.layout_version_id, basis.sector_set_id, basis.reading, by_lap)
            # Whoever looks at the list of files is told the new numbers with the next look.
            session.execute(
                update(HandIn).where(HandIn.team_id == team_id, HandIn.run_id == run.id).values(changed_at=now())
            )
            return
    raise Unusable("changing", "The run was changed again and again while it was computed. Try again.")


@dataclass(frozen=True)
class Computed:
    """A run as the present program understands it, and what that rests on."""

    basis: _Basis
    log: Log
    analysed: AnalysedRun


def computed(database: Database, team_id: int, run_id: int) -> Computed:
    """Understand and compute a run; nothing is stored.

    Raises
    ------
    Unusable
        where it cannot be used so.
    lauftakt.store.damage.Damaged
    """
    with database.begin() as session:
        basis = basis_of(session, mine_by_id(session, Run, team_id, run_id))
    # Computed outside of any transaction: nothing is locked meanwhile.
    log = interpret(basis.raw, basis.dialect)
    return Computed(basis, log, analyse_run(log, basis.layout))


def basis_of(session: Session, run: Run) -> _Basis:
    """What an analysis of a run rests on now."""
    raw, fixed, again = _raw_of(session, run)
    row = find_dialect(session, run.team_id, (channel.name for channel in raw.channels))
    said = {"conditions": run.conditions} if run.conditions else {}
    layout_row, event = session.get_one(LayoutRow, run.layout_id), session.get_one(Event, run.event_id)
    if layout_row.current_id is None:
        raise Unusable("no-layout", "The layout of this run has no version to place it on.")
    return _Basis(
        raw=RawLog(raw.channels, raw.meta | said, raw.warnings),
        dialect=_dialect(row, fixed),
        dialect_id=row.id if row is not None else None,
        layout=load_layout(session, layout_row.current_id, event.sector_set_id),
        layout_version_id=layout_row.current_id,
        sector_set_id=event.sector_set_id,
        reading=run.reading,
        read_again=again,
    )


def _raw_of(session: Session, run: Run) -> tuple[RawLog, dict[str, Choice], bool]:
    """The log as stored; read again from the kept bytes where the reader has changed since.

    A kept file that cannot be read again is noted, in the caller's transaction; what was stored is there, and good.
    """
    if run.reader_version != READER_VERSION:
        original = session.scalar(select(Original).where(Original.team_id == run.team_id, Original.run_id == run.id))
        if original is not None:
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / f"log{Path(original.file_name).suffix[:12]}"
                try:
                    write_original(session, original, path)
                    original.damaged_at = None
                    raw = read_raw(path)
                    original.unread_by = None
                    return raw, {}, True
                except Damaged:
                    original.damaged_at = now()
                except Unusable:
                    original.unread_by = READER_VERSION
    raw, fixed = load_raw(session, run)
    return raw, fixed, False


def _dialect(row: DialectRow | None, fixed: dict[str, Choice]) -> Dialect | None:
    """What was fixed by an older version, and what the team said since, which counts more."""
    if row is None:
        return Dialect(frozenset(fixed), fixed) if fixed else None
    known = to_dialect(row)
    return Dialect(known.names, fixed | known.choices)
