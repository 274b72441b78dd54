"""Imports one file: from its bytes to a run in the database, whole or not at all."""

import hashlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from sqlalchemy import text
from sqlalchemy.orm import Session

from lauftakt.core.analysis import AnalysedRun, analyse_run, make_layout
from lauftakt.core.layout import Layout
from lauftakt.core.log import Log, Unusable
from lauftakt.formats.geojson import read_layout
from lauftakt.formats.reading import read_log
from lauftakt.store.database import Database, mine, mine_by_id
from lauftakt.store.layouts import add_sketch, fill_row, layouts_near, sketch_of, to_layout
from lauftakt.store.models import Driver, HandIn, LayoutRow, Run
from lauftakt.store.runs import named, save_run

Report = Callable[[float, str], None]


class Cancelled(Exception):
    """Somebody asked to stop."""


@dataclass(frozen=True)
class Source:
    """A file to import, and what is known of it beforehand."""

    path: Path
    file_name: str
    team_id: int
    hand_in_id: int
    driver_id: int | None
    driver_name: str | None = None


def sha256_of(path: Path) -> str:
    """Hex digest of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def import_file(database: Database, source: Source, report: Report) -> None:
    """Import a log or a layout file; the hand-in's row tells its fate.

    Parameters
    ----------
    database : where to
    source : what
    report : called with progress (0 to 1) and the step's name; may raise :class:`Cancelled`

    Raises
    ------
    Unusable
        with the sentence for the person; nothing was stored.
    Cancelled
        from ``report``; nothing was stored.
    """
    if source.path.suffix.lower() in (".geojson", ".json"):
        _import_layout(database, source)
        return
    report(0.05, "reading")
    log = read_log(source.path)
    report(0.3, "placing")
    found = _on_known_layout(database, source, log)
    if found is not None:
        _store(database, source, log, *found, report)
        return
    # Two files of a circuit never seen must not make two layouts of it.
    with _alone(database, f"lauftakt-layout-{source.team_id}"):
        found = _on_known_layout(database, source, log) or _on_new_layout(database, source, log)
        _store(database, source, log, *found, report)


@contextmanager
def _alone(database: Database, name: str) -> Iterator[None]:
    """A named lock, held on a connection of its own."""
    with database.engine.connect() as connection:
        if connection.execute(text("SELECT GET_LOCK(:name, 300)"), {"name": name}).scalar() != 1:
            raise RuntimeError("The layouts of this team were locked for five minutes.")
        try:
            yield
        finally:
            connection.execute(text("SELECT RELEASE_LOCK(:name)"), {"name": name})


def _where(log: Log) -> tuple[float, float]:
    latitude, longitude = log.role("latitude"), log.role("longitude")
    if latitude is None or longitude is None:
        raise Unusable(
            "no-positions",
            "The log holds no latitude and longitude, so it cannot be placed on a circuit. Name the columns "
            "“latitude [deg]” and “longitude [deg]”, or hand in a run with positions of the same circuit first.",
        )
    return float(np.median(latitude.values)), float(np.median(longitude.values))


def _on_known_layout(database: Database, source: Source, log: Log) -> tuple[LayoutRow, Layout, AnalysedRun] | None:
    """The first layout nearby on which the run fits."""
    with database.begin() as session:
        if log.role("latitude") is None:
            # Without positions the circuit's name says where the run was; its corners must agree.
            name = " ".join(log.meta.get("circuit", "").split())
            near = list(session.scalars(mine(LayoutRow, source.team_id).where(LayoutRow.name == name)))
        else:
            near = layouts_near(session, source.team_id, *_where(log))
        rows = [row for row in near if row.geometry is not None]
    for row in rows:
        layout = to_layout(row)
        try:
            return row, layout, analyse_run(log, layout)
        except Unusable as error:
            if error.code != "elsewhere":
                raise
    return None


def _on_new_layout(database: Database, source: Source, log: Log) -> tuple[LayoutRow, Layout, AnalysedRun]:
    """A layout made from this run: from a start line that waits nearby, or from the log alone."""
    with database.begin() as session:
        waiting = [row for row in layouts_near(session, source.team_id, *_where(log)) if row.geometry is None]
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
        name = " ".join(log.meta.get("circuit", "").split())[:200]
        layout, warnings = make_layout(log, name or f"Circuit of {source.file_name}"[:200])
    analysed = analyse_run(log, layout)
    return row, layout, replace(analysed, warnings=analysed.warnings + warnings)


def _store(
    database: Database,
    source: Source,
    log: Log,
    row: LayoutRow,
    layout: Layout,
    analysed: AnalysedRun,
    report: Report,
) -> None:
    """One transaction: the run with all that belongs to it, and the file's fate."""
    report(0.7, "storing")
    with database.begin() as session:
        hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
        twin = session.scalar(mine(Run, source.team_id).where(Run.sha256 == hand_in.sha256))
        if twin is not None:
            raise Unusable(
                "duplicate", f"This log was handed in before, as “{twin.file_name}”; nothing was stored twice."
            )
        row = session.merge(row)
        if row.geometry is None:
            fill_row(row, layout)
            session.flush()
        driver = _driver(session, source, log)
        run = save_run(
            session,
            team_id=source.team_id,
            log=log,
            analysed=analysed,
            layout=row,
            driver=driver,
            file_name=source.file_name,
            sha256=hand_in.sha256,
            received=hand_in.created_at,
        )
        hand_in.run_id = run.id
        hand_in.driver_id = driver.id
        hand_in.state = "taken"
        hand_in.code = None
        hand_in.message = None
        report(0.95, "storing")


def _driver(session: Session, source: Source, log: Log) -> Driver:
    """Who drove: as chosen by the person, else as named in the file, else named after the file."""
    if source.driver_id is not None:
        return mine_by_id(session, Driver, source.team_id, source.driver_id)
    name = source.driver_name or log.meta.get("driver") or Path(source.file_name).stem
    return named(session, Driver, source.team_id, name)


def _import_layout(database: Database, source: Source) -> None:
    found = read_layout(source.path.read_bytes(), Path(source.file_name).stem)
    with _alone(database, f"lauftakt-layout-{source.team_id}"), database.begin() as session:
        hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
        assert found.start is not None
        middle = (
            (found.start.left[0] + found.start.right[0]) / 2,
            (found.start.left[1] + found.start.right[1]) / 2,
        )
        for row in layouts_near(session, source.team_id, *middle):
            if row.name == found.name:
                raise Unusable("duplicate", f"There is a layout of {found.name} already; it was left as it is.")
        add_sketch(session, source.team_id, found)
        hand_in.state = "taken"
        hand_in.code = "layout"
        left_out = f" Not known: {', '.join(found.left_out)}." if found.left_out else ""
        hand_in.message = f"Layout of {found.name}. The first run there completes it.{left_out}"
