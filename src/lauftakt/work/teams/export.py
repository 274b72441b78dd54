"""Writes a team into a zip archive: logs as they were handed in, layouts, dialects, and the rest as JSON."""

import json
import os
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.sketching import sketch_from
from lauftakt.formats.columnar import write_columnar
from lauftakt.formats.dialects import write_dialect
from lauftakt.formats.geojson import write_sketch
from lauftakt.store.damage import Damaged
from lauftakt.store.database import Database, mine, mine_by_id, now
from lauftakt.store.dialects import to_dialect
from lauftakt.store.layouts import load_layout, sectors_of, sketch_of
from lauftakt.store.models import DialectRow, LapWord, LayoutRow, Original, Run, Team
from lauftakt.store.originals import write_original
from lauftakt.store.runs import moment_of
from lauftakt.work.exporting import run_log, safe_name
from lauftakt.work.teams.contents import SCHEMA, TEAM, VERSION, LapDecision, LayoutFile, RunFile, TeamFile
from lauftakt.work.teams.said import days_of, debrief_of, notes_of, voices_of

Say = Callable[[str], None]


def export_team(database: Database, team_id: int, target: Path, say: Say) -> None:
    """Write everything of a team into one archive; it is there whole or not at all.

    Parameters
    ----------
    database, team_id : which
    target : the zip file to write
    say : told each run
    """
    part = target.with_name(target.name + ".part")
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        with (
            open(part, "wb", opener=lambda name, flags: os.open(name, flags, 0o600)) as raw,
            zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive,
            tempfile.TemporaryDirectory() as folder,
        ):
            _write(database, team_id, archive, Path(folder), say)
        part.replace(target)
    finally:
        part.unlink(missing_ok=True)
    say(f"Written: {target} ({target.stat().st_size / 1e6:.1f} MB).")


def _write(database: Database, team_id: int, archive: zipfile.ZipFile, folder: Path, say: Say) -> None:
    with database.begin() as session:
        team = session.get_one(Team, team_id).name
        layouts = _layouts(session, team_id, archive)
        dialects = _dialects(session, team_id, archive)
        ids = list(session.scalars(mine(Run, team_id).with_only_columns(Run.id).order_by(Run.id)))
    runs: list[RunFile] = []
    for number, run_id in enumerate(ids, 1):
        runs.append(_run(database, team_id, run_id, number, archive, folder))
        say(f"  {number} of {len(ids)}: {runs[-1].file_name}")
    with database.begin() as session:
        notes, days = notes_of(session, team_id, ids), days_of(session, team_id, ids)
    content = TeamFile(
        **{"lauftakt-team": VERSION}, team=team, exported=now().isoformat(timespec="seconds") + "Z", layouts=layouts,
        dialects=dialects, runs=runs, notes=notes, days=days,
    )  # fmt: skip
    archive.writestr(TEAM, content.model_dump_json(indent=1, by_alias=True, exclude_unset=True))
    archive.writestr(SCHEMA, json.dumps(TeamFile.model_json_schema(by_alias=True), indent=1))


def _layouts(session: Session, team_id: int, archive: zipfile.ZipFile) -> list[LayoutFile]:
    found = []
    for number, row in enumerate(session.scalars(mine(LayoutRow, team_id).order_by(LayoutRow.id)), 1):
        if row.current_id is not None:
            sectors = sectors_of(session, row)
            sketch = sketch_from(load_layout(session, row.current_id, sectors.id if sectors else None), row.name)
        else:
            sketch = sketch_of(row)
        name = f"layouts/{number:03}-{safe_name(row.name)}.geojson"
        archive.writestr(name, write_sketch(sketch))
        found.append(LayoutFile(file=name, name=row.name, circuit=row.circuit.name))
    return found


def _dialects(session: Session, team_id: int, archive: zipfile.ZipFile) -> list[str]:
    found = []
    for number, row in enumerate(session.scalars(mine(DialectRow, team_id).order_by(DialectRow.id)), 1):
        name = f"dialects/{number:03}-{safe_name(row.name)}.json"
        archive.writestr(name, write_dialect(row.name, to_dialect(row)))
        found.append(name)
    return found


def _run(database: Database, team_id: int, run_id: int, number: int, archive: zipfile.ZipFile, folder: Path) -> RunFile:
    path, whole = folder / "log.parquet", False
    with database.begin() as session:
        run = mine_by_id(session, Run, team_id, run_id)
        original = session.scalar(select(Original).where(Original.team_id == team_id, Original.run_id == run_id))
        if original is not None:
            try:
                write_original(session, original, path)
                whole = True
            except Damaged:
                whole = False  # what was stored of it is still there
        words = session.scalars(mine(LapWord, team_id).where(LapWord.run_id == run_id).order_by(LapWord.moment_s))
        decisions = [
            LapDecision(begins_s=word.moment_s, counts=word.counts, reason=word.reason, note=word.note)
            for word in words
        ]
        ending = Path(run.file_name).suffix[:12] if whole else ".parquet"
        name = f"logs/{number:04}-{safe_name(Path(run.file_name).stem)[:80]}{ending}"
        found = RunFile(
            file=name,
            file_name=run.file_name if whole else Path(run.file_name).stem[:280] + ".parquet",
            as_handed_in=whole,
            driver=run.driver.name,
            car=run.car.name if run.car else None,
            layout=run.layout.name,
            event=run.event.name,
            day=run.event.day,
            started=moment_of(run),
            kind=run.kind,
            conditions=run.conditions,
            tyres=run.tyres,
            notes=run.notes,
            felt=run.felt,
            confirmed=run.confirmed,
            laps=decisions,
            debrief=debrief_of(session, run),
            voices=voices_of(session, run),
        )
    if not whole:
        write_columnar(run_log(database, team_id, run_id)[0], path)
    archive.write(path, name)
    path.unlink()
    return found
