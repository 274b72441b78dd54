"""Hands in a file from this process, without browser or queue, through the same import."""

import shutil
from dataclasses import dataclass
from pathlib import Path

from lauftakt.store.database import Database, mine_by_id, now
from lauftakt.store.models import HandIn, Job
from lauftakt.work.importing import sha256_of
from lauftakt.work.queue import inbox_path, work_on


@dataclass(frozen=True)
class Fate:
    """How the import of one file ended."""

    state: str
    code: str | None
    message: str | None
    run_id: int | None


def hand_in_now(database: Database, inbox: Path, team_id: int, path: Path, driver_id: int | None = None) -> Fate:
    """Import one file and wait for it."""
    inbox.mkdir(parents=True, exist_ok=True)
    with database.begin() as session:
        row = HandIn(
            team_id=team_id,
            file_name=path.name[:300],
            size=path.stat().st_size,
            sha256=sha256_of(path),
            driver_id=driver_id,
            created_at=now(),
        )
        session.add(row)
        session.flush()
        shutil.copyfile(path, inbox_path(inbox, row.id, path.name))
        job = Job(team_id=team_id, hand_in_id=row.id, created_at=now())
        session.add(job)
        session.flush()
        row_id, job_id = row.id, job.id
    work_on(database, inbox, job_id, retry=False)
    with database.begin() as session:
        row = mine_by_id(session, HandIn, team_id, row_id)
        return Fate(row.state, row.code, row.message, row.run_id)
