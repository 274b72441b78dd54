"""A clock that was ahead, and was set right: what was written meanwhile holds nothing up."""

import base64
import time
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from flask import Flask
from itsdangerous import TimestampSigner
from sqlalchemy import select

from lauftakt.store.database import Database, now
from lauftakt.store.models import Job, RequestCount, SignInTry, Upload
from lauftakt.store.sign_ins import MOST_FOR_ONE, _digest, note_try, too_many_tries
from lauftakt.web.limits import CountsInDatabase
from lauftakt.work import jobs, open_jobs
from lauftakt.work.tidying import tidy
from tests.web.coach import Coach

A_DAY = timedelta(days=1)


@pytest.fixture
def job(coach: Coach, database: Database) -> Iterator[Job]:
    with database.begin() as session:
        made = jobs.add_job(session, coach.team_id, "compare", ("event", 1))
    yield made
    with database.begin() as session:
        session.delete(session.get_one(Job, made.id))


def test_a_job_whose_worker_died_is_done_by_another(database: Database, job: Job) -> None:
    assert jobs.claim(database, job.id) is not None
    with database.begin() as session:
        row = session.get_one(Job, job.id)
        row.lease_until, row.sent_at = now() + A_DAY, now() + A_DAY
    assert job.id in open_jobs.due(database, idle=True)
    taken = jobs.claim(database, job.id)
    assert taken is not None
    assert jobs.claim(database, job.id) is None, "a lease of the present is respected"


@pytest.mark.parametrize("sent", [False, True])
def test_a_job_that_was_made_then_is_sent(database: Database, job: Job, sent: bool) -> None:
    with database.begin() as session:
        row = session.get_one(Job, job.id)
        row.created_at, row.sent_at = now() + A_DAY, now() + A_DAY if sent else None
    assert job.id in open_jobs.due(database, idle=True)
    assert job.id not in open_jobs.due(database, idle=True)


def test_a_job_that_waits_for_room_is_sent(database: Database, job: Job) -> None:
    with database.begin() as session:
        row = session.get_one(Job, job.id)
        row.waits_for, row.sent_at = "disk", now() + A_DAY
    assert job.id not in open_jobs.due(database, room=False)
    assert job.id in open_jobs.due(database, room=True)


def test_wrong_passwords_of_then_lock_nobody_out(database: Database) -> None:
    who = "clocks@school.example", "203.0.113.9"
    of_them = select(SignInTry).where(SignInTry.key == _digest("\n".join(who)))
    with database.begin() as session:
        for _ in range(MOST_FOR_ONE):
            note_try(session, *who)
        assert too_many_tries(session, *who)
        for row in session.scalars(of_them):
            row.at = now() + A_DAY
        session.flush()
        assert not too_many_tries(session, *who)
        note_try(session, *who)
        session.flush()
        assert len(session.scalars(of_them).all()) == 1


def test_who_signed_in_then_still_is(coach: Coach, monkeypatch: pytest.MonkeyPatch) -> None:
    with monkeypatch.context() as ahead:
        ahead.setattr(TimestampSigner, "get_timestamp", lambda self: int(time.time() + A_DAY.total_seconds()))
        assert coach.sign_in().status_code == 200
    assert coach.get("/api/paddock").status_code == 200
    # A cookie that was changed is nobody's.
    name, _, value = coach.client.get_cookie("lauftakt").value.partition(".")
    coach.client.set_cookie("lauftakt", f"{name}x.{value}")
    assert coach.get("/api/paddock").status_code == 401


def test_requests_of_then_are_not_counted(app: Flask, database: Database) -> None:
    counts, key = CountsInDatabase(), "clocks/5/1/minute"
    with app.app_context():
        assert [counts.incr(key, 60) for _ in range(3)] == [1, 2, 3]
        with database.begin() as session:
            session.get_one(RequestCount, key).until += A_DAY.total_seconds()
        assert [counts.incr(key, 60) for _ in range(2)] == [1, 2]
        assert counts.get_expiry(key) < time.time() + 61
        counts.clear(key)


def test_uploads_of_then_are_not_on_their_way(
    coach: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("LAUFTAKT_OPEN_FILES", "1")

    def begin(name: str) -> int:
        told = f"filename {base64.b64encode(name.encode()).decode()}"
        headers = {"X-CSRFToken": coach.csrf, "Tus-Resumable": "1.0.0", "Upload-Length": "10", "Upload-Metadata": told}
        return coach.client.post("/api/uploads", headers=headers).status_code

    assert begin("clock-1.csv") == 201
    assert begin("clock-2.csv") == 429
    with database.begin() as session:
        for row in session.scalars(select(Upload).where(Upload.team_id == coach.team_id)):
            row.touched_at = now() + A_DAY
    assert begin("clock-2.csv") == 201


def test_counts_are_kept_while_they_hold_in_every_zone(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """They were forgotten, or kept for hours too long, by as much as the machine's zone is from UTC."""
    for zone in ("Etc/GMT+11", "Etc/GMT-11", "UTC"):
        monkeypatch.setenv("TZ", zone)
        time.tzset()
        with database.begin() as session:
            session.add(RequestCount(name=f"holds-{zone}", hits=1, until=time.time() + 60))
            session.add(RequestCount(name=f"ended-{zone}", hits=1, until=time.time() - 2 * 3600))
        tidy(database, tmp_path, tmp_path)
        with database.begin() as session:
            holds = session.get(RequestCount, f"holds-{zone}")
            assert holds is not None
            session.delete(holds)
            assert session.get(RequestCount, f"ended-{zone}") is None
    monkeypatch.undo()
    time.tzset()
