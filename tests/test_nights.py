"""Backups that are made every night, and when somebody asks for one: told, stopped, and never at the disk's last."""

import os
import shutil
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy import delete, func, select

from lauftakt.operate import backups
from lauftakt.operate.nights import Nights, Wish
from lauftakt.store.accounts import add_team
from lauftakt.store.database import Database
from lauftakt.store.models import Job
from lauftakt.work import jobs
from lauftakt.work.last_backup import read_last
from tests.day import Day
from tests.disks import small_disk
from tests.installation import until
from tests.test_backups import quiet, school_in

pytestmark = pytest.mark.in_order


@pytest.fixture(scope="module")
def school(tmp_path_factory: pytest.TempPathFactory, day: Day) -> Iterator[tuple[Path, Database]]:
    with school_in(tmp_path_factory.mktemp("nights") / "here", day) as found:
        yield found


@pytest.fixture
def running(school: tuple[Path, Database]) -> tuple[Path, Database]:
    """An installation without any backup, and without one that another test asked for and left."""
    shutil.rmtree(school[0] / "backup", ignore_errors=True)
    with school[1].begin() as session:
        session.execute(delete(Job).where(Job.kind == "backup"))
    return school


def test_a_backup_is_work_that_is_told_and_tried_again(running: tuple[Path, Database]) -> None:
    var, database = running
    nights = Nights(var, database, threading.Event())
    with database.begin() as session:
        before = session.scalar(select(func.coalesce(func.max(Job.id), 0)))

    def told() -> list[tuple[str, str | None]]:
        with database.begin() as session:
            found = session.scalars(select(Job).where(Job.kind == "backup", Job.id > before).order_by(Job.id)).all()
            return [(job.state, job.message) for job in found]

    for path in (var / "backup").glob("lauftakt-*.tar"):
        path.unlink()
    # Where it is to be written something else stands: it fails, with a sentence.
    blocked = var / "backup" / f"lauftakt-{datetime.now(UTC):%Y-%m-%d}.tar.part"
    blocked.mkdir(parents=True)
    nights.look()
    assert [state for state, _ in told()] == ["failed"]
    assert "The backup was not made" in (told()[0][1] or "")
    nights.look()  # not again at once
    assert len(told()) == 1
    blocked.rmdir()
    # Somebody asks for it again.
    with database.begin() as session:
        jobs.add_job(session, 1, "backup", ("team", 1))
    nights.look()
    assert [state for state, _ in told()] == ["failed", "done"]
    assert not backups.due(var)
    nights.look()
    assert len(told()) == 2


@pytest.mark.parametrize("at", [0.0, 0.75])
def test_a_backup_is_stopped_in_the_middle_and_nothing_is_left_of_it(
    running: tuple[Path, Database], monkeypatch: pytest.MonkeyPatch, at: float
) -> None:
    """While the database is written, and while all of it is packed."""
    var, database = running
    monkeypatch.setattr("lauftakt.operate.nights.TELL_S", 0.0)
    nights, reached = Nights(var, database, threading.Event()), []
    with database.begin() as session:
        job = jobs.add_job(session, 1, "backup", ("team", 1)).id

    def going_on(wish: Wish, share: float) -> None:
        reached.append(share)
        if share >= at:
            with database.begin() as session:
                jobs.cancel(session, session.get_one(Job, job))
        goes_on(wish, share)

    goes_on = Wish.going
    monkeypatch.setattr(Wish, "going", going_on)
    nights.look()
    with database.begin() as session:
        assert session.get_one(Job, job).state == "cancelled"
    assert reached[-1] >= at
    assert not list((var / "backup").glob("*tar*"))
    assert not list((var / "backup").glob(".backup-*"))
    # It does not begin again by itself, but where somebody asks for it.
    nights.look()
    assert backups.due(var)
    monkeypatch.setattr(Wish, "going", goes_on)
    with database.begin() as session:
        again = jobs.add_job(session, 1, "backup", ("team", 1)).id
    nights.look()
    with database.begin() as session:
        assert session.get_one(Job, again).state == "done"
        assert session.get_one(Job, again).progress == 1.0


def test_a_backup_goes_on_as_long_as_one_team_wants_it(running: tuple[Path, Database]) -> None:
    var, database = running
    with database.begin() as session:
        teams = [1, add_team(session, "Others").id]
        ids = [jobs.add_job(session, team, "backup", ("team", team)).id for team in teams]
    wish = Wish(database, var, [claim for job in ids if (claim := jobs.claim(database, job))])
    wish.going(0.1)
    for number, job in enumerate(ids):
        with database.begin() as session:
            jobs.cancel(session, session.get_one(Job, job))
        wish._next = 0.0
        if number == 0:
            wish.going(0.2)
        else:
            with pytest.raises(backups.Stopped):
                wish.going(0.3)
    with database.begin() as session:
        told = [session.get_one(Job, job).message for job in ids]
    assert "goes on for the others" in (told[0] or "")
    assert "nothing of it was kept" in (told[1] or "")


def test_what_a_killed_backup_left_goes(running: tuple[Path, Database]) -> None:
    var, _ = running
    folder = var / "backup" / ".backup-killed"
    folder.mkdir(parents=True)
    (folder / "database.sql.gz").write_bytes(b"half")
    old = time.time() - 2 * backups.LEFT_S
    os.utime(folder, (old, old))
    assert not backups.nightly(var, quiet).trouble
    assert not folder.exists()


def test_a_backup_leaves_the_database_its_room(running: tuple[Path, Database], monkeypatch: pytest.MonkeyPatch) -> None:
    var, database = running
    free = shutil.disk_usage(var).free // 1_000_000
    monkeypatch.setenv("LAUFTAKT_RESERVE_MB", str(free + 1000))
    nights = Nights(var, database, threading.Event())
    with database.begin() as session:
        job = jobs.add_job(session, 1, "backup", ("team", 1)).id
    nights.look()
    with database.begin() as session:
        assert session.get_one(Job, job).state == "failed"
        assert "nearly full" in (session.get_one(Job, job).message or "")
    assert not list((var / "backup").glob("*tar*"))
    assert "nearly full" in read_last(var / "backup").trouble


def test_a_disk_that_is_full_to_the_last_byte_ends_no_nights(
    running: tuple[Path, Database], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("lauftakt.operate.nights.ASK_S", 0.05)
    monkeypatch.setattr("lauftakt.operate.nights.LOOK_S", 0.0)
    monkeypatch.setenv("LAUFTAKT_RESERVE_MB", "0")
    stopping = threading.Event()
    with small_disk(tmp_path / "small", 16) as disk:
        (disk.folder / "backup").mkdir()
        disk.fill(leave=0)
        nights = threading.Thread(target=Nights(disk.folder, Database(running[1].url), stopping).go_on)
        nights.start()
        nights.join(1.0)
        assert nights.is_alive()
        disk.empty()
        until(lambda: read_last(disk.folder / "backup").trouble != "", 10)
        stopping.set()
        nights.join(10)
    assert not nights.is_alive()
