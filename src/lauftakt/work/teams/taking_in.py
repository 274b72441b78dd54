"""Takes the archive of a team in: through the same import as anybody's files, then what was said of them."""

import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

from pydantic import ValidationError
from sqlalchemy import update

from lauftakt.core.log.model import Unusable
from lauftakt.settings import archive_megabytes
from lauftakt.store.counting import laps_of, settle
from lauftakt.store.database import Database, mine, mine_by_id, now
from lauftakt.store.models import Car, Driver, HandIn, LapWord, LayoutRow, Run
from lauftakt.store.runs import event_for, named, parse_date
from lauftakt.work.direct import hand_in_now
from lauftakt.work.doing import work_on
from lauftakt.work.intake import Giver, take_in
from lauftakt.work.teams.contents import TEAM, VERSION, RunFile, TeamFile
from lauftakt.work.teams.said import take_days, take_debrief, take_notes

Say = Callable[[str], None]


def take_team_in(database: Database, inbox: Path, team_id: int, source: Path, say: Say) -> tuple[int, int]:
    """Take everything of an exported team into a team of this installation; safe to repeat.

    Parameters
    ----------
    database, inbox, team_id : where to
    source : the archive
    say : told what became of each file

    Returns
    -------
    taken, runs : how many of the archive's runs are there now

    Raises
    ------
    Unusable
        where the archive is none, or not whole; nothing was taken then.
    """
    try:
        with zipfile.ZipFile(source) as archive, tempfile.TemporaryDirectory() as folder:
            content = _read(archive)
            return _take(database, inbox, team_id, archive, content, Path(folder), say)
    except FileNotFoundError as error:
        raise Unusable("file-missing", f"There is no file {source}.") from error
    except (zipfile.BadZipFile, OSError, EOFError) as error:
        raise Unusable("archive", f"{source} is not a whole archive; copy it again.") from error


def _read(archive: zipfile.ZipFile) -> TeamFile:
    """What the archive says it holds; every file that is named is there."""
    try:
        content = TeamFile.model_validate_json(archive.read(TEAM))
    except KeyError as error:
        raise Unusable("archive", f"The archive has no {TEAM}; it is not an exported team.") from error
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Unusable("archive", f"{TEAM} cannot be used: {where}: {first['msg']}.") from error
    if content.version != VERSION:
        raise Unusable("archive", "The archive was written by another version; update Lauftakt first.")
    names = {info.filename: info.file_size for info in archive.infolist()}
    wanted = [*(row.file for row in content.layouts), *content.dialects, *(run.file for run in content.runs)]
    missing = [name for name in wanted if name not in names]
    if missing:
        raise Unusable("archive", f"The archive is not whole: {missing[0]} is missing.")
    if sum(names[name] for name in wanted) > archive_megabytes() * 1_000_000:
        raise Unusable(
            "archive", f"The archive unpacks to more than {archive_megabytes()} MB; raise LAUFTAKT_ARCHIVE_MB."
        )
    return content


def _take(
    database: Database, inbox: Path, team_id: int, archive: zipfile.ZipFile, content: TeamFile, folder: Path, say: Say
) -> tuple[int, int]:
    giver = Giver(team_id, "archive", origin=f"team {content.team}"[:500])

    def unpacked(name: str, called: str) -> Path:
        # Nothing of the archive's own path is used.
        path = folder / f"file{Path(called).suffix[:12]}"
        path.write_bytes(archive.read(name))
        return path

    for layout in content.layouts:
        path = unpacked(layout.file, "a.geojson")
        fate = hand_in_now(database, inbox, giver, path)[0]
        say(f"{layout.name}: {'there already' if fate.code == 'duplicate' else fate.message or fate.state}")
    for name in content.dialects:
        hand_in_now(database, inbox, giver, unpacked(name, "a.json"))
    taken = 0
    ids: dict[int, int] = {}
    for number, run in enumerate(content.runs, 1):
        fate_text, there, run_id = _run(database, inbox, giver, unpacked(run.file, run.file_name), run)
        taken += there
        if run_id is not None:
            ids[number - 1] = run_id
        say(f"  {number} of {len(content.runs)}: {run.file_name}: {fate_text}")
    with database.begin() as session:
        notes = take_notes(session, team_id, content.notes, ids)
        take_days(session, team_id, content.days, ids)
    if content.notes:
        say(f"{notes} of {len(content.notes)} notes taken.")
    return taken, len(content.runs)


def _run(database: Database, inbox: Path, giver: Giver, path: Path, told: RunFile) -> tuple[str, bool, int | None]:
    """What became of a run, whether it is there, and its id where it came now."""
    hand_in_id, job_id = take_in(database, inbox, giver, told.file_name, path, move=False)
    with database.begin() as session:
        # The circuit is known: nothing has to be found out from places.
        layout = session.scalar(mine(LayoutRow, giver.team_id).where(LayoutRow.name == told.layout).limit(1))
        if layout is not None and layout.current_id is not None:
            session.execute(update(HandIn).where(HandIn.id == hand_in_id).values(layout_id=layout.id))
    work_on(database, inbox, job_id, retry=False)
    with database.begin() as session:
        row = mine_by_id(session, HandIn, giver.team_id, hand_in_id)
        if row.run_id is None:
            return row.message or row.state, row.code == "duplicate", None
        run = mine_by_id(session, Run, giver.team_id, row.run_id)
        run.driver = named(session, Driver, giver.team_id, told.driver)
        row.driver_id = run.driver.id
        run.car = named(session, Car, giver.team_id, told.car) if told.car else None
        run.event = event_for(session, giver.team_id, run.layout, told.event, told.day)
        run.started_at, run.zone = parse_date(told.started)
        run.kind, run.conditions, run.tyres = told.kind, told.conditions, told.tyres
        run.notes, run.felt, run.confirmed = told.notes, told.felt, told.confirmed
        run.labels_from = {**run.labels_from, **dict.fromkeys(("driver", "car", "event", "kind"), "person")}
        for lap in told.laps:
            session.add(
                LapWord(
                    team_id=giver.team_id, run_id=run.id, moment_s=lap.begins_s, counts=lap.counts, reason=lap.reason,
                    note=lap.note, said_at=now(),
                )
            )  # fmt: skip
        session.flush()
        settle(session, run)
        take_debrief(session, run, told.debrief, told.voices)
        timed = sum(lap.time_s is not None for lap in laps_of(session, run.analysis_id))
        return f"taken, {timed} timed laps", True, run.id
