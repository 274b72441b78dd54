"""Line-ups kept by name, drivers who are only a reference, colours, staves, held-up parts."""

import pytest

from lauftakt.store.database import Database
from tests.day import Day
from tests.web.coach import Coach


@pytest.fixture
def day_of(coach: Coach, day: Day) -> dict:
    for path in (day.layout_file, day.files[0], day.files[1]):
        assert coach.hand_in(path.name, path.read_bytes()).status_code == 201
    return coach.get("/api/desk").json


def address(desk: dict) -> str:
    laps = ",".join(lap["key"] for lap in desk["laps"])
    return f"laps={laps}&ref={desk['reference']}&passage=P2&staves=speed*gear,~Aux%2520%252A1"


def test_a_line_up_is_kept_named_anew_replaced_and_forgotten(coach: Coach, day_of: dict) -> None:
    event = day_of["event"]["id"]
    assert coach.get(f"/api/line-ups?event={event}").json == {"line_ups": []}
    kept = coach.post("/api/line-ups", json={"event": event, "name": " Ines’ ﬁrst ", "address": address(day_of)})
    assert kept.status_code == 201
    row = kept.json
    assert row["name"] == "Ines’ ﬁrst"
    assert coach.get(f"/api/line-ups?event={event}").json["line_ups"] == [row]
    again = coach.post("/api/line-ups", json={"event": event, "name": "INES’ ﬁRST", "address": "laps=1-2"})
    assert (again.status_code, again.json["code"]) == (409, "name-taken")
    assert "another name" in again.json["message"]
    other = coach.post("/api/line-ups", json={"event": event, "name": "B", "address": "laps=1-2"}).json
    assert coach.patch(f"/api/line-ups/{other['id']}", json={"name": "ines’ ﬁrst"}).status_code == 409
    changed = coach.patch(f"/api/line-ups/{other['id']}", json={"name": "A", "address": "laps=1-2,3-4"}).json
    assert (changed["name"], changed["address"]) == ("A", "laps=1-2,3-4")
    assert [item["name"] for item in coach.get(f"/api/line-ups?event={event}").json["line_ups"]] == ["A", row["name"]]
    assert coach.delete(f"/api/line-ups/{row['id']}").status_code == 204
    assert coach.delete(f"/api/line-ups/{row['id']}").status_code == 404
    for bad in ("", "https://elsewhere.example", "laps=1-2&x=<b>", "laps=1-2\n", "laps=" + "1-2," * 2000):
        answer = coach.post("/api/line-ups", json={"event": event, "name": "C", "address": bad})
        assert answer.status_code == 422, bad


def test_whoever_is_only_a_reference_is_nobodys_student(coach: Coach, day_of: dict) -> None:
    event = day_of["event"]["id"]
    halvard, ines = (lap["driver"] for lap in day_of["laps"])
    asked = {"reference_only": True}
    changed = coach.patch(f"/api/drivers/{halvard['id']}", json=asked).json
    assert changed["driver"]["reference_only"]
    assert coach.patch(f"/api/drivers/{halvard['id']}", json=asked).json["action"] is None
    # In the line-up that is proposed and among each student's best they are what the others are measured against.
    shown = coach.get("/api/desk").json
    assert [lap["driver"]["name"] for lap in shown["laps"]] == ["Halvard", "Ines"]
    assert shown["reference"] == shown["laps"][0]["key"]
    filled = coach.get(f"/api/fillings?event={event}&kind=bests").json
    assert filled["laps"] == [lap["key"] for lap in shown["laps"]]
    assert filled["reference"] == shown["reference"]
    # With the file of the day there they have handed in; without one nobody waits for them.
    names = {row["driver"]["name"] for row in coach.get("/api/paddock").json["deliveries"]}
    assert names == {"Halvard", "Ines"}
    run = next(lap["run"] for lap in day_of["laps"] if lap["driver"]["id"] == halvard["id"])
    assert coach.delete(f"/api/removals/run/{run}").status_code in (200, 204)
    coach.post("/api/links", json={"driver": "Halvard"})
    assert {row["driver"]["name"] for row in coach.get("/api/paddock").json["deliveries"]} == {"Ines"}
    assert coach.patch(f"/api/drivers/{ines['id']}", json=asked).status_code == 200
    # Where nobody is a student, everybody is shown.
    assert [lap["driver"]["name"] for lap in coach.get("/api/desk").json["laps"]] == ["Ines"]
    assert coach.post(f"/api/actions/{changed['action']}/undo").status_code == 204
    assert {row["driver"]["name"] for row in coach.get("/api/paddock").json["deliveries"]} == {"Halvard", "Ines"}


def test_a_colour_is_chosen_and_taken_back(coach: Coach, day_of: dict) -> None:
    ines = day_of["laps"][1]["driver"]
    changed = coach.patch(f"/api/drivers/{ines['id']}", json={"colour": 7}).json
    assert coach.get("/api/desk").json["laps"][1]["driver"]["colour"] == 7
    coach.post(f"/api/actions/{changed['action']}/undo")
    assert coach.get("/api/desk").json["laps"][1]["driver"]["colour"] == ines["colour"]
    assert coach.patch(f"/api/drivers/{ines['id']}", json={"colour": 12}).status_code == 422
    assert coach.patch("/api/drivers/99999", json={"colour": 1}).status_code == 404


def test_staves_are_remembered_for_each_coach(coach: Coach, stranger: Coach) -> None:
    assert coach.get("/api/staves").json == {"staves": None, "folded": [], "heights": {}, "sets": []}
    wanted = {
        "staves": ["delta", "speed\ngear", "~Aux <1>"],
        "folded": ["speed\ngear"],
        "heights": {"speed\ngear": 200},
        "sets": [{"name": "Brakes", "staves": ["delta", "brake_pressure"]}],
    }
    assert coach.put("/api/staves", json=wanted).status_code == 200
    assert coach.get("/api/staves").json == wanted
    assert stranger.get("/api/staves").json["staves"] is None
    for bad in ({"staves": ["nonsense"]}, {"staves": ["speed"] * 30}, {"heights": {"speed": 5000}}):
        assert coach.put("/api/staves", json=bad).status_code == 422
    assert coach.get("/api/staves").json == wanted


def test_held_up_parts_are_those_of_the_laps_sheet(coach: Coach, day_of: dict, database: Database) -> None:
    lap = day_of["laps"][1]
    said = {"lap": lap["key"], "from_m": 800.0, "to_m": 1100.0, "held": True}
    assert coach.post("/api/laps/traffic", json=said).status_code in (200, 204)
    names = ",".join(row["curves"] for row in day_of["laps"])
    found = {row["lap"]: row["parts"] for row in coach.get(f"/api/held-up?laps={names}").json["laps"]}
    assert any(low <= 810 and high >= 1090 for low, high in found[lap["curves"]])
    made = coach.get(f"/api/desk?laps=median-e{day_of['event']['id']}").json["laps"][0]["curves"]
    assert coach.get(f"/api/held-up?laps={made}").json["laps"] == [{"lap": made, "parts": []}]
