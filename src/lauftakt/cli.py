"""The command ``lauftakt``."""

import argparse
import contextlib
import json
import os
import signal
import sys
import threading
from collections.abc import Callable
from pathlib import Path

from lauftakt import settings

# Matrices here are small: several threads only wait for one another.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def say(text: str) -> None:
    print(text, flush=True)


def main(arguments: list[str] | None = None) -> int:
    """Entry point; returns the exit code."""
    chosen = _parser().parse_args(arguments)
    run: Callable[[argparse.Namespace], int] = chosen.run
    return run(chosen)


def _parser() -> argparse.ArgumentParser:
    from lauftakt.operate.shell import add_commands, add_how

    parser = argparse.ArgumentParser(prog="lauftakt", description="Compare laps and say where time is lost.")
    commands = parser.add_subparsers(dest="command", required=True)
    demo = commands.add_parser("demo", help="start everything on this machine with the demo team")
    add_how(demo)
    demo.add_argument("--var", type=Path, default=settings.default_var(), help="folder for data and logs")
    demo.add_argument("--new-password", action="store_true", help="choose the coach's password (asked for with --lan)")
    demo.set_defaults(run=_demo)
    logs = commands.add_parser("demo-logs", help="write the demo team's log files into a folder")
    logs.add_argument("folder", type=Path)
    logs.add_argument("--truth", action="store_true", help="also write truth.json: true times and mistakes")
    logs.set_defaults(run=_demo_logs)
    device = commands.add_parser("demo-logger", help="stand-in for a logger on the network")
    device.add_argument("folder", type=Path, help="whose files it holds as recorded runs")
    device.add_argument("--host", default="127.0.0.1")
    device.add_argument("--port", type=int, default=0)
    device.add_argument("--clock-off", type=float, default=0.0, metavar="S", help="seconds by which its clock is ahead")
    device.add_argument("--delay", type=float, default=0.0, metavar="S", help="seconds before each answer")
    device.add_argument("--breaks", type=float, default=0.0, metavar="SHARE", help="of transfers that break off")
    device.set_defaults(run=_demo_logger)
    stream = commands.add_parser("demo-stream", help="stand-in for a simulator that sends telemetry")
    stream.add_argument("--to", required=True, metavar="HOST:PORT")
    stream.add_argument("--laps", type=int, default=2)
    stream.add_argument("--driver", default="Simulator driver")
    stream.add_argument("--speed", type=float, default=1.0, help="how many times as fast as it is driven")
    stream.set_defaults(run=_demo_stream)
    analyse = commands.add_parser("analyse", help="compare log files without browser or database")
    analyse.add_argument("files", type=Path, nargs="+", metavar="FILE", help="logs")
    analyse.add_argument("--reference", type=Path, metavar="FILE", help="the log whose best lap is the reference")
    analyse.add_argument("--layout", type=Path, metavar="LAYOUT.geojson", help="the layout; else made from the logs")
    analyse.add_argument("--json", metavar="OUT", help="write everything as JSON to a file, or - for standard output")
    analyse.set_defaults(run=lambda chosen: _analyse(chosen.files, chosen.reference, chosen.layout, chosen.json))
    take = commands.add_parser("import", help="hand in files and folders for a team")
    take.add_argument("files", type=Path, nargs="+", metavar="FILE", help="logs, archives, layouts, or folders of them")
    take.add_argument("--coach", required=True, metavar="ADDRESS", help="with which the team's coach signs in")
    take.add_argument("--driver", help="who drove, where the files do not say")
    take.add_argument("--var", type=Path, default=settings.default_var(), help="folder of the running Lauftakt")
    take.set_defaults(run=_import)
    collect = commands.add_parser("collect", help="watch a folder and record a simulator's stream, as settings say")
    collect.set_defaults(run=_collect)
    add_commands(commands)
    openapi = commands.add_parser("openapi", help="print the API's OpenAPI description")
    openapi.set_defaults(run=_openapi)
    return parser


def _demo_logs(chosen: argparse.Namespace) -> int:
    from lauftakt.demo.school import write_day

    for path in write_day(chosen.folder, truth=chosen.truth):
        say(str(path))
    return 0


def _demo_logger(chosen: argparse.Namespace) -> int:
    from lauftakt.demo.logger_device import run_logger

    if not chosen.folder.is_dir():
        print(f"{chosen.folder} is no folder.", file=sys.stderr)
        return 2
    with contextlib.suppress(KeyboardInterrupt):
        run_logger(chosen.folder, chosen.host, chosen.port, say, chosen.clock_off, chosen.delay, chosen.breaks)
    return 0


def _demo_stream(chosen: argparse.Namespace) -> int:
    from lauftakt.demo.simulator_stream import run_simulator

    host, _, port = chosen.to.rpartition(":")
    if not host or not port.isdigit():
        print("--to wants HOST:PORT, for example 127.0.0.1:24180.", file=sys.stderr)
        return 2
    with contextlib.suppress(KeyboardInterrupt):
        run_simulator(host, int(port), chosen.laps, chosen.driver, chosen.speed, say)
    return 0


def _import(chosen: argparse.Namespace) -> int:
    from lauftakt.store.database import Database
    from lauftakt.work.shell import NoTeam, import_files

    if "LAUFTAKT_DATABASE_URL" not in os.environ:
        from lauftakt.operate.mariadb import CannotStart, url_of_running

        try:
            os.environ["LAUFTAKT_DATABASE_URL"] = url_of_running(chosen.var / "database")
        except CannotStart as error:
            print(error, file=sys.stderr)
            return 2
    os.environ["LAUFTAKT_VAR"] = str(chosen.var)
    found = settings.load()
    database = Database(found.database_url)
    try:
        good = import_files(database, found, chosen.coach, chosen.files, chosen.driver, say)
    except NoTeam as error:
        print(error, file=sys.stderr)
        return 2
    finally:
        database.close()
    return 0 if good else 1


def _collect(_: argparse.Namespace) -> int:
    from lauftakt.store.database import Database
    from lauftakt.work.collecting import collect
    from lauftakt.work.private_logs import keep_logs_private

    keep_logs_private()
    stopping = threading.Event()
    for ending in (signal.SIGTERM, signal.SIGINT):
        signal.signal(ending, lambda _signal, _frame: stopping.set())
    found = settings.load()
    database = Database(found.database_url)
    collect(database, found, stopping)
    database.close()
    return 0


def _analyse(files: list[Path], reference: Path | None, layout: Path | None, out: str | None) -> int:
    from lauftakt.core.log.model import Unusable
    from lauftakt.offline.report import report
    from lauftakt.offline.study import study
    from lauftakt.offline.summary import summary
    from lauftakt.work.limits import TookTooLong, time_limit

    seconds = settings.analyse_seconds()
    try:
        with time_limit(seconds):
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
    except TookTooLong:
        print(
            f"The logs were not computed within {seconds:.0f} s; hand in fewer of them, or raise "
            "LAUFTAKT_ANALYSE_SECONDS.",
            file=sys.stderr,
        )
        return 2
    except Exception as error:  # no input may end in a traceback
        if os.environ.get("LAUFTAKT_TRACE"):
            raise
        print(
            f"The program failed on these logs ({type(error).__name__}); try them one by one. With LAUFTAKT_TRACE=1 it "
            "says where.",
            file=sys.stderr,
        )
        return 2
    return 0


def _openapi(_: argparse.Namespace) -> int:
    from lauftakt.web.application import create_app

    nowhere = settings.Settings("mysql+pymysql://nowhere/none", "memory://", Path("."), "none", False, 1)
    app = create_app(nowhere)
    print(json.dumps(app.spec, indent=1))
    return 0


def _demo(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.demo_stack import run_demo
    from lauftakt.operate.shell import ask_password, how_of, keep_running

    password = None
    if chosen.new_password or (chosen.lan and not (chosen.var / "demo-password-chosen").exists()):
        say("Others can reach this demo, and its own password is known to everybody." if chosen.lan else "")
        password = ask_password("A password for the coach of the demo: ", say)
        if password is None:
            return 2
    chosen.var.mkdir(parents=True, exist_ok=True)
    if password is not None:
        (chosen.var / "demo-password-chosen").touch()
    return keep_running(lambda: run_demo(chosen.var, how_of(chosen), say, password), say)


if __name__ == "__main__":
    sys.exit(main())
