"""One file that holds everything an installation has: its database with the logs' bytes, its secret, and what waits.

It is a tar archive of a manifest, a dump of the database as SQL, and the files; each with its digest in the manifest.
"""

import hashlib
import io
import json
import os
import shutil
import tarfile
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any, cast

import pymysql
from sqlalchemy import text

from lauftakt.operate.dumps import dump, load
from lauftakt.operate.mariadb import NAME, CannotStart, PrivateMariaDB, url_of_running
from lauftakt.store.database import Database
from lauftakt.work.inbox import SETTLED, clear_settled, lock_of
from lauftakt.work.keeping import sync_folder
from lauftakt.work.last_backup import LastBackup, read_last, write_last
from lauftakt.work.room import NoRoom

Say = Callable[[str], None]
Going = Callable[[float], None]

FORMAT = 1
# Names of what nobody needs to be brought back: half-written, or marked to be deleted.
LEFT_OUT = (".part", SETTLED)
MANIFEST, DUMP = "manifest.json", "database.sql.gz"
# What an installation cannot be without, and what waits to be imported: files, and what was recorded of a stream.
FILES, FOLDERS = ("secret",), ("inbox", "stream")
# Of those made by themselves: one for each of so many days, and one for each of so many weeks.
DAYS, WEEKS = 7, 5
# What nobody has written to for so long is of a backup that was killed.
LEFT_S = 86_400.0


class CannotRestore(CannotStart):
    """The backup cannot be brought back, and why."""


class Stopped(Exception):
    """Nobody wants the backup any more that is being made."""


def back_up(var: Path, target: Path, say: Say, going: Going = lambda _: None) -> None:
    """Write a backup of a running installation; it is there whole or not at all.

    Parameters
    ----------
    var : folder of the installation
    target : file to write; its folder is made
    say : told what happens
    going : called again and again with how much of it is done, 0 to 1; what it raises ends the backup

    Raises
    ------
    CannotStart
        where it does not run, or the disk is full.
    """
    server = PrivateMariaDB(var / "database")
    target.parent.mkdir(parents=True, exist_ok=True)
    part = target.with_name(target.name + ".part")
    with _one_moment(server, var, say, going), tempfile.TemporaryDirectory(dir=target.parent, prefix=".backup-") as f:
        dumped = Path(f) / DUMP
        say("Writing the database …")
        whole = _expected(server)
        dump(server, dumped, say, lambda done: going(0.8 * min(done / whole, 1.0)))
        # Listed after the dump: every file that a row of the dump speaks of is there by now, and none was deleted.
        paths = [path for name in FILES if (path := var / name).is_file()]
        for name in FOLDERS:
            paths += sorted(path for path in (var / name).rglob("*") if path.is_file() and path.suffix not in LEFT_OUT)
        try:
            say("Packing it …")
            _pack(var, dumped, paths, part, going)
        except OSError as error:
            _remove(part)
            raise CannotStart(f"The backup could not be written: {error.strerror or error}.") from error
        except BaseException:
            _remove(part)
            raise
    part.replace(target)
    sync_folder(target.parent)
    say(f"Written: {target} ({target.stat().st_size / 1e6:.1f} MB).")


@contextmanager
def _one_moment(server: PrivateMariaDB, var: Path, say: Say, going: Going) -> Iterator[None]:
    """Hold the lock during which nobody deletes a file from the inbox; what was marked meanwhile goes at the end."""
    database = Database(url_of_running(server.folder))
    try:
        with server.connect() as connection, connection.cursor() as cursor:
            told = False
            while cursor.execute("SELECT GET_LOCK(%s, 1)", (lock_of(NAME),)) and cursor.fetchone() != (1,):
                going(0.0)
                if not told:
                    say("Another backup is being made; this one begins after it …")
                told = True
            try:
                yield
            finally:
                with suppress(pymysql.Error):
                    cursor.execute("SELECT RELEASE_LOCK(%s)", (lock_of(NAME),))
        clear_settled(database, var / "inbox")
    except pymysql.Error as error:
        raise CannotStart(f"The database does not answer: {error}.") from error
    finally:
        database.close()


def _expected(server: PrivateMariaDB) -> int:
    """About how many bytes a dump will have: as SQL, values take twice their size."""
    query = "SELECT COALESCE(SUM(data_length), 0) FROM information_schema.tables WHERE table_schema = %s"
    try:
        with server.connect() as connection, connection.cursor() as cursor:
            cursor.execute(query, (NAME,))
            (size,) = cursor.fetchone() or (0,)
    except pymysql.Error as error:
        raise CannotStart(f"The database does not answer: {error}.") from error
    return max(1, 2 * int(size))


def _remove(part: Path) -> None:
    with suppress(OSError):
        part.unlink()


def _pack(var: Path, dumped: Path, paths: list[Path], part: Path, going: Going) -> None:
    digests: dict[str, str] = {}
    with open(part, "wb", opener=lambda name, flags: os.open(name, flags, 0o600)) as raw:
        with tarfile.open(fileobj=raw, mode="w") as archive:
            members = [(dumped, DUMP), *((path, str(path.relative_to(var))) for path in paths)]
            for number, (path, name) in enumerate(members):
                going(0.8 + 0.2 * number / len(members))
                with suppress(FileNotFoundError):  # the pieces of a file that is whole by now, or was given up
                    digests[name] = _add(archive, path, name)
            manifest = {
                "lauftakt-backup": FORMAT,
                "made": datetime.now(UTC).isoformat(timespec="seconds"),
                "sha256": digests,
            }
            told = json.dumps(manifest, indent=1).encode()
            entry = tarfile.TarInfo(MANIFEST)
            entry.size, entry.mode = len(told), 0o600
            archive.addfile(entry, io.BytesIO(told))
        raw.flush()
        os.fsync(raw.fileno())


class _Digested:
    """Reads a file and keeps the digest of what was read: it may grow meanwhile."""

    def __init__(self, file: IO[bytes]) -> None:
        self.file, self.digest = file, hashlib.sha256()

    def read(self, size: int = -1) -> bytes:
        """Some bytes, as of a file."""
        block = self.file.read(size)
        self.digest.update(block)
        return block


def _add(archive: tarfile.TarFile, path: Path, name: str) -> str:
    """Put as much of a file into the archive as it has now; returns the digest of that."""
    with path.open("rb") as file:
        reader = _Digested(file)
        archive.addfile(archive.gettarinfo(arcname=name, fileobj=file), cast(IO[bytes], reader))
    return reader.digest.hexdigest()


def restore(source: Path, var: Path, say: Say) -> None:
    """Bring a backup back into an empty folder; an older version's tables are brought up to date at the next start.

    Raises
    ------
    CannotRestore
        where the folder is not empty, or the file is no whole backup; the folder is left as it was then.
    """
    if var.exists() and any(var.iterdir()):
        raise CannotRestore(f"{var} is not empty. Name a folder that is not there yet with --var.")
    var.parent.mkdir(parents=True, exist_ok=True)
    new = Path(tempfile.mkdtemp(prefix=f".{var.name}-", dir=var.parent))
    try:
        say("Reading the backup …")
        _unpack(source, new)
        server = PrivateMariaDB(new / "database")
        say("Starting a database …")
        server.start()
        try:
            say("Filling it …")
            load(server, new / DUMP, say=say)
            database = Database(server.url)
            try:
                present, wanted = database.versions()
                _forget_later_files(database, new / "inbox")
            finally:
                database.close()
            if present is None or present > (wanted or ""):
                raise CannotRestore(f"The backup is of a newer version (tables {present}); update Lauftakt first.")
        finally:
            server.stop()
        (new / DUMP).unlink()
        if var.exists():
            var.rmdir()
        new.replace(var)
    except BaseException:
        shutil.rmtree(new, ignore_errors=True)
        raise
    say(f"Brought back into {var}. Start it: script/start --var {var}")


def _forget_later_files(database: Database, inbox: Path) -> None:
    """Delete what came after the moment of the backup: no row of it speaks of these files, and another may get their
    numbers."""
    with database.engine.connect() as connection:
        known = {f"{row}.file" for row in connection.execute(text("SELECT id FROM hand_in")).scalars()}
    for path in inbox.glob("*.file"):
        if path.name not in known:
            path.unlink()


def _unpack(source: Path, new: Path) -> None:
    try:
        with tarfile.open(source) as archive:
            archive.extractall(new, filter="data")
    except FileNotFoundError as error:
        raise CannotRestore(f"There is no file {source}.") from error
    except (tarfile.TarError, OSError, EOFError) as error:
        raise CannotRestore(f"{source} is not a whole backup; it may have been cut off while it was copied.") from error
    try:
        manifest: dict[str, Any] = json.loads((new / MANIFEST).read_text())
        digests: dict[str, str] = manifest["sha256"]
        kind = manifest["lauftakt-backup"]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise CannotRestore(f"{source} is not a backup that Lauftakt made.") from error
    if kind != FORMAT or DUMP not in digests:
        raise CannotRestore(f"{source} was made by another version; update Lauftakt first.")
    for name, digest in digests.items():
        path = (new / name).resolve()
        if not path.is_relative_to(new.resolve()) or not path.is_file():
            raise CannotRestore(f"{source} is not whole: {name} is missing.")
        with path.open("rb") as file:
            if hashlib.file_digest(file, "sha256").hexdigest() != digest:
                raise CannotRestore(f"{source} is damaged: {name} is not what was written.")
    (new / MANIFEST).unlink()
    for path in [new, *new.rglob("*")]:
        path.chmod(0o700 if path.is_dir() else 0o600)


def nightly(var: Path, say: Say, going: Going = lambda _: None) -> LastBackup:
    """Make today's backup and forget those that are too old; how it went is kept for the Paddock to tell.

    Raises
    ------
    Stopped
        from ``going``; nothing is kept of it.
    """
    folder = var / "backup"
    folder.mkdir(exist_ok=True, mode=0o700)
    moment = datetime.now(UTC)
    try:
        back_up(var, folder / f"lauftakt-{moment:%Y-%m-%d}.tar", say, going)
        state = LastBackup(moment)
    except (CannotStart, OSError, NoRoom) as error:
        state = LastBackup(read_last(folder).good_at, str(error))
    _forget(folder)
    write_last(folder, state)
    return state


def due(var: Path) -> bool:
    """Whether today's backup is still to be made."""
    return not (var / "backup" / f"lauftakt-{datetime.now(UTC):%Y-%m-%d}.tar").exists()


def _forget(folder: Path) -> None:
    """Keep one of each of the last days and one of each of the last weeks, and nothing that was killed half-way."""
    for left in (*folder.glob(".backup-*"), *folder.glob("*.tar.part")):
        with suppress(FileNotFoundError):
            if time.time() - left.stat().st_mtime > LEFT_S:
                shutil.rmtree(left) if left.is_dir() else left.unlink()
    found = sorted(folder.glob("lauftakt-????-??-??.tar"), reverse=True)
    weeks: dict[tuple[int, int], Path] = {}
    for path in found:
        try:
            day = datetime.strptime(path.stem, "lauftakt-%Y-%m-%d").replace(tzinfo=UTC)
        except ValueError:
            continue
        year, week, _ = day.isocalendar()
        weeks.setdefault((year, week), path)
    kept = {*found[:DAYS], *[path for _, path in sorted(weeks.items(), reverse=True)][:WEEKS]}
    for path in found:
        if path not in kept:
            path.unlink(missing_ok=True)
