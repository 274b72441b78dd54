"""Teams, their people and passwords by shell, for whoever runs an installation."""

import secrets
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import func, select

from lauftakt.store.accounts import (
    ROLES,
    Refused,
    add_account,
    add_team,
    check_new_password,
    clean_address,
    set_password,
)
from lauftakt.store.database import INCLUDE_REMOVED, Database, mine
from lauftakt.store.forgetting import forget, known_of
from lauftakt.store.models import Account, Driver, Run, Team
from lauftakt.work.inbox import discard, inbox_path
from lauftakt.work.private_logs import black_out

Say = Callable[[str], None]


def list_teams(database: Database, say: Say) -> None:
    """A line for each team, also for removed ones, and one for each of its people."""
    with database.begin() as session:
        teams = session.scalars(select(Team).order_by(Team.id), execution_options=INCLUDE_REMOVED).all()
        if not teams:
            say("There is no team yet. Make one: lauftakt team --new NAME --owner ADDRESS")
        for team in teams:
            runs = session.scalar(select(func.count()).where(Run.team_id == team.id))
            gone = f", removed on {team.removed_at:%Y-%m-%d}" if team.removed_at else ""
            say(f"{team.id}: {team.name} ({runs} runs{', the demo school' if team.demo else ''}{gone})")
            for account in session.scalars(select(Account).where(Account.team_id == team.id).order_by(Account.id)):
                say(f"   {account.role:10} {account.email}  {account.name}")


def new_team(database: Database, name: str, address: str, password: str) -> None:
    """A team with its owner.

    Raises
    ------
    Refused
    """
    email = clean_address(address)
    check_new_password(password, email, name)
    with database.begin() as session:
        team = add_team(session, name)
        add_account(session, team, email=email, name=email.split("@")[0], password=password, role="owner")


def bring_team_back(database: Database, team_id: int) -> str:
    """Undo that a team was removed; returns its name.

    Raises
    ------
    Refused
    """
    with database.begin() as session:
        team = session.scalar(select(Team).where(Team.id == team_id), execution_options=INCLUDE_REMOVED)
        if team is None or team.removed_at is None:
            raise Refused("no-team", f"No team {team_id} was removed here lately; lauftakt team lists them.")
        team.removed_at = None
        return team.name


def new_coach(database: Database, team_id: int | None, address: str, name: str, role: str, password: str) -> str:
    """One more account of a team, the only one where none is named; returns the team's name.

    Raises
    ------
    Refused
    """
    if role not in ROLES:
        raise Refused("role", f"“{role}” is none of {', '.join(ROLES)}.")
    email = clean_address(address)
    with database.begin() as session:
        which = Team.demo.is_(False) if team_id is None else Team.id == team_id
        teams = session.scalars(select(Team).where(which)).all()
        if len(teams) != 1:
            raise Refused("which-team", "Name the team by its number, with --team; lauftakt team lists them.")
        check_new_password(password, email, name, teams[0].name)
        add_account(session, teams[0], email=email, name=name or email.split("@")[0], password=password, role=role)
        return teams[0].name


def new_password(database: Database, address: str, password: str) -> None:
    """Give somebody who is locked out another password; who is signed in with the old one is signed out.

    Raises
    ------
    Refused
    """
    with database.begin() as session:
        account = session.scalar(select(Account).where(Account.email == address.strip().lower()))
        if account is None:
            raise Refused("no-account", f"Nobody signs in with the address “{address}”; lauftakt team lists everybody.")
        set_password(session, account, password)


def forget_driver(database: Database, var: Path, team_id: int, name: str, say: Say, *, really: bool) -> None:
    """Delete everything of a driver, or say what would go.

    Raises
    ------
    Refused
    """
    with database.begin() as session:
        driver = session.scalar(mine(Driver, team_id).where(Driver.name == name), execution_options=INCLUDE_REMOVED)
        if driver is None:
            raise Refused("no-driver", f"The team has no driver called “{name}”.")
        driver.removed_at = None
        session.flush()
        known = forget(session, team_id, driver.id) if really else known_of(session, team_id, driver.id)
        if not really:
            session.rollback()
    verb, loses = ("are", "lost") if really else ("would be", "would lose")
    say(f"{len(known.runs)} runs with their logs, {len(known.hand_ins)} files, {known.links} links and")
    say(f"{known.accounts} accounts {verb} deleted; {len(known.actions)} entries of the log of what was done")
    say(f"{loses} what they say.")
    if not really:
        say("Nothing was done yet. Add --yes to do it; there is no undo.")
        return
    for number in known.hand_ins:
        discard(database, inbox_path(var / "inbox", number))
    for number in known.jobs:
        (var / "exports" / f"{number}.file").unlink(missing_ok=True)
    black_out(var, known.name)
    if known.mentions:
        say("The name still stands in other people's words:")
        for place, count in known.mentions.items():
            say(f"  {place}: {count}")
    else:
        say("The name stands nowhere any more, but in backups that were made before; they go with time.")


def make_password() -> str:
    """One that nobody guesses and that can be read out."""
    letters = "abcdefghjkmnpqrstuvwxyz23456789"
    return "-".join("".join(secrets.choice(letters) for _ in range(4)) for _ in range(4))
