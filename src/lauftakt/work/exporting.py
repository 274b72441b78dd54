"""Everything leaves in open formats: a lap, a run, or a whole event as a zip archive."""

import re
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

from lauftakt.core.log.dialect import Dialect
from lauftakt.core.log.model import Log, RawLog, Unusable
from lauftakt.formats.columnar import write_columnar
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.gpx import write_gpx
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.mdf import write_mdf
from lauftakt.formats.track_geojson import write_track
from lauftakt.store.database import Database, NotFound, mine, mine_by_id
from lauftakt.store.dialects import find_dialect, to_dialect
from lauftakt.store.models import Event, Run
from lauftakt.store.runs import load_raw

Write = Callable[[Log, Path], None]

# Ending, media type and writer of each format.
FORMATS: dict[str, tuple[str, str, Write]] = {
    "csv": (".csv", "text/csv", write_csv),
    "parquet": (".parquet", "application/vnd.apache.parquet", write_columnar),
    "mdf4": (".mf4", "application/octet-stream", write_mdf),
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
            "date": run.started_at.isoformat() if run.started_at else run.meta.get("date", ""),
            "kind": run.kind,
            "conditions": run.conditions or "",
            "tyres": run.tyres or "",
            "notes": run.notes or "",
        }
        begin = end = None
        if lap is not None:
            found = next((item for item in run.laps if item.number == lap), None)
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


def write_event(database: Database, team_id: int, event_id: int, kind: str, path: Path) -> str:
    """Write all runs of an event into an archive; returns a name for it.

    What a format cannot hold is left out, and a file in the archive says so.
    """
    with database.begin() as session:
        event = mine_by_id(session, Event, team_id, event_id)
        title = safe_name(f"{event.day}-{event.name}")
        runs = session.scalars(
            mine(Run, team_id).where(Run.event_id == event.id).order_by(Run.started_at, Run.id)
        ).all()
        ids = [run.id for run in runs]
    left_out: list[str] = []
    taken: set[str] = set()
    with (
        zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive,
        tempfile.TemporaryDirectory() as f,
    ):
        for run_id in ids:
            log, name = run_log(database, team_id, run_id)
            own, number = name, 2
            while own in taken:
                own, number = f"{name}-{number}", number + 1
            taken.add(own)
            part = Path(f) / "part"
            try:
                write_one(log, kind, part)
            except Unusable as error:
                left_out.append(f"{own}: {error}")
                continue
            archive.write(part, own + FORMATS[kind][0])
        if left_out:
            archive.writestr("left-out.txt", "\n".join(left_out) + "\n")
    return title
