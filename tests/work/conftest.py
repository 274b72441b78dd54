"""A team of our own, an inbox of our own, and jobs done in this process."""

from dataclasses import dataclass, replace
from pathlib import Path

import pytest

from lauftakt import settings
from lauftakt.settings import Settings
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database, mine
from lauftakt.store.models import HandIn
from lauftakt.work import queue
from lauftakt.work.doing import work_on


@dataclass
class Team:
    """One team, its coach's address and the settings it works with."""

    id: int
    coach: str
    settings: Settings
    database: Database

    def work(self, jobs: list[int]) -> None:
        for job in jobs:
            work_on(self.database, self.settings.inbox, job, retry=False)

    def hand_ins(self) -> list[HandIn]:
        with self.database.begin() as session:
            rows = session.scalars(mine(HandIn, self.id).order_by(HandIn.id)).all()
            for row in rows:
                _ = row.run.driver if row.run else None
            return list(rows)


@pytest.fixture
def team(database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Team:
    monkeypatch.setenv("LAUFTAKT_VAR", str(tmp_path / "var"))
    # Nobody else takes these jobs: the tests here do them when they want to.
    monkeypatch.setattr(queue.run_job, "delay", lambda job_id: None)
    with database.begin() as session:
        made = add_team(session, f"Team of {tmp_path.name}")
        account = add_account(
            session, made, email=f"{tmp_path.parent.name}-{tmp_path.name}@work.example"[-180:], name="C", password="x"
        )
        yield_id, address = made.id, account.email
    found = settings.load()
    found.inbox.mkdir(parents=True, exist_ok=True)
    return Team(yield_id, address, replace(found), database)
