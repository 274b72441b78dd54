"""Everything leaves in open formats: a lap, a run, or a whole event as a zip archive."""

import re
import tempfile
import time
import zipfile
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import select

from lauftakt.core.log.dialect import Dialect
from lauftakt.core.log.model import Log, RawLog, Unusable
from lauftakt.formats.columnar import write_columnar
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.gpx import write_gpx
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.track_geojson import write_track
from lauftakt.settings import kept_hours
from lauftakt.store.counting import laps_of
from lauftakt.store.database import Database, NotFound, mine_by_id
from lauftakt.store.dialects import find_dialect, to_dialect
from lauftakt.store.models import Event, Run
from lauftakt.store.runs import load_raw, moment_of
from lauftakt.work.jobs import Claim
from lauftakt.work.sources import Report

Write = Callable[[Log, Path], None]
# An archive that nobody took in this time is not wanted any more.
KEPT_S = 3600 * kept_hours("exports")


# Ending, media type and writer of each format.
def _write_mdf(log: Log, path: Path) -> None:
    """MDF's library takes a second to load, and is seldom needed."""
    from lauftakt.formats.mdf import write_mdf

    write_mdf(log, path)


FORMATS: dict[str, tuple[str, str, Write]] = {
    "csv": (".csv", "text/csv", write_csv),
    "parquet": (".parquet", "application/vnd.apache.parquet", write_columnar),
    "mdf4": (".mf4", "application/octet-stream", _write_mdf),
    "gpx": (".gpx", "application/gpx+xml", write_gpx),
    "geojson": (".geojson", "application/geo+json", write_track),
}


def run_log(database: Database, team_id: int, run_id: int, lap: int | None = None) -> tuple[Log, str]:
    """A run, or one of its laps with a clock of its own, as the core's log under its present labels; and a name for it.

    Raises
    ------
    NotFound
        where the run has no such lap.
    """
    with database.begin() as session:
        run = mine_by_id(session, Run, team_id, run_id)
        raw, fixed = load_raw(session, run)
        row = find_dialect(session, team_id, (channel.name for channel in raw.channels))
        known = to_dialect(row).choices if row is not None else {}
        labels = {
            "driver": run.driver.name,
            "car": run.car.name if run.car else "",
            "circuit": run.layout.name,
            "event": run.event.name,
            "date": moment_of(run) or "",
            "kind": run.kind,
            "conditions": run.conditions or "",
            "tyres": run.tyres or "",
            "notes": run.notes or "",
        }
        begin = end = None
        if lap is not None:
            found = next((item for item in laps_of(session, run.analysis_id) if item.number == lap), None)
            if found is None:
                raise NotFound("lap")
            begin, end = found.start_s, found.end_s
    meta = {key: value for key, value in labels.items() if value}
    log = interpret(RawLog(raw.channels, meta, ()), Dialect(frozenset(), fixed | known))
    name = "-".join(part for part in (meta.get("date", "")[:16], labels["driver"]) if part)
    if begin is not None and end is not None:
        log = _cut(log, begin, end)
        name += f"-lap-{lap}"
    return log, safe_name(name)


def _cut(log: Log, begin: float, end: float) -> Log:
    channels = []
    for channel in log.channels:
        inside = (channel.time >= begin) & (channel.time <= end)
        if inside.any():
            channels.append(replace(channel, time=channel.time[inside] - begin, values=channel.values[inside]))
    meta = dict(log.meta)
    try:
        meta["date"] = (datetime.fromisoformat(meta["date"]) + timedelta(seconds=begin)).isoformat()
    except (KeyError, ValueError):
        meta.pop("date", None)
    return Log(tuple(channels), meta, ())


def safe_name(text: str) -> str:
    """A file's name that every system takes, and no shell or spreadsheet understands as anything else."""
    clean = re.sub(r"[^\w.-]+", "-", text.replace(":", "")).strip("-.")
    return clean[:120] or "run"


def write_one(log: Log, kind: str, path: Path) -> None:
    """Write a log in one of the formats.

    Raises
    ------
    Unusable
        where the format cannot hold it.
    """
    FORMATS[kind][2](log, path)


def export(database: Database, folder: Path, ours: Claim, report: Report) -> dict[str, Any]:
    """Write a run or all runs of an event into the folder of exports, under the job's number.

    Returns
    -------
    ``name`` under which it is to be kept, ``type`` of the file, and ``left_out``: what the format could not hold.
    """
    kind = str(ours.payload["format"])
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{ours.job_id}.part"
    try:
        if ours.subject == "run":
            report(0.2, "writing")
            log, name = run_log(database, ours.team_id, ours.subject_id)
            write_one(log, kind, path)
            result = {"name": name + FORMATS[kind][0], "type": FORMATS[kind][1], "left_out": []}
        else:
            result = _write_event(database, ours, kind, path, report)
        path.replace(export_path(folder, ours.job_id))
        return result
    finally:
        path.unlink(missing_ok=True)


def export_path(folder: Path, job_id: int) -> Path:
    """Where the file of a finished export waits."""
    return folder / f"{job_id}.file"


def forget_exports(folder: Path) -> None:
    """Delete exports that nobody took for a day."""
    for path in folder.glob("*.*") if folder.is_dir() else ():
        if time.time() - path.stat().st_mtime > KEPT_S:
            path.unlink(missing_ok=True)


def _write_event(database: Database, ours: Claim, kind: str, path: Path, report: Report) -> dict[str, Any]:
    """All runs of an event in an archive. What a format cannot hold is left out, and a file in the archive says so."""
    with database.begin() as session:
        event = mine_by_id(session, Event, ours.team_id, ours.subject_id)
        title = safe_name(f"{event.day}-{event.name}")
        ids = session.scalars(
            select(Run.id).where(Run.team_id == ours.team_id, Run.event_id == event.id).order_by(Run.started_at, Run.id)
        ).all()
    left_out: list[str] = []
    taken: set[str] = set()
    with (
        zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive,
        tempfile.TemporaryDirectory() as f,
    ):
        for number, run_id in enumerate(ids):
            report(number / max(len(ids), 1), "writing")
            log, name = run_log(database, ours.team_id, run_id)
            own, more = name, 2
            while own in taken:
                own, more = f"{name}-{more}", more + 1
            taken.add(own)
            # Some writers insist on the ending of their format.
            part = Path(f) / ("part" + FORMATS[kind][0])
            try:
                write_one(log, kind, part)
            except Unusable as error:
                left_out.append(f"{own}: {error}")
                continue
            archive.write(part, own + FORMATS[kind][0])
        if left_out:
            archive.writestr("left-out.txt", "\n".join(left_out) + "\n")
    return {"name": title + ".zip", "type": "application/zip", "left_out": left_out}
