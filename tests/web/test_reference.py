"""One reference of the day on every screen, like with like, and what a coach chooses instead."""

from typing import Any

import pytest

from lauftakt.store.database import Database
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def own(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    """A team of its own with the layout and three runs, Halvard's the quickest."""
    return give(coach, app, database, (day.layout_file, *day.files[:3]))


def paddock(coach: Coach) -> dict[str, Any]:
    found: dict[str, Any] = coach.get("/api/paddock").json
    return found


def runs_of(coach: Coach) -> dict[str, dict[str, Any]]:
    return {run["driver"]["name"]: run for run in paddock(coach)["runs"]}


def make_instructor(coach: Coach, name: str) -> None:
    driver = runs_of(coach)[name]["driver"]["id"]
    assert coach.patch(f"/api/drivers/{driver}", json={"reference_only": True}).status_code == 200


def reading(coach: Coach) -> dict[int, dict[str, Any]]:
    event = paddock(coach)["event"]["id"]
    coach.get(f"/api/events/{event}/reading")
    found = coach.get(f"/api/events/{event}/reading").json
    assert found["state"] == "ready"
    return {run["run"]: run for run in found["runs"]}


def prepared(coach: Coach, run: int) -> dict[str, Any]:
    coach.get(f"/api/debriefs/runs/{run}")
    found: dict[str, Any] = coach.get(f"/api/debriefs/runs/{run}").json
    assert found["state"] == "ready"
    return found


def says(parts: list[dict[str, Any]]) -> str:
    return "".join(part["text"] or "" for part in parts)


def references(coach: Coach, run: int) -> set[str]:
    """The lap that a run is measured against, as every screen has it."""
    event = paddock(coach)["event"]["id"]
    measured = next(one for one in paddock(coach)["measured"] if run in one["runs"])
    found = {
        measured["lap"],
        coach.get(f"/api/desk?run={run}").json["reference"],
        reading(coach)[run]["reference"],
        prepared(coach, run)["reference"],
    }
    if len(paddock(coach)["measured"]) == 1:
        found |= {
            coach.get(f"/api/desk?event={event}").json["reference"],
            coach.get(f"/api/fillings?event={event}&kind=bests").json["reference"],
        }
    return found


def test_an_instructor_is_the_reference_on_every_screen_although_a_student_was_quicker(own: Coach) -> None:
    make_instructor(own, "Ines")
    runs = runs_of(own)
    assert runs["Halvard"]["best_s"] < runs["Ines"]["best_s"]
    assert runs["Ines"]["reference"]
    assert runs["Halvard"]["gap_s"] == pytest.approx(runs["Halvard"]["best_s"] - runs["Ines"]["best_s"])
    found = references(own, runs["Okan"]["id"])
    assert len(found) == 1
    assert found.pop().startswith(f"{runs['Ines']['id']}-")
    told = prepared(own, runs["Okan"]["id"])
    assert told["reference_driver"] == "Ines"
    assert own.get(f"/api/debriefs?event={paddock(own)['event']['id']}").json["reference"] == "Ines"


def test_a_coach_measures_the_day_against_another_lap_and_takes_it_back(own: Coach) -> None:
    runs = runs_of(own)
    event = paddock(own)["event"]["id"]
    choices = own.get(f"/api/choices?event={event}").json["runs"]
    okan = next(run for run in choices if run["driver"]["name"] == "Okan")
    lap = okan["laps"][1]["key"]
    done = own.put(f"/api/events/{event}/reference", json={"lap": lap}).json
    assert [(one["lap"], one["chosen"]) for one in done["measured"]] == [(lap, True)]
    assert references(own, runs["Ines"]["id"]) == {lap}
    assert not runs_of(own)["Halvard"]["reference"]
    assert own.put(f"/api/events/{event}/reference", json={"lap": lap}).json["action"] is None
    assert own.post(f"/api/actions/{done['action']}/undo").status_code == 204
    assert [one["chosen"] for one in paddock(own)["measured"]] == [False]
    assert runs_of(own)["Halvard"]["reference"]


def test_everybody_against_the_own_best(own: Coach) -> None:
    event = paddock(own)["event"]["id"]
    assert own.put(f"/api/events/{event}/reference", json={"lap": "own-bests"}).status_code == 200
    shown = paddock(own)
    assert shown["own_bests"]
    assert all(run["reference"] and run["gap_s"] == 0 for run in shown["runs"])
    assert {one["against"] for one in reading(own).values()} <= {None, "own best"}
    told = prepared(own, shown["runs"][2]["id"])
    assert told["reference"] is None
    assert {finding["against"] for finding in told["findings"]} <= {"own best"}


def test_a_lap_that_goes_leaves_what_follows_from_the_runs(own: Coach) -> None:
    event = paddock(own)["event"]["id"]
    okan = runs_of(own)["Okan"]
    lap = own.get(f"/api/desk?run={okan['id']}").json["laps"][1]["key"]
    assert lap.startswith(f"{okan['id']}-")
    own.put(f"/api/events/{event}/reference", json={"lap": lap})
    own.delete(f"/api/removals/run/{okan['id']}")
    assert [(one["driver"]["name"], one["chosen"]) for one in paddock(own)["measured"]] == [("Halvard", False)]


def test_what_cannot_be_a_reference_is_refused_in_words(own: Coach, stranger: Coach) -> None:
    event = paddock(own)["event"]["id"]
    address = f"/api/events/{event}/reference"
    assert own.put(address, json={"lap": "999999-12"}).status_code == 404
    assert own.put(address, json={"lap": "median-desk"}).status_code == 422
    assert own.put(address, json={"lap": "x' or 1=1"}).status_code == 422
    assert stranger.get(address).status_code == 404
    assert stranger.put(address, json={"lap": None}).status_code == 404


def test_a_wet_run_counts_and_is_compared_with_its_like(own: Coach) -> None:
    runs = runs_of(own)
    ines, okan = runs["Ines"]["id"], runs["Okan"]["id"]
    for run in (ines, okan):
        own.patch(f"/api/runs/{run}", json={"conditions": "wet"})
    found = runs_of(own)
    assert found["Ines"]["counting"] == runs["Ines"]["counting"] > 0
    assert [one["conditions"] for one in paddock(own)["measured"]] == ["dry", "wet"]
    quicker = min((found["Ines"], found["Okan"]), key=lambda run: run["best_s"])
    slower = next(run for run in (found["Ines"], found["Okan"]) if run is not quicker)
    assert quicker["reference"]
    assert slower["gap_s"] == pytest.approx(slower["best_s"] - quicker["best_s"])
    told = references(own, slower["id"])
    assert len(told) == 1
    assert told.pop().startswith(f"{quicker['id']}-")
    # The desk of the day holds no wet lap beside the dry ones, and the other way round.
    assert {lap["run"] for lap in own.get(f"/api/desk?run={ines}").json["laps"]} == {ines, okan}
    page = prepared(own, slower["id"])
    assert page["reference_driver"] == quicker["driver"]["name"]
    assert all("Halvard" not in says(finding["says"]) for finding in page["findings"])


def test_a_lone_run_in_the_wet_is_measured_against_its_own_best(own: Coach) -> None:
    okan = runs_of(own)["Okan"]["id"]
    own.patch(f"/api/runs/{okan}", json={"conditions": "wet"})
    page = prepared(own, okan)
    assert page["reference"] is None
    assert {finding["against"] for finding in page["findings"]} <= {"own best"}
    event = paddock(own)["event"]["id"]
    assert okan not in {lap["run"] for lap in own.get(f"/api/desk?event={event}").json["laps"]}


def test_a_dry_lap_that_was_chosen_is_no_measure_for_the_wet(own: Coach) -> None:
    okan = runs_of(own)["Okan"]["id"]
    own.patch(f"/api/runs/{okan}", json={"conditions": "wet"})
    event = paddock(own)["event"]["id"]
    lap = paddock(own)["measured"][0]["lap"]
    own.put(f"/api/events/{event}/reference", json={"lap": lap})
    assert [(one["conditions"], one["chosen"]) for one in paddock(own)["measured"]] == [("dry", True), ("wet", False)]
    assert prepared(own, okan)["reference"] is None


def test_what_is_compared_across_conditions_says_so_first(own: Coach) -> None:
    runs = runs_of(own)
    own.patch(f"/api/runs/{runs['Okan']['id']}", json={"conditions": "wet"})
    dry = own.get(f"/api/desk?run={runs['Halvard']['id']}").json["reference"]
    wet = own.get(f"/api/desk?run={runs['Okan']['id']}").json["reference"]
    desk = own.get(f"/api/desk?laps={dry},{wet}&reference={dry}").json
    curves = {lap["key"]: lap["curves"] for lap in desk["laps"]}
    passage = desk["layout"]["passages"][0]["name"]
    card = own.get(f"/api/card?laps={curves[wet]}&reference={curves[dry]}&passage={passage}").json
    assert says(card["figures"][0]["says"]).startswith("In the wet, against a lap in the dry: ")
    # What is usual is that of the dry laps, and says so.
    dry_laps = sum(habit["of"] for habit in card["habits"] if habit["run"] == runs["Halvard"]["id"])
    assert (card["of"], card["of_conditions"]) == (dry_laps, "dry")


def test_nothing_is_asked_by_a_chosen_lap_of_another_car(own: Coach) -> None:
    runs = runs_of(own)
    own.patch(f"/api/runs/{runs['Okan']['id']}", json={"car": "Hatch 1"})
    own.patch(f"/api/runs/{runs['Halvard']['id']}", json={"car": "Hatch 2"})
    event = paddock(own)["event"]["id"]
    before = prepared(own, runs["Okan"]["id"])
    assert any(finding["proposals"] for finding in before["findings"])
    own.put(f"/api/events/{event}/reference", json={"lap": paddock(own)["measured"][0]["lap"]})
    page = prepared(own, runs["Okan"]["id"])
    assert page["findings"]
    for finding in page["findings"]:
        assert finding["proposals"] == []
        assert says(finding["says"]).startswith("In another car (Hatch 1 against Hatch 2): ")
    drivers = own.get(f"/api/debriefs?event={event}").json["drivers"]
    assert next(one for one in drivers if one["driver"]["name"] == "Okan")["to_win_s"] is None


def test_a_stray_run_without_a_timed_lap_is_not_the_latest_day(own: Coach) -> None:
    runs = runs_of(own)
    stray = runs["Okan"]["id"]
    own.patch(f"/api/runs/{stray}", json={"event": "Shakedown", "started_at": "2026-09-01T09:00"})
    day = paddock(own)["event"]
    assert day["name"] == "Shakedown"
    for lap in own.get(f"/api/runs/{stray}").json["laps"]:
        if lap["time_s"] is not None:
            own.patch(f"/api/runs/{stray}/laps/{lap['number']}", json={"counts": False})
    shown = paddock(own)
    assert shown["event"]["name"] == "Spring school"
    assert "Shakedown" in [one["name"] for one in shown["events"]]
    assert own.get("/api/desk").json["event"]["id"] == shown["event"]["id"]
    assert own.get("/api/laps").json["event"]["id"] == shown["event"]["id"]
    assert own.get("/api/debriefs").json["event"]["id"] == shown["event"]["id"]


# ---- colours ---------------------------------------------------------------------------------------------------------


def colours(coach: Coach) -> dict[str, int]:
    return {name: run["driver"]["colour"] for name, run in runs_of(coach).items()}


def test_a_corrected_name_keeps_its_colour_and_nobody_shares_one(own: Coach) -> None:
    before = colours(own)
    runs = runs_of(own)
    own.patch(f"/api/runs/{runs['Okan']['id']}", json={"driver": "Okan B."})
    own.patch(f"/api/runs/{runs['Ines']['id']}", json={"driver": "Ines M."})
    own.post("/api/links", json={"driver": "Somebody new"})
    after = colours(own)
    assert after["Okan B."] == before["Okan"]
    assert after["Ines M."] == before["Ines"]
    everybody = own.get("/api/links").json["links"][0]["driver"]["colour"]
    assert len({*after.values(), everybody}) == 4


def test_a_colour_that_somebody_has_is_swapped_and_swapped_back(own: Coach) -> None:
    before, runs = colours(own), runs_of(own)
    done = own.patch(f"/api/drivers/{runs['Okan']['driver']['id']}", json={"colour": before["Ines"]}).json
    assert colours(own) == before | {"Okan": before["Ines"], "Ines": before["Okan"]}
    own.post(f"/api/actions/{done['action']}/undo")
    assert colours(own) == before


# ---- the sector sheet and made laps ----------------------------------------------------------------------------------


def test_the_sector_sheet_ranks_only_who_drove_in_the_same(own: Coach) -> None:
    runs = runs_of(own)
    own.patch(f"/api/runs/{runs['Halvard']['id']}", json={"conditions": "wet"})
    shown = own.get("/api/laps").json
    rows = {row["driver"]["name"]: row for row in shown["drivers"]}
    assert {name: row["conditions"] for name, row in rows.items()} == {"Halvard": "wet", "Ines": "dry", "Okan": "dry"}
    assert {part["rank"] for part in rows["Halvard"]["parts"]} == {None}
    assert not rows["Halvard"]["level"]
    assert rows["Halvard"]["counting"] > 0
    assert runs["Halvard"]["driver"]["id"] not in shown["composite"]["drivers"]


def test_what_is_usual_of_a_day_is_not_half_wet_and_half_dry(own: Coach) -> None:
    runs = runs_of(own)
    event = paddock(own)["event"]["id"]
    own.patch(f"/api/runs/{runs['Okan']['id']}", json={"conditions": "wet"})
    dry = own.get(f"/api/desk?run={runs['Halvard']['id']}").json["reference"]
    shown = own.get(f"/api/desk?laps={dry},median-e{event}&reference={dry}").json
    median = next(lap for lap in shown["laps"] if lap["made"])
    assert median["made"]["laps"] == runs["Halvard"]["counting"] + runs["Ines"]["counting"]
