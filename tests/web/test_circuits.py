"""Circuit: what a change would do is told as it comes out, keeping it is one step, and so is the way back."""

import io
import json
from typing import Any

import pytest

from lauftakt.formats.geojson import read_layout
from lauftakt.store.database import Database
from lauftakt.store.models import Analysis, LapWord, Run
from lauftakt.work import renewing
from tests.day import Day
from tests.web.coach import Coach, make_coach
from tests.web.drawing import drawing
from tests.web.schools import give


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def layout_of(school: Coach) -> int:
    return school.get("/api/circuits").json["circuits"][0]["id"]


def ground(school: Coach, layout: int | None = None) -> dict[str, Any]:
    answer = school.get(f"/api/layouts/{layout or layout_of(school)}")
    assert answer.status_code == 200, answer.json
    return answer.json


def preview(school: Coach, found: dict[str, Any], wanted: dict[str, Any]) -> dict[str, Any]:
    answer = school.post(f"/api/layouts/{found['layout']['id']}/preview", json={**wanted, "event": found["day"]})
    assert answer.status_code == 200, answer.json
    return answer.json


def laps(school: Coach) -> dict[str, list[dict[str, Any]]]:
    rows = school.get("/api/hand-ins?age=0").json["hand_ins"]
    return {row["run"]["run"]["driver"]["name"]: row["run"]["laps"] for row in rows if row["run"]}


def test_a_circuit_is_shown_with_what_can_be_changed(school: Coach) -> None:
    row = school.get("/api/circuits").json["circuits"][0]
    assert (row["name"], row["corners"], row["runs"], row["last_day"]) == ("Ellerholm Park", 13, 2, "2026-05-16")
    found = ground(school)
    assert found["version"]["number"] == 1
    assert len(found["curvature"]) == int(found["layout"]["length_m"]) + 2 - (found["layout"]["length_m"] % 1 == 0)
    # Braking zones lie before corners, and passages begin before them.
    assert len(found["zones"]) > 8
    first = next(zone for zone in found["zones"] if zone["from_m"] > found["layout"]["passages"][0]["from_m"])
    assert first["from_m"] <= first["usual_m"] <= first["to_m"]
    assert first["from_m"] < found["layout"]["corners"][0]["apex_m"]
    linked = [r for p, r in zip(found["layout"]["passages"], found["reasons"], strict=True) if len(p["corners"]) > 1]
    assert linked
    assert all("between them" in reason for reason in linked)


def test_nothing_changed_is_nothing_to_keep(school: Coach) -> None:
    found = ground(school)
    told = preview(school, found, drawing(found))
    assert told["summary"] == ""
    assert all(row["before"] == row["after"] for row in told["drivers"])
    answer = school.post(f"/api/layouts/{found['layout']['id']}/versions", json=drawing(found))
    assert (answer.status_code, answer.json["code"]) == (409, "unchanged")


def test_a_start_line_is_moved_seen_kept_and_taken_back(
    school: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    found = ground(school)
    before = laps(school)
    driver = next(iter(before))
    judged = before[driver][3]
    run = next(r["id"] for r in school.get("/api/paddock").json["runs"] if r["driver"]["name"] == driver)
    assert school.patch(f"/api/runs/{run}/laps/{judged['number']}", json={"counts": False}).status_code == 200
    board = {"name": "board", "side": "left", "at_m": 1000.0, "offset_m": 9.0}
    mark = school.post(f"/api/layouts/{found['layout']['id']}/marks", json=board).json
    address = school.get("/api/desk").json["laps"][0]["key"]

    wanted = drawing(found, start_m=40.0)
    told = preview(school, found, wanted)
    assert told["summary"] == "Start line moved on by 40.0 m."
    kept = school.post(f"/api/layouts/{found['layout']['id']}/versions", json=wanted)
    assert kept.status_code == 200, kept.json
    assert kept.json["version"] == 2
    assert kept.json["renewing"] == 2

    moved = ground(school)
    assert moved["version"]["number"] == 2
    assert moved["version"]["made_from"] == 1
    assert moved["version"]["who"] == "C"
    assert moved["layout"]["corners"][0]["apex_m"] == pytest.approx(
        found["layout"]["corners"][0]["apex_m"] - 40, abs=0.1
    )
    # What was told before is what came out.
    best = {row["driver"]["name"]: row for row in school.get("/api/paddock").json["runs"]}
    for row in told["drivers"]:
        own = best[row["driver"]["name"]]
        assert own["best_s"] == pytest.approx(row["after"]["best_s"], abs=0.004)
        assert own["theoretical_best_s"] == pytest.approx(row["after"]["theoretical_s"], abs=0.012)
        assert own["counting"] == row["after"]["counting"]
        assert own["best_s"] != pytest.approx(row["before"]["best_s"], abs=1e-9)
    # What was said of a lap, marks and sent addresses go along.
    assert laps(school)[driver][3]["set_aside"] is not None
    assert [m["at_m"] for m in moved["marks"]] == [pytest.approx(mark["at_m"] - 40.0, abs=0.2)]
    again = school.get(f"/api/desk?laps={address}&reference={address}")
    assert again.status_code == 200
    assert len(again.json["laps"]) == 1
    # Sectors lie where they lay.
    splits = [[item["m"] for item in own["sets"][0]["splits"]] for own in (found, moved)]
    assert splits[1] == pytest.approx([place - 40.0 for place in splits[0]], abs=0.1)

    # The numbers of before are shown again at once: nothing is computed for it.
    with monkeypatch.context() as patch:
        patch.setattr(renewing, "analyse_run", lambda *_, **__: pytest.fail("computed anew"))
        assert school.post(f"/api/actions/{kept.json['action']}/undo").status_code == 204
    assert ground(school)["version"]["number"] == 1
    after = laps(school)
    for name, rows in before.items():
        assert [lap["time_s"] for lap in after[name]] == [lap["time_s"] for lap in rows]
    with database.begin() as session:
        assert session.query(LapWord).filter(LapWord.run_id == run).count() == 1
    # And forward again: an older version, or a newer one, is made the present one.
    two = ground(school)["versions"][0]["id"]
    forward = school.post(f"/api/layouts/{found['layout']['id']}/versions/{two}/current")
    assert forward.status_code == 200, forward.json
    best = {row["driver"]["name"]: row for row in school.get("/api/paddock").json["runs"]}
    for row in told["drivers"]:
        assert best[row["driver"]["name"]]["best_s"] == pytest.approx(row["after"]["best_s"], abs=0.004)


def test_sectors_alone_are_cut_without_another_version(school: Coach) -> None:
    found = ground(school)
    cut = [found["zones"][k]["from_m"] for k in (1, 4, 7)]
    wanted = drawing(
        found, splits=[{"name": "bend", "m": cut[0]}, {"name": "", "m": cut[1]}, {"name": "", "m": cut[2]}]
    )
    told = preview(school, found, wanted)
    assert told["summary"] == "4 sectors instead of 3."
    assert all(len(row["after"]["sectors_s"]) == 4 for row in told["drivers"])
    kept = school.post(f"/api/layouts/{found['layout']['id']}/versions", json=wanted)
    assert kept.json["version"] == 1
    assert ground(school)["version"]["number"] == 1
    rows = laps(school)
    assert all(len(lap["sector_times_s"]) == 4 for own in rows.values() for lap in own if lap["time_s"])
    for row in told["drivers"]:
        own = [lap for lap in rows[row["driver"]["name"]] if lap["time_s"] and not lap["set_aside"]]
        best = [min(times) for times in zip(*(lap["sector_times_s"] for lap in own), strict=True)]
        assert best == pytest.approx(row["after"]["sectors_s"], abs=1e-6)
    assert school.post(f"/api/actions/{kept.json['action']}/undo").status_code == 204
    assert all(len(lap["sector_times_s"]) == 3 for own in laps(school).values() for lap in own if lap["time_s"])


def test_the_sector_at_the_line_is_named_like_any_other(school: Coach) -> None:
    found = ground(school)
    splits = found["sets"][0]["splits"]
    wanted = drawing(found, splits=splits, first_sector=" Harbour ")
    told = preview(school, found, wanted)
    assert told["summary"] == "Sectors named."
    kept = school.post(f"/api/layouts/{found['layout']['id']}/versions", json=wanted)
    assert kept.status_code == 200, kept.json

    def heads() -> list[str]:
        return [column["name"] for column in school.get("/api/laps").json["columns"]]

    assert heads() == ["Harbour", "Sector 2", "Sector 3"]
    twice = drawing(ground(school), splits=[{**splits[0], "name": "Harbour"}, splits[1]], first_sector="Harbour")
    refused = school.post(f"/api/layouts/{found['layout']['id']}/versions", json=twice)
    assert refused.status_code == 422
    assert "same name" in refused.json["message"]
    assert school.post(f"/api/actions/{kept.json['action']}/undo").status_code == 204
    assert heads()[0] == "Sector 1"


def test_sets_of_sectors_are_chosen_for_a_day(school: Coach) -> None:
    found = ground(school)
    layout = found["layout"]["id"]
    fine = school.post(f"/api/layouts/{layout}/sets", json={"name": "Fine", "copy_of": found["sector_set"]})
    assert fine.status_code == 200, fine.json
    assert school.post(f"/api/layouts/{layout}/sets", json={"name": "fine"}).status_code == 409
    chosen = school.post(f"/api/events/{found['day']}/sectors", json={"sector_set": fine.json["id"]})
    assert chosen.status_code == 200
    assert ground(school)["sector_set"] == fine.json["id"]
    assert school.delete(f"/api/layouts/{layout}/sets/{fine.json['id']}").status_code == 409
    assert school.post(f"/api/actions/{chosen.json['action']}/undo").status_code == 204
    assert ground(school)["sector_set"] == found["sector_set"]
    gone = school.delete(f"/api/layouts/{layout}/sets/{fine.json['id']}")
    assert gone.status_code == 200
    assert len(ground(school)["sets"]) == 1
    assert school.post(f"/api/actions/{gone.json['action']}/undo").status_code == 204
    assert len(ground(school)["sets"]) == 2


def test_the_second_of_two_coaches_sees_that_the_ground_moved(school: Coach) -> None:
    found = ground(school)
    layout = found["layout"]["id"]
    assert school.post(f"/api/layouts/{layout}/versions", json=drawing(found, start_m=25.0)).status_code == 200
    for path in ("preview", "versions"):
        body = drawing(found, start_m=12.0) | ({"event": found["day"]} if path == "preview" else {})
        answer = school.post(f"/api/layouts/{layout}/{path}", json=body)
        assert (answer.status_code, answer.json["code"]) == (409, "moved-on")


def test_nonsense_is_refused_in_words(school: Coach) -> None:
    found = ground(school)
    layout = found["layout"]["id"]
    wrong = drawing(found)
    wrong["corners"][0]["name"] = wrong["corners"][1]["name"]
    answer = school.post(f"/api/layouts/{layout}/versions", json=wrong)
    assert (answer.status_code, answer.json["code"]) == (422, "drawing")
    assert "T2" in answer.json["message"]
    assert ground(school)["version"]["number"] == 1
    hostile = {"name": "<img src=x onerror=alert(1)>", "side": "left", "at_m": 10.0}
    assert school.post(f"/api/layouts/{layout}/marks", json=hostile).json["name"] == hostile["name"]
    far = {"name": "x", "latitude": 10.0, "longitude": 10.0}
    assert school.post(f"/api/layouts/{layout}/marks", json=far).status_code == 422
    assert school.post(f"/api/layouts/{layout}/marks", json={"name": "x"}).status_code == 422


def test_marks_are_moved_removed_and_brought_back(school: Coach) -> None:
    layout = layout_of(school)
    made = school.post(f"/api/layouts/{layout}/marks", json={"name": "second seam", "at_m": 1500.0}).json
    path = f"/api/layouts/{layout}/marks/{made['id']}"
    moved = school.patch(path, json={"name": "second seam", "side": "right", "at_m": 1510.0, "offset_m": -7.0})
    assert moved.json["at_m"] == pytest.approx(1510.0, abs=0.1)
    assert moved.json["offset_m"] == pytest.approx(-7.0, abs=0.1)
    gone = school.delete(path)
    assert ground(school, layout)["marks"] == []
    assert school.post(f"/api/actions/{gone.json['action']}/undo").status_code == 204
    assert ground(school, layout)["marks"][0]["at_m"] == pytest.approx(1510.0, abs=0.1)


def test_map_and_name_change_without_computing(school: Coach) -> None:
    layout = layout_of(school)
    change = {"name": "Park, long way", "heading_deg": 35.0, "confirmed": True}
    noted = school.patch(f"/api/layouts/{layout}", json=change)
    found = ground(school, layout)
    assert (found["layout"]["name"], found["heading_deg"], found["confirmed"]) == ("Park, long way", 35.0, True)
    assert found["renewing"] == 0
    assert school.post(f"/api/actions/{noted.json['action']}/undo").status_code == 204
    found = ground(school, layout)
    assert (found["layout"]["name"], found["heading_deg"], found["confirmed"]) == ("Ellerholm Park", None, False)


def test_a_layout_leaves_as_geojson_and_comes_back_the_same(school: Coach, app: Any, database: Database) -> None:
    found = ground(school)
    layout = found["layout"]["id"]
    school.post(f"/api/layouts/{layout}/marks", json={"name": "tree", "side": "left", "at_m": 900.0, "offset_m": 20.0})
    wanted = drawing(found, splits=[{"name": "bend", "m": found["zones"][3]["from_m"]}])
    wanted["corners"][2]["name"] = "Seam"
    wanted["first_sector"] = "Harbour"
    assert school.post(f"/api/layouts/{layout}/versions", json=wanted).status_code == 200
    data = school.get(f"/api/layouts/{layout}/geojson").data
    sketch = read_layout(data, "?")
    assert [name for name, _ in sketch.corners][2] == "Seam"
    assert [name for name, _ in sketch.splits] == ["bend"]
    assert [name for name, _ in sketch.marks] == ["tree"]
    other = make_coach(app, database)
    other.sign_in()
    assert other.hand_in("there.geojson", data).status_code == 201
    with database.begin() as session:
        file_name = session.query(Run).filter(Run.team_id == school.team_id).first().file_name
        run = session.query(Run).filter(Run.team_id == school.team_id).first().id
    original = school.get(f"/api/runs/{run}/original").data
    assert other.hand_in(file_name, original).json["state"] == "taken"
    there, here = ground(other), ground(school)
    assert there["layout"]["length_m"] == pytest.approx(here["layout"]["length_m"], abs=0.1)
    named = {c["name"]: c["apex_m"] for c in there["layout"]["corners"]}
    for corner in here["layout"]["corners"]:
        assert named[corner["name"]] == pytest.approx(corner["apex_m"], abs=12.0)
    assert there["sets"][0]["splits"][0]["m"] == pytest.approx(here["sets"][0]["splits"][0]["m"], abs=0.1)
    assert there["sets"][0]["first_sector"] == here["sets"][0]["first_sector"] == "Harbour"
    assert there["marks"][0]["offset_m"] == pytest.approx(20.0, abs=0.2)
    assert json.load(io.BytesIO(data))["type"] == "FeatureCollection"


def test_findings_that_change_place_are_told(school: Coach) -> None:
    found = ground(school)
    wanted = drawing(found) | {"event": found["day"]}
    path = f"/api/layouts/{found['layout']['id']}/preview/findings"
    same = school.post(path, json=wanted).json
    assert same["against"]
    assert all(change["before_s"] == pytest.approx(change["after_s"], abs=1e-6) for change in same["changes"])
    # Without its border T5 belongs to the passage before: what is lost there is found there.
    other = school.post(path, json=wanted | {"borders": wanted["borders"][:3] + wanted["borders"][4:]}).json
    assert other["changes"]
    assert other["changes"] != same["changes"]


@pytest.mark.parametrize(("form", "begins"), [("pdf", b"%PDF-"), ("png", b"\x89PNG"), ("svg", b"<svg")])
def test_the_map_leaves_as_a_sheet(school: Coach, form: str, begins: bytes) -> None:
    layout = layout_of(school)
    hostile = {"name": '#panic("x") $ \\ <script>&"', "side": "left", "at_m": 500.0, "offset_m": 8.0}
    assert school.post(f"/api/layouts/{layout}/marks", json=hostile).status_code == 201
    lap = school.get("/api/desk").json["laps"][0]["key"]
    plain = school.get(f"/api/layouts/{layout}/sheet?format={form}")
    assert plain.status_code == 200, plain.json
    assert plain.data.startswith(begins)
    driven = school.get(f"/api/layouts/{layout}/sheet?format={form}&lap={lap}&units=imperial")
    assert driven.data.startswith(begins)
    assert driven.data != plain.data
    assert "attachment" in driven.headers["Content-Disposition"]


def test_a_sheet_of_a_lap_that_is_none_is_told(school: Coach) -> None:
    layout = layout_of(school)
    assert school.get(f"/api/layouts/{layout}/sheet?lap=999999-10").status_code == 404
    assert school.get(f"/api/layouts/{layout}/sheet?lap=none").status_code == 422
    assert school.get(f"/api/layouts/{layout}/sheet?format=exe").status_code == 422


def test_a_better_line_waits_until_it_is_chosen(school: Coach) -> None:
    found = ground(school)
    layout = found["layout"]["id"]
    job = school.post(f"/api/layouts/{layout}/line", json={"limits": True}).json
    told = school.get(f"/api/jobs/{job['id']}").json
    assert told["state"] == "done", told
    assert told["result"]["runs"] == 2
    assert 0 < told["result"]["moved_m"] < 1.0
    here = ground(school)
    assert here["version"]["number"] == 1
    assert here["left_limit"] is None
    waiting = here["versions"][0]
    assert "Made from 2 runs" in waiting["summary"]
    times = {row["driver"]["name"]: row["best_s"] for row in school.get("/api/paddock").json["runs"]}
    chosen = school.post(f"/api/layouts/{layout}/versions/{waiting['id']}/current")
    assert chosen.status_code == 200
    there = ground(school)
    assert there["version"]["number"] == 2
    assert [c["name"] for c in there["layout"]["corners"]] == [c["name"] for c in here["layout"]["corners"]]
    for name, best in times.items():
        now = next(r for r in school.get("/api/paddock").json["runs"] if r["driver"]["name"] == name)
        assert now["best_s"] == pytest.approx(best, abs=0.02)
    # As wide as a road is, and nobody's lap lies beyond it.
    wide = [a - b for a, b in zip(there["left_limit"], there["right_limit"], strict=True)]
    assert min(wide) > 1.8
    assert max(wide) < 16
    assert not any(lap["set_aside"] == "track_limits" for own in laps(school).values() for lap in own)


def test_a_better_line_is_offered_until_somebody_confirms(school: Coach, day: Day) -> None:
    assert ground(school)["better"] == 0
    assert school.hand_in(day.files[2].name, day.files[2].read_bytes()).json["state"] == "taken"
    assert ground(school)["better"] == 2
    school.patch(f"/api/layouts/{layout_of(school)}", json={"confirmed": True})
    assert ground(school)["better"] == 0


def test_a_day_of_which_only_a_part_was_computed_anew_is_shown(school: Coach, database: Database) -> None:
    found = ground(school)
    assert school.post(
        f"/api/layouts/{found['layout']['id']}/versions", json=drawing(found, start_m=30.0)
    ).status_code == 200  # fmt: skip
    with database.begin() as session:
        first, second = session.query(Run).filter(Run.team_id == school.team_id).order_by(Run.id)
        analyses = session.query(Analysis).filter(Analysis.team_id == school.team_id).order_by(Analysis.id).all()
        old = next(row for row in analyses if row.run_id == second.id)
        second.analysis_id = old.id
        session.flush()
        for row in analyses:
            # Nothing is left that both have.
            if (row.run_id == first.id and row.id != first.analysis_id) or (row.run_id == second.id and row is not old):
                session.delete(row)
    here = ground(school)
    assert here["version"]["number"] == 2
    assert here["zones"]
    told = preview(school, here, drawing(here))
    assert [row["driver"]["name"] for row in told["drivers"]] == ["Halvard"]
    sheet = school.get("/api/laps")
    assert sheet.status_code == 200
    assert {row["driver"]["name"] for row in sheet.json["drivers"]} == {"Halvard", "Ines"}
    assert any(lap["parts_s"][0] for lap in sheet.json["laps"])


def test_undo_leaves_what_was_changed_on_top(school: Coach) -> None:
    found = ground(school)
    layout = found["layout"]["id"]
    first = school.post(f"/api/layouts/{layout}/versions", json=drawing(found, start_m=30.0)).json
    second = school.post(f"/api/layouts/{layout}/versions", json=drawing(ground(school), start_m=5.0)).json
    assert school.post(f"/api/actions/{first['action']}/undo").status_code == 409
    assert ground(school)["version"]["number"] == 3
    assert school.post(f"/api/actions/{second['action']}/undo").status_code == 204
    assert school.post(f"/api/actions/{first['action']}/undo").status_code == 204
    assert ground(school)["version"]["number"] == 1
    # The same of sectors alone.
    here = ground(school)
    place = here["zones"][2]["from_m"]
    one = school.post(f"/api/layouts/{layout}/versions", json=drawing(here, splits=[{"m": place}])).json
    school.post(f"/api/layouts/{layout}/versions", json=drawing(ground(school), splits=[{"m": place + 50.0}]))
    assert school.post(f"/api/actions/{one['action']}/undo").status_code == 409


def test_edges_and_pit_lane_are_drawn_driven_read_and_taken_back(school: Coach) -> None:
    found = ground(school)
    layout = found["layout"]
    where = f"/api/layouts/{layout['id']}/edges"
    lap = school.get("/api/laps").json["laps"][2]["key"]
    x, y = layout["x"], layout["y"]
    lane = [(x[i] + 3.0, y[i] + 3.0) for i in range(20, 60, 5)]
    wanted = {"base": found["version"]["id"], "left": {"lap": lap}, "pit_lane": {"points": lane}}
    kept = school.post(where, json=wanted)
    assert kept.status_code == 200, kept.json
    assert kept.json["summary"] == "Left edge driven by a lap; pit lane drawn."
    changed = ground(school)
    assert changed["version"]["number"] == 2
    assert changed["right_limit"] is None
    assert len(changed["left_limit"]) == len(layout["s"])
    assert changed["pit_lane"] == [pytest.approx(point, abs=0.02) for point in lane]
    assert [c["apex_m"] for c in changed["layout"]["corners"]] == [c["apex_m"] for c in layout["corners"]]

    # Out into a file and in again, onto a layout that is in use.
    text = school.get(f"/api/layouts/{layout['id']}/geojson").get_data(as_text=True)
    assert [f["properties"]["role"] for f in json.loads(text)["features"]].count("pit lane") == 1
    gone = school.post(where, json={"base": changed["version"]["id"], "left": None, "pit_lane": None})
    assert gone.json["summary"] == "Left edge taken away; pit lane taken away."
    bare = ground(school)
    assert bare["left_limit"] is None
    assert bare["pit_lane"] == []
    again = school.post(where, json={"base": bare["version"]["id"], "file": text})
    assert again.json["summary"] == "Left edge from a file; pit lane from a file."
    read = ground(school)
    assert read["left_limit"] == pytest.approx(changed["left_limit"], abs=0.2)
    undone = school.post(f"/api/actions/{again.json['action']}/undo")
    assert undone.status_code in (200, 204), (undone.status_code, undone.json)
    assert ground(school)["left_limit"] is None


@pytest.mark.parametrize(
    ("wanted", "code"),
    [
        ({}, "nothing"),
        ({"left": {}}, "edge"),
        ({"left": {"points": [[90000.0, 0.0], [90000.0, 50.0]]}}, "edge"),
        ({"pit_lane": {"points": [[0.0, 0.0], [1.0, 1.0]]}}, "pit-lane"),
        ({"file": "{}"}, "layout-file"),
        ({"file": '{"features": [{"properties": {"role": "left limit"}}]}'}, "layout-file"),
        ({"left": {"lap": "999999-3"}}, None),
    ],
)
def test_edges_that_cannot_be_are_refused_in_words(school: Coach, wanted: dict[str, Any], code: str | None) -> None:
    found = ground(school)
    answer = school.post(f"/api/layouts/{found['layout']['id']}/edges", json={"base": found["version"]["id"], **wanted})
    assert answer.status_code == (422 if code else 404), answer.json
    assert code is None or answer.json["code"] == code
    assert ground(school)["version"]["number"] == 1
    moved = school.post(f"/api/layouts/{found['layout']['id']}/edges", json={"base": 1, "left": None})
    assert moved.json["code"] == "moved-on"


def test_an_address_that_was_sent_says_on_which_version_it_was_measured(school: Coach) -> None:
    found, before = ground(school), school.get("/api/desk").json
    assert (before["version"], before["present_version"]) == (1, 1)
    assert school.post(f"/api/layouts/{found['layout']['id']}/versions", json=drawing(found, start_m=40.0)).json
    sent = f"/api/desk?laps={','.join(lap['key'] for lap in before['laps'])}&reference={before['reference']}"
    old, new = school.get(f"{sent}&version=1").json, school.get(sent).json
    assert (old["version"], old["present_version"]) == (1, 2)
    assert [lap["curves"] for lap in old["laps"]] == [lap["curves"] for lap in before["laps"]]
    assert old["layout"]["corners"] == before["layout"]["corners"]
    assert (new["version"], new["present_version"]) == (2, 2)
    # One that never was, or whose numbers are gone, is shown as it is now.
    assert school.get(f"{sent}&version=77").json["version"] == 2
