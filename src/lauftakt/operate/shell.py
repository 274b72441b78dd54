"""The commands of whoever runs an installation: start, team, coach, password, backup, restore, check."""

import argparse
import getpass
import os
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING, Any

from lauftakt import settings

if TYPE_CHECKING:
    from lauftakt.operate.stack import How
    from lauftakt.store.database import Database

Say = Callable[[str], None]


def say(text: str) -> None:
    print(text, flush=True)


def add_commands(commands: Any) -> None:
    """Add the commands to those of ``lauftakt``."""

    def command(name: str, about: str, example: str, run: Callable[[argparse.Namespace], int]) -> Any:
        made = commands.add_parser(
            name, help=about, description=about[0].upper() + about[1:] + ".", epilog=f"example: lauftakt {example}"
        )
        made.add_argument("--var", type=Path, default=settings.default_var(), help="folder of the installation")
        made.set_defaults(run=run)
        return made

    _add_running(command)
    _add_people(command)
    _add_copies(command)


# So many runs are computed afresh where nobody names a number.
DEEP = 5


def _add_running(command: Callable[..., Any]) -> None:
    """What starts an installation, keeps it running, and looks at it."""
    start = command("start", "start your own Lauftakt on this machine", "start --lan", _start)
    add_how(start)
    service = command(
        "service", "print what makes it a service: a systemd unit, and nginx before it",
        "service lauftakt.school.example --var /srv/lauftakt", _service,
    )  # fmt: skip
    service.add_argument("domain", help="the name by which browsers reach it")
    service.add_argument("--user", default="", help="as whom it runs (default: whoever asks)")
    service.add_argument("--to", type=Path, metavar="FOLDER", help="write lauftakt.service and lauftakt.nginx there")
    service.add_argument("--certificate", type=Path, help="the certificate's file (default: where certbot puts it)")
    service.add_argument("--key", type=Path, help="the file of its key")
    service.add_argument("--port", type=int, default=None, help="port behind nginx (default: that of the last start)")
    service.add_argument("--workers", type=_count, default=2, metavar="N", help="files imported at once (default: 2)")
    service.add_argument("--servers", type=_count, default=1, metavar="N", help="processes that answer (default: 1)")
    check = command("check", "say whether the running installation is well", "check --quick", _check)
    check.add_argument("--quick", action="store_true", help="without reading every sample and kept file")
    check.add_argument("--mend", action="store_true", help="make anew what is damaged, from the files as handed in")
    check.add_argument(
        "--deep", type=_count, nargs="?", const=DEEP, default=0, metavar="N",
        help=f"compute N runs afresh (default: {DEEP}) and compare their numbers with those that are stored",
    )  # fmt: skip


def _add_people(command: Callable[..., Any]) -> None:
    """Teams and who belongs to them."""
    team = command(
        "team", "list the teams, make one, or bring a removed one back",
        'team --new "Ellerholm school" --owner ada@school.example', _team,
    )  # fmt: skip
    team.add_argument("--new", metavar="NAME", help="make a team; needs --owner")
    team.add_argument("--owner", metavar="ADDRESS", help="e-mail address of its owner")
    team.add_argument("--bring-back", type=int, metavar="NUMBER", help="undo that a team was removed")
    _password_arguments(team)
    coach = command(
        "coach", "add somebody who leads or assists a team", "coach ben@school.example --role assistant", _coach
    )
    coach.add_argument("address", help="e-mail address with which they sign in")
    coach.add_argument("--name", default="", help="how they are called")
    coach.add_argument("--role", default="coach", choices=("owner", "coach", "assistant"))
    coach.add_argument("--team", type=int, metavar="NUMBER", help="which team, where there are several")
    _password_arguments(coach)
    password = command(
        "password", "give somebody who is locked out another password", "password ada@school.example", _password
    )
    password.add_argument("address", help="e-mail address with which they sign in")
    _password_arguments(password)
    forget = command(
        "forget", "delete everything of a driver who wishes to be forgotten",
        'forget "Wanda Example" --coach ada@school.example', _forget,
    )  # fmt: skip
    forget.add_argument("driver", help="name of the driver")
    forget.add_argument("--coach", required=True, metavar="ADDRESS", help="with which the team's coach signs in")
    forget.add_argument("--yes", action="store_true", help="do it; without this it only says what would go")


def _add_copies(command: Callable[..., Any]) -> None:
    """What is written out of an installation, and taken in."""
    backup = command(
        "backup", "write everything into one file, while it runs", "backup /media/stick/lauftakt.tar", _backup
    )
    backup.add_argument("file", type=Path)
    restore = command(
        "restore", "bring a backup back into an empty folder", "restore lauftakt.tar --var /srv/lauftakt", _restore
    )
    restore.add_argument("file", type=Path)
    export = command(
        "export",
        "write a team in open formats, to keep or for another installation",
        "export 1 school.zip",
        _export,
    )
    export.add_argument("team", type=int, metavar="NUMBER", help="which team; lauftakt team lists them")
    export.add_argument("file", type=Path)
    take = command(
        "take-in", "take an exported team into a team of this installation",
        "take-in school.zip --coach ada@school.example", _take_in,
    )  # fmt: skip
    take.add_argument("file", type=Path)
    take.add_argument("--coach", required=True, metavar="ADDRESS", help="with which the team's coach signs in")


def add_how(parser: argparse.ArgumentParser) -> None:
    """How an installation runs."""
    parser.add_argument("--port", type=int, default=None, help="port of the server (default: that of the last start)")
    parser.add_argument("--lan", action="store_true", help="let phones in the local network reach it, over HTTPS")
    more = "files imported at once (default: 2; 0: other machines do it)"
    parser.add_argument("--workers", type=_count_or_none, default=2, metavar="N", help=more)
    parser.add_argument("--servers", type=_count, default=1, metavar="N", help="processes that answer (default: 1)")


def _count(text: str) -> int:
    found = int(text)
    if not 1 <= found <= 64:
        raise argparse.ArgumentTypeError("between 1 and 64")
    return found


def _count_or_none(text: str) -> int:
    return 0 if text == "0" else _count(text)


def how_of(chosen: argparse.Namespace) -> "How":
    """What was chosen."""
    from lauftakt.operate.stack import How

    return How(port=chosen.port, lan=chosen.lan, workers=chosen.workers, servers=chosen.servers)


def _password_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--make-password", action="store_true", help="make one and print it, instead of asking")


def ask_password(prompt: str, tell: Say) -> str | None:
    """A password typed twice, or one line of the standard input where that is no terminal; None where they differ."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\r\n") or None
    first = getpass.getpass(prompt)
    if first != getpass.getpass("Once more: "):
        tell("These were two different ones; nothing was changed.")
        return None
    return first


def keep_running(run: Callable[[], None], tell: Say) -> int:
    """Run something that goes on until Ctrl-C or a request to end, and stops what it started then."""
    from lauftakt.operate.mariadb import CannotStart
    from lauftakt.store.accounts import Refused

    def stop(_signal: int, _frame: FrameType | None) -> None:
        # Once is enough: a second Ctrl-C must not interrupt the stopping.
        for ending in (signal.SIGTERM, signal.SIGINT):
            signal.signal(ending, signal.SIG_IGN)
        raise KeyboardInterrupt

    for ending in (signal.SIGTERM, signal.SIGINT):
        signal.signal(ending, stop)
    try:
        run()
    except KeyboardInterrupt:
        tell("")
    except (CannotStart, Refused) as error:
        print(f"\n{error}", file=sys.stderr)
        return 1
    return 0


def _on_running(chosen: argparse.Namespace, do: Callable[["Database"], int]) -> int:
    """Do something with the database of a running installation; what cannot be is said in a sentence."""
    from lauftakt.operate.mariadb import CannotStart, url_of_running
    from lauftakt.store.accounts import Refused
    from lauftakt.store.database import Database

    try:
        url = os.environ.get("LAUFTAKT_DATABASE_URL") or url_of_running(chosen.var / "database")
        database = Database(url)
        try:
            return do(database)
        finally:
            database.close()
    except (CannotStart, Refused) as error:
        print(error, file=sys.stderr)
        return 2


def _chosen_password(chosen: argparse.Namespace) -> str | None:
    from lauftakt.operate.teams import make_password

    if chosen.make_password:
        made = make_password()
        say(f"The password is {made}")
        return made
    return ask_password("Password: ", say)


def _start(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.own_stack import run_own

    return keep_running(lambda: run_own(chosen.var, how_of(chosen), say), say)


def _service(chosen: argparse.Namespace) -> int:
    import re

    from lauftakt.operate.service import Service, port_of

    if not re.fullmatch(r"[A-Za-z0-9.-]{1,253}", chosen.domain) or not re.fullmatch(r"[\w.-]{0,32}", chosen.user):
        print("A name like lauftakt.school.example is needed, and a user like lauftakt.", file=sys.stderr)
        return 2
    found = Service(
        var=chosen.var.resolve(), domain=chosen.domain, port=chosen.port or port_of(chosen.var), user=chosen.user,
        workers=chosen.workers, servers=chosen.servers, certificate=chosen.certificate, key=chosen.key,
    )  # fmt: skip
    if chosen.to is None:
        say(found.unit)
        say(found.nginx)
        return 0
    chosen.to.mkdir(parents=True, exist_ok=True)
    for name, text in (("lauftakt.service", found.unit), ("lauftakt.nginx", found.nginx)):
        (chosen.to / name).write_text(text)
        say(f"Written: {chosen.to / name}")
    return 0


def _team(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.teams import bring_team_back, list_teams, new_team

    def do(database: "Database") -> int:
        if chosen.bring_back is not None:
            say(f"{bring_team_back(database, chosen.bring_back)} is there again.")
        elif chosen.new:
            if not chosen.owner:
                print("A team needs an owner: --owner ADDRESS.", file=sys.stderr)
                return 2
            password = _chosen_password(chosen)
            if password is None:
                return 2
            new_team(database, chosen.new, chosen.owner, password)
            say(f"{chosen.new} was made; {chosen.owner} signs in as its owner.")
        else:
            list_teams(database, say)
        return 0

    return _on_running(chosen, do)


def _coach(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.teams import new_coach

    def do(database: "Database") -> int:
        password = _chosen_password(chosen)
        if password is None:
            return 2
        team = new_coach(database, chosen.team, chosen.address, chosen.name, chosen.role, password)
        say(f"{chosen.address} signs in as {chosen.role} of {team}.")
        return 0

    return _on_running(chosen, do)


def _password(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.teams import new_password

    def do(database: "Database") -> int:
        password = _chosen_password(chosen)
        if password is None:
            return 2
        new_password(database, chosen.address, password)
        say(f"{chosen.address} has another password; whoever was signed in with the old one is signed out.")
        return 0

    return _on_running(chosen, do)


def _forget(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.teams import forget_driver
    from lauftakt.work.shell import NoTeam, team_of

    def do(database: "Database") -> int:
        try:
            team_id = team_of(database, chosen.coach).team_id
        except NoTeam as error:
            print(error, file=sys.stderr)
            return 2
        forget_driver(database, chosen.var.resolve(), team_id, chosen.driver, say, really=chosen.yes)
        return 0

    return _on_running(chosen, do)


def _backup(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.backups import back_up

    def do(_: "Database") -> int:
        back_up(chosen.var.resolve(), chosen.file.resolve(), say)
        return 0

    return _on_running(chosen, do)


def _restore(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.backups import restore
    from lauftakt.operate.mariadb import CannotStart

    try:
        restore(chosen.file.resolve(), chosen.var.resolve(), say)
    except CannotStart as error:
        print(error, file=sys.stderr)
        return 2
    return 0


def _export(chosen: argparse.Namespace) -> int:
    from sqlalchemy import select

    from lauftakt.store.models import Team
    from lauftakt.work.teams.export import export_team

    def do(database: "Database") -> int:
        with database.begin() as session:
            if session.scalar(select(Team.id).where(Team.id == chosen.team)) is None:
                print(f"There is no team {chosen.team}; lauftakt team lists them.", file=sys.stderr)
                return 2
        export_team(database, chosen.team, chosen.file.resolve(), say)
        return 0

    return _on_running(chosen, do)


def _take_in(chosen: argparse.Namespace) -> int:
    from lauftakt.core.log.model import Unusable
    from lauftakt.work.shell import NoTeam, team_of
    from lauftakt.work.teams.taking_in import take_team_in

    def do(database: "Database") -> int:
        os.environ.setdefault("LAUFTAKT_DATABASE_URL", database.url)
        os.environ["LAUFTAKT_VAR"] = str(chosen.var)
        try:
            team_id = team_of(database, chosen.coach).team_id
            taken, runs = take_team_in(database, settings.load().inbox, team_id, chosen.file.resolve(), say)
        except (NoTeam, Unusable) as error:
            print(error, file=sys.stderr)
            return 2
        say(f"{taken} of {runs} runs are there now.")
        return 0 if taken == runs else 1

    return _on_running(chosen, do)


def _check(chosen: argparse.Namespace) -> int:
    from lauftakt.operate.check import check

    def do(database: "Database") -> int:
        where = chosen.var.resolve()
        return check(database, where, say, quick=chosen.quick, mend=chosen.mend, computed=chosen.deep)

    return _on_running(chosen, do)
