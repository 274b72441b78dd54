"""The demo school as a team beside others: its laps are driven and handed in by a job, like anybody's."""

import secrets
import tempfile
from pathlib import Path

from sqlalchemy import Select, or_, select
from sqlalchemy.orm import Session

from lauftakt.demo.endurance import write_endurance
from lauftakt.demo.next_runs import write_next_runs
from lauftakt.demo.school import TEAM, write_day
from lauftakt.demo.team import endow
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database, mine
from lauftakt.store.models import Account, Job, Run, Team
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver, take_in
from lauftakt.work.jobs import OPEN, Claim, add_job
from lauftakt.work.sources import Report


def begin_demo_school(session: Session, whose: int | None) -> tuple[Account, list[int]]:
    """The owner of a team's demo school, and the jobs to be sent that fill it; made where there is none.

    ``whose``: the team, none where there is no team yet; no two share a school.

    Nobody knows the owner's password: only whoever began the school is signed in to it.
    """
    team = session.scalar(demo_of(whose))
    if team is None:
        team = add_team(session, TEAM, demo=True)
        team.demo_for = whose
        session.flush()
    account = session.scalar(mine(Account, team.id).where(Account.role == "owner").limit(1))
    if account is None:
        address = f"look-around-{team.id}@ellerholm.example"
        account = add_account(
            session, team, email=address, name="Looking around", password=secrets.token_urlsafe(32), role="owner"
        )
    begun = session.scalar(mine(Job, team.id).where(Job.kind == "demo", Job.state.in_(OPEN)).limit(1))
    there = session.scalar(mine(Run, team.id).limit(1))
    if begun is not None or there is not None:
        return account, []
    return account, [add_job(session, team.id, "demo", ("team", team.id), account_id=account.id).id]


def demo_of(whose: int | None) -> Select[Team]:
    """The demo school of a team: the one that was made for it, or itself where it is one."""
    made_for = Team.demo_for.is_(None) if whose is None else or_(Team.demo_for == whose, Team.id == whose)
    return select(Team).where(Team.demo, made_for).order_by(Team.id).limit(1)


def fill_demo_school(database: Database, inbox: Path, ours: Claim, report: Report) -> list[int]:
    """Drive the school's day and hand its files in; returns the jobs of the files."""
    report(0.1, "driving the laps")
    more: list[int] = []
    with tempfile.TemporaryDirectory() as folder:
        layout, *logs = write_day(Path(folder)) + write_next_runs(Path(folder)) + write_endurance(Path(folder))
        with database.begin() as session:
            endow(session, ours.team_id)
        giver = Giver(ours.team_id, "shell")
        report(0.5, "handing in")
        # The start line first: a log that came before it would make a circuit of its own.
        hand_in_now(database, inbox, giver, layout)
        for path in logs:
            more.append(take_in(database, inbox, giver, path.name, path, move=True)[1])
    return more
