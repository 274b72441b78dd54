"""Over days through the API: cues followed from run to run, paces that never go stale, the school, paper, search."""

import io
import time
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from pypdf import PdfReader
from sqlalchemy import delete, select

from lauftakt.store.accounts import add_account
from lauftakt.store.database import Database, now
from lauftakt.store.models import Account, Car, CueCourse, Curves, Driver, Job, Run, RunPaceRow, Team
from lauftakt.web import beside
from lauftakt.work import queue
from lauftakt.work.following import KIND, want_following
from lauftakt.work.jobs import add_job
from tests.day import Day
from tests.web.coach import Coach, make_coach

pytestmark = pytest.mark.in_order

HOSTILE = ("%", "_", "\\", "'", '"', "<script>", "a" * 100, "🏁", "؀", "%%%", "value", "text", "unit")


@pytest.fixture(scope="module")
def school(app: Any, database: Database, day: Day, season_files: list[Path]) -> Coach:
    """A coach with the instructor and Okan on four days; what was given after the first is T5 and a keep."""
    coach = make_coach(app, database, role="owner")
    coach.sign_in()
    today = [day.files[day.of("Halvard")], day.files[day.of("Okan")]]
    for path in (day.layout_file, *season_files, *today):
        assert coach.hand_in(path.name, Path(path).read_bytes()).status_code == 201
    coach.patch(f"/api/drivers/{drivers(coach)['Halvard']}", json={"reference_only": True})
    for event in coach.get("/api/paddock").json["events"]:
        coach.get(f"/api/events/{event['id']}/reading")
    first = runs(coach, "Okan")[0]
    coach.get(f"/api/debriefs/runs/{first}")
    found = coach.get(f"/api/debriefs/runs/{first}").json
    hairpin = next(one for one in found["findings"] if one["corner"] == "T5")
    for kind, passage in (("cue", hairpin["passage"]), ("keep", found["strengths"][0]["passage"])):
        done = coach.post("/api/cues", json={"run": first, "kind": kind, "passage": passage})
        assert done.status_code == 201
    assert coach.post(f"/api/debriefs/{done.json['debrief']['id']}/give", json={"given": True}).status_code == 200
    of_okan(coach)
    return coach


def drivers(coach: Coach) -> dict[str, int]:
    return {one["name"]: one["id"] for one in coach.get("/api/paddock").json["drivers"]}


def runs(coach: Coach, name: str) -> list[int]:
    """Runs of a driver over all days, the earliest first."""
    found = []
    for event in coach.get("/api/paddock").json["events"]:
        for run in coach.get(f"/api/paddock?event={event['id']}").json["runs"]:
            if run["driver"]["name"] == name:
                found.append((event["day"], run["started_at"], run["id"]))
    return [run for _, _, run in sorted(found)]


def followed(coach: Coach, path: str) -> dict[str, Any]:
    """An answer over days once everything is followed; the work is done at the first asking."""
    coach.get(path)
    found: dict[str, Any] = coach.get(path).json
    assert found["follow"] == {"state": "ready", "left": 0, "job": None}
    return found


def of_okan(coach: Coach) -> dict[str, Any]:
    return followed(coach, f"/api/season/drivers/{drivers(coach)['Okan']}")


def cue_of(found: dict[str, Any], kind: str = "cue") -> dict[str, Any]:
    return next(over for over in found["cues"] if over["cue"]["kind"] == kind)


def test_a_cue_is_followed_over_four_days(school: Coach) -> None:
    found = of_okan(school)
    assert found["totals"]["days"] == 4
    over = cue_of(found)
    assert over["cue"]["corner"] == "T5"
    assert [(look["stage"], look["answer"]) for look in over["looks"]] == [
        ("reached", "reached_paid"), ("lost_again", "no_change"), ("came_back", over["looks"][2]["answer"]),
    ]  # fmt: skip
    assert [look["slipped"] for look in over["looks"]] == [None, True, None]
    assert over["stage"] == "came_back"
    assert over["looks"][0]["low"] < over["looks"][0]["change"] < over["looks"][0]["high"]
    assert cue_of(found, "keep")["stage"] in ("kept", "came_back", "lost_again")
    # One trim throughout, so every best lap that was quicker than before is a record, with its doubt.
    assert [trim["car"] for trim in found["trims"]] == ["School coupé 2"]
    assert found["records"][0]["by_s"] is None
    for record in found["records"][1:]:
        assert record["by_s"] > 0
        assert record["by_u_s"] > 0
        assert record["level"] == (record["by_s"] <= 2 * record["by_u_s"])
    assert found["anchored"] == ["Halvard"]
    assert found["change"]["low"] < found["change"]["share"] < found["change"]["high"]
    for run in found["runs"]:
        assert run["theoretical_s"] <= run["best_s"] <= run["median_s"]


def test_what_is_judged_is_what_was_given(school: Coach) -> None:
    """Changing a cue after it was given changes nothing of what became of it, until it is given again."""
    before = cue_of(of_okan(school))
    changed = before["cue"]["target"]["value"] + 60.0
    assert school.patch(f"/api/cues/{before['cue']['id']}", json={"value": changed}).status_code == 200
    assert cue_of(of_okan(school)) == before
    second = runs(school, "Okan")[1]
    answers = school.get(f"/api/debriefs/{before['debrief']}/check?run={second}").json["answers"]
    assert answers[str(before["cue"]["id"])]["answer"] == "reached_paid"
    prepared = school.get(f"/api/debriefs/runs/{second}").json
    assert before["cue"]["target"] in [cue["target"] for cue in prepared["before"]["cues"]]
    # Given again the driver is asked for sixty metres more, which nobody did.
    school.post(f"/api/debriefs/{before['debrief']}/give", json={"given": True})
    assert cue_of(of_okan(school))["stage"] == "open"
    school.patch(f"/api/cues/{before['cue']['id']}", json={"value": before["cue"]["target"]["value"]})
    school.post(f"/api/debriefs/{before['debrief']}/give", json={"given": True})
    assert cue_of(of_okan(school))["stage"] == "came_back"


def test_setting_a_lap_aside_reaches_paces_and_courses(school: Coach, database: Database) -> None:
    before = of_okan(school)
    run = before["runs"][1]
    laps = [
        lap["number"]
        for lap in school.get(f"/api/runs/{run['run']}").json["laps"]
        if lap["time_s"] and not lap["set_aside"]
    ]
    gone = [f"{run['run']}.{number}" for number in laps[:3]]
    done = school.post("/api/laps/judged", json={"laps": gone, "counts": False, "reason": "mistake"})
    assert done.status_code == 200
    told = school.get(f"/api/season/drivers/{drivers(school)['Okan']}").json
    # Until it is worked out anew nothing old is shown as if it held.
    assert told["follow"]["left"] > 0
    assert next(one for one in told["runs"] if one["run"] == run["run"])["median_s"] is None
    after = of_okan(school)
    changed = next(one for one in after["runs"] if one["run"] == run["run"])
    assert changed["laps"] == run["laps"] - 3
    assert changed["median_s"] != run["median_s"]
    # Three laps are too few to judge: the course says so.
    assert cue_of(after)["looks"][0]["answer"] == "cannot_judge"
    assert cue_of(after)["looks"][0]["why"] == "few"
    school.post(f"/api/actions/{done.json['action']}/undo")
    assert of_okan(school)["runs"] == before["runs"]
    assert cue_of(of_okan(school))["stage"] == "came_back"
    with database.begin() as session:
        assert session.scalar(select(RunPaceRow).where(RunPaceRow.run_id == run["run"])) is not None


def test_another_car_or_weather_is_said_and_not_compared(school: Coach) -> None:
    third = runs(school, "Okan")[2]
    done = school.patch(f"/api/runs/{third}", json={"conditions": "damp"}).json
    found = of_okan(school)
    look = cue_of(found)["looks"][1]
    assert (look["answer"], look["why"]) == ("cannot_judge", "Conditions differ: dry before, damp after.")
    assert {trim["grip"] for trim in found["trims"]} == {"dry", "damp"}
    assert [run["differs"] for run in found["runs"]] == [[], [], ["conditions"], ["conditions"]]
    days = followed(school, "/api/season/school")["days"]
    assert [day["grip"] for day in days if day["day"] == found["runs"][2]["day"]] == ["dry", "damp"]
    school.post(f"/api/actions/{done['action']}/undo")
    assert cue_of(of_okan(school))["stage"] == "came_back"


def test_names_may_hold_anything(school: Coach) -> None:
    """What a season is read by is put together by the database, whatever letters names are written in."""
    last, name = runs(school, "Okan")[-1], "Zoës Coupé 🏁 \\ '%s' кар"
    done = school.patch(f"/api/runs/{last}", json={"car": name, "tyres": "weich, жёстк."}).json
    found = of_okan(school)
    assert [trim["car"] for trim in found["trims"]] == ["School coupé 2", name]
    assert found["runs"][-1]["differs"] == ["car", "tyres"]
    assert cue_of(found)["looks"][-1]["why"] == f"The run after it was driven in another car ({name})."
    assert school.get("/api/find", query_string={"q": "кар coupe"}).json["hits"][0]["title"] == name
    school.post(f"/api/actions/{done['action']}/undo")
    assert cue_of(of_okan(school))["stage"] == "came_back"


def test_a_run_that_is_removed_is_not_looked_at_any_more(school: Coach) -> None:
    last = runs(school, "Okan")[-1]
    assert school.delete(f"/api/removals/run/{last}").status_code in (200, 204)
    found = of_okan(school)
    assert len(cue_of(found)["looks"]) == 2
    assert cue_of(found)["stage"] == "lost_again"
    action = school.get("/api/actions").json["actions"][0]
    school.post(f"/api/actions/{action['id']}/undo")
    assert cue_of(of_okan(school))["stage"] == "came_back"


def test_the_school_and_its_days(school: Coach) -> None:
    found = followed(school, "/api/season/school")
    days = {day["day"]: day for day in found["days"]}
    assert [day["first"] for day in found["days"]] == [True, False, False, False]
    # The truth: less grip on the first day than on all others.
    for day in list(days)[1:]:
        assert days[day]["effect"]["share"] < 0
        assert days[day]["effect"]["by"] == 2
    names = {one["driver"]["name"]: one for one in found["drivers"]}
    assert names["Halvard"]["change"] is None
    assert names["Okan"]["change"]["by"] == 1
    assert set(names["Okan"]["by_kind"]) <= {"slow", "ordinary", "fast", "linked"}
    assert found["kinds"] == []  # one student is no school
    assert [(one["figure"], one["given"], one["reached"]) for one in found["cues"]] == [("brake_point_m", 1, 1)]
    okan = names["Okan"]["driver"]["id"]
    asked = f"/api/season/school?since={list(days)[2]}&with_drivers={okan}"
    tried = school.get(asked).json
    assert tried["tried"]["by"] == 1
    assert tried["tried"]["low"] < tried["tried"]["high"]
    everybody = school.get(f"/api/season/school?since={next(iter(days))}&with_drivers={okan}").json
    assert everybody["tried"] is None
    assert "before and after" in everybody["tried_why"]
    assert school.get(f"/api/season/school?since={list(days)[2]}&with_drivers=999999").status_code == 422
    for wrong in ("since=today", "with_drivers=a", "layout=0", "layout=99999999999"):
        assert school.get(f"/api/season/school?{wrong}").status_code == 422
    assert school.get("/api/season/school?layout=999999").status_code == 404


def test_a_days_course_and_the_calendar(school: Coach) -> None:
    events = school.get("/api/paddock").json["events"]
    second = next(event for event in events if event["name"] == "Second day")
    course = followed(school, f"/api/season/day?event={second['id']}")
    okan = next(one for one in course["drivers"] if one["driver"]["name"] == "Okan")
    checks = {check["cue"]["kind"]: check for check in okan["runs"][0]["checked"]}
    assert checks["cue"]["answer"] == "reached_paid"
    assert checks["cue"]["asked_on"] == "2026-03-28"
    assert course["sheets"] == 0
    first = next(event for event in events if event["name"] == "Season's opening")
    given = followed(school, f"/api/season/day?event={first['id']}")
    okan = next(one for one in given["drivers"] if one["driver"]["name"] == "Okan")
    assert [cue["kind"] for cue in okan["runs"][0]["given"]] == ["keep", "cue"]
    days = school.get("/api/season/calendar").json["days"]
    assert [day["event"]["day"] for day in days] == sorted((day["event"]["day"] for day in days), reverse=True)
    opening = next(day for day in days if day["event"]["id"] == first["id"])
    assert (opening["drivers"], opening["debriefs"]) == (2, 1)
    assert opening["worked_on"] == [{"figure": "brake_point_m", "label": "brake point", "cues": 1}]
    assert school.get("/api/season/calendar?before=nonsense").status_code == 422


def pages(answer: Any) -> list[str]:
    assert answer.status_code == 200, answer.data[:200]
    assert answer.mimetype == "application/pdf"
    return [" ".join(page.extract_text().split()) for page in PdfReader(io.BytesIO(answer.data)).pages]


def sheets_of(coach: Coach, event: int) -> Any:
    """The sheets of a day, once they are written."""
    begun = coach.post(f"/api/season/days/{event}/sheets", json={})
    assert begun.status_code == 202, begun.json
    for _ in range(600):
        job = coach.get(f"/api/jobs/{begun.json['id']}").json
        if job["state"] not in ("waiting", "running"):
            break
        time.sleep(0.1)
    assert job["state"] == "done", job
    assert job["result"]["name"].startswith("debriefs-")
    return coach.get(f"/api/jobs/{job['id']}/file")


def test_sheets_whose_server_was_killed_are_written_by_the_next_one(
    school: Coach, stranger: Coach, database: Database, app: Any
) -> None:
    opening = next(e["id"] for e in school.get("/api/paddock").json["events"] if e["name"] == "Season's opening")
    with database.begin() as session:
        account, other = (
            session.scalars(select(Account.id).where(Account.team_id == coach.team_id)).first()
            for coach in (school, stranger)
        )
    long_ago = now() - timedelta(minutes=1)

    def left(account_id: int, **more: Any) -> int:
        with database.begin() as session:
            job = add_job(
                session,
                school.team_id,
                "sheets",
                ("event", opening),
                payload={"units": "metric"},
                account_id=account_id,
            )
            job.created_at = long_ago
            for key, value in more.items():
                setattr(job, key, value)
            return job.id

    begun_nowhere = left(account)
    cut_off = left(account, state="running", lease_until=long_ago, token="a dead one's", attempts=1)
    cut_off_too_often = left(account, state="running", lease_until=long_ago, token="a dead one's", attempts=3)
    going = left(account, state="running", lease_until=now() + timedelta(minutes=1), token="a living one's")
    not_theirs = left(other)
    beside.look(app)
    for job_id in (begun_nowhere, cut_off):
        told = school.get(f"/api/jobs/{job_id}").json
        assert told["state"] == "done", told
        assert "Okan" in " ".join(pages(school.get(f"/api/jobs/{job_id}/file")))
    assert school.get(f"/api/jobs/{cut_off_too_often}").json["state"] == "failed"
    assert school.get(f"/api/jobs/{going}").json["state"] == "running"
    assert school.get(f"/api/jobs/{not_theirs}").json["state"] == "refused"


def test_all_sheets_at_once_and_a_summary_without_names(school: Coach) -> None:
    events = {event["name"]: event["id"] for event in school.get("/api/paddock").json["events"]}
    # A second driver's debrief, so that there are two pages.
    first = runs(school, "Halvard")[0]
    done = school.post("/api/cues", json={"run": first, "kind": "cue", "passage": "P1", "figure": "passage_s"})
    school.post(f"/api/debriefs/{done.json['debrief']['id']}/give", json={"given": True})
    opening = events["Season's opening"]
    sheets = pages(sheets_of(school, opening))
    assert [text.split()[0] for text in sheets] == ["Halvard", "Okan"]
    assert "brake" in sheets[1]
    refused = school.post(f"/api/season/days/{events['Third day']}/sheets", json={})
    assert (refused.status_code, refused.json["code"]) == (409, "no-sheets")
    (plain,) = pages(school.get(f"/api/season/days/{events['Second day']}/summary"))
    assert "Okan" not in plain
    assert "Nobody is compared by name" in plain
    (named,) = pages(school.get(f"/api/season/days/{events['Second day']}/summary?names=true"))
    assert "Okan" in named
    assert "reached" in plain
    layout = school.get("/api/circuits").json["circuits"][0]["id"]
    (empty,) = pages(school.get(f"/api/layouts/{layout}/notes-sheet?units=imperial"))
    assert "T5" in empty
    assert "Apex, ft" in empty


def test_search_finds_what_a_team_has_and_nothing_else(school: Coach, stranger: Coach) -> None:
    lap = school.get(f"/api/desk?run={runs(school, 'Okan')[0]}").json["laps"][0]["key"]
    note = {"pin": "lap", "text": "Müde Reifen: the Kerb at T9 throws the car.", "lap": lap}
    assert school.post("/api/notes", json=note).status_code == 201

    def kinds(words: str) -> dict[str, list[str]]:
        answer = school.get("/api/find", query_string={"q": words})
        if answer.status_code == 422:  # nothing of it can be printed
            return {}
        assert answer.status_code == 200, answer.data
        found: dict[str, list[str]] = {}
        for hit in answer.json["hits"]:
            text = hit["title"] or "".join(part["text"] or "" for part in hit["says"])
            found.setdefault(hit["kind"], []).append(text)
        return found

    assert kinds("okan")["driver"] == ["Okan"]
    assert kinds("mude kerb")["note"] == [note["text"]]
    assert kinds("KERB okan") == {}  # a note's lap is his, but the note does not name him
    assert "Season's opening" in kinds("opening")["day"]
    assert kinds("2026-04")["day"] == ["Third day", "Second day"]
    assert kinds("coupe")["car"] == ["School coupé 2"]
    assert kinds("ellerholm")["circuit"] == ["Ellerholm Park"]
    assert any(text.startswith("T5") for text in kinds("okan brake")["cue"])
    # A word that only the way of keeping has is no word of a cue.
    for word in HOSTILE:
        assert "cue" not in kinds(word), word
        assert not stranger.get("/api/find", query_string={"q": word}).json.get("hits")
    assert school.get("/api/find?q=").status_code == 422
    assert school.get("/api/find", query_string={"q": "x" * 101}).status_code == 422
    for path in ("/api/season/school", "/api/season/calendar"):
        assert "Okan" not in stranger.get(path).text
    assert stranger.get(f"/api/season/drivers/{drivers(school)['Okan']}").status_code == 404


def test_a_driver_sees_their_own_progress(app: Any, school: Coach, database: Database) -> None:
    ids = drivers(school)
    email = f"okan-of-{school.team_id}@team.example"
    with database.begin() as session:
        team = session.get_one(Team, school.team_id)
        add_account(session, team, email=email, name="Okan", password="secret word", role="driver",
                    driver_id=ids["Okan"])  # fmt: skip
    okan = Coach(app.test_client(), school.team_id, email)
    okan.sign_in()
    found = okan.get(f"/api/season/drivers/{ids['Okan']}").json
    assert [one["name"] for one in found["drivers"]] == ["Okan"]
    assert cue_of(found)["stage"] == "came_back"
    # Nothing that was told apart by other drivers.
    assert (found["change"], found["anchored"]) == (None, [])
    assert "Halvard" not in okan.get(f"/api/season/drivers/{ids['Okan']}").text
    assert okan.get(f"/api/season/drivers/{ids['Halvard']}").status_code == 404
    hits = okan.get("/api/find?q=a").json["hits"]
    assert {hit["title"] for hit in hits if hit["kind"] == "driver"} <= {"Okan"}
    assert not any(hit["kind"] == "note" for hit in okan.get("/api/find?q=kerb").json["hits"])
    # What is found of a cue is what was given, whatever was written into it since.
    over = cue_of(found)
    school.patch(f"/api/cues/{over['cue']['id']}", json={"text": "Not said yet: the tall poplar."})
    assert okan.get("/api/find?q=poplar").json["hits"] == []
    (hit,) = okan.get("/api/find?q=t5+brake").json["hits"]
    assert (hit["kind"], hit["about"], hit["day"]) == ("cue", "Okan", "2026-03-28")
    assert [one["kind"] for one in school.get("/api/find?q=poplar").json["hits"]] == ["cue"]
    school.patch(f"/api/cues/{over['cue']['id']}", json={"text": ""})


def test_work_that_failed_is_not_tried_for_ever(school: Coach, database: Database) -> None:
    with database.begin() as session:
        job, hope = want_following(session, school.team_id, [1, 2], [3])
        assert hope == "coming"
        assert want_following(session, school.team_id, [1, 2], [3]) == (None, "coming")
        row = session.get_one(Job, job)
        assert row.kind == KIND
        for state, told in (("failed", "failed"), ("refused", "failed"), ("cancelled", "stopped")):
            row.state = state
            session.flush()
            # Also where some of it was done before it ended.
            assert want_following(session, school.team_id, [2], [3]) == (None, told)
        # Something else came: that is worth a try; so is being told to.
        other, hope = want_following(session, school.team_id, [1, 2, 9], [3])
        assert other is not None
        session.get_one(Job, other).state = "cancelled"
        session.flush()
        last, hope = want_following(session, school.team_id, [9], [], again=True)
        assert (last is not None, hope) == (True, "coming")
        session.get_one(Job, last).state = "done"
        assert want_following(session, school.team_id, [], []) == (None, "coming")
    assert of_okan(school)["follow"]["state"] == "ready"


def test_following_can_be_stopped_and_gone_on_with(
    school: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as patch:
        patch.setattr(queue.run_job, "delay", lambda job_id: None)  # no worker is there
        run = runs(school, "Okan")[1]
        done = school.patch(f"/api/runs/{run}", json={"conditions": "damp"}).json
        path = f"/api/season/drivers/{drivers(school)['Okan']}"
        told = school.get(path).json["follow"]
        assert (told["state"], told["left"] > 0) == ("coming", True)
        stopped = school.post(f"/api/jobs/{told['job']}/cancel")
        assert (stopped.status_code, stopped.json["kind"]) == (200, "follow")
        with database.begin() as session:
            assert session.get_one(Job, told["job"]).state == "cancelled"
        assert school.get(path).json["follow"] == {"state": "stopped", "left": told["left"], "job": None}
    going = school.post("/api/season/follow").json
    assert going["state"] == "coming"
    assert of_okan(school)["runs"][1]["differs"] == ["conditions"]
    school.post(f"/api/actions/{done['action']}/undo")
    assert cue_of(of_okan(school))["stage"] == "came_back"


def test_courses_follow_the_driver_that_a_run_turns_out_to_be_of(school: Coach, database: Database) -> None:
    second = runs(school, "Okan")[1]
    done = school.patch(f"/api/runs/{second}", json={"driver": "Somebody else"}).json
    found = of_okan(school)
    assert [look["run"] for look in cue_of(found)["looks"]] == runs(school, "Okan")[1:]
    school.post(f"/api/actions/{done['action']}/undo")
    assert cue_of(of_okan(school))["stage"] == "came_back"
    with database.begin() as session:
        kept = session.scalars(select(CueCourse).where(CueCourse.team_id == school.team_id)).all()
        assert {course.kind for course in kept} == {"cue", "keep"}
        assert session.scalar(select(Car.name).where(Car.team_id == school.team_id)) == "School coupé 2"
        assert session.scalar(select(Driver.id).where(Driver.team_id == school.team_id, Driver.name == "Okan"))
        assert session.scalar(select(Run.decided).where(Run.id == second)) > 0
        assert now() is not None


def test_one_run_that_cannot_be_followed_takes_nothing_from_others(school: Coach, database: Database) -> None:
    """The curves of one run are gone, as after a disk's fault: all others are followed, and it is said."""
    lost, other = runs(school, "Okan")[:2]
    with database.begin() as session:
        ids = {run: session.get_one(Run, run).analysis_id for run in (lost, other)}
        session.execute(delete(Curves).where(Curves.analysis_id == ids[lost], Curves.role == "speed"))
        for run in ids:
            session.get_one(Run, run).decided += 1
    path = f"/api/season/drivers/{drivers(school)['Okan']}"
    school.get(path)
    found = school.get(path).json
    assert found["follow"]["state"] == "failed"
    assert 0 < found["follow"]["left"] < 6
    medians = {run["run"]: run["median_s"] for run in found["runs"]}
    assert medians[lost] is None
    assert medians[other] is not None


def test_a_driver_without_any_run_has_an_empty_season(school: Coach, database: Database) -> None:
    """Found by asking every address whatever its description allows."""
    with database.begin() as session:
        nobody = Driver(team_id=school.team_id, name="Has not driven yet")
        session.add(nobody)
        session.flush()
        driver_id = nobody.id
    told = school.get(f"/api/season/drivers/{driver_id}")
    assert told.status_code == 200
    assert told.json["runs"] == []
    with database.begin() as session:
        session.delete(session.get_one(Driver, driver_id))
