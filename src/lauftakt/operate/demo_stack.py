"""The demo: the whole application with the school's day, and stand-ins for the devices around it."""

import threading
import time
from collections.abc import Callable
from pathlib import Path

from lauftakt.demo.logger_device import serve_logger
from lauftakt.demo.school import write_afternoon
from lauftakt.demo.team import EMAIL, PASSWORD, load_demo_team
from lauftakt.operate.mariadb import CannotStart, free_udp_port
from lauftakt.operate.stack import Stack
from lauftakt.store.database import Database
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver

Say = Callable[[str], None]

# An ordinary device's clock was set last winter, its radio link is slow and breaks.
CLOCK_OFF_S, DELAY_S, BREAKS = 3725.0, 0.15, 0.3


def run_demo(var: Path, port: int | None, lan: bool, say: Say) -> None:
    """Start everything and keep it running until interrupted.

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
        "LAUFTAKT_LOGGERS": f"Paddock logger=http://127.0.0.1:{device.server_address[1]}",
        "LAUFTAKT_STREAM_PORT": str(stream_port),
        **({"LAUFTAKT_STREAM_HOST": "0.0.0.0"} if lan else {}),  # noqa: S104 (only with --lan)
    }
    stack = Stack(var, port=port, lan=lan, more=more)

    def hand_in(database: Database, team_id: int, path: Path) -> None:
        for fate in hand_in_now(database, var / "inbox", Giver(team_id, "shell"), path):
            if fate.state != "taken" and fate.code != "duplicate":
                raise CannotStart(f"{fate.file_name} was not taken: {fate.message}")

    try:
        database = stack.start_database(say)
        load_demo_team(database, hand_in, say)
        database.close()
        stack.start_application(say)
        say("")
        say(f"Lauftakt is at        {stack.address}")
        if lan:
            say(f"Phones reach it at    {stack.public_address}")
            say("                      (the certificate is this machine's own: accept it once)")
        say(f"Sign in as the coach: {EMAIL}   password: {PASSWORD}")
        say(f"A simulator's stream: .venv/bin/lauftakt demo-stream --to 127.0.0.1:{stream_port}")
        say("Ctrl-C stops everything.")
        while True:
            time.sleep(1)
            stack.check()
    finally:
        device.shutdown()
        stack.stop(say)
