"""Dumps of the private database, and the way to newer tables: dumped first, then migrated."""

import gzip
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import IO, cast

import pymysql

from lauftakt.operate.mariadb import NAME, CannotStart, PrivateMariaDB, program, system_user
from lauftakt.operate.version import last_commit
from lauftakt.store.database import Database
from lauftakt.work.keeping import sync_file, sync_folder

Say = Callable[[str], None]
KEPT = 5
# After so many bytes it is said how far it is.
TELL = 100_000_000


def bring_up_to_date(database: Database, server: PrivateMariaDB, folder: Path, say: Say) -> None:
    """Migrate the tables to what this program wants; where there is data, it is dumped before.

    A migration that was killed begins again from the top at the next start; the first dump of it stays. One that fails
    leaves the database as it was.

    Raises
    ------
    CannotStart
        where the tables are newer than the program, no dump can be made, or the tables cannot be changed: the data are
        as they were then, and it is said how to go back to what ran before.
    """
    _finish_bringing_back(server, folder, say)
    present, wanted = database.versions()
    if present == wanted:
        return
    if present is not None:
        if present > (wanted or ""):
            raise CannotStart(
                f"The data were written by a newer version (tables {present}, this program knows {wanted}). "
                "Start that version, or another folder with --var."
            )
        target = folder / f"before-{wanted}-from-{present}.sql.gz"
        if not target.exists():
            say(f"Dumping the database before its tables change, to {target} …")
            dump(server, target)
        _forget(folder)
        say("Bringing the tables up to date …")
        try:
            database.migrate(say=say)
        except Exception as error:
            database.close()
            _bring_back(server, target, folder, say)
            raise CannotStart(_told(error, folder.parent)) from error
        return
    database.migrate(say=say)


# Names the dump that is being read back, so that a kill in the middle of it is made good at the next start.
_MARK = "bringing-back"


def _bring_back(server: PrivateMariaDB, source: Path, folder: Path, say: Say) -> None:
    """Make the database what a dump holds, and nothing else.

    Raises
    ------
    CannotStart
    """
    say(f"The update failed; the database is brought back from {source} …")
    (folder / _MARK).write_text(source.name)
    try:
        with server.connect() as connection, connection.cursor() as cursor:
            cursor.execute(f"DROP DATABASE IF EXISTS {NAME}")
            cursor.execute(f"CREATE DATABASE {NAME} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")
        load(server, source)
    except (pymysql.Error, CannotStart) as error:
        raise CannotStart(
            f"The update failed, and the database could not be brought back yet: {error}. Nothing is lost: {source} "
            "holds all of it. Start it again; that is tried first."
        ) from error
    (folder / _MARK).unlink()


def _finish_bringing_back(server: PrivateMariaDB, folder: Path, say: Say) -> None:
    """Go on with what was killed in the middle."""
    try:
        source = folder / (folder / _MARK).read_text()
    except OSError:
        return
    _bring_back(server, source, folder, say)


def _told(error: Exception, var: Path) -> str:
    before = last_commit(var)
    back = f"git checkout {before[:12]}" if before else "the version that ran before"
    cause = str(error).strip().splitlines()[0][:300]
    return (
        f"The update failed, and the database is as it was before: {cause}\nGo back with {back}, then start it again."
    )


def _quiet(_: str) -> None:
    """Says nothing."""


def _copy(source: IO[bytes], target: IO[bytes], say: Say, going: Callable[[int], None] = lambda _: None) -> None:
    """Copy, and say every now and then how far it is."""
    done, told = 0, 0
    while block := source.read(1 << 20):
        target.write(block)
        done += len(block)
        going(done)
        if done - told >= TELL:
            told = done
            say(f"  {done / 1e6:.0f} MB …")


def dump(
    server: PrivateMariaDB, target: Path, say: Say = _quiet, going: Callable[[int], None] = lambda _: None
) -> None:
    """Write a consistent dump, compressed; it is there whole or not at all, also after the power failed.

    Parameters
    ----------
    server, target : of which database, and where to
    say : told what happens
    going : called again and again with the number of bytes so far; what it raises ends the dump

    Raises
    ------
    CannotStart
    """
    target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    part = target.with_suffix(".part")
    command = [
        program("mariadb-dump", "mysqldump"), "--no-defaults", f"--socket={server.socket}", f"--user={system_user()}",
        "--single-transaction", "--quick", "--hex-blob", "--default-character-set=utf8mb4", NAME,
    ]  # fmt: skip
    try:
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
            assert process.stdout is not None
            assert process.stderr is not None
            with gzip.open(part, "wb", compresslevel=3) as file:
                _copy(process.stdout, cast(IO[bytes], file), say, going)
            trouble = process.stderr.read().decode(errors="replace").strip()
        if process.returncode:
            raise CannotStart(f"The database could not be dumped, so its tables were left as they are: {trouble}")
        part.chmod(0o600)
        sync_file(part)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    part.replace(target)
    sync_folder(target.parent)


def load(server: PrivateMariaDB, source: Path, name: str = NAME, say: Say = _quiet) -> None:
    """Read a dump into an empty database of the private server.

    Raises
    ------
    CannotStart
    """
    command = [
        program("mariadb", "mysql"), "--no-defaults", f"--socket={server.socket}", f"--user={system_user()}",
        "--default-character-set=utf8mb4", "--max-allowed-packet=64M", name,
    ]  # fmt: skip
    trouble = ""
    with (
        tempfile.TemporaryFile() as told,
        subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=told) as process,
    ):
        assert process.stdin is not None
        try:
            with gzip.open(source, "rb") as file:
                _copy(cast(IO[bytes], file), process.stdin, say)
            process.stdin.close()
        except BrokenPipeError:
            pass  # it says why below
        except (OSError, EOFError) as error:
            process.kill()
            trouble = str(error)
        process.wait()
        told.seek(0)
        trouble = trouble or told.read().decode(errors="replace").strip()
    if process.returncode:
        raise CannotStart(f"{source} could not be read: {trouble}")


def _forget(folder: Path) -> None:
    """Keep the newest dumps only."""
    found = sorted(folder.glob("before-*.sql.gz"), key=lambda path: path.stat().st_mtime)
    for path in found[:-KEPT]:
        path.unlink(missing_ok=True)
