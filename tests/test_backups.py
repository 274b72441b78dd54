"""Everything an installation has goes into one file and comes back, elsewhere and for somebody else."""

import hashlib
import io
import json
import os
import tarfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select, text

from lauftakt import settings
from lauftakt.operate import backups
from lauftakt.operate.check import check
from lauftakt.operate.dumps import load
from lauftakt.operate.mariadb import CannotStart, PrivateMariaDB, url_of_running
from lauftakt.operate.stack import Stack
from lauftakt.operate.teams import (
    bring_team_back,
    list_teams,
    make_password,
    new_coach,
    new_password,
    new_team,
)
from lauftakt.store.accounts import Refused, verify
from lauftakt.store.counting import laps_of
from lauftakt.store.damage import seal
from lauftakt.store.database import Database, now
from lauftakt.store.models import Analysis, Run, Team
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver, take_in
from lauftakt.work.last_backup import OLD, LastBackup, read_last, write_last
from tests.day import Day

PASSWORD = "late apex every time"


def quiet(_: str) -> None:
    """Says nothing."""


@pytest.fixture(autouse=True)
def own_settings(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("LAUFTAKT_DATABASE_URL", "LAUFTAKT_VAR"):
        monkeypatch.setenv(name, os.environ.get(name, ""))


@contextmanager
def school_in(var: Path, day: Day) -> Iterator[tuple[Path, Database]]:
    """An installation with a team, two runs and a file that waits."""
    server = PrivateMariaDB(var / "database")
    server.start()
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("LAUFTAKT_DATABASE_URL", server.url)
        patch.setenv("LAUFTAKT_VAR", str(var))
        database = Database(server.url)
        database.migrate()
        new_team(database, "School", "ada@school.example", PASSWORD)
        found = settings.load()
        for path in (day.layout_file, *day.files[:2]):
            hand_in_now(database, found.inbox, Giver(1, "shell"), path)
        take_in(database, found.inbox, Giver(1, "shell"), day.files[2].name, day.files[2], move=False)
        yield var, database
        database.close()
    server.stop()


@pytest.fixture
def running(tmp_path: Path, day: Day) -> Iterator[tuple[Path, Database]]:
    """An installation of a test's own."""
    with school_in(tmp_path / "here", day) as found:
        yield found


def rows_of(database: Database) -> dict[str, tuple[int, str]]:
    """How many rows each table has, and a digest of all their values."""
    with database.engine.connect() as connection:
        names = sorted(connection.execute(text("SHOW TABLES")).scalars())
        found = {}
        for name in names:
            digest, count = hashlib.sha256(), 0
            for row in connection.execute(text(f"SELECT * FROM `{name}` ORDER BY 1")):
                digest.update(repr(tuple(row)).encode())
                count += 1
            found[name] = (count, digest.hexdigest())
    return found


def test_a_backup_comes_back_in_another_folder(running: tuple[Path, Database], tmp_path: Path) -> None:
    var, database = running
    told: list[str] = []
    target = tmp_path / "stick" / "lauftakt.tar"
    backups.back_up(var, target, told.append)
    assert target.stat().st_mode & 0o077 == 0
    assert any("MB" in line for line in told)
    assert not list(target.parent.glob(".backup-*"))
    there = tmp_path / "there"
    backups.restore(target, there, told.append)
    assert (there / "secret").read_bytes() == (var / "secret").read_bytes()
    (waits,) = (there / "inbox").iterdir()
    assert waits.read_bytes() == (var / "inbox" / waits.name).read_bytes()
    assert there.stat().st_mode & 0o077 == 0
    server = PrivateMariaDB(there / "database")
    server.start()
    try:
        again = Database(server.url)
        assert server.url != database.url
        assert rows_of(again) == rows_of(database)
        # Bytes that were handed in, whole and with their checksums.
        assert check(again, there, quiet) <= 1
        with again.begin() as session:
            assert verify(session, "ada@school.example", PASSWORD) is not None
        again.close()
    finally:
        server.stop()
    with pytest.raises(backups.CannotRestore, match="not empty"):
        backups.restore(target, there, quiet)


def _tar(path: Path, **members: bytes) -> Path:
    with tarfile.open(path, "w") as archive:
        for name, data in members.items():
            entry = tarfile.TarInfo(name.replace("_", "."))
            entry.size = len(data)
            archive.addfile(entry, io.BytesIO(data))
    return path


def test_what_is_no_whole_backup_leaves_no_folder_behind(tmp_path: Path) -> None:
    manifest = {"lauftakt-backup": 1, "sha256": {"database.sql.gz": "0" * 64}}
    there = tmp_path / "there"
    for source, words in (
        (tmp_path / "none.tar", "There is no file"),
        (_tar(tmp_path / "other.tar", a=b"b"), "not a backup"),
        (_tar(tmp_path / "missing.tar", manifest_json=json.dumps(manifest).encode()), "is missing"),
        (
            _tar(tmp_path / "newer.tar", manifest_json=json.dumps({**manifest, "lauftakt-backup": 9}).encode()),
            "another version",
        ),
    ):
        with pytest.raises(backups.CannotRestore, match=words):
            backups.restore(source, there, quiet)
    (tmp_path / "cut.tar").write_bytes(b"nothing of the kind")
    with pytest.raises(backups.CannotRestore, match="not a whole backup"):
        backups.restore(tmp_path / "cut.tar", there, quiet)
    assert not there.exists()
    assert not list(tmp_path.glob(".there-*"))


def test_every_night_with_generations(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = tmp_path / "backup"
    folder.mkdir()
    for days in range(1, 80):
        (folder / f"lauftakt-{datetime.now(UTC) - timedelta(days=days):%Y-%m-%d}.tar").touch()
    monkeypatch.setattr(backups, "back_up", lambda _var, target, _say, _going: target.touch())
    assert backups.due(tmp_path)
    assert backups.nightly(tmp_path, quiet).told() is None
    assert not backups.due(tmp_path)
    left = sorted(folder.glob("*.tar"))
    assert backups.DAYS + backups.WEEKS - 2 <= len(left) <= backups.DAYS + backups.WEEKS
    # A disk that is full is told, with what there still is.
    good_at = read_last(folder).good_at

    def full(*_: object) -> None:
        raise CannotStart("The backup could not be written: No space left on device.")

    monkeypatch.setattr(backups, "back_up", full)
    assert "No space left" in (backups.nightly(tmp_path, quiet).told() or "")
    assert read_last(folder).good_at == good_at
    write_last(folder, LastBackup(datetime.now(UTC) - OLD - timedelta(days=1)))
    assert "2 days old" in (read_last(folder).told() or "")
    assert read_last(tmp_path).told() is None


def test_check_says_what_is_wrong(running: tuple[Path, Database]) -> None:
    var, database = running
    told: list[str] = []
    (var / "inbox" / "77.file").write_bytes(b"of nobody")
    assert check(database, var, told.append) == 1  # the file that waits belongs to nothing, no backup yet
    assert any("belong to nothing" in line for line in told)
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE samples SET `values` = 'f4broken' ORDER BY id LIMIT 1"))
        connection.execute(text("UPDATE original_part SET data = REVERSE(data) ORDER BY id LIMIT 1"))
        connection.execute(
            text("UPDATE job SET created_at = :at ORDER BY id LIMIT 1"), {"at": now() + timedelta(days=1)}
        )
    told.clear()
    assert check(database, var, told.append) == 2
    words = "\n".join(told)
    for wanted in ("The samples of ", "is not what was handed in", "clock is wrong"):
        assert wanted in words
    assert check(database, var, quiet, quick=True) == 2


def test_check_finds_what_went_bad_and_mends_it(running: tuple[Path, Database]) -> None:
    var, database = running

    def said(**how: Any) -> str:
        told: list[str] = []
        check(database, var, told.append, **how)
        return "\n".join(told)

    with database.begin() as session:
        first, second = [f"{run.driver.name}’s run “{run.file_name}”" for run in session.scalars(select(Run))]
    harm = {
        "samples": "UPDATE samples SET `values` = CONCAT(LEFT(`values`, 40), 'x', SUBSTRING(`values`, 42)) LIMIT 1",
        "a block": "DELETE FROM samples ORDER BY id DESC LIMIT 1",
        "a lap": "UPDATE lap SET time_s = time_s - 0.5 WHERE time_s IS NOT NULL ORDER BY id LIMIT 1",
        "curves": "DELETE FROM curves WHERE role = 'offset' ORDER BY id DESC LIMIT 1",
    }
    for what in harm.values():
        with database.engine.begin() as connection:
            assert connection.execute(text(what)).rowcount == 1, what
    found = said()
    for run in (first, second):
        assert f"The samples of {run}" in found
        assert f"The computed numbers of {run}" in found
    assert "no backup made since holds them" in found
    (var / "backup").mkdir()
    kept = var / "backup" / f"lauftakt-{datetime.now(UTC) + timedelta(days=1):%Y-%m-%d}.tar"
    kept.touch()
    assert f"they are in the backup {kept}" in said()
    mended = said(mend=True)
    assert mended.count("were damaged, and were made anew") == 2  # the numbers with their samples
    assert "damaged" not in said()
    # Numbers that were changed together with what vouches for them are found by computing them afresh.
    with database.begin() as session:
        analysis = session.scalars(select(Analysis).join(Run, Run.analysis_id == Analysis.id)).first()
        assert analysis is not None
        laps = laps_of(session, analysis.id)
        lap = next(lap for lap in laps if lap.time_s is not None)
        assert lap.time_s is not None
        lap.time_s -= 0.5
        session.flush()
        seal(session, analysis, laps)
    assert "damaged" not in said()
    assert "Lap times of" in said(computed=9)
    assert "Lap times of" in said(computed=9, mend=True)
    assert "Lap times of" not in said(computed=9)


def test_what_cannot_be_mended_is_named(running: tuple[Path, Database]) -> None:
    var, database = running
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE samples SET `values` = 'f4broken' ORDER BY id LIMIT 1"))
        connection.execute(text("UPDATE original_part SET data = REVERSE(data) ORDER BY id LIMIT 1"))
    told: list[str] = []
    assert check(database, var, told.append, mend=True) == 2
    assert any("damaged and cannot be made anew; no backup" in line for line in told)


def test_people_by_shell(running: tuple[Path, Database]) -> None:
    _, database = running
    assert new_coach(database, None, "ben@school.example", "Ben", "assistant", PASSWORD) == "School"
    for refused in (
        lambda: new_team(database, "Other", "no address", PASSWORD),
        lambda: new_team(database, "Other", "ada@school.example", PASSWORD),
        lambda: new_coach(database, None, "eve@school.example", "Eve", "driver", PASSWORD),
        lambda: new_coach(database, 99, "eve@school.example", "Eve", "coach", PASSWORD),
        lambda: new_coach(database, None, "eve@school.example", "Eve", "coach", "short"),
        lambda: new_password(database, "nobody@school.example", PASSWORD),
        lambda: new_password(database, "ben@school.example", "short"),
        lambda: bring_team_back(database, 1),
    ):
        with pytest.raises(Refused):
            refused()
    new_password(database, "Ben@school.example", "another one that is long")
    with database.begin() as session:
        assert verify(session, "ben@school.example", PASSWORD) is None
        assert verify(session, "ben@school.example", "another one that is long") is not None
        session.get_one(Team, 1).removed_at = now()
    told: list[str] = []
    list_teams(database, told.append)
    assert any("removed on" in line for line in told)
    assert any("ben@school.example" in line for line in told)
    assert bring_team_back(database, 1) == "School"
    assert len({make_password() for _ in range(20)}) == 20


def test_the_shell_finds_the_running_installation(running: tuple[Path, Database]) -> None:
    var, database = running
    assert url_of_running(var / "database") == database.url
    with pytest.raises(CannotStart, match="No Lauftakt runs"):
        url_of_running(var / "nowhere")


def test_a_backup_of_an_older_version_is_brought_up_to_date(tmp_path: Path) -> None:
    var, there = tmp_path / "old", tmp_path / "new"
    server = PrivateMariaDB(var / "database")
    server.start()
    try:
        load(server, Path(__file__).parent / "kept" / "tables-0003.sql.gz")
        (var / "secret").write_text("a secret of before")
        backups.back_up(var, tmp_path / "old.tar", quiet)
    finally:
        server.stop()
    backups.restore(tmp_path / "old.tar", there, quiet)
    stack = Stack(there)
    told: list[str] = []
    database = stack.start_database(told.append)
    try:
        present, wanted = database.versions()
        assert present == wanted
        # It was dumped before, and each step was said.
        assert list((there / "backup").glob("before-*-from-0003.sql.gz"))
        assert any("0006:" in line for line in told)
        with database.begin() as session:
            assert len(session.scalars(select(Run)).all()) == 3
    finally:
        database.close()
        stack.stop()
