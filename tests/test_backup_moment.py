"""A backup is one moment: what a row of it says is there is in it, whatever comes in and is imported meanwhile."""

import hashlib
import shutil
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from sqlalchemy import delete, select

from lauftakt.operate import backups
from lauftakt.operate.check import check
from lauftakt.operate.mariadb import PrivateMariaDB
from lauftakt.store.database import INCLUDE_REMOVED, Database, now
from lauftakt.store.models import HandIn, Original, Run, Upload
from lauftakt.store.originals import original_parts
from lauftakt.work.direct import hand_in_now
from lauftakt.work.doing import work_on
from lauftakt.work.inbox import SETTLED, clear_settled, inbox_path
from lauftakt.work.intake import Giver, take_in
from lauftakt.work.tidying import tidy
from tests.day import Day
from tests.test_backups import own_settings, quiet, school_in

__all__ = ["own_settings"]
GIVER = Giver(1, "shell")


@pytest.fixture
def running(tmp_path: Path, day: Day) -> Iterator[tuple[Path, Database]]:
    with school_in(tmp_path / "here", day) as found:
        for path in (found[0] / "inbox").iterdir():
            path.unlink()
        with found[1].begin() as session:
            session.execute(delete(HandIn).where(HandIn.state == "waiting"))
        yield found


def once(what: Callable[[], None]) -> Callable[[float], None]:
    """Does something at the first word of a backup that its dump has begun."""
    todo = [what]

    def going(_: float) -> None:
        if todo:
            todo.pop()()

    return going


def restored(source: Path, there: Path) -> list[str]:
    """Bring a backup back and compare every row with what there is; returns what is missing."""
    backups.restore(source, there, quiet)
    server = PrivateMariaDB(there / "database")
    server.start()
    database = Database(server.url)
    missing = []
    try:
        assert check(database, there, quiet) <= 1
        with database.begin() as session:
            rows = session.scalars(select(HandIn)).all()
            for row in rows:
                path = inbox_path(there / "inbox", row.id)
                if row.state in ("waiting", "running"):
                    if not path.exists() or hashlib.sha256(path.read_bytes()).hexdigest() != row.sha256:
                        missing.append(f"{row.file_name}: its file")
                elif row.run_id is not None:
                    session.get_one(Run, row.run_id, execution_options=INCLUDE_REMOVED)
                    original = session.scalar(select(Original).where(Original.run_id == row.run_id))
                    whole = original is not None and hashlib.sha256(b"".join(original_parts(session, original)))
                    if not whole or whole.hexdigest() != row.sha256:
                        missing.append(f"{row.file_name}: what was handed in")
            known = {f"{row.id}.file" for row in rows}
            assert {path.name for path in (there / "inbox").glob("*.file")} <= known
    finally:
        database.close()
        server.stop()
    return missing


def test_what_is_imported_during_a_backup_is_in_it(running: tuple[Path, Database], tmp_path: Path, day: Day) -> None:
    var, database = running
    inbox = var / "inbox"
    row, job = take_in(database, inbox, GIVER, day.files[2].name, day.files[2], move=False)
    later: list[int] = []

    def meanwhile() -> None:
        work_on(database, inbox, job, retry=False)
        # What comes after the moment of the backup is not of it.
        later.append(take_in(database, inbox, GIVER, day.files[3].name, day.files[3], move=False)[0])

    backups.back_up(var, tmp_path / "a.tar", quiet, once(meanwhile))
    with database.begin() as session:
        assert session.get_one(HandIn, row).state == "taken"
    # The backup has ended, so its file went; nothing else did.
    assert sorted(path.name for path in inbox.iterdir()) == [f"{later[0]}.file"]
    assert restored(tmp_path / "a.tar", tmp_path / "there") == []


def test_what_a_killed_backup_kept_goes_with_the_next_tidying(
    running: tuple[Path, Database], tmp_path: Path, day: Day, monkeypatch: pytest.MonkeyPatch
) -> None:
    var, database = running
    inbox = var / "inbox"

    class Killed(Exception):
        pass

    def meanwhile() -> None:
        hand_in_now(database, inbox, GIVER, day.files[2])
        assert len(list(inbox.glob("*.file"))) == 1
        tidy(database, var / "exports", inbox)
        assert len(list(inbox.glob("*.file"))) == 1
        raise Killed

    monkeypatch.setattr(backups, "clear_settled", lambda *_: None)
    with pytest.raises(Killed):
        backups.back_up(var, tmp_path / "a.tar", quiet, once(meanwhile))
    assert len(list(inbox.glob("*" + SETTLED))) == 1
    tidy(database, var / "exports", inbox)
    assert list(inbox.iterdir()) == []


def test_a_file_that_is_still_arriving_does_not_spoil_a_backup(running: tuple[Path, Database], tmp_path: Path) -> None:
    var, database = running
    with database.begin() as session:
        made = {"created_at": now(), "touched_at": now()}
        upload = Upload(team_id=1, giver="account 1", key="k", file_name="a.csv", size=10**9, **made)
        session.add(upload)
        session.flush()
        path = var / "inbox" / f"{upload.id}.upload"
    path.write_bytes(b"x" * 100_000)
    stop = threading.Event()

    def arrive() -> None:
        with path.open("ab", buffering=0) as file:
            while not stop.wait(0.001):
                file.write(b"y" * 5_000)

    writer = threading.Thread(target=arrive)
    writer.start()
    try:
        backups.back_up(var, tmp_path / "a.tar", quiet)
    finally:
        stop.set()
        writer.join()
    backups.restore(tmp_path / "a.tar", tmp_path / "there", quiet)
    assert (tmp_path / "there" / "inbox" / path.name).stat().st_size >= 100_000


def test_a_file_whose_import_found_nothing_is_bad(running: tuple[Path, Database], day: Day) -> None:
    var, database = running
    row, job = take_in(database, var / "inbox", GIVER, day.files[2].name, day.files[2], move=False)
    inbox_path(var / "inbox", row).unlink()
    work_on(database, var / "inbox", job, retry=False)
    told: list[str] = []
    assert check(database, var, told.append, quick=True) == 2
    assert any("was lost before its import" in line for line in told)


KEPT_RUNS = 6


@pytest.mark.long
def test_fifty_backups_in_the_middle_of_imports(tmp_path: Path, day: Day) -> None:
    with school_in(tmp_path / "here", day) as (var, database):
        stop = threading.Event()

        def hand_in() -> None:
            number = 0
            while not stop.is_set():
                number += 1
                path = tmp_path / f"log-{number}.csv"
                path.write_bytes(f"# note: {number}\n".encode() + day.files[number % len(day.files)].read_bytes())
                hand_in_now(database, var / "inbox", GIVER, path)
                path.unlink()
                with database.begin() as session:
                    # The run goes, so that the same laps come in again; for good after a while, or fifty backups of
                    # everything would fill the disk.
                    for run in session.scalars(select(Run).where(Run.file_name == path.name)):
                        run.sha256 = f"removed {run.id}"
                        run.removed_at = now()
                    old = f"log-{number - KEPT_RUNS}.csv"
                    session.execute(delete(HandIn).where(HandIn.file_name == old))
                    session.execute(delete(Run).where(Run.file_name == old))

        worker = threading.Thread(target=hand_in)
        worker.start()
        try:
            for number in range(50):
                target = tmp_path / f"{number}.tar"
                backups.back_up(var, target, quiet)
                there = tmp_path / f"there-{number}"
                assert restored(target, there) == [], number
                target.unlink()
                shutil.rmtree(there)
        finally:
            stop.set()
            worker.join()
        clear_settled(database, var / "inbox")
