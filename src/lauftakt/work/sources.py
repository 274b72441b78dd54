"""What an import is given, what it reports, and how it is stopped."""

import hashlib
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import text

from lauftakt.store.database import Database
from lauftakt.work.jobs import Claim, Waits, waits

Report = Callable[[float, str], None]

# How long somebody waits for a named lock, and how often they look whether it is still worth it.
LONGEST_WAIT_S, LOOK_S = 300.0, 1.0


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

    def waits(self, database: Database, what: Waits) -> Callable[[], None]:
        """Tells what the import waits for, and stops it where somebody wishes it."""

        def told() -> None:
            if self.claim is not None and waits(database, self.claim, what):
                raise Cancelled

        return told


def sha256_of(path: Path) -> str:
    """Hex digest of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


@contextmanager
def alone(database: Database, name: str, waiting: Callable[[], None] | None = None) -> Iterator[None]:
    """A named lock, held on a connection of its own, so that it is gone when its holder is.

    ``waiting`` is called again and again while somebody else holds it; it may raise.
    """
    until = time.monotonic() + LONGEST_WAIT_S
    patience = 0.0
    with database.engine.connect() as connection:
        take = text("SELECT GET_LOCK(:name, :patience)")
        while connection.execute(take, {"name": name, "patience": patience}).scalar() != 1:
            if time.monotonic() > until:
                raise RuntimeError(f"The lock {name} was held for {LONGEST_WAIT_S:.0f} s.")
            if waiting is not None:
                waiting()
            patience = LOOK_S
        try:
            yield
        finally:
            connection.execute(text("SELECT RELEASE_LOCK(:name)"), {"name": name})
