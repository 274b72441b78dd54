"""Whether an installation is well: what is wrong, in plain words, and how bad it is."""

import shutil
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path

from sqlalchemy import func, select

from lauftakt.operate.data_check import Found, check_computed, check_data
from lauftakt.store.damage import Damaged
from lauftakt.store.database import AHEAD, Database, now
from lauftakt.store.models import HandIn, Job, Original, Team
from lauftakt.store.originals import original_parts
from lauftakt.work.jobs import OPEN
from lauftakt.work.last_backup import read_last
from lauftakt.work.renewing import outdated

Say = Callable[[str], None]

LITTLE, TIGHT = 5e9, 1e9
WAITING = timedelta(minutes=30)


def check(
    database: Database, var: Path, say: Say, *, quick: bool = False, mend: bool = False, computed: int = 0
) -> int:
    """Look at everything; returns the exit code for a monitor: 0 well, 1 worth a look, 2 bad.

    Parameters
    ----------
    database, var : of a running installation
    say : told what was looked at and what was found
    quick : without reading every block of samples and numbers and every kept file
    mend : make anew what is damaged
    computed : so many runs are computed afresh and compared with what is stored
    """
    parts: list[tuple[str, Callable[[], Iterator[Found]]]] = [
        ("disk", lambda: _disk(var)),
        ("clock", lambda: _clock(database)),
        ("versions", lambda: _versions(database)),
        ("jobs", lambda: _jobs(database)),
        ("files", lambda: _orphans(database, var)),
        ("backups", lambda: _backups(var)),
    ]
    if quick:
        parts.append(("kept files", lambda: _known_damage(database)))
    else:
        # Files first: what is damaged of a run can be made anew from its file, if that is whole.
        parts.append(("kept files", lambda: _originals(database)))
        parts.append(("samples and numbers", lambda: check_data(database, var, mend=mend)))
    if computed:
        parts.append(("numbers computed anew", lambda: check_computed(database, computed, say, mend=mend)))
    worst = 0
    for name, look in parts:
        found = list(look())
        say(f"{name}: {'well' if not found else ''}")
        for item in found:
            say(f"  {'BAD' if item.bad else 'note'}: {item.text}")
            worst = max(worst, 2 if item.bad else 1)
    say("All is well." if worst == 0 else "Worth a look." if worst == 1 else "Something is wrong.")
    return worst


def _disk(var: Path) -> Iterator[Found]:
    free = shutil.disk_usage(var).free
    if free < LITTLE:
        yield Found(free < TIGHT, f"Only {free / 1e9:.1f} GB are free where the data are ({var}).")


def _clock(database: Database) -> Iterator[Found]:
    with database.begin() as session:
        newest = session.scalar(select(func.max(Job.created_at)))
    if newest is not None and newest > now() + AHEAD:
        yield Found(True, f"This machine's clock is wrong: work was begun at {newest:%Y-%m-%d %H:%M} UTC, to come.")


def _versions(database: Database) -> Iterator[Found]:
    present, wanted = database.versions()
    if present != wanted:
        yield Found(True, f"The tables are of version {present}, the program wants {wanted}; start it anew.")
        return
    with database.begin() as session:
        waiting = len(outdated(session))
    if waiting:
        yield Found(False, f"{waiting} runs are still shown as an older version computed them.")


def _jobs(database: Database) -> Iterator[Found]:
    with database.begin() as session:
        there = Job.team_id.in_(select(Team.id))  # what was removed waits until it is brought back
        waits = Job.state.in_(OPEN), Job.created_at < now() - WAITING, there
        late = session.scalar(select(func.count()).where(*waits))
        failed = session.scalar(
            select(func.count()).where(Job.state == "failed", Job.finished_at > now() - timedelta(days=1))
        )
    if late:
        yield Found(False, f"{late} jobs are older than {WAITING.seconds // 60} minutes; is a worker running?")
    if failed:
        yield Found(False, f"{failed} jobs failed in the last day; worker.log says why.")


def _orphans(database: Database, var: Path) -> Iterator[Found]:
    with database.begin() as session:
        known = set(session.scalars(select(HandIn.id)))
        wanted = set(session.scalars(select(HandIn.id).where(HandIn.state.in_(OPEN), HandIn.source != "logger")))
    there = {int(path.stem) for path in (var / "inbox").glob("*.file") if path.stem.isdigit()}
    if there - known:
        yield Found(False, f"{len(there - known)} files in the inbox belong to nothing; they may be deleted.")
    if wanted - there:
        yield Found(True, f"{len(wanted - there)} files that wait for their import are not in the inbox.")
    with database.begin() as session:
        lost = HandIn.code == "file-lost", HandIn.dismissed_at.is_(None)
        for name in session.scalars(select(HandIn.file_name).where(*lost)):
            yield Found(True, f"The file “{name}” was lost before its import; hand it in again.")


def _backups(var: Path) -> Iterator[Found]:
    last = read_last(var / "backup")
    if last.good_at is None:
        yield Found(False, "No backup was made by itself yet; lauftakt backup FILE makes one.")
    if last.told():
        yield Found(True, last.told() or "")


def _known_damage(database: Database) -> Iterator[Found]:
    """Kept files that somebody found to be damaged before."""
    with database.begin() as session:
        for name in session.scalars(select(Original.file_name).where(Original.damaged_at.is_not(None))):
            yield Found(True, f"The kept file “{name}” is not what was handed in; bring a backup back.")


def _originals(database: Database) -> Iterator[Found]:
    with database.begin() as session:
        ids = list(session.scalars(select(Original.id)))
    for original in ids:
        with database.begin() as session:
            row = session.get_one(Original, original)
            try:
                for _ in original_parts(session, row):
                    pass
                row.damaged_at = None
            except Damaged:
                row.damaged_at = now()
                yield Found(True, f"The kept file “{row.file_name}” is not what was handed in; bring a backup back.")
