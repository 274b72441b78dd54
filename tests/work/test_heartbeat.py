"""A worker's sign of life goes on when the database's connections are cut, and ends its work when the job is lost."""

import os
import subprocess
import sys
import time
from datetime import timedelta

from lauftakt.operate.mariadb import PrivateMariaDB
from lauftakt.store.database import now
from lauftakt.store.models import Job
from lauftakt.work import jobs
from tests.installation import until
from tests.work.conftest import Team

LEASE_S = 1.5

BEATS = """
import sys, threading
from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.work import jobs
database = Database(settings.load().database_url)
ours = jobs.claim(database, int(sys.argv[1]))
over = threading.Event()
def gone(how):
    print(how, flush=True)
    over.set()
print("begun", flush=True)
with jobs.heartbeat(database, ours, gone):
    over.wait(float(sys.argv[2]))
"""


def beating(job: int, seconds: float) -> "subprocess.Popen[str]":
    worker = subprocess.Popen(
        [sys.executable, "-c", BEATS, str(job), str(seconds)], stdout=subprocess.PIPE, text=True,
        env={**os.environ, "LAUFTAKT_LEASE_S": str(LEASE_S)},
    )  # fmt: skip
    assert worker.stdout is not None
    assert worker.stdout.readline() == "begun\n"
    return worker


def new_job(team: Team) -> int:
    with team.database.begin() as session:
        return jobs.add_job(session, team.id, "compare", ("event", 1)).id


def test_cut_connections_do_not_end_the_heartbeat(team: Team, mariadb: PrivateMariaDB) -> None:
    job = new_job(team)
    worker = beating(job, 12.0)
    cut, end = 0, time.monotonic() + 2.5
    with mariadb.connect() as own, own.cursor() as cursor:
        while time.monotonic() < end:
            cursor.execute("SELECT id FROM information_schema.processlist WHERE user = 'lauftakt'")
            for (number,) in cursor.fetchall():
                cursor.execute(f"KILL {number}")
                cut += 1
            time.sleep(0.01)
    assert cut >= 3
    after = now()

    def renewed() -> bool:
        """A sign of life came after the last cut: the lease reaches further than it did then."""
        with team.database.begin() as session:
            row = session.get_one(Job, job)
            assert row.state == "running"
            return row.lease_until is not None and row.lease_until > after + timedelta(seconds=LEASE_S)

    until(renewed, 20, 0.05)
    out, _ = worker.communicate(timeout=30)
    assert out == ""


def test_whoever_lost_the_job_is_told_and_so_is_whoever_is_to_stop(team: Team) -> None:
    lost, stopped = new_job(team), new_job(team)
    workers = [beating(lost, 60), beating(stopped, 60)]
    with team.database.begin() as session:
        session.get_one(Job, lost).token = "another worker's"
        jobs.cancel(session, session.get_one(Job, stopped))
    told = [worker.communicate(timeout=90)[0] for worker in workers]
    assert told == ["lost\n", "cancelled\n"]
