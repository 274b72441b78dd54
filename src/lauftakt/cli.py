"""The command ``lauftakt``."""

import argparse
import json
import os
import signal
import sys
import time
from pathlib import Path
from types import FrameType

from lauftakt import settings

# Matrices here are small: several threads only wait for one another.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def say(text: str) -> None:
    print(text, flush=True)


def main(arguments: list[str] | None = None) -> int:
    """Entry point; returns the exit code."""
    parser = argparse.ArgumentParser(prog="lauftakt", description="Compare laps and say where time is lost.")
    commands = parser.add_subparsers(dest="command", required=True)
    demo = commands.add_parser("demo", help="start everything on this machine with the demo team")
    demo.add_argument("--port", type=int, default=None, help="port of the server (default: that of the last start)")
    demo.add_argument("--var", type=Path, default=settings.default_var(), help="folder for data and logs")
    logs = commands.add_parser("demo-logs", help="write the demo team's log files into a folder")
    logs.add_argument("folder", type=Path)
    logs.add_argument("--truth", action="store_true", help="also write truth.json: true times and mistakes")
    analyse = commands.add_parser("analyse", help="compare log files without browser or database")
    analyse.add_argument("files", type=Path, nargs="+", metavar="FILE", help="logs")
    analyse.add_argument("--reference", type=Path, metavar="FILE", help="the log whose best lap is the reference")
    analyse.add_argument("--layout", type=Path, metavar="LAYOUT.geojson", help="the layout; else made from the logs")
    analyse.add_argument("--json", metavar="OUT", help="write everything as JSON to a file, or - for standard output")
    commands.add_parser("openapi", help="print the API's OpenAPI description")
    chosen = parser.parse_args(arguments)
    if chosen.command == "demo":
        return _demo(chosen.var, chosen.port)
    if chosen.command == "demo-logs":
        from lauftakt.demo.school import write_day

        for path in write_day(chosen.folder, truth=chosen.truth):
            say(str(path))
        return 0
    if chosen.command == "analyse":
        return _analyse(chosen.files, chosen.reference, chosen.layout, chosen.json)
    return _openapi()


def _analyse(files: list[Path], reference: Path | None, layout: Path | None, out: str | None) -> int:
    from lauftakt.core.log import Unusable
    from lauftakt.offline.report import report
    from lauftakt.offline.study import study
    from lauftakt.offline.summary import summary

    try:
        found = study(files, reference, layout)
        text = json.dumps(report(found), allow_nan=False) if out is not None else ""
        if out == "-":
            print(text)
            return 0
        if out is not None:
            Path(out).write_text(text + "\n", encoding="utf-8")
        print(summary(found))
    except Unusable as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        return 2
    except BrokenPipeError:
        sys.stderr.close()  # whoever read has seen enough
        return 0
    except OSError as error:
        print(f"{out} cannot be written: {error.strerror}.", file=sys.stderr)
        return 2
    return 0


def _openapi() -> int:
    from lauftakt.web.application import create_app

    nowhere = settings.Settings("mysql+pymysql://nowhere/none", "memory://", Path("."), "none", False, 1)
    app = create_app(nowhere)
    print(json.dumps(app.spec, indent=1))
    return 0


def _demo(var: Path, port: int | None) -> int:
    from lauftakt.demo.team import EMAIL, PASSWORD, load_demo_team
    from lauftakt.operate.mariadb import CannotStart
    from lauftakt.operate.stack import Stack
    from lauftakt.store.database import Database
    from lauftakt.work.direct import hand_in_now
    from lauftakt.work.intake import Giver

    def stop(_signal: int, _frame: FrameType | None) -> None:
        # Once is enough: a second Ctrl-C must not interrupt the stopping.
        for ending in (signal.SIGTERM, signal.SIGINT):
            signal.signal(ending, signal.SIG_IGN)
        raise KeyboardInterrupt

    for ending in (signal.SIGTERM, signal.SIGINT):
        signal.signal(ending, stop)
    var.mkdir(parents=True, exist_ok=True)
    stack = Stack(var, port=port)

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
        say(f"Sign in as the coach: {EMAIL}   password: {PASSWORD}")
        say("Ctrl-C stops everything.")
        while True:
            time.sleep(1)
            stack.check()
    except KeyboardInterrupt:
        say("")
        return 0
    except CannotStart as error:
        print(f"\n{error}", file=sys.stderr)
        return 1
    finally:
        stack.stop(say)


if __name__ == "__main__":
    sys.exit(main())
