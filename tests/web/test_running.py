"""What is running: listed, stopped and tried again; and what comes in by the door is clean."""

import csv
import io
from datetime import timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import delete, func, select

from lauftakt import settings
from lauftakt.formats.tables import comment_line
from lauftakt.store.database import Database, mine, now
from lauftakt.store.models import HandIn, Job, Run
from lauftakt.web.door import clean
from lauftakt.work import jobs, open_jobs, queue
from lauftakt.work.doing import KINDS, work_on
from lauftakt.work.tidying import JOBS_KEPT, tidy
from tests.day import Day
from tests.web.coach import Coach

NO_PLACE = b"time [s],speed [km/h]\n" + b"".join(b"%d,50\n" % i for i in range(60))


@pytest.fixture
def nobody_works(monkeypatch: pytest.MonkeyPatch) -> None:
    """Jobs wait until a test does them."""
    monkeypatch.setattr(queue.run_job, "delay", lambda _: None)


def running(coach: Coach, query: str = "") -> dict:
    return coach.get("/api/jobs" + query).json


def test_work_is_listed_with_what_it_is_about_and_what_is_before_it(
    coach: Coach, stranger: Coach, nobody_works: None
) -> None:
    stranger.hand_in("theirs.csv", b"no log\n")
    for number in range(3):
        coach.hand_in(f"{number}.csv", b"no log\n")
    found = running(coach)
    assert [(row["kind"], row["about"], row["state"]) for row in found["under_way"]] == [
        ("import", f"{number}.csv", "waiting") for number in range(3)
    ]
    assert found["open"] == 3
    assert found["ended"] == []
    before = [row["ahead"] for row in found["under_way"]]
    assert before == sorted(set(before))
    assert before[0] >= 1  # the other team's, which is told only as a number
    assert found["under_way"][0]["who"] == "C"
    assert found["disk"] is None


def test_what_comes_by_itself_waits_in_a_line_of_its_own(coach: Coach, database: Database, nobody_works: None) -> None:
    with database.begin() as session:
        late = [jobs.add_job(session, coach.team_id, "renew", ("run", number)).id for number in range(200)]
    coach.hand_in("a.csv", NO_PLACE)
    with database.begin() as session:
        file = session.scalars(select(Job.id).where(Job.team_id == coach.team_id, Job.kind == "import")).one()
        first = session.scalar(
            select(func.count()).where(Job.state == "waiting", Job.kind.not_in(open_jobs.NOBODY_WAITS))
        )
    # Shown, although two hundred were there before it, and taken in turn with them.
    shown = running(coach)["under_way"][0]
    assert shown["id"] == file
    assert shown["ahead"] <= 2 * first
    assert {queue._line_of("run_job", (number,))["queue"] for number in late} == {queue.LATER}
    assert queue._line_of("run_job", (file,))["queue"] == queue.QUEUE
    with database.begin() as session:
        session.execute(delete(Job).where(Job.id.in_(late)))


def test_work_that_waits_is_stopped_and_tried_again(coach: Coach, database: Database, nobody_works: None) -> None:
    coach.hand_in("a.csv", NO_PLACE)
    job = running(coach)["under_way"][0]
    assert job["can_cancel"]
    assert coach.post(f"/api/jobs/{job['id']}/cancel").json["state"] == "cancelled"
    ended = running(coach)["ended"][0]
    assert (ended["state"], ended["can_retry"], ended["can_cancel"]) == ("cancelled", True, False)
    again = coach.post(f"/api/jobs/{job['id']}/retry")
    assert again.status_code == 202
    assert coach.post(f"/api/jobs/{job['id']}/retry").status_code == 409
    assert not running(coach)["ended"][0]["can_retry"]
    work_on(database, settings.load().inbox, again.json["id"], retry=False)
    ended = running(coach)["ended"][0]
    # It may be placed once somebody says where.
    assert (ended["state"], ended["can_retry"]) == ("refused", True)
    assert ended["message"]
    assert [row["id"] for row in running(coach, "?trouble=true")["ended"]] == [ended["id"]]


@pytest.mark.parametrize("kind", sorted(set(KINDS) - {"import", "demo"}))
def test_work_of_every_kind_that_failed_is_tried_again(
    taught: Coach, database: Database, nobody_works: None, kind: str
) -> None:
    run = taught.get("/api/paddock").json
    subject = {
        "renew": ("run", run["runs"][0]["id"]), "export": ("run", run["runs"][0]["id"]),
        "compare": ("event", run["event"]["id"]), "follow": ("team", taught.team_id),
        "remove": ("team", taught.team_id), "seal": ("team", taught.team_id),
        "reline": ("layout", taught.get("/api/circuits").json["circuits"][0]["id"]),
    }[kind]  # fmt: skip
    payload = {"format": "csv"} if kind == "export" else {"runs": [], "debriefs": []} if kind == "follow" else {}
    with database.begin() as session:
        job = jobs.add_job(session, taught.team_id, kind, subject, payload=payload)
        jobs.end(session, job, "failed", "internal", "The work failed for a reason of our own.")
    row = next(row for row in running(taught)["ended"] if row["id"] == job.id)
    assert row["can_retry"]
    assert row["message"] == "The work failed for a reason of our own."
    assert row["about"] or subject[0] == "team"
    assert (row["about_day"] is not None) == (subject[0] in ("run", "event"))
    made = taught.post(f"/api/jobs/{job.id}/retry")
    assert made.status_code == 202
    assert (made.json["kind"], made.json["state"]) == (kind, "waiting")
    work_on(database, settings.load().inbox, made.json["id"], retry=False)
    assert taught.get(f"/api/jobs/{made.json['id']}").json["state"] == "done"


def test_a_stored_run_stays_taken_whatever_stops_the_work_after_it(
    coach: Coach, day: Day, database: Database, nobody_works: None
) -> None:
    """Stopped between the run's transaction and the job's own: the run is there, so the file was taken."""
    hand_in = coach.hand_in(day.files[0].name, day.files[0].read_bytes()).json["id"]
    with database.begin() as session:
        job_id = session.get_one(HandIn, hand_in).job_id
    ours = jobs.claim(database, job_id)
    assert ours is not None
    with database.begin() as session:
        session.get_one(HandIn, hand_in).state = "taken"
    jobs.finish(database, ours, "cancelled", "cancelled", "Cancelled; nothing of it was stored.")
    with database.begin() as session:
        assert session.get_one(HandIn, hand_in).state == "taken"
        assert session.get_one(Job, job_id).state == "done"


def test_what_was_cut_off_with_everything_else_counts_as_no_try(
    coach: Coach, database: Database, nobody_works: None
) -> None:
    """Found by killing everything: a file that was cut off three times was given up, although it was not to blame."""
    hand_in = coach.hand_in("cut.csv", NO_PLACE).json["id"]
    with database.begin() as session:
        job_id = session.get_one(HandIn, hand_in).job_id
    for _ in range(3 * jobs.MOST_ATTEMPTS):
        assert jobs.claim(database, job_id) is not None
        open_jobs.begin_anew(database)
        told = running(coach)["under_way"][0]
        assert (told["id"], told["state"], told["tries"]) == (job_id, "waiting", 0)
    assert job_id in [row["id"] for row in running(coach)["under_way"]]
    # A worker that dies while the others live is counted.
    for _ in range(jobs.MOST_ATTEMPTS):
        assert jobs.claim(database, job_id) is not None
        with database.begin() as session:
            session.get_one(Job, job_id).lease_until = now() - timedelta(seconds=1)
    assert jobs.claim(database, job_id) is None
    assert running(coach)["ended"][0]["state"] == "failed"


def test_what_was_sent_is_not_sent_again_while_the_queue_is_full(coach: Coach, database: Database) -> None:
    with database.begin() as session:
        old = now() - timedelta(minutes=5)
        waiting = jobs.add_job(session, coach.team_id, "compare", ("event", 1))
        waiting.created_at = waiting.sent_at = old
        dead = jobs.add_job(session, coach.team_id, "compare", ("event", 2))
        dead.state, dead.sent_at, dead.lease_until = "running", old, old + timedelta(minutes=1)
        backup = jobs.add_job(session, coach.team_id, "backup", ("team", coach.team_id))
        backup.created_at = old
    # A dead worker's job is told once, whatever else waits; a message that waits is not told again.
    first = open_jobs.due(database, idle=False)
    assert dead.id in first
    assert waiting.id not in first
    assert backup.id not in first
    assert dead.id not in open_jobs.due(database, idle=False)
    assert waiting.id in open_jobs.due(database, idle=True)
    assert waiting.id not in open_jobs.due(database, idle=True)
    with database.begin() as session:
        for job in (waiting, dead, backup):
            session.delete(session.get_one(Job, job.id))


def test_work_that_ended_long_ago_is_forgotten(coach: Coach, database: Database, nobody_works: None) -> None:
    file = coach.hand_in("old.csv", b"no log\n").json["id"]
    with database.begin() as session:
        old = jobs.add_job(session, coach.team_id, "compare", ("event", 1))
        jobs.end(session, old, "done", None, None)
        of_file = session.get_one(HandIn, file).job
        assert of_file is not None
        jobs.end(session, of_file, "refused", "columns", "No table.")
        for job in (old, of_file):
            job.finished_at = now() - JOBS_KEPT - timedelta(hours=1)
    found = settings.load()
    tidy(database, found.exports, found.inbox)
    with database.begin() as session:
        left = session.scalars(mine(Job, coach.team_id)).all()
        assert [job.id for job in left] == [of_file.id]


def test_what_was_removed_goes_for_good_as_work_of_its_own(
    coach: Coach, day: Day, database: Database, nobody_works: None, tmp_path: Path
) -> None:
    with database.begin() as session:
        made = jobs.add_job(session, coach.team_id, "compare", ("event", 1))
        session.delete(made)
    hand_in = coach.hand_in(day.files[0].name, day.files[0].read_bytes()).json["id"]
    with database.begin() as session:
        job_id = session.get_one(HandIn, hand_in).job_id
    work_on(database, settings.load().inbox, job_id, retry=False)
    with database.begin() as session:
        run = session.scalars(mine(Run, coach.team_id)).one()
        run.removed_at = now() - timedelta(days=60)
    found = settings.load()
    made_jobs = tidy(database, found.exports, found.inbox)
    with database.begin() as session:
        own = [j for j in made_jobs if session.get_one(Job, j).team_id == coach.team_id]
    assert len(own) == 1
    work_on(database, found.inbox, own[0])
    row = next(row for row in running(coach)["ended"] if row["kind"] == "remove")
    assert row["state"] == "done"
    assert coach.get(f"/api/jobs/{own[0]}").json["result"] == {"gone": 1}
    assert own[0] not in tidy(database, found.exports, found.inbox)


# ---- the door --------------------------------------------------------------------------------------------------------

ROUGH = "a\x00b\x1b[31mc\u202ed\ud800e\x7f"


def test_what_no_text_can_hold_is_gone_at_the_door(taught: Coach) -> None:
    run = taught.get("/api/paddock").json["runs"][0]["id"]
    before = taught.get(f"/api/runs/{run}").json
    said = taught.client.patch(
        f"/api/runs/{run}",
        data=b'{"notes": "a\\u0000b\\u001b[31mc\\u202ed\\ud800e\\u007f\\nnext"}',
        headers={"X-CSRFToken": taught.csrf},
        content_type="application/json",
    )
    assert said.status_code == 200
    assert taught.get(f"/api/runs/{run}").json["notes"] == "ab[31mcde\nnext"
    taught.patch(f"/api/runs/{run}", json={"notes": before["notes"]})
    for path in ("/api/find?q=%00%ED%A0%80x", "/api/hand-ins?since=%00", "/api/paddock?event=%00"):
        assert taught.get(path).status_code in (200, 422)


def test_a_password_is_what_was_typed() -> None:
    assert clean({"password": "a\u00a0\tb\ud800", "name": ROUGH}) == {"password": "a\u00a0\tb", "name": "ab[31mcde"}


@pytest.mark.parametrize("kind", ["text/plain", "application/x-www-form-urlencoded", "multipart/form-data", ""])
def test_another_kind_of_content_is_refused(taught: Coach, kind: str) -> None:
    run = taught.get("/api/paddock").json["runs"][0]["id"]
    for method, path in (("PATCH", f"/api/runs/{run}"), ("POST", "/api/line-ups"), ("POST", "/api/session")):
        answer = taught.client.open(
            path, method=method, data=b'{"notes": "x"}', headers={"X-CSRFToken": taught.csrf}, content_type=kind or None
        )
        assert (answer.status_code, answer.json["code"]) == (415, "kind")
    answer = taught.client.post(
        "/api/hand-ins", data=b"{}", headers={"X-CSRFToken": taught.csrf}, content_type="application/json"
    )
    assert answer.status_code == 415


def test_a_field_without_a_name_is_none(taught: Coach) -> None:
    """Found by asking every address whatever its description allows."""
    body = b"--x\r\nContent-Disposition: form-data\r\n\r\nvalue\r\n--x--\r\n"
    own = {"content_type": "multipart/form-data; boundary=x"}
    assert taught.client.post("/api/hand-ins", data=body, **own).json["code"] == "token"
    answer = taught.client.post("/api/hand-ins", data=body, headers={"X-CSRFToken": taught.csrf}, **own)
    assert (answer.status_code, answer.json["code"]) == (422, "invalid")


def test_a_logger_that_nobody_set_up_is_not_there(taught: Coach) -> None:
    answer = taught.post("/api/loggers/fetch", json={"logger": "No such", "keys": ["1"]})
    assert (answer.status_code, answer.json["code"]) == (404, "no-logger")


@given(key=st.text(max_size=12), value=st.text(max_size=40))
def test_no_cell_of_a_comment_runs_as_a_formula(key: str, value: str) -> None:
    line = comment_line(key, value)
    for delimiter in ",;\t":
        for row in csv.reader(io.StringIO(line), delimiter=delimiter):
            assert not any(cell.lstrip().startswith(("=", "+", "-", "@", "\t", "\r")) for cell in row), (line, row)


@pytest.mark.parametrize("body", ["[" * 50_000, '{"a":' * 50_000, "[" * 50_000 + "]" * 50_000])
def test_a_body_that_is_nested_without_end_is_refused(taught: Coach, body: str) -> None:
    headers = {"X-CSRFToken": taught.csrf, "Content-Type": "application/json"}
    answer = taught.client.post("/api/session", data=body, headers=headers)
    assert 400 <= answer.status_code < 500, answer.data[:200]
    assert answer.json["message"]


@pytest.mark.parametrize("form", ["csv", "parquet", "mdf4", "gpx", "geojson"])
def test_a_run_leaves_in_every_format(taught: Coach, form: str) -> None:
    run = taught.get("/api/paddock").json["runs"][0]["id"]
    job = taught.post(f"/api/runs/{run}/export", json={"format": form}).json["id"]
    answer = taught.get(f"/api/jobs/{job}/file")
    assert answer.status_code == 200, taught.get(f"/api/jobs/{job}").json
    assert len(answer.data) > 10_000
