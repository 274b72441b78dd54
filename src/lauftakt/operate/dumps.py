"""Dumps of the private database, and the way to newer tables: dumped first, then migrated."""

import gzip
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

from lauftakt.operate.mariadb import NAME, CannotStart, PrivateMariaDB, program
from lauftakt.store.database import Database

Say = Callable[[str], None]
KEPT = 5


def bring_up_to_date(database: Database, server: PrivateMariaDB, folder: Path, say: Say) -> None:
    """Migrate the tables to what this program wants; where there is data, it is dumped before.

    A migration that was killed begins again from the top at the next start; the first dump of it stays.

    Raises
    ------
    CannotStart
        where the tables are newer than the program, or no dump can be made: nothing was changed then.
    """
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
    database.migrate()


def dump(server: PrivateMariaDB, target: Path) -> None:
    """Write a consistent dump, compressed; it is there whole or not at all.

    Raises
    ------
    CannotStart
    """
    target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    part = target.with_suffix(".part")
    command = [
        program("mariadb-dump", "mysqldump"), "--no-defaults", f"--socket={server.socket}", "--user=root",
        "--single-transaction", "--quick", "--hex-blob", "--default-character-set=utf8mb4", NAME,
    ]  # fmt: skip
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
        assert process.stdout is not None
        assert process.stderr is not None
        with gzip.open(part, "wb", compresslevel=3) as file:
            shutil.copyfileobj(process.stdout, file, 1 << 20)
        trouble = process.stderr.read().decode(errors="replace").strip()
    if process.returncode:
        part.unlink(missing_ok=True)
        raise CannotStart(f"The database could not be dumped, so its tables were left as they are: {trouble}")
    part.chmod(0o600)
    part.replace(target)


def load(server: PrivateMariaDB, source: Path, name: str = NAME) -> None:
    """Read a dump into an empty database of the private server.

    Raises
    ------
    CannotStart
    """
    command = [
        program("mariadb", "mysql"), "--no-defaults", f"--socket={server.socket}", "--user=root",
        "--default-character-set=utf8mb4", "--max-allowed-packet=64M", name,
    ]  # fmt: skip
    with gzip.open(source, "rb") as file:
        done = subprocess.run(command, input=file.read(), capture_output=True)
    if done.returncode:
        raise CannotStart(f"{source} could not be read: {done.stderr.decode(errors='replace').strip()}")


def _forget(folder: Path) -> None:
    """Keep the newest dumps only."""
    found = sorted(folder.glob("before-*.sql.gz"), key=lambda path: path.stat().st_mtime)
    for path in found[:-KEPT]:
        path.unlink(missing_ok=True)
