"""The watched folder, hand-in from a shell, a killed worker, two coaches at once."""

import os
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import func, select

from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import mine
from lauftakt.store.models import Base, HandIn, Job, Run
from lauftakt.work import importing, open_jobs
from lauftakt.work.collecting import Watch, watch_of
from lauftakt.work.doing import work_on
from lauftakt.work.intake import Giver, take_in
from lauftakt.work.shell import NoTeam, files_in, import_files
from tests.day import Day
from tests.work.conftest import Team


def test_a_watched_folder_is_emptied_of_nothing_and_taken_once(team: Team, day: Day, tmp_path: Path) -> None:
    folder = tmp_path / "watched"
    (folder / "Zoë").mkdir(parents=True)
    path = folder / "Zoë" / "run.csv"
    path.write_bytes(day.files[0].read_bytes()[:5000])
    (folder / "notes.pdf").write_bytes(b"%PDF")
    (folder / ".hidden.csv").write_bytes(b"x")
    (folder / "outside.csv").symlink_to("/etc/passwd")
    watch = Watch(folder, team.id, team.coach)
    assert watch.look(team.database, team.settings.inbox) == []  # it may still be growing
    path.write_bytes(day.files[0].read_bytes())
    assert watch.look(team.database, team.settings.inbox) == []
    taken = watch.look(team.database, team.settings.inbox)
    assert len(taken) == 1
    assert watch.look(team.database, team.settings.inbox) == []
    assert Watch(folder, team.id, team.coach).look(team.database, team.settings.inbox) == []
    team.work(taken)
    rows = team.hand_ins()
    assert [(row.source, row.state, row.run.driver.name) for row in rows] == [("folder", "taken", "Zoë")]
    assert path.exists()


def test_a_folder_is_watched_only_for_a_coach(team: Team, tmp_path: Path) -> None:
    assert watch_of(team.database, team.settings) is None
    assert watch_of(team.database, replace(team.settings, watch=tmp_path / "none", watch_for=team.coach)) is None
    assert watch_of(team.database, replace(team.settings, watch=tmp_path, watch_for="nobody@x.example")) is None
    found = watch_of(team.database, replace(team.settings, watch=tmp_path, watch_for=team.coach.upper()))
    assert found is not None
    assert found.team_id == team.id


def test_hand_in_from_a_shell(team: Team, day: Day, tmp_path: Path) -> None:
    said: list[str] = []
    folder = tmp_path / "logs"
    folder.mkdir()
    for path in (day.layout_file, day.files[0]):
        (folder / path.name).write_bytes(path.read_bytes())
    bad = tmp_path / "bad.csv"
    bad.write_text("no log\n")
    assert not import_files(team.database, team.settings, team.coach, [folder, bad, tmp_path / "no"], None, said.append)
    text = "\n".join(said)
    assert "taken, Halvard at Ellerholm Park, 9 timed laps (1 out, 1 in set aside)" in text
    assert "bad.csv: The file has no table of columns." in text
    assert "no such file" in text
    assert import_files(team.database, team.settings, team.coach, [day.files[1]], "Somebody", said.append)
    assert "Somebody at" in said[-1]
    assert files_in([folder]) == sorted(folder.iterdir(), reverse=True)
    with pytest.raises(NoTeam, match="nobody@"):
        import_files(team.database, team.settings, "nobody@x.example", [bad], None, said.append)


def stored(team: Team) -> int:
    tables = ("run", "channel", "samples", "lap", "curves", "driver", "car", "event", "layout")
    with team.database.begin() as session:
        return sum(
            session.scalar(
                select(func.count())
                .select_from(Base.metadata.tables[name])
                .where(Base.metadata.tables[name].c.team_id == team.id)
            )
            for name in tables
        )


WORKS = """
import sys
from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.work.doing import work_on
found = settings.load()
work_on(Database(found.database_url), found.inbox, int(sys.argv[1]))
"""
KILLED = """
import os, sys
from pathlib import Path
from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.work import importing
from lauftakt.work.doing import work_on
save = importing.save_analysis
def slowly(*args, **kwargs):
    save(*args, **kwargs)          # everything is written, nothing is committed
    Path(sys.argv[2]).touch()
    import time; time.sleep(60)
importing.save_analysis = slowly
found = settings.load()
work_on(Database(found.database_url), found.inbox, int(sys.argv[1]))
"""


def test_a_worker_killed_in_the_middle_leaves_nothing_and_the_job_goes_on(team: Team, day: Day, tmp_path: Path) -> None:
    inbox = team.settings.inbox
    _, job = take_in(team.database, inbox, Giver(team.id, "browser"), "a.csv", day.files[0], move=False)
    mark = tmp_path / "mark"
    worker = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(job), str(mark)], env={**os.environ, "LAUFTAKT_LEASE_S": "1"}
    )
    until = time.monotonic() + 60
    while not mark.exists() and time.monotonic() < until:
        time.sleep(0.05)
    assert mark.exists()
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    time.sleep(1.3)
    assert stored(team) == 0
    assert job in open_jobs.due(team.database)
    work_on(team.database, inbox, job)
    assert team.hand_ins()[0].state == "taken"
    with team.database.begin() as session:
        assert session.get_one(Job, job).attempts == 2


def test_a_worker_killed_after_it_stored_and_before_it_said_so_took_the_run(team: Team, day: Day) -> None:
    """Its job begins again, and is no duplicate of itself: killed as soon as the run is there to be seen."""
    inbox = team.settings.inbox
    hand_in, job = take_in(team.database, inbox, Giver(team.id, "browser"), "a.csv", day.files[0], move=False)
    worker = subprocess.Popen(
        [sys.executable, "-c", WORKS, str(job)], env={**os.environ, "LAUFTAKT_LEASE_S": "1"}, text=True
    )
    until = time.monotonic() + 90
    while team.hand_ins()[0].state != "taken" and time.monotonic() < until:
        time.sleep(0.001)
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    with team.database.begin() as session:
        row = session.get_one(Job, job)
        if row.state == "running":  # it was not quick enough to say so
            row.lease_until = None
        else:  # as it would have been, had it been a moment later
            row.state, row.token, row.finished_at = "running", "gone", None
    work_on(team.database, inbox, job)
    assert [(row.id, row.state, row.code) for row in team.hand_ins()] == [(hand_in, "taken", "new-layout")]
    with team.database.begin() as session:
        assert session.get_one(Job, job).state == "done"
        assert len(session.scalars(mine(Run, team.id)).all()) == 1
    assert not (inbox / f"{hand_in}.file").exists()


def test_a_database_that_goes_away_loses_nothing(team: Team, day: Day, monkeypatch: pytest.MonkeyPatch) -> None:
    inbox = team.settings.inbox
    _, job = take_in(team.database, inbox, Giver(team.id, "browser"), "a.csv", day.files[0], move=False)
    save = importing.save_analysis

    def cut(session, *args):
        save(session, *args)
        number = session.connection().connection.dbapi_connection.thread_id()
        with team.database.engine.connect() as other:
            other.exec_driver_sql(f"KILL {number}")
        session.flush()
        session.execute(select(1))

    with monkeypatch.context() as broken:
        broken.setattr(importing, "save_analysis", cut)
        with pytest.raises(Exception, match=r"(?i)lost|gone|killed|interrupted|closed"):
            work_on(team.database, inbox, job)
    assert stored(team) == 0
    with team.database.begin() as session:
        session.get_one(Job, job).lease_until = None
        session.get_one(Job, job).state = "waiting"
    work_on(team.database, inbox, job)
    assert team.hand_ins()[0].state == "taken"


def test_two_coaches_and_many_files_at_once_do_not_disturb_each_other(team: Team, day: Day) -> None:
    with team.database.begin() as session:
        other = add_team(session, "Another team")
        add_account(session, other, email=f"other-{team.coach}", name="C", password="x")
        other_id = other.id
    inbox = team.settings.inbox
    waiting = []
    for owner in (team.id, other_id):
        for path in (*day.files[:3], day.files[0]):
            waiting.append(take_in(team.database, inbox, Giver(owner, "browser"), path.name, path, move=False)[1])
    threads = [
        threading.Thread(target=lambda own: [work_on(team.database, inbox, job) for job in own], args=(waiting[i::4],))
        for i in range(4)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    for owner in (team.id, other_id):
        with team.database.begin() as session:
            states = sorted(row.code or row.state for row in session.scalars(mine(HandIn, owner)))
            assert states.count("duplicate") == 1, states
            runs = session.scalars(mine(Run, owner)).all()
            assert len(runs) == 3
            assert len({run.layout_id for run in runs}) == 1
            assert len({run.driver_id for run in runs}) == 3
