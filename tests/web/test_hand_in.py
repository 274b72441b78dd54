"""Files handed in: taken whole or refused with a sentence, and nothing left behind."""

from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import func, select, update

from lauftakt import settings
from lauftakt.core.log.model import Unusable
from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.store.database import Database
from lauftakt.store.database import now as present
from lauftakt.store.models import Analysis, Base, Curves, Job, LapRow, LayoutRow, Run, Samples
from lauftakt.work import importing, jobs, open_jobs, queue
from lauftakt.work.doing import work_on
from lauftakt.work.renewing import outdated, want_all
from tests.day import Day
from tests.web.coach import Coach

pytestmark = pytest.mark.in_order

OWN = [
    table
    for table in Base.metadata.sorted_tables
    if table.name not in ("team", "account", "hand_in", "job", "sign_in", "sign_in_try", "request_count")
]


def rows(database: Database, team_id: int) -> dict[str, int]:
    with database.begin() as session:
        return {
            table.name: session.scalar(select(func.count()).select_from(table).where(table.c.team_id == team_id))
            for table in OWN
        }


def test_what_was_recognised(taught: Coach) -> None:
    latest = taught.get("/api/hand-ins").json["hand_ins"][0]
    assert latest["state"] == "taken"
    detail = latest["run"]
    assert detail["run"]["driver"]["name"] == "Ines"
    assert [lap["kind"] for lap in detail["laps"]] == ["out", *["timed"] * 8, "in"]
    found = taught.get(f"/api/runs/{detail['run']['id']}/channels").json
    roles = {channel["role"]: channel for channel in found["channels"]}
    assert roles["brake_pressure"]["unit"] == "bar"
    assert roles["brake_pressure"]["confidence"] > 0.9
    assert roles["latitude"]["rate_hz"] == pytest.approx(10)
    assert roles["gear"]["picture"]
    assert detail["event"]["circuit"] == "Ellerholm Park"


def test_lap_times_are_those_of_the_core(taught: Coach, day: Day) -> None:
    detail = taught.get("/api/hand-ins").json["hand_ins"][0]["run"]
    shown = [lap["time_s"] for lap in detail["laps"] if lap["time_s"]]
    computed = [lap.time_s for lap in day.runs[1].laps if lap.time_s]
    assert shown == pytest.approx(computed, abs=1e-6)


REFUSED = {
    "empty.csv": (b"", "file-empty"),
    "prose.csv": (b"I forgot\nthe logger\n", "columns"),
    "nowhere.csv": (b"time [s],speed [km/h]\n" + b"".join(b"%d,50\n" % i for i in range(50)), "no-positions"),
    "still.csv": (
        b"time [s],latitude [deg],longitude [deg]\n" + b"".join(b"%d,53.1,10.2\n" % i for i in range(99)),
        "no-motion",
    ),
    "zero.csv": (
        b"time [s],latitude [deg],longitude [deg],speed\n" + b"".join(b"%d,0,0,100\n" % i for i in range(99)),
        "no-positions",
    ),
    "broken.geojson": (b'{"features": []}', "layout-file"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_a_refused_file_leaves_nothing_behind(coach: Coach, database: Database, name: str) -> None:
    data, code = REFUSED[name]
    answer = coach.hand_in(name, data)
    assert answer.status_code == 201
    assert answer.json["state"] == "refused"
    assert answer.json["code"] == code
    assert answer.json["message"].strip()
    assert not any(rows(database, coach.team_id).values())
    kept = list(settings.load().inbox.glob(f"{answer.json['id']}.*"))
    assert bool(kept) == answer.json["can_place"] == (code == "no-positions")
    assert coach.delete(f"/api/hand-ins/{answer.json['id']}").status_code == 204
    assert coach.get("/api/hand-ins").json["hand_ins"] == []


def test_a_kind_that_cannot_be_read_is_said_at_once(coach: Coach) -> None:
    answer = coach.hand_in("talk.pdf", b"%PDF")
    assert answer.status_code == 415
    assert coach.get("/api/hand-ins").json["hand_ins"] == []


def test_labels_are_those_of_runs_however_many_files_became_none(coach: Coach, day: Day) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    for number in range(22):
        assert coach.hand_in(f"nothing-{number}.csv", b"no log, %d" % number).json["state"] == "refused"
    newest = coach.get("/api/hand-ins").json
    assert newest["more"]
    assert not any(row["run"] for row in newest["hand_ins"])
    runs = coach.get("/api/hand-ins?runs=true").json
    assert [row["file_name"] for row in runs["hand_ins"]] == [day.files[0].name]
    assert all(row["run"] for row in runs["hand_ins"])
    assert (runs["more"], runs["hidden"]) == (False, 0)


def test_the_same_log_twice_is_recognised(taught: Coach, day: Day, database: Database) -> None:
    before = rows(database, taught.team_id)
    answer = taught.hand_in("another name.csv", day.files[1].read_bytes())
    assert answer.json["code"] == "duplicate"
    assert day.files[1].name in answer.json["message"]
    assert rows(database, taught.team_id) == before
    assert taught.delete(f"/api/hand-ins/{answer.json['id']}").status_code == 204


def test_the_driver_can_be_chosen_and_changed(coach: Coach, day: Day) -> None:
    coach.hand_in(day.layout_file.name, day.layout_file.read_bytes())
    detail = coach.hand_in(day.files[0].name, day.files[0].read_bytes(), driver=" Zoë <b>Müller</b> ").json["run"]
    assert detail["run"]["driver"]["name"] == "Zoë <b>Müller</b>"
    run_id = detail["run"]["id"]
    changed = coach.patch(f"/api/runs/{run_id}", json={"driver": "Muller 🏎"})
    assert changed.json["run"]["driver"]["name"] == "Muller 🏎"
    assert coach.patch(f"/api/runs/{run_id}", json={"driver": "   "}).status_code == 422
    names = {item["name"] for item in coach.get("/api/hand-ins").json["choices"]["drivers"]}
    assert names == {"Muller 🏎"}  # of the other nothing is left


def test_hostile_names_are_only_names(coach: Coach) -> None:
    for name in (
        "../../etc/passwd.csv",
        "..\\..\\x.csv",
        "=cmd|'/c calc'!A1.csv",
        "<img src=x onerror=alert(1)>.csv",
        "a" * 500 + ".csv",
    ):
        answer = coach.hand_in(name, b"x")
        assert answer.status_code in (201, 415)
        if answer.status_code == 201:
            assert "/" not in answer.json["file_name"]
            assert len(answer.json["file_name"]) <= 300
    assert not list(settings.load().inbox.parent.glob("*.csv"))


def test_a_log_without_a_layout_makes_one_and_says_so(coach: Coach, day: Day) -> None:
    answer = coach.hand_in(day.files[0].name, day.files[0].read_bytes())
    assert answer.json["state"] == "taken"
    codes = {warning["code"] for warning in answer.json["run"]["warnings"]}
    assert "start-line-assumed" in codes
    assert answer.json["run"]["event"]["circuit"] == "Ellerholm Park"


def test_a_refused_file_leaves_no_driver_behind(coach: Coach, day: Day, database: Database) -> None:
    hand_in = coach.hand_in("bad.csv", b"no,thing\n1,2\n", driver="Somebody New").json
    work_on(database, settings.load().inbox, job_of(database, hand_in["id"]).id)
    assert coach.get("/api/hand-ins").json["hand_ins"][0]["state"] == "refused"
    assert not any(rows(database, coach.team_id).values())
    hand_in = coach.hand_in(day.files[0].name, day.files[0].read_bytes(), driver="Somebody New").json
    work_on(database, settings.load().inbox, job_of(database, hand_in["id"]).id)
    assert coach.get("/api/hand-ins").json["hand_ins"][0]["run"]["run"]["driver"]["name"] == "Somebody New"


def test_runs_of_an_older_computation_are_made_again(taught: Coach, day: Day, database: Database) -> None:
    with database.begin() as session:
        run = session.scalars(select(Run).where(Run.team_id == taught.team_id)).first()
        run_id, old = run.id, run.analysis_id
        run.analysis.code_version = 1
        session.execute(update(Analysis).where(Analysis.run_id == run_id).values(digest=None))  # as of before
        for lap in session.scalars(select(LapRow).where(LapRow.run_id == run_id)):
            lap.time_s = None
    told: list[str] = []
    waiting = want_all(database, told.append)
    assert want_all(database, told.append) == waiting  # nobody asks for the same twice
    with database.begin() as session:
        waiting = [job for job in waiting if session.get_one(Job, job).team_id == taught.team_id]
    assert len(waiting) == 1
    assert taught.get(f"/api/runs/{run_id}").json["renewing"]
    for job in waiting:
        work_on(database, settings.load().inbox, job)
    with database.begin() as session:
        assert run_id not in [other for _, other in outdated(session)]
        run = session.get_one(Run, run_id)
        expected = next(r for r, log in zip(day.runs, day.logs, strict=True) if log.meta["driver"] == run.driver.name)
        assert run.analysis.code_version == CODE_VERSION
        # The old analysis stays for pages that were opened with it; nothing of it was changed into the new one.
        assert run.analysis_id != old
        assert session.get(Analysis, old) is not None
        again = [lap.time_s for lap in run.analysis.laps]
        # Samples are stored in single precision: a tenth of a millisecond.
        for time, lap in zip(again, expected.laps, strict=True):
            assert (time is None) == (lap.time_s is None)
            assert time is None or time == pytest.approx(lap.time_s, abs=1e-3)


def test_without_positions_the_named_circuit_is_used(taught: Coach, day: Day, database: Database) -> None:
    lines = day.files[2].read_text().splitlines()
    header = next(i for i, line in enumerate(lines) if line.startswith("time"))
    names = lines[header].split(",")
    keep = [i for i, name in enumerate(names) if not name.startswith(("latitude", "longitude"))]
    table = [",".join(cells[i] for i in keep) for cells in (line.split(",") for line in lines[header:])]
    data = "\n".join([*lines[:header], *table]).encode()
    hand_in = taught.hand_in("no-positions.csv", data).json
    work_on(database, settings.load().inbox, job_of(database, hand_in["id"]).id)
    latest = taught.get("/api/hand-ins").json["hand_ins"][0]
    assert latest["state"] == "taken", latest
    assert "placed-by-corners" in {w["code"] for w in latest["run"]["warnings"]}
    run = latest["run"]["run"]["id"]
    desk = taught.get(f"/api/desk?run={run}").json
    laps = [lap["curves"] for lap in desk["laps"]]
    card = taught.get(f"/api/card?laps={laps[0]},{laps[1]}&reference={laps[0]}&passage=P1")
    assert card.status_code == 200
    taught.delete(f"/api/hand-ins/{latest['id']}")
    with database.begin() as session:
        session.delete(session.get_one(Run, run))


def queued(coach: Coach, day: Day, monkeypatch: pytest.MonkeyPatch) -> tuple[int, int]:
    """A file whose job waits for a worker."""
    monkeypatch.setattr(queue.run_job, "delay", lambda job_id: None)
    hand_in = coach.hand_in(day.files[0].name, day.files[0].read_bytes()).json
    assert hand_in["state"] == "waiting"
    return hand_in["id"], coach.team_id


def job_of(database: Database, hand_in_id: int) -> Job:
    with database.begin() as session:
        query = select(Job).where(Job.subject == "hand_in", Job.subject_id == hand_in_id)
        return session.scalars(query.order_by(Job.id.desc()).limit(1)).one()


def test_cancelled_in_the_middle_nothing_is_stored(
    coach: Coach, day: Day, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand_in_id, team_id = queued(coach, day, monkeypatch)
    read = importing.read_raw

    def read_and_cancel(path: Path) -> Any:
        assert coach.post(f"/api/hand-ins/{hand_in_id}/cancel").status_code == 200
        return read(path)

    monkeypatch.setattr(importing, "read_raw", read_and_cancel)
    work_on(database, settings.load().inbox, job_of(database, hand_in_id).id)
    assert coach.get("/api/hand-ins").json["hand_ins"][0]["state"] == "cancelled"
    assert not any(rows(database, team_id).values())


def test_a_failure_while_storing_leaves_nothing_and_is_tried_again(
    coach: Coach, day: Day, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand_in_id, team_id = queued(coach, day, monkeypatch)
    job_id = job_of(database, hand_in_id).id
    save = importing.save_analysis

    def save_and_break(*args: Any, **kwargs: Any) -> Any:
        save(*args, **kwargs)
        raise ConnectionError("the database went away")

    monkeypatch.setattr(importing, "save_analysis", save_and_break)
    with pytest.raises(ConnectionError):
        work_on(database, settings.load().inbox, job_id)
    assert not any(rows(database, team_id).values())
    assert job_id not in open_jobs.due(database)  # its lease still runs
    with database.begin() as session:
        job = session.get_one(Job, job_id)
        job.lease_until = job.sent_at = present().replace(year=2000)
    assert job_id in open_jobs.due(database)
    assert job_id not in open_jobs.due(database)  # it was sent a moment ago
    monkeypatch.setattr(importing, "save_analysis", save)
    work_on(database, settings.load().inbox, job_id)
    assert coach.get("/api/hand-ins").json["hand_ins"][0]["state"] == "taken"


def test_a_job_is_done_once(coach: Coach, day: Day, database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    hand_in_id, _ = queued(coach, day, monkeypatch)
    job_id = job_of(database, hand_in_id).id
    first = jobs.claim(database, job_id)
    assert first is not None
    assert jobs.claim(database, job_id) is None
    jobs.finish(database, first, "done")
    assert jobs.claim(database, job_id) is None


def test_three_deaths_end_a_job(coach: Coach, day: Day, database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    hand_in_id, _ = queued(coach, day, monkeypatch)
    job_id = job_of(database, hand_in_id).id
    for _ in range(jobs.MOST_ATTEMPTS):
        assert jobs.claim(database, job_id) is not None
        with database.begin() as session:
            session.get_one(Job, job_id).lease_until = present().replace(year=2000)
    assert jobs.claim(database, job_id) is None
    assert coach.get("/api/hand-ins").json["hand_ins"][0]["state"] == "failed"


def test_channels_are_read_one_by_one(taught: Coach, database: Database, day: Day) -> None:
    """Samples come back as they were handed in."""
    from lauftakt.store.blocks import unpack
    from lauftakt.store.models import ChannelRow

    with database.begin() as session:
        run = session.scalars(select(Run).where(Run.team_id == taught.team_id).order_by(Run.id.desc())).first()
        channel = session.scalars(
            select(ChannelRow).where(ChannelRow.run_id == run.id, ChannelRow.role == "latitude")
        ).one()
        blocks = session.scalars(select(Samples).where(Samples.channel_id == channel.id).order_by(Samples.first)).all()
        logged = day.logs[1].role("latitude")
        assert sum(len(unpack(block.values)) for block in blocks) == len(logged.values)
        assert (unpack(blocks[0].values) == logged.values[: len(unpack(blocks[0].values))]).all()
        assert (
            session.scalar(select(func.count()).select_from(LapRow).where(LapRow.analysis_id == run.analysis_id)) == 10
        )
        assert session.scalar(select(func.count()).select_from(Curves).where(Curves.analysis_id == run.analysis_id)) > 8
        assert (
            session.scalar(select(func.count()).select_from(LayoutRow).where(LayoutRow.team_id == taught.team_id)) == 1
        )


def test_unusable_is_a_sentence() -> None:
    assert str(Unusable("code", "What to do.")) == "What to do."
