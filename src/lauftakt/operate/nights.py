"""The backup that an installation makes every night, and when somebody asks for it, told as work of each team."""

import contextlib
import threading
import time
from pathlib import Path

from sqlalchemy import or_, select
from sqlalchemy.exc import SQLAlchemyError

from lauftakt.operate import backups
from lauftakt.operate.stack import rotate
from lauftakt.store.database import Database
from lauftakt.store.models import Job, Team
from lauftakt.work import jobs, room

# Whether somebody asked for one is looked at so often; whether one is due, and logs are long, more seldom.
ASK_S, LOOK_S = 5.0, 600.0
KIND = "backup"


# One that was stopped does not begin again by itself until so long has passed.
STOPPED_S = 6 * 3600.0
# How far it is is told, and whether it is still wanted is asked, so often.
TELL_S = 1.0
ALONE = "Stopped; nothing of it was kept."
NOT_ALONE = "Stopped for your team; the backup is of everybody, and goes on for the others."


class Wish:
    """Those who want a backup that is being made, and are told how far it is.

    It is of all teams, and goes on as long as anybody wants it.
    """

    def __init__(self, database: Database, var: Path, claims: list[jobs.Claim]) -> None:
        self.database, self.var, self.claims = database, var, claims
        self._anybody, self._next = bool(claims), 0.0

    def going(self, share: float) -> None:
        """Tell how far it is.

        Raises
        ------
        lauftakt.operate.backups.Stopped
            where nobody wants it any more.
        lauftakt.work.room.NoRoom
        """
        room.need(self.var)
        if time.monotonic() < self._next:
            return
        self._next = time.monotonic() + TELL_S
        for claim in list(self.claims):
            try:
                if not jobs.progress(self.database, claim, share, "writing"):
                    continue
                jobs.finish(
                    self.database, claim, "cancelled", "cancelled", ALONE if len(self.claims) == 1 else NOT_ALONE
                )
            except jobs.Lost:
                pass
            self.claims.remove(claim)
        if self._anybody and not self.claims:
            raise backups.Stopped

    def end(self, trouble: str) -> None:
        """Tell how it ended."""
        for claim in self.claims:
            try:
                if trouble:
                    jobs.finish(self.database, claim, "failed", "backup", f"The backup was not made: {trouble}")
                else:
                    jobs.finish(self.database, claim, "done")
            except jobs.Lost:
                continue


class Nights:
    """Makes backups beside everything else, one at a time."""

    def __init__(self, var: Path, database: Database, stopping: threading.Event) -> None:
        self.var, self.database, self.stopping = var, database, stopping
        self._tried = self._not_before = 0.0

    def go_on(self) -> None:
        """Look again and again, until asked to stop."""
        while not self.stopping.wait(ASK_S):
            try:
                self.look()
            except (SQLAlchemyError, OSError) as error:
                # The database is away, or the disk is full: there will be another night.
                self._say(f"Looked at again later, after: {error}")
        self.database.close()

    def look(self) -> None:
        """Make a backup where one is due, or was asked for; keep the logs short."""
        asked = self._asked()
        moment = time.monotonic()
        late = moment > self._not_before and (not self._tried or moment - self._tried > LOOK_S)
        due = late and backups.due(self.var)
        if asked or due:
            self._tried = time.monotonic()
            self._make(asked)
        for path in self.var.glob("*.log"):
            rotate(path)

    def _asked(self) -> list[int]:
        """Backups that somebody asked for, or that were being made when everything ended."""
        with self.database.begin() as session:
            waits = or_(Job.state == "waiting", (Job.state == "running") & jobs.unheld())
            return list(session.scalars(select(Job.id).where(Job.kind == KIND, waits).order_by(Job.id)))

    def _make(self, asked: list[int]) -> None:
        """Make one backup of everything, told to each team: those that asked, and those that did not."""
        with self.database.begin() as session:
            known = set(session.scalars(select(Job.team_id).where(Job.id.in_(asked))))
            others = [
                team for team in session.scalars(select(Team.id).where(Team.demo.is_(False))) if team not in known
            ]
            ids = [*asked, *(jobs.add_job(session, team, KIND, ("team", team)).id for team in others)]
        wish = Wish(self.database, self.var, [c for i in ids if (c := jobs.claim(self.database, i)) is not None])
        try:
            trouble = backups.nightly(self.var, self._say, wish.going).trouble
        except backups.Stopped:
            self._say("The backup was stopped.")
            self._not_before = time.monotonic() + STOPPED_S
            return
        wish.end(trouble)

    def _say(self, text: str) -> None:
        with contextlib.suppress(OSError), (self.var / "backup.log").open("a") as file:
            file.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')} {text}\n")
