"""The backup that an installation makes every night, and when somebody asks for it, told as work of each team."""

import threading
import time
from pathlib import Path

from sqlalchemy import or_, select
from sqlalchemy.exc import SQLAlchemyError

from lauftakt.operate import backups
from lauftakt.operate.stack import rotate
from lauftakt.store.database import Database, now
from lauftakt.store.models import Job, Team
from lauftakt.work import jobs, room

# Whether somebody asked for one is looked at so often; whether one is due, and logs are long, more seldom.
ASK_S, LOOK_S = 5.0, 600.0
KIND = "backup"


class Nights:
    """Makes backups beside everything else, one at a time."""

    def __init__(self, var: Path, database: Database, stopping: threading.Event) -> None:
        self.var, self.database, self.stopping = var, database, stopping
        self._tried = 0.0

    def go_on(self) -> None:
        """Look again and again, until asked to stop."""
        while not self.stopping.wait(ASK_S):
            try:
                self.look()
            except SQLAlchemyError as error:
                self._say(f"The database was away: {error}")
        self.database.close()

    def look(self) -> None:
        """Make a backup where one is due, or was asked for; keep the logs short."""
        asked = self._asked()
        due = backups.due(self.var) and (not self._tried or time.monotonic() - self._tried > LOOK_S)
        if asked or due:
            self._tried = time.monotonic()
            self._make(asked)
        for path in self.var.glob("*.log"):
            rotate(path)

    def _asked(self) -> list[int]:
        """Backups that somebody asked for, or that were being made when everything ended."""
        with self.database.begin() as session:
            waits = or_(Job.state == "waiting", (Job.state == "running") & (Job.lease_until < now()))
            return list(session.scalars(select(Job.id).where(Job.kind == KIND, waits).order_by(Job.id)))

    def _make(self, asked: list[int]) -> None:
        """Make one backup of everything, told to each team: those that asked, and those that did not."""
        with self.database.begin() as session:
            known = set(session.scalars(select(Job.team_id).where(Job.id.in_(asked))))
            others = [
                team for team in session.scalars(select(Team.id).where(Team.demo.is_(False))) if team not in known
            ]
            ids = [*asked, *(jobs.add_job(session, team, KIND, ("team", team)).id for team in others)]
        claims = [claim for job_id in ids if (claim := jobs.claim(self.database, job_id)) is not None]
        for claim in claims:
            jobs.progress(self.database, claim, 0.1, "writing")
        short = room.short_of(self.var)
        trouble = room.told(short) if short else backups.nightly(self.var, self._say).trouble
        for claim in claims:
            try:
                if trouble:
                    jobs.finish(self.database, claim, "failed", "backup", f"The backup was not made: {trouble}")
                else:
                    jobs.finish(self.database, claim, "done")
            except jobs.Lost:
                continue

    def _say(self, text: str) -> None:
        with (self.var / "backup.log").open("a") as file:
            file.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')} {text}\n")
