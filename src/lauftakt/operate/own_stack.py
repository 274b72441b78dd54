"""A school's own Lauftakt: the whole application without the demo team, with a backup every night."""

import secrets
import threading
from collections.abc import Callable
from pathlib import Path

from lauftakt.demo.team import close_known_password
from lauftakt.operate.nights import Nights
from lauftakt.operate.stack import How, Stack
from lauftakt.settings import FIRST_CODE
from lauftakt.store.accounts import has_own_team
from lauftakt.store.database import Database

Say = Callable[[str], None]


def run_own(var: Path, how: How, say: Say) -> None:
    """Start everything and keep it running until interrupted.

    Raises
    ------
    CannotStart
    """
    stack = Stack(var, how, more={"LAUFTAKT_BACKUPS": "1"})
    stopping = threading.Event()
    try:
        database = stack.start_database(say)
        with database.begin() as session:
            close_known_password(session)
        code = first_code(var, database)
        database.close()
        stack.start_application(say)
        nights = Nights(stack.var, Database(stack.mariadb.url), stopping)
        threading.Thread(target=nights.go_on, daemon=True, name="backups").start()
        say("")
        say(f"Lauftakt is at      {stack.address}")
        if how.lan:
            say(f"Phones reach it at  {stack.public_address}")
            say("                    (the certificate is this machine's own: accept it once)")
        if code:
            say("")
            say("Open this address once, to make your team:")
            say(f"  {stack.address}/first#{code}")
        say("")
        say("Ctrl-C stops everything. Backups are made every night, in " + str(stack.var / "backup") + ".")
        stack.keep(say)
    finally:
        stopping.set()
        stack.stop(say)


def first_code(var: Path, database: Database) -> str | None:
    """The one-time code by which the first team is made, kept in a file that only its user can read; None where there
    is a team."""
    path = var / FIRST_CODE
    with database.begin() as session:
        if has_own_team(session):
            path.unlink(missing_ok=True)
            return None
    if not path.exists():
        path.write_text(secrets.token_urlsafe(16))
        path.chmod(0o600)
    return path.read_text().strip()
