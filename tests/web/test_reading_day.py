"""What a day's comparison says of each run on the paddock."""

from typing import Any

import pytest
from sqlalchemy import func, select

from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.ranking import over_the_lap
from lauftakt.store.database import Database
from lauftakt.store.models import Comparison, Job
from lauftakt.work.comparing import KIND, want_comparison
from lauftakt.work.jobs import add_job
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def own(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    """A team of its own with the layout and two runs."""
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def reading_of(coach: Coach) -> dict:
    event = coach.get("/api/paddock").json["event"]["id"]
    answer = coach.get(f"/api/events/{event}/reading")
    assert answer.status_code == 200
    return answer.json


def jobs_of(database: Database, coach: Coach) -> int:
    with database.begin() as session:
        query = select(func.count()).select_from(Job).where(Job.team_id == coach.team_id, Job.kind == KIND)
        return session.scalar(query) or 0


def test_it_is_compared_in_the_background_and_says_what_costs_most(own: Coach, database: Database, day: Day) -> None:
    assert reading_of(own)["state"] == "coming"
    found = reading_of(own)
    assert found["state"] == "ready"
    assert jobs_of(database, own) == 1
    runs = {run["driver"]["name"]: run["id"] for run in own.get("/api/paddock").json["runs"]}
    told = {item["run"]: item for item in found["runs"]}
    halvard, ines = told[runs["Halvard"]], told[runs["Ines"]]
    assert {item["reference"] for item in found["runs"]} == {halvard["lap"]}
    assert halvard["strip"] == []
    assert len(ines["strip"]) == 120
    assert max(ines["strip"]) > 1e-3
    lost, _ = find([Contender(run, name, "c") for run, name in zip(day.runs, "ab", strict=False)], 0, day.layout)
    mine = [f for f in lost if f.run == 1]
    first = max((f for f in mine if f.put_forward), key=lambda f: over_the_lap(f, mine))
    assert ines["passage"] == first.passage
    words = "".join(part["text"] or "" for part in ines["says"])
    assert words.startswith(f"{first.corner}")
    # Where it is opened the desk shows just that.
    card = f"/api/desk?laps={halvard['lap']},{ines['lap']}&reference={ines['reference']}"
    assert len(own.get(card).json["laps"]) == 2


def test_it_follows_what_counts(own: Coach, database: Database) -> None:
    """A lap that is set aside changes what it depends on: it is compared anew, and only then."""
    reading_of(own)
    before = reading_of(own)
    run = next(item for item in own.get("/api/paddock").json["runs"] if item["driver"]["name"] == "Ines")
    laps = own.get(f"/api/runs/{run['id']}").json["laps"]
    other = next(lap for lap in laps if lap["time_s"] and not lap["set_aside"] and lap["time_s"] != run["best_s"])
    answer = own.patch(f"/api/runs/{run['id']}/laps/{other['number']}", json={"counts": False, "note": ""})
    assert answer.status_code == 200, answer.json
    assert reading_of(own)["state"] == "coming"
    after = reading_of(own)
    assert after["state"] == "ready"
    assert jobs_of(database, own) == 2
    assert [item["run"] for item in after["runs"]] == [item["run"] for item in before["runs"]]
    with database.begin() as session:
        count = session.scalar(
            select(func.count()).select_from(Comparison).where(Comparison.team_id == own.team_id)
        )  # fmt: skip
    assert count == 2


def test_what_failed_is_not_tried_for_ever(own: Coach, database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("broken")

    monkeypatch.setattr("lauftakt.work.comparing.compare_day", broken)
    assert reading_of(own)["state"] == "coming"
    assert reading_of(own)["state"] == "failed"
    assert jobs_of(database, own) == 1


def test_a_job_that_ended_while_things_were_otherwise_is_no_end(own: Coach, database: Database) -> None:
    """Set aside and taken back before the job began, it compared nothing; once more set aside, it is asked for."""
    reading_of(own)
    key = "asked for before"
    event = own.get("/api/paddock").json["event"]["id"]
    with database.begin() as session:
        ended = add_job(session, own.team_id, KIND, ("event", event), payload={"key": key})
        ended.state = "done"
        again, hope = want_comparison(session, own.team_id, event, key)
        assert again not in (None, ended.id)
        assert hope
        assert want_comparison(session, own.team_id, event, key) == (None, True)
