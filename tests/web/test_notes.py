"""Notes: pinned, found again, shared, removed and brought back; places stay where they are on the ground."""

from datetime import timedelta
from typing import Any

import pytest

from lauftakt.store.accounts import add_account
from lauftakt.store.database import Database, now
from lauftakt.store.models import Driver, Team
from lauftakt.store.removing import purge
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give

HOSTILE = "<script>alert(1)</script> \u202e %s {{7*7}} 'OR 1=1-- \n second line"


@pytest.fixture
def own(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def lap_of(coach: Coach) -> dict[str, Any]:
    return coach.get("/api/desk").json["laps"][0]


def layout_of(coach: Coach) -> int:
    return coach.get("/api/desk").json["layout"]["id"]


def write(coach: Coach, pin: str, text: str, **more: Any) -> Any:
    return coach.post("/api/notes", json={"pin": pin, "text": text, **more})


def test_a_note_on_a_place_is_found_there_again(own: Coach) -> None:
    layout = layout_of(own)
    answer = write(own, "place", "Bump at the seam", layout=layout, at_m=1480.5)
    assert answer.status_code == 201
    assert answer.json["at_m"] == pytest.approx(1480.5, abs=0.05)
    found = own.get(f"/api/notes?layout={layout}&find=seam bump").json["notes"]
    assert [note["id"] for note in found] == [answer.json["id"]]
    assert own.get(f"/api/notes?layout={layout}&find=seam kerb").json["notes"] == []
    # A sign that means something to a database means itself.
    assert own.get(f"/api/notes?layout={layout}&find=%25").json["notes"] == []


def test_a_place_stays_on_the_ground_when_the_start_line_moves(own: Coach) -> None:
    layout = layout_of(own)
    note = write(own, "place", "Here", layout=layout, at_m=1480.0).json["id"]
    base = own.get(f"/api/layouts/{layout}").json["version"]["id"]
    length = own.get("/api/desk").json["layout"]["length_m"]
    drawn = {"base": base, "corners": [], "borders": [], "splits": [], "start_m": 200.0}
    changed = own.post(f"/api/layouts/{layout}/versions", json=drawn)
    assert changed.status_code in (200, 201, 202), changed.text
    found = next(one for one in own.get(f"/api/notes?layout={layout}").json["notes"] if one["id"] == note)
    assert found["at_m"] == pytest.approx((1480.0 - 200.0) % length, abs=1.0)
    # On the version before it lies where it lay.
    before = next(one for one in own.get(f"/api/notes?layout={layout}&version=1").json["notes"] if one["id"] == note)
    assert before["at_m"] == pytest.approx(1480.0, abs=0.05)


def test_everything_that_a_note_can_be_pinned_to(own: Coach) -> None:
    layout, lap = layout_of(own), lap_of(own)
    run = lap["run"]
    own.patch(f"/api/runs/{run}", json={"tyres": "Set 3", "car": "Kestrel 4"})
    named = {"place": "", "lap": "Halvard, lap", "run": "Halvard", "car": "Kestrel 4", "driver": "Halvard",
             "tyres": "Set 3", "circuit": "Ellerholm Park"}  # fmt: skip
    for pin, about in named.items():
        key = None if pin in ("place", "circuit") else lap["key"]
        answer = write(own, pin, f"about the {pin}", layout=layout, at_m=20.0, lap=key)
        assert answer.status_code == 201, (pin, answer.text)
        assert answer.json["pin"] == pin
        assert answer.json["about"].startswith(about), (pin, answer.json["about"])
    found = own.get(f"/api/notes?layout={layout}&runs={run}").json
    assert sorted(note["pin"] for note in found["notes"]) == sorted(named)
    other = next(one["run"] for one in own.get("/api/desk").json["laps"] if one["run"] != run)
    beside = own.get(f"/api/notes?runs={other}").json["notes"]
    assert {note["pin"] for note in beside} <= {"car", "tyres"}
    # Found by what it is about, not only by its own words.
    assert {note["pin"] for note in own.get("/api/notes?find=kestrel").json["notes"]} == {"car"}
    one = next(note for note in found["notes"] if note["pin"] == "lap")
    assert one["lap"] == lap["key"]


def test_a_place_in_one_lap_belongs_to_that_lap(own: Coach) -> None:
    layout, lap = layout_of(own), lap_of(own)
    made = write(own, "place", "Missed the shift", layout=layout, at_m=700.0, lap=lap["key"]).json
    assert (made["lap"], made["at_m"]) == (lap["key"], pytest.approx(700.0, abs=0.05))
    assert own.get(f"/api/notes?layout={layout}").json["notes"] == []
    assert len(own.get(f"/api/notes?layout={layout}&runs={lap['run']}").json["notes"]) == 1


def test_what_cannot_be_pinned_is_told(own: Coach) -> None:
    layout = layout_of(own)
    assert write(own, "lap", "x").status_code == 422
    assert write(own, "place", "x", at_m=5.0).status_code == 422
    assert write(own, "place", "x", layout=layout, at_m=90_000.0).status_code == 422
    assert write(own, "lap", "x", lap="999999-1").status_code == 404
    assert write(own, "place", "   ", layout=layout, at_m=5.0).status_code == 422
    for runs in ("²", "1,x", "9" * 40, "-1"):
        assert own.get(f"/api/notes?runs={runs}").status_code == 422, runs
    assert own.get("/api/notes?layout=99999999999").status_code == 422
    assert write(own, "place", "y" * 2001, layout=layout, at_m=5.0).status_code == 422


def test_text_is_text(own: Coach) -> None:
    layout = layout_of(own)
    made = write(own, "circuit", HOSTILE + "\x00\ud800", layout=layout)
    assert made.status_code == 201
    told = own.get(f"/api/notes?layout={layout}").json["notes"][0]["text"]
    assert "<script>" in told
    assert "\n" in told
    assert "\x00" not in told


def test_a_removed_note_comes_back(own: Coach) -> None:
    layout = layout_of(own)
    note = write(own, "place", "Once", layout=layout, at_m=5.0).json["id"]
    assert own.patch(f"/api/notes/{note}", json={"removed": True}).status_code == 200
    assert own.get(f"/api/notes?layout={layout}").json["notes"] == []
    assert own.patch(f"/api/notes/{note}", json={"removed": False}).status_code == 200
    own.patch(f"/api/notes/{note}", json={"text": "Twice"})
    found = own.get(f"/api/notes?layout={layout}").json["notes"]
    assert found[0]["text"] == "Twice"
    assert found[0]["changed_at"] is not None
    # And by the log of what was done.
    action = own.get("/api/actions").json["actions"][0]
    assert own.post(f"/api/actions/{action['id']}/undo").status_code == 204
    assert own.get(f"/api/notes?layout={layout}").json["notes"][0]["text"] == "Once"


def test_a_removed_note_goes_for_good_after_its_time_and_no_other_does(own: Coach, database: Database) -> None:
    layout = layout_of(own)
    gone = write(own, "place", "Away", layout=layout, at_m=5.0).json["id"]
    write(own, "place", "Here", layout=layout, at_m=6.0)
    own.patch(f"/api/notes/{gone}", json={"removed": True})
    with database.begin() as session:
        purge(session)
    assert own.patch(f"/api/notes/{gone}", json={"removed": False}).status_code == 200
    own.patch(f"/api/notes/{gone}", json={"removed": True})
    with database.begin() as session:
        assert purge(session, before=now() + timedelta(seconds=5)) >= 1
    assert own.patch(f"/api/notes/{gone}", json={"removed": False}).status_code == 404
    assert [note["text"] for note in own.get("/api/notes").json["notes"]] == ["Here"]


def member(app: Any, database: Database, own: Coach, role: str, driver: str | None = None) -> Coach:
    email = f"{role}-of-notes-{own.team_id}@team.example"
    with database.begin() as session:
        team = session.get_one(Team, own.team_id)
        row = None
        if driver is not None:
            row = session.query(Driver).filter_by(team_id=team.id, name=driver).one().id
        add_account(session, team, email=email, name=role, password="secret word", role=role, driver_id=row)
    found = Coach(app.test_client(), own.team_id, email)
    assert found.sign_in().status_code == 200
    return found


def test_an_assistant_writes_and_changes_only_own_notes(own: Coach, app: Any, database: Database) -> None:
    layout = layout_of(own)
    theirs = write(own, "circuit", "The coach's", layout=layout).json["id"]
    assistant = member(app, database, own, "assistant")
    made = write(assistant, "circuit", "The assistant's", layout=layout)
    assert made.status_code == 201
    assert made.json["author"] == "assistant"
    told = {note["text"]: note["yours"] for note in assistant.get("/api/notes").json["notes"]}
    assert told == {"The coach's": False, "The assistant's": True}
    assert assistant.patch(f"/api/notes/{theirs}", json={"text": "Mine"}).status_code == 403
    assert own.patch(f"/api/notes/{made.json['id']}", json={"shared": True}).status_code == 200


def test_a_driver_sees_what_was_shared_of_their_own(own: Coach, app: Any, database: Database) -> None:
    layout = layout_of(own)
    laps = own.get("/api/desk").json["laps"]
    mine = next(lap for lap in laps if lap["driver"]["name"] == "Ines")
    other = next(lap for lap in laps if lap["driver"]["name"] != "Ines")
    for lap, shared, text in ((mine, True, "seen"), (mine, False, "kept back"), (other, True, "another's")):
        write(own, "lap", text, lap=lap["key"], shared=shared)
    write(own, "place", "the bump", layout=layout, at_m=50.0, shared=True)
    write(own, "driver", "about somebody else", lap=other["key"], shared=True)
    driver = member(app, database, own, "driver", "Ines")
    told = driver.get("/api/notes").json["notes"]
    assert sorted(note["text"] for note in told) == ["seen", "the bump"]
    assert not any(note["yours"] for note in told)
    assert write(driver, "circuit", "x", layout=layout).status_code == 403


def test_notes_go_along_when_two_drivers_are_one(own: Coach) -> None:
    laps = own.get("/api/desk").json["laps"]
    first, second = laps[0], laps[1]
    write(own, "driver", "brakes left-footed", lap=second["key"])
    into = {"into": first["driver"]["id"]}
    joined = own.post(f"/api/drivers/{second['driver']['id']}/join", json=into)
    assert joined.status_code == 200
    told = own.get(f"/api/notes?runs={first['run']}").json["notes"]
    assert [note["about"] for note in told] == [first["driver"]["name"]]
    assert own.post(f"/api/actions/{joined.json['action']}/undo").status_code == 204
    assert own.get("/api/notes").json["notes"][0]["about"] == second["driver"]["name"]
