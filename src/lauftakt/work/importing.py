"""Imports one file: from its bytes to a run in the database, whole or not at all."""

from dataclasses import replace
from typing import Any

import numpy as np
from sqlalchemy import or_, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.model import Log, RawLog, Unusable, Warning
from lauftakt.core.log.twins import same_laps
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.reading import kind_of, read_raw
from lauftakt.store.database import Database, mine, mine_by_id
from lauftakt.store.dialects import find_dialect, to_dialect
from lauftakt.store.layouts import fill_row, layouts_near, sketch_of, to_layout
from lauftakt.store.models import Driver, HandIn, LapRow, LayoutRow, Run
from lauftakt.store.runs import inner, load_curves, named, save_run
from lauftakt.work.given_files import import_given
from lauftakt.work.labelling import propose
from lauftakt.work.sources import Report, Source, alone

# Lap times of one log in two dialects differ by less.
TIME_SLACK_S = 0.1
MOST_TWINS = 40


def import_file(database: Database, source: Source, report: Report) -> None:
    """Import a log, a layout or a dialect; the hand-in's row tells its fate.

    Parameters
    ----------
    database : where to
    source : what
    report : called with progress (0 to 1) and the step's name; may raise :class:`lauftakt.work.sources.Cancelled`

    Raises
    ------
    Unusable
        with the sentence for the person; nothing was stored.
    Cancelled
        from ``report``; nothing was stored.
    """
    report(0.05, "reading")
    if kind_of(source.path) == "layout":
        import_given(database, source)
        return
    _refuse_twin(database, source)
    raw = read_raw(source.path)
    report(0.25, "recognising")
    with database.begin() as session:
        row = find_dialect(session, source.team_id, (channel.name for channel in raw.channels))
        dialect, dialect_id = (to_dialect(row), row.id) if row is not None else (None, None)
    log = interpret(raw, dialect)
    report(0.4, "placing")
    found = _on_known_layout(database, source, log)
    if found is not None:
        _store(database, source, raw, log, dialect_id, found, report)
        return
    # Two files of a circuit never seen must not make two layouts of it.
    with alone(database, f"lauftakt-layout-{source.team_id}"):
        found = _on_known_layout(database, source, log) or _on_new_layout(database, source, log)
        _store(database, source, raw, log, dialect_id, found, report)


Found = tuple[LayoutRow, Layout, AnalysedRun]


def _refuse_twin(database: Database, source: Source) -> None:
    with database.begin() as session:
        hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
        twin = session.scalar(mine(Run, source.team_id).where(Run.sha256 == hand_in.sha256))
        if twin is not None:
            raise _duplicate(twin.file_name)


def _duplicate(file_name: str) -> Unusable:
    return Unusable("duplicate", f"This log was handed in before, as “{file_name}”; nothing was stored twice.")


def where(log: Log) -> tuple[float, float]:
    """Latitude and longitude of a run's middle.

    Raises
    ------
    Unusable
        ``no-positions``
    """
    latitude, longitude = log.role("latitude"), log.role("longitude")
    if latitude is None or longitude is None:
        raise Unusable(
            "no-positions",
            "The log holds no latitude and longitude, so it cannot be placed on a circuit. Name the columns “latitude” "
            "and “longitude”, or hand in a run with positions of the same circuit first and name it in the log.",
        )
    return float(np.median(latitude.values)), float(np.median(longitude.values))


def _on_known_layout(database: Database, source: Source, log: Log) -> Found | None:
    """The first layout nearby on which the run fits."""
    with database.begin() as session:
        if log.role("latitude") is None:
            # Without positions the circuit's name says where the run was; its corners must agree.
            name = " ".join(log.meta.get("circuit", "").split())
            near = list(session.scalars(mine(LayoutRow, source.team_id).where(LayoutRow.name == name)))
        else:
            near = layouts_near(session, source.team_id, *where(log))
        rows = [row for row in near if row.geometry is not None]
    for row in rows:
        layout = to_layout(row)
        try:
            return row, layout, analyse_run(log, layout)
        except Unusable as error:
            if error.code != "elsewhere":
                raise
    return None


def _on_new_layout(database: Database, source: Source, log: Log) -> Found:
    """A layout made from this run: from a start line that waits nearby, or from the log alone."""
    with database.begin() as session:
        near = layouts_near(session, source.team_id, *where(log))
        waiting = [row for row in near if row.geometry is None]
        known = [to_layout(row) for row in near if row.geometry is not None]
    for row in waiting:
        try:
            layout, warnings = make_layout(log, sketch_of(row))
        except Unusable as error:
            if error.code not in ("no-laps", "start-line"):
                raise
            continue
        break
    else:
        row = LayoutRow(team_id=source.team_id, version=1)
        name = " ".join(log.meta.get("circuit", "").split())[:180]
        layout, warnings = make_layout(log, name or f"Circuit of {source.file_name}"[:180])
        other = next((item for item in known if layout.runs_against(item)), None)
        if other is not None:
            layout = replace(layout, name=f"{other.name}, other direction"[:200])
        taken = {item.name for item in known}
        own, number = layout.name, 2
        while own in taken:
            own, number = f"{layout.name} ({number})", number + 1
        layout = replace(layout, name=own)
    analysed = analyse_run(log, layout)
    told = Warning(
        "new-layout",
        f"The layout “{layout.name}” was made from this run: {layout.length:.0f} m, {len(layout.corners)} corners.",
    )
    return row, layout, replace(analysed, warnings=(*analysed.warnings, *warnings, told))


def _store(
    database: Database,
    source: Source,
    raw: RawLog,
    log: Log,
    dialect_id: int | None,
    found: Found,
    report: Report,
) -> None:
    """One transaction: the run with all that belongs to it, and the file's fate.

    Only one run of a team is stored at a time, so that neither two dialects of one log nor two first runs of a driver
    can slip past each other; all computing is done before.
    """
    row, layout, analysed = found
    report(0.7, "storing")
    try:
        with alone(database, f"lauftakt-store-{source.team_id}"), database.begin() as session:
            hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
            overlaps = overlapping(session, source.team_id, row, layout, analysed) if row.geometry is not None else []
            new = row.id is None
            row = session.merge(row)
            if row.geometry is None:
                fill_row(row, layout)
                session.flush()
            labels = propose(session, source.team_id, hand_in, raw, row)
            driver = (
                mine_by_id(session, Driver, source.team_id, hand_in.driver_id)
                if hand_in.driver_id is not None
                else named(session, Driver, source.team_id, labels.driver)
            )
            if labels.conditions == "wet" and "wet" not in {lap.set_aside for lap in analysed.laps}:
                wet = [replace(lap, set_aside=lap.set_aside or "wet") if lap.time_s else lap for lap in analysed.laps]
                analysed = replace(analysed, laps=tuple(wet))
            run = save_run(
                session,
                team_id=source.team_id,
                raw=raw,
                log=log,
                analysed=analysed,
                layout=row,
                driver=driver,
                labels=labels,
                dialect_id=dialect_id,
                overlaps=overlaps,
                file_name=source.file_name,
                sha256=hand_in.sha256,
                received=hand_in.created_at,
            )
            hand_in.run_id, hand_in.driver_id = run.id, driver.id
            hand_in.state = "taken"
            hand_in.code, hand_in.message = _fate(new, layout, overlaps, raw, driver, labels.told_by)
            report(0.95, "storing")
    except IntegrityError as error:
        if "sha256" in str(error.orig):
            raise _duplicate(source.file_name) from error
        raise


def _fate(
    new: bool, layout: Layout, overlaps: list[dict[str, Any]], raw: RawLog, driver: Driver, told: dict[str, str]
) -> tuple[str | None, str | None]:
    """A code and a sentence, where there is more to say of a run that was taken than its laps."""
    if overlaps:
        return "overlap", " ".join(item["message"] for item in overlaps)
    said = raw.meta.get("driver")
    if told.get("driver") == "link" and said and said.casefold() != driver.name.casefold():
        return "other-name", f"The file names “{said[:60]}” as its driver; it came by the link of {driver.name}."
    if new:
        return "new-layout", f"A circuit not seen before: the layout “{layout.name}” was made from this run."
    return None, None


def overlapping(
    session: Session, team_id: int, row: LayoutRow, layout: Layout, analysed: AnalysedRun
) -> list[dict[str, Any]]:
    """Runs that hold some of the same laps, and what to say of each.

    Raises
    ------
    Unusable
        ``duplicate`` where all timed laps of the run are in one that is stored.
    """
    own = {number: trace.time for number, trace in analysed.traces.items()}
    if not own:
        return []
    between = [
        LapRow.time_s.between(float(time[-1]) - TIME_SLACK_S, float(time[-1]) + TIME_SLACK_S) for time in own.values()
    ]
    ids = session.scalars(
        select(LapRow.run_id)
        .join(Run, Run.id == LapRow.run_id)
        .where(LapRow.team_id == team_id, Run.layout_id == row.id, Run.layout_version == row.version, or_(*between))
        .distinct()
        .order_by(LapRow.run_id.desc())
        .limit(MOST_TWINS)
    ).all()
    found: list[dict[str, Any]] = []
    part = inner(layout)
    curves = load_curves(session, team_id, list(ids), ["time"]) if ids else {}
    for run_id in ids:
        other = session.get_one(Run, run_id)
        numbers = [lap.number for lap in other.laps if lap.time_s is not None]
        rows = curves.get((run_id, "time"))
        if rows is None or len(rows) != len(numbers):
            continue
        same = same_laps(own, {number: rows[i, part] for i, number in enumerate(numbers)})
        if not same:
            continue
        if len(same) == len(own) and len(own) <= len(numbers):
            raise _duplicate(other.file_name)
        first, last = min(same), max(same)
        found.append(
            {
                "run": run_id,
                "laps": {str(a): b for a, b in same.items()},
                "message": f"{'Lap ' + str(first) if first == last else f'Laps {first} to {last}'} "
                f"{'is' if first == last else 'are'} also in “{other.file_name[:80]}”.",
            }
        )
    return found
