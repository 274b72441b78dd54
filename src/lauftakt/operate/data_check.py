"""Whether what is stored of runs is what was written, and what the present program computes; and mending it."""

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.log.model import Unusable
from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.core.technique.figures import Figures
from lauftakt.store.analyses import AllFigures, load_curves, load_figures, load_figures_by_lap
from lauftakt.store.blocks import unpack
from lauftakt.store.counting import laps_of
from lauftakt.store.damage import Damaged, digest_of_blocks, parts
from lauftakt.store.database import INCLUDE_REMOVED, Database
from lauftakt.store.models import Analysis, ChannelRow, Curves, LayoutVersion, Run
from lauftakt.store.runs import load_samples
from lauftakt.work.mending import backup_that_holds, put_aside
from lauftakt.work.renewing import computed, renew_run

# By how much a fresh computation may differ: processors with and without fused multiplication do by less.
SECONDS, SHARE = 1e-4, 1e-3
LapTimes = tuple[int, float | None, tuple[float, ...]]


@dataclass(frozen=True)
class Found:
    """Something that is not as it should be; ``bad``: data or work are in danger."""

    bad: bool
    text: str


def check_data(database: Database, var: Path, *, mend: bool) -> Iterator[Found]:
    """Read everything that is stored of runs; with ``mend`` what can be is made anew at once."""
    with database.begin() as session:
        runs = list(session.scalars(select(Run.id).order_by(Run.id), execution_options=INCLUDE_REMOVED))
        versions = list(session.scalars(select(LayoutVersion.id).order_by(LayoutVersion.id)))
    for run_id in runs:
        yield from _check_run(database, var, run_id, mend)
    for version_id in versions:
        with database.begin() as session:
            version = session.get_one(LayoutVersion, version_id)
            try:
                unpack(version.geometry)
            except Damaged:
                name = f"Version {version.number} of the layout {version.layout.name}"
                yield Found(True, f"{name} cannot be read back; bring a backup back.")


def _check_run(database: Database, var: Path, run_id: int, mend: bool) -> Iterator[Found]:
    for part in (_look_at_samples, _look_at_analysis):
        try:
            with database.begin() as session:
                part(session, run_id)
        except Damaged as error:
            yield _told(database, var, run_id, error, mend)


def _look_at_samples(session: Session, run_id: int) -> None:
    """Read every channel.

    Raises
    ------
    Damaged
    """
    for row in session.scalars(select(ChannelRow).where(ChannelRow.run_id == run_id).order_by(ChannelRow.id)):
        load_samples(session, row)


def _look_at_analysis(session: Session, run_id: int) -> None:
    """Read all that belongs to a run's present analysis.

    Raises
    ------
    Damaged
    """
    query = select(Run.analysis_id).where(Run.id == run_id)
    analysis_id = session.scalar(query, execution_options=INCLUDE_REMOVED)
    if analysis_id is None:
        return
    row = session.get_one(Analysis, analysis_id)
    laps_of(session, row.id)
    load_figures(session, row.team_id, row.id)
    load_figures_by_lap(session, row.team_id, [row.id])
    load_curves(session, row.team_id, [row.id], _every_role(session, row.id))
    if row.digest is not None and parts(row.digest)[2] != digest_of_blocks(session, row):
        raise Damaged("Numbers are not those that were stored.", part="analysis", analysis_id=row.id)


def _every_role(session: Session, analysis_id: int) -> list[str]:
    return list(session.scalars(select(Curves.role).where(Curves.analysis_id == analysis_id)))


def _told(database: Database, var: Path, run_id: int, error: Damaged, mend: bool) -> Found:
    what = "The samples" if error.part == "samples" else "The computed numbers"
    with database.begin() as session:
        run = session.scalars(select(Run).where(Run.id == run_id), execution_options=INCLUDE_REMOVED).one()
        name = f"{what} of {run.driver.name}’s run “{run.file_name}” of {run.event.day} (run {run.id})"
        team_id, holds = run.team_id, backup_that_holds(session, run_id, var / "backup")
    where = f"they are in the backup {holds}." if holds else "no backup made since holds them."
    if not mend:
        return Found(True, f"{name} are damaged. lauftakt check --mend makes them anew; {where}")
    aside = put_aside(database, error)
    why = _mend(database, team_id, run_id) if aside.mends else ""
    if why is None:
        return Found(False, f"{name} were damaged, and were made anew.")
    return Found(True, f"{name} are damaged and cannot be made anew{f' ({why})' if why else ''}; {where}")


def _mend(database: Database, team_id: int, run_id: int) -> str | None:
    """Compute a run anew here and now; why it is not whole again, None where it is."""
    try:
        renew_run(database, team_id, run_id)
        with database.begin() as session:
            _look_at_samples(session, run_id)
            _look_at_analysis(session, run_id)
    except (Damaged, Unusable) as error:
        return str(error)
    return None


def check_computed(database: Database, count: int, say: Callable[[str], None], *, mend: bool) -> Iterator[Found]:
    """Compute some runs afresh and compare their numbers with those that are stored.

    Parameters
    ----------
    database : where
    count : how many, drawn at random
    say : told which were looked at
    mend : store what was computed where it differs
    """
    with database.begin() as session:
        query = select(Run.id).join(Analysis, Analysis.id == Run.analysis_id)
        runs = list(session.scalars(query.where(Analysis.code_version == CODE_VERSION)))
    chosen = sorted(random.sample(runs, min(count, len(runs))))
    say(f"  computed anew: {len(chosen)} of {len(runs)} runs ({', '.join(map(str, chosen))})")
    for run_id in chosen:
        try:
            wrong = _differs(database, run_id)
        except Damaged:
            continue  # told before
        if wrong:
            with database.begin() as session:
                run = session.get_one(Run, run_id)
                name = f"{run.driver.name}’s run “{run.file_name}” (run {run_id})"
                team_id = run.team_id
            told = f"{wrong} of {name} are not what this program computes"
            if mend and _mend(database, team_id, run_id) is None:
                yield Found(False, f"{told}; they were made anew.")
            else:
                yield Found(True, f"{told}; lauftakt check --deep --mend makes them anew.")


def _differs(database: Database, run_id: int) -> str | None:
    """What of a run's stored numbers is not what is computed now."""
    with database.begin() as session:
        run = session.get_one(Run, run_id)
        team_id, analysis_id = run.team_id, run.analysis_id or 0
        stored = [(lap.number, lap.time_s, lap.sector_times_s) for lap in laps_of(session, analysis_id)]
        figures = load_figures(session, team_id, analysis_id) or {}
        curves = load_curves(session, team_id, [analysis_id], ["time", "speed"])
    fresh = computed(database, team_id, run_id).analysed
    now = [(lap.number, lap.time_s, lap.sector_times_s) for lap in fresh.laps]
    if len(now) != len(stored) or not all(_same_lap(a, b) for a, b in zip(now, stored, strict=True)):
        return "Lap times"
    if fresh.signals is not None:
        for role, rows in (("time", fresh.signals.time), ("speed", fresh.signals.speed)):
            found = curves.get((analysis_id, role))
            if found is None or found.shape != rows.shape or not np.allclose(found, rows, SHARE, SHARE, equal_nan=True):
                return "Curves"
    if fresh.technique is not None and not _same_figures(fresh.technique.everything(), figures):
        return "Figures"
    return None


def _same_lap(one: LapTimes, other: LapTimes) -> bool:
    times = [item[1] if item[1] is not None else -1.0 for item in (one, other)]
    return (
        one[0] == other[0]
        and abs(times[0] - times[1]) < SECONDS
        and len(one[2]) == len(other[2])
        and bool(np.allclose(one[2], other[2], 0, SECONDS))
    )


def _same_figures(one: AllFigures, other: AllFigures) -> bool:
    return one.keys() == other.keys() and all(_same(one[key], other[key]) for key in one)


def _same(one: Figures | None, other: Figures | None) -> bool:
    if one is None or other is None:
        return one is other
    for code, value in vars(one).items():
        there = getattr(other, code)
        if isinstance(value, float) and isinstance(there, float):
            if not np.isclose(value, there, SHARE, SHARE, equal_nan=True):
                return False
        elif isinstance(value, int | float | str | None) and value != there:
            return False
    return True
