"""Hand-in from a shell: the same files through the same import, with a line for each."""

import os
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import select

from lauftakt.settings import Settings
from lauftakt.store.accounts import LEADING
from lauftakt.store.counting import laps_of
from lauftakt.store.database import Database, mine_by_id
from lauftakt.store.models import Account, Run
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import ENDINGS, Giver

MOST_FILES = 5000


class NoTeam(Exception):
    """Nobody has the address; says so in a sentence."""


def files_in(paths: list[Path]) -> list[Path]:
    """The files to hand in: those named, and in folders all that could be logs."""
    found: list[Path] = []
    for path in paths:
        if path.is_dir():
            inside = (item for item in sorted(path.rglob("*")) if item.is_file() and item.suffix.lower() in ENDINGS)
            found += inside
        else:
            found.append(path)
    # Layouts first: a run that comes before its layout makes one of its own.
    return sorted(found, key=lambda path: path.suffix.lower() not in (".geojson", ".json"))[:MOST_FILES]


def team_of(database: Database, coach: str) -> Account:
    """The account of whoever leads a team, by its address.

    Raises
    ------
    NoTeam
    """
    with database.begin() as session:
        account = session.scalar(select(Account).where(Account.email == coach.lower()))
        if account is None or account.role not in LEADING:
            raise NoTeam(f"No coach signs in with the address “{coach}”.")
        return account


def import_files(
    database: Database,
    settings: Settings,
    coach: str,
    paths: list[Path],
    driver: str | None,
    say: Callable[[str], None],
) -> bool:
    """Hand in files for the team of a coach and say what became of each; True where all were taken.

    Raises
    ------
    NoTeam
    """
    account = team_of(database, coach)
    giver = Giver(account.team_id, "shell", driver_name=driver, account_id=account.id)
    good = True
    for path in files_in(paths):
        if not path.is_file() or not os.access(path, os.R_OK):
            say(f"{path}: there is no such file, or it may not be read.")
            good = False
            continue
        for fate in hand_in_now(database, settings.inbox, giver, path):
            good = good and fate.state == "taken"
            say(f"{fate.file_name}: {_told(database, giver.team_id, fate.run_id) or fate.message or fate.state}")
            if fate.run_id is not None and fate.message:
                say(f"  {fate.message}")
    return good


def _told(database: Database, team_id: int, run_id: int | None) -> str | None:
    if run_id is None:
        return None
    with database.begin() as session:
        run = mine_by_id(session, Run, team_id, run_id)
        laps = laps_of(session, run.analysis_id)
        timed = [lap for lap in laps if lap.time_s is not None]
        aside = [lap.set_aside for lap in laps if lap.set_aside]
        kinds = ", ".join(f"{aside.count(kind)} {kind}" for kind in dict.fromkeys(aside))
        told = f"taken, {run.driver.name} at {run.layout.name}, {len(timed)} timed laps"
        return told + (f" ({kinds} set aside)" if kinds else "")
