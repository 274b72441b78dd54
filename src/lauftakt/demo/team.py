"""Puts the demo team into the database: an account, and the school's day handed in like anybody's files."""

import tempfile
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import func, select

from lauftakt.demo.school import DAY, TEAM, write_day
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from lauftakt.store.models import Account, Run

EMAIL = "coach@ellerholm.example"
PASSWORD = "ellerholm"  # noqa: S105 (printed at every start of the demo)

HandInFile = Callable[[Database, int, Path], None]


def load_demo_team(database: Database, hand_in: HandInFile, say: Callable[[str], None]) -> None:
    """Make the demo team and hand in its files, where it is not there yet.

    Parameters
    ----------
    database : where to
    hand_in : imports one file for a team, through the same way as anybody's
    say : told what happens
    """
    with database.begin() as session:
        account = session.scalar(select(Account).where(Account.email == EMAIL))
        if account is None:
            team = add_team(session, TEAM)
            account = add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD, role="owner")
        team_id = account.team_id
        runs = session.scalar(select(func.count()).where(Run.team_id == team_id)) or 0
    if runs >= len(DAY):
        return
    with tempfile.TemporaryDirectory() as folder:
        say("Driving the demo laps …")
        files = write_day(Path(folder))
        for number, path in enumerate(files, 1):
            say(f"Handing in {path.name} ({number} of {len(files)}) …")
            hand_in(database, team_id, path)
