"""Where files wait for their import, and how they are deleted once no row needs them.

A backup takes the rows first and the files after. So that every file of which a row of it speaks is still there, none
is deleted while a backup holds its lock: it is marked, and deleted when the backup has ended. Whoever deletes has
committed what makes the file needless before; so a backup that takes the lock after it was looked at has the new rows.
"""

import logging
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from lauftakt.store.database import Database

log = logging.getLogger(__name__)

# Put after the name of a file, names the mark that says it is needed no more.
SETTLED = ".settled"
_BEING_MADE = text("SELECT IS_USED_LOCK(CONCAT(DATABASE(), '.backup'))")


def inbox_path(inbox: Path, hand_in_id: int) -> Path:
    """Where the bytes of a hand-in wait; nothing of the person's file name is used."""
    return inbox / f"{hand_in_id}.file"


def lock_of(name: str) -> str:
    """What a backup of a database holds on the database's server while it is made."""
    return f"{name}.backup"


def discard(database: Database, path: Path) -> None:
    """Delete a file of the inbox that no committed row needs any more; later, where a backup is being made."""
    if _backup_is_being_made(database):
        if path.exists():
            _mark(path).touch()
        return
    path.unlink(missing_ok=True)
    _mark(path).unlink(missing_ok=True)


def clear_settled(database: Database, inbox: Path) -> None:
    """Delete what was marked while a backup was made."""
    for mark in inbox.glob("*" + SETTLED):
        discard(database, mark.with_name(mark.name.removesuffix(SETTLED)))


def _mark(path: Path) -> Path:
    return path.with_name(path.name + SETTLED)


def _backup_is_being_made(database: Database) -> bool:
    try:
        with database.engine.connect() as connection:
            return connection.execute(_BEING_MADE).scalar() is not None
    except DBAPIError as error:
        log.warning("Whether a backup is being made is not known: %s", error)
        return True  # it is deleted with the next tidying
