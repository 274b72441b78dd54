"""Hands in files from this process, without browser or queue, through the same import."""

from dataclasses import dataclass
from pathlib import Path

from lauftakt.store.database import Database, mine, mine_by_id
from lauftakt.store.models import HandIn
from lauftakt.work.doing import work_on
from lauftakt.work.intake import Giver, job_of, take_in


@dataclass(frozen=True)
class Fate:
    """How the import of one file ended."""

    file_name: str
    state: str
    code: str | None
    message: str | None
    run_id: int | None


def hand_in_now(database: Database, inbox: Path, giver: Giver, path: Path) -> list[Fate]:
    """Import one file and wait for it; an archive gives the fates of its files after its own."""
    row_id, job_id = take_in(database, inbox, giver, path.name, path, move=False)
    work_on(database, inbox, job_id, retry=False)
    with database.begin() as session:
        inside = [
            (row.id, job_of(row))
            for row in session.scalars(mine(HandIn, giver.team_id).where(HandIn.parent_id == row_id))
        ]
    for _, job in inside:
        work_on(database, inbox, job, retry=False)
    with database.begin() as session:
        rows = [mine_by_id(session, HandIn, giver.team_id, wanted) for wanted in (row_id, *(row for row, _ in inside))]
        return [Fate(row.file_name, row.state, row.code, row.message, row.run_id) for row in rows]
