"""A disk that is nearly full, and one that is full: uploads and work pause with a sentence, nothing is lost, and all
goes on when there is room."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.store.models import HandIn, Job
from lauftakt.web.application import create_app
from lauftakt.work import jobs, open_jobs, queue
from lauftakt.work.doing import work_on
from tests.day import Day
from tests.disks import SmallDisk, small_disk
from tests.installation import until
from tests.web.coach import Coach, make_coach
from tests.web.test_ways_in import announce, announcing, piece

MB = 1_000_000


@dataclass
class Place:
    coach: Coach
    disk: SmallDisk
    inbox: Path


@pytest.fixture
def place(database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Place]:
    with small_disk(tmp_path / "small", 96) as disk:
        monkeypatch.setenv("LAUFTAKT_VAR", str(disk.folder))
        monkeypatch.setenv("LAUFTAKT_RESERVE_MB", "20")
        monkeypatch.setattr(queue.run_job, "delay", lambda _: None)
        app = create_app(settings.load(), database, front_end=tmp_path)
        coach = make_coach(app, database)
        coach.sign_in()
        yield Place(coach, disk, settings.load().inbox)


def fate(place: Place) -> tuple[str, str]:
    row = place.coach.get("/api/hand-ins").json["hand_ins"][0]
    return row["state"], row["step"]


@pytest.mark.parametrize("reserve", ["20", "0"])
def test_an_upload_pauses_and_goes_on(place: Place, day: Day, monkeypatch: pytest.MonkeyPatch, reserve: str) -> None:
    monkeypatch.setenv("LAUFTAKT_RESERVE_MB", reserve)
    data = day.files[0].read_bytes()
    third = len(data) // 3
    upload = announce(place.coach, "a.csv", data)["id"]
    assert piece(place.coach, upload, 0, data[:third]).status_code == 204
    place.disk.fill(leave=15 * MB if reserve != "0" else 0)
    refused = piece(place.coach, upload, third, data[third:])
    assert (refused.status_code, refused.json["code"]) == (507, "disk")
    assert "MB more are needed" in refused.json["message"]
    assert "goes on by itself when there is room" in refused.json["message"]
    refused = announcing(place.coach, "b.csv", 5 * MB)
    assert (refused.status_code, refused.json["code"]) == (507, "disk")
    place.disk.empty()
    came = place.coach.get(f"/api/uploads/{upload}").json["offset"]
    assert third <= came < len(data)
    assert piece(place.coach, upload, came, data[came:]).status_code == 204
    assert place.coach.get(f"/api/uploads/{upload}").json["hand_in"]["state"] == "waiting"


def test_an_import_waits_for_room_and_goes_on(place: Place, day: Day, database: Database) -> None:
    hand_in = place.coach.hand_in("a.csv", day.files[0].read_bytes()).json["id"]
    with database.begin() as session:
        job_id = session.get_one(HandIn, hand_in).job_id
        session.get_one(Job, job_id).sent_at = None
    place.disk.fill(leave=15 * MB)
    for _ in range(2 * jobs.MOST_ATTEMPTS):
        work_on(database, place.inbox, job_id)
    assert fate(place) == ("waiting", "waits-disk")
    told = place.coach.get("/api/jobs").json
    assert told["under_way"][0]["waits_for"] == "disk"
    assert "nearly full" in told["disk"]
    with database.begin() as session:
        session.get_one(Job, job_id).sent_at = jobs.now() - 2 * open_jobs.LOST
    assert job_id not in open_jobs.due(database, room=False)
    place.disk.empty()
    assert job_id in open_jobs.due(database, room=True)
    work_on(database, place.inbox, job_id)
    assert fate(place)[0] == "taken"
    assert place.coach.get("/api/jobs").json["disk"] is None


def test_work_that_gives_room_goes_on_without_any(place: Place, database: Database) -> None:
    place.disk.fill(leave=1 * MB)
    with database.begin() as session:
        job = jobs.add_job(session, place.coach.team_id, "remove", ("team", place.coach.team_id))
    work_on(database, place.inbox, job.id)
    assert place.coach.get(f"/api/jobs/{job.id}").json["state"] == "done"


def test_what_waits_for_room_can_be_stopped(place: Place, day: Day, database: Database) -> None:
    hand_in = place.coach.hand_in("a.csv", day.files[0].read_bytes()).json["id"]
    with database.begin() as session:
        job_id = session.get_one(HandIn, hand_in).job_id
    place.disk.fill(leave=15 * MB)
    work_on(database, place.inbox, job_id)
    assert place.coach.post(f"/api/jobs/{job_id}/cancel").json["state"] == "cancelled"
    assert fate(place)[0] == "cancelled"


def test_an_archive_is_taken_only_where_all_of_it_has_room(place: Place, database: Database) -> None:
    from tests.hostile import zipped

    large = b"time [s],speed [km/h]\n" + b"".join(b"%d.%03d,50.1\n" % divmod(i, 1000) for i in range(2_000_000))
    hand_in = place.coach.hand_in("day.zip", zipped({"a.csv": large, "b.csv": large})).json["id"]
    with database.begin() as session:
        job_id = session.get_one(HandIn, hand_in).job_id
    place.disk.fill(leave=20 * MB + len(large))
    before = place.disk.free
    work_on(database, place.inbox, job_id)
    assert fate(place) == ("waiting", "waits-disk")
    assert before - place.disk.free < MB  # nothing was unpacked to find that out
    place.disk.empty()
    work_on(database, place.inbox, job_id)
    assert fate(place)[0] in ("taken", "waiting")  # its files wait now
    assert place.coach.get("/api/hand-ins").json["hand_ins"][-1]["code"] == "archive"


def test_sheets_say_that_there_is_no_room_for_them(place: Place, day: Day, database: Database) -> None:
    hand_in = place.coach.hand_in("a.csv", day.files[0].read_bytes()).json["id"]
    with database.begin() as session:
        job_id = session.get_one(HandIn, hand_in).job_id
    work_on(database, place.inbox, job_id)
    event = place.coach.get("/api/paddock").json["events"][0]["id"]
    with database.begin() as session:
        team = place.coach.team_id
        job = jobs.add_job(session, team, "sheets", ("event", event), payload={"units": "metric"})
        jobs.end(session, job, "failed", "disk", "No room.")
    place.disk.fill(leave=15 * MB)
    again = place.coach.post(f"/api/jobs/{job.id}/retry").json["id"]
    until(lambda: place.coach.get(f"/api/jobs/{again}").json["state"] == "failed", 20)
    told = place.coach.get(f"/api/jobs/{again}").json
    assert "Make room on it, then try it again." in told["message"]
