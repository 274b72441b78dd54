"""The demo: the whole application with the school's day, and stand-ins for the devices around it."""

import threading
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import select

from lauftakt.demo.coaching import give_debriefs
from lauftakt.demo.logger_device import serve_logger
from lauftakt.demo.school import write_afternoon
from lauftakt.demo.team import EMAIL, PASSWORD, load_demo_team
from lauftakt.operate.mariadb import CannotStart, free_udp_port
from lauftakt.operate.stack import How, Stack
from lauftakt.store.accounts import set_password, verify
from lauftakt.store.database import Database
from lauftakt.store.models import Account
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver

Say = Callable[[str], None]

# An ordinary device's clock was set last winter, its radio link is slow and breaks.
CLOCK_OFF_S, DELAY_S, BREAKS = 3725.0, 0.15, 0.3


def run_demo(var: Path, how: How, say: Say, password: str | None = None) -> None:
    """Start everything and keep it running until interrupted.

    ``password`` is the coach's from now on; with ``lan`` there has to be one: everybody knows the demo's own.

    Raises
    ------
    CannotStart
    """
    folder = var / "demo-logger"
    if not folder.is_dir():
        say("Recording the afternoon on the stand-in logger …")
        write_afternoon(folder)
    device = serve_logger(folder, "127.0.0.1", 0, clock_off_s=CLOCK_OFF_S, delay_s=DELAY_S, breaks=BREAKS)
    threading.Thread(target=device.serve_forever, daemon=True, name="stand-in logger").start()
    stream_port = free_udp_port()
    more = {
        "LAUFTAKT_LOGGERS": f"Paddock logger=http://127.0.0.1:{device.server_address[1]} for {EMAIL}",
        "LAUFTAKT_STREAM_PORT": str(stream_port),
        "LAUFTAKT_STREAM_FOR": EMAIL,
        **({"LAUFTAKT_STREAM_HOST": "0.0.0.0"} if how.lan else {}),  # noqa: S104 (only with --lan)
    }
    stack = Stack(var, how, more=more)

    def hand_in(database: Database, team_id: int, path: Path) -> None:
        for fate in hand_in_now(database, var / "inbox", Giver(team_id, "shell"), path):
            if fate.state != "taken" and fate.code != "duplicate":
                raise CannotStart(f"{fate.file_name} was not taken: {fate.message}")

    try:
        database = stack.start_database(say)
        load_demo_team(database, hand_in, say)
        if password is not None:
            with database.begin() as session:
                set_password(session, session.scalars(select(Account).where(Account.email == EMAIL)).one(), password)
        elif how.lan and _is_known(database):
            raise CannotStart("The demo's password is known to everybody: choose another before others can reach it.")
        word = PASSWORD if _is_known(database) else password
        database.close()
        stack.start_application(say)
        if word is not None:
            give_debriefs(stack.address, EMAIL, word, say)
        known = PASSWORD if word == PASSWORD else "the one you chose"
        say("")
        say(f"Lauftakt is at        {stack.address}")
        if how.lan:
            say(f"Phones reach it at    {stack.public_address}")
            say("                      (the certificate is this machine's own: accept it once)")
        say(f"Sign in as the coach: {EMAIL}   password: {known}")
        say(f"A simulator's stream: .venv/bin/lauftakt demo-stream --to 127.0.0.1:{stream_port}")
        say("Ctrl-C stops everything.")
        stack.keep(say)
    finally:
        device.shutdown()
        stack.stop(say)


def _is_known(database: Database) -> bool:
    """Whether the coach's password is still the printed one."""
    with database.begin() as session:
        return verify(session, EMAIL, PASSWORD) is not None
