"""What an import is given, what it reports, and how it is stopped."""

import hashlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import text

from lauftakt.store.database import Database
from lauftakt.work.jobs import Claim

Report = Callable[[float, str], None]


class Cancelled(Exception):
    """Somebody asked to stop."""


@dataclass(frozen=True)
class Source:
    """A file to import, and whose hand-in it is; ``turned``: the circuit that is named was driven the other way."""

    path: Path
    file_name: str
    team_id: int
    hand_in_id: int
    claim: Claim | None = None
    turned: bool = False


def sha256_of(path: Path) -> str:
    """Hex digest of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def inbox_path(inbox: Path, hand_in_id: int) -> Path:
    """Where the bytes of a hand-in wait; nothing of the person's file name is used."""
    return inbox / f"{hand_in_id}.file"


@contextmanager
def alone(database: Database, name: str) -> Iterator[None]:
    """A named lock, held on a connection of its own, so that it is gone when its holder is."""
    with database.engine.connect() as connection:
        if connection.execute(text("SELECT GET_LOCK(:name, 300)"), {"name": name}).scalar() != 1:
            raise RuntimeError(f"The lock {name} was held for five minutes.")
        try:
            yield
        finally:
            connection.execute(text("SELECT RELEASE_LOCK(:name)"), {"name": name})
