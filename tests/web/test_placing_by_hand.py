"""What a file does not say is asked once, where it is met: the circuit of a log, the name of a circuit, who drove."""

from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lauftakt import settings
from lauftakt.core.circuit.sketching import sketch_from
from lauftakt.core.log.model import Channel, Log
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.geojson import write_sketch
from lauftakt.store.database import Database, now
from lauftakt.store.models import HandIn
from lauftakt.work.tidying import tidy
from tests.day import Day
from tests.web.coach import Coach
from tests.web.drawing import drawing

# By these a path's corners are recognised.
TURNING = ("lateral_acceleration", "yaw_rate", "steering")


def without_positions(log: Log, tmp_path: Path, name: str, **meta: str) -> bytes:
    kept = tuple(c for c in log.channels if c.role not in ("latitude", "longitude"))
    path = tmp_path / name
    write_csv(replace(log, channels=kept, meta=meta), path)
    return path.read_bytes()


def with_lap_distance(day: Day, index: int, tmp_path: Path, name: str) -> bytes:
    """A log that says only how fast it was, and how far it had come in the lap: nothing to recognise a circuit by."""
    log, run = day.logs[index], day.runs[index]
    speed = next(c for c in log.channels if c.role == "speed")
    travelled = np.concatenate([[0.0], np.cumsum(np.diff(speed.time) * speed.values[:-1])])
    starts = np.array([lap.start_s for lap in run.laps if lap.time_s])
    begun = np.append(np.interp(starts, speed.time, travelled), np.nan)
    lap = np.searchsorted(starts, speed.time, side="right") - 1
    # Before the first line the car was already on its way.
    distance = np.where(lap >= 0, travelled - begun[np.maximum(lap, 0)], day.layout.length + travelled - begun[0])
    path = tmp_path / name
    own = (speed, Channel("lap distance", "m", "lap_distance", speed.time, distance))
    write_csv(replace(log, channels=own, meta={}), path)
    return path.read_bytes()


def test_a_run_without_positions_is_recognised_by_its_corners(coach: Coach, day: Day, tmp_path: Path) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    answer = coach.hand_in("okan_yildiz.csv", without_positions(day.logs[2], tmp_path, "okan_yildiz.csv")).json
    assert (answer["state"], answer["code"]) == ("taken", "by-corners")
    assert "its corners are those of “Ellerholm Park”" in answer["message"]
    assert answer["run"]["event"]["circuit"] == "Ellerholm Park"
    own = [lap["time_s"] for lap in answer["run"]["laps"] if lap["time_s"]]
    assert own == pytest.approx([lap.time_s for lap in day.runs[2].laps if lap.time_s], abs=0.3)


def test_a_circuit_never_seen_is_drawn_without_any_position(coach: Coach, day: Day, tmp_path: Path) -> None:
    first = coach.hand_in(
        "okan_yildiz.csv", without_positions(day.logs[2], tmp_path, "a.csv", circuit="Blindfold")
    ).json
    assert (first["state"], first["code"]) == ("taken", "new-layout")
    assert "drawn from speed and turning" in first["message"]
    assert first["run"]["event"]["circuit"] == "Blindfold"
    # Its own lap is another one than with positions: the start line was laid on the longest straight.
    assert min(
        lap["time_s"] for lap in first["run"]["laps"] if lap["time_s"] and not lap["set_aside"]
    ) == pytest.approx(min(lap.time_s for lap in day.runs[2].counting if lap.time_s), abs=1.0)
    second = coach.hand_in("mara.csv", without_positions(day.logs[1], tmp_path, "b.csv")).json
    assert (second["state"], second["code"]) == ("taken", "by-corners")
    assert second["run"]["event"]["circuit"] == "Blindfold"
    # A run with positions cannot be recognised by a map that lies nowhere: it makes a circuit of its own.
    third = coach.hand_in(day.files[0].name, day.files[0].read_bytes()).json
    assert third["run"]["event"]["circuit"] == "Ellerholm Park"
    layout = next(i for i in coach.get("/api/hand-ins").json["choices"]["circuits"] if i["name"] == "Blindfold")["id"]
    ground = coach.get(f"/api/layouts/{layout}").json
    assert ground["reckoned"]
    # Moved by 30 m: the sectors are told as those of any run, though its line across the road is not known.
    told = coach.post(
        f"/api/layouts/{layout}/preview",
        json=drawing(ground, start_m=30.0) | {"event": ground["day"]},
    )
    assert told.status_code == 200
    assert b"NaN" not in told.data
    for driver in told.json["drivers"]:
        assert driver["after"]["theoretical_s"] == pytest.approx(driver["before"]["theoretical_s"], abs=0.3)
    drawn = coach.get(f"/api/layouts/{layout}/geojson")
    assert drawn.status_code == 200
    assert drawn.json["reckoned"] is True


def layouts(coach: Coach) -> dict[str, int]:
    return {item["name"]: item["id"] for item in coach.get("/api/hand-ins").json["choices"]["circuits"]}


def best(run: dict[str, Any]) -> float:
    return min(lap["time_s"] for lap in run["laps"] if lap["time_s"] and not lap["set_aside"])


def test_a_map_without_positions_is_changed_like_any_but_no_better_line_is_made_of_it(
    coach: Coach, day: Day, tmp_path: Path
) -> None:
    first = coach.hand_in("a.csv", without_positions(day.logs[2], tmp_path, "a.csv", circuit="Blindfold")).json
    layout = layouts(coach)["Blindfold"]
    before = coach.get(f"/api/layouts/{layout}").json
    kept = coach.post(f"/api/layouts/{layout}/versions", json=drawing(before, start_m=120.0))
    assert kept.status_code == 200, kept.json
    after = coach.get(f"/api/layouts/{layout}").json
    assert (after["version"]["number"], after["reckoned"], after["better"]) == (2, True, 0)
    # The run was computed anew on it, by its corners: its own laps are as long, from another line.
    run = coach.get(f"/api/runs/{first['run']['run']['id']}").json
    assert best(run) == pytest.approx(best(first["run"]), abs=0.5)
    job = coach.post(f"/api/layouts/{layout}/line", json={"limits": False}).json
    told = coach.get(f"/api/jobs/{job['id']}").json
    assert told["state"] != "done", told
    assert "No run here has positions" in told["message"]
    assert coach.get(f"/api/layouts/{layout}").json["version"]["number"] == 2
    drawn = coach.get(f"/api/layouts/{layout}/geojson").data
    assert coach.post(f"/api/actions/{kept.json['action']}/undo").status_code == 204
    assert coach.get(f"/api/layouts/{layout}").json["version"]["number"] == 1
    assert b'"reckoned": true' in drawn


def test_a_map_without_positions_is_joined_with_the_circuit_that_it_is(coach: Coach, day: Day, tmp_path: Path) -> None:
    blind = coach.hand_in("a.csv", without_positions(day.logs[2], tmp_path, "a.csv", circuit="Blindfold")).json["run"]
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    ids = layouts(coach)
    answer = coach.post(f"/api/layouts/{ids['Blindfold']}/join", json={"into": ids["Ellerholm Park"]})
    assert (answer.status_code, answer.json["runs"]) == (200, 1)
    run = coach.get(f"/api/runs/{blind['run']['id']}").json
    assert run["event"]["circuit"] == "Ellerholm Park"
    # Timed from the school's own line now, by its corners.
    own = [lap["time_s"] for lap in run["laps"] if lap["time_s"]]
    assert own == pytest.approx([lap.time_s for lap in day.runs[2].laps if lap.time_s], abs=0.3)
    # What comes next is recognised without being asked about, and undo parts them.
    following = coach.hand_in("b.csv", without_positions(day.logs[1], tmp_path, "b.csv")).json
    assert (following["code"], following["run"]["event"]["circuit"]) == ("by-corners", "Ellerholm Park")
    assert coach.post(f"/api/actions/{answer.json['action']}/undo").status_code == 204
    assert coach.get(f"/api/runs/{blind['run']['id']}").json["event"]["circuit"] == "Blindfold"


def test_a_run_with_positions_may_lie_on_a_map_without_any(coach: Coach, day: Day, tmp_path: Path) -> None:
    coach.hand_in("a.csv", without_positions(day.logs[2], tmp_path, "a.csv", circuit="Blindfold"))
    own = coach.hand_in(day.files[1].name, day.files[1].read_bytes()).json["run"]
    ids = layouts(coach)
    other = next(name for name in ids if name != "Blindfold")
    assert coach.post(f"/api/layouts/{ids[other]}/join", json={"into": ids["Blindfold"]}).status_code == 200
    moved = coach.get(f"/api/runs/{own['run']['id']}").json
    assert moved["event"]["circuit"] == "Blindfold"
    assert best(moved) == pytest.approx(best(own), abs=0.8)
    # Its positions lie somewhere, the map nowhere: they make no better line of it.
    job = coach.post(f"/api/layouts/{ids['Blindfold']}/line", json={"limits": False}).json
    told = coach.get(f"/api/jobs/{job['id']}").json
    assert told["state"] != "done", told
    assert "make a circuit of their own" in told["message"]


def test_a_run_that_fits_two_circuits_asks_which(coach: Coach, day: Day, tmp_path: Path) -> None:
    # The same road under two names, one of them without positions.
    coach.hand_in("a.csv", without_positions(day.logs[2], tmp_path, "a.csv", circuit="Blindfold"))
    coach.hand_in(day.files[0].name, day.files[0].read_bytes())
    answer = coach.hand_in("b.csv", without_positions(day.logs[1], tmp_path, "b.csv")).json
    assert (answer["state"], answer["code"], answer["can_place"]) == ("refused", "no-positions", True)
    assert "“Blindfold”" in answer["message"]
    assert "as well as" in answer["message"]
    assert coach.post(f"/api/hand-ins/{answer['id']}/retry?layout={layouts(coach)['Blindfold']}").status_code == 200
    (row,) = [row for row in coach.get("/api/hand-ins").json["hand_ins"] if row["id"] == answer["id"]]
    assert (row["state"], row["run"]["event"]["circuit"]) == ("taken", "Blindfold")


def test_a_drawing_that_waits_is_completed_by_a_run_without_positions(coach: Coach, day: Day, tmp_path: Path) -> None:
    drawn = write_sketch(sketch_from(day.layout, "Drawn meadows"))
    assert coach.hand_in("drawn.geojson", drawn).json["state"] == "taken"
    answer = coach.hand_in("a.csv", without_positions(day.logs[2], tmp_path, "a.csv", circuit="Drawn meadows")).json
    assert (answer["state"], answer["run"]["event"]["circuit"]) == ("taken", "Drawn meadows"), answer["message"]
    own = [lap["time_s"] for lap in answer["run"]["laps"] if lap["time_s"]]
    assert own == pytest.approx([lap.time_s for lap in day.runs[2].laps if lap.time_s], abs=0.3)
    ground = coach.get(f"/api/layouts/{layouts(coach)['Drawn meadows']}").json
    assert not ground["reckoned"]


def test_a_log_that_could_not_be_placed_is_tried_on_the_circuit_that_is_named(
    coach: Coach, stranger: Coach, day: Day, tmp_path: Path
) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    data = with_lap_distance(day, 2, tmp_path, "okan_yildiz.csv")
    answer = coach.hand_in("okan_yildiz.csv", data).json
    assert (answer["state"], answer["code"], answer["can_place"]) == ("refused", "no-positions", True)
    assert "Choose the circuit" in answer["message"]
    circuits = coach.get("/api/hand-ins").json["choices"]["circuits"]
    layout = next(item["id"] for item in circuits if item["name"] == "Ellerholm Park")
    assert stranger.post(f"/api/hand-ins/{answer['id']}/retry?layout={layout}").status_code == 404
    assert coach.post(f"/api/hand-ins/{answer['id']}/retry?layout=999999").status_code == 404
    assert coach.post(f"/api/hand-ins/{answer['id']}/retry?layout={layout}").status_code == 200
    rows = coach.get("/api/hand-ins").json["hand_ins"]
    placed = next(row for row in rows if row["id"] == answer["id"])
    assert placed["state"] == "taken"
    assert not placed["can_place"]
    run = placed["run"]
    assert run["event"]["circuit"] == "Ellerholm Park"
    assert run["run"]["driver"]["name"] == "Okan Yildiz"
    own = [lap["time_s"] for lap in run["laps"] if lap["time_s"]]
    assert own == pytest.approx([lap.time_s for lap in day.runs[2].laps if lap.time_s], abs=0.6)
    assert not list(settings.load().inbox.glob(f"{answer['id']}.*"))


# What changes its sign where the same road is driven the other way.
MIRRORED = ("lateral_acceleration", "longitudinal_acceleration", "yaw_rate", "steering")


def driven_backwards(log: Log) -> Log:
    """A log of the same speeds and pedals on the same road in the other direction."""

    def back(channel: Channel) -> Channel:
        values = channel.values[::-1]
        return replace(
            channel,
            time=channel.time[-1] - channel.time[::-1],
            values=-values if channel.role in MIRRORED else values,
        )

    return replace(log, channels=tuple(back(channel) for channel in log.channels), meta={})


def test_a_log_without_positions_was_driven_the_other_way_round(coach: Coach, day: Day, tmp_path: Path) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    layout = coach.get("/api/hand-ins").json["choices"]["circuits"][0]["id"]
    laps = []
    for name, log in (("one.csv", day.logs[2]), ("two.csv", day.logs[1])):
        # The file says where it was driven, and is believed: its corners alone would have told that it was turned.
        data = without_positions(driven_backwards(log), tmp_path, name, circuit="Ellerholm Park")
        answer = coach.hand_in(name, data).json
        assert (answer["state"], answer["code"], answer["can_place"]) == ("refused", "elsewhere", True)
        path = f"/api/hand-ins/{answer['id']}/retry"
        assert coach.post(f"{path}?turned=1").status_code == 422
        assert coach.post(f"{path}?layout={layout}").status_code == 200
        (row,) = [row for row in coach.get("/api/hand-ins").json["hand_ins"] if row["id"] == answer["id"]]
        assert (row["state"], row["code"], row["can_place"]) == ("refused", "elsewhere", True)
        assert coach.post(f"{path}?layout={layout}&turned=1").status_code == 200
        (row,) = [row for row in coach.get("/api/hand-ins").json["hand_ins"] if row["id"] == answer["id"]]
        assert row["state"] == "taken", row["message"]
        assert row["run"]["event"]["circuit"] == "Ellerholm Park, other direction"
        laps.append([lap["time_s"] for lap in row["run"]["laps"] if lap["time_s"]])
    own = [lap.time_s for lap in day.runs[2].laps if lap.time_s]
    assert sorted(laps[0]) == pytest.approx(sorted(own), abs=0.5)
    circuits = [item["name"] for item in coach.get("/api/hand-ins").json["choices"]["circuits"]]
    assert circuits == ["Ellerholm Park", "Ellerholm Park, other direction"]


def test_a_log_without_positions_tells_by_its_corners_that_it_was_turned(
    coach: Coach, day: Day, tmp_path: Path
) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    for name, log in (("one.csv", day.logs[2]), ("two.csv", day.logs[1])):
        answer = coach.hand_in(name, without_positions(driven_backwards(log), tmp_path, name)).json
        assert (answer["state"], answer["code"]) == ("taken", "by-corners"), answer["message"]
        assert answer["run"]["event"]["circuit"] == "Ellerholm Park, other direction"


def test_what_was_taken_off_the_list_is_forgotten_in_time(
    coach: Coach, database: Database, day: Day, tmp_path: Path
) -> None:
    answer = coach.hand_in("a.csv", with_lap_distance(day, 2, tmp_path, "a.csv")).json
    coach.delete(f"/api/hand-ins/{answer['id']}")
    found = settings.load()
    tidy(database, found.exports, found.inbox)
    assert list(found.inbox.glob(f"{answer['id']}.*"))
    with database.begin() as session:
        session.get_one(HandIn, answer["id"]).dismissed_at = now() - timedelta(days=2)
    tidy(database, found.exports, found.inbox)
    assert not list(found.inbox.glob(f"{answer['id']}.*"))


def test_a_new_circuit_asks_for_its_name_once(coach: Coach, day: Day, tmp_path: Path) -> None:
    path = tmp_path / "mara.csv"
    write_csv(replace(day.logs[1], meta={}), path)
    answer = coach.hand_in("03_mara_lindqvist.csv", path.read_bytes()).json
    assert answer["run"]["run"]["driver"]["name"] == "Mara Lindqvist"
    found = answer["found"]
    assert found["length_m"] == pytest.approx(day.layout.length, rel=0.01)
    assert abs(found["corners"] - len(day.layout.corners)) <= 2
    assert len(found["x"]) == len(found["y"]) > 60
    assert 0 <= min(found["x"]) <= max(found["x"]) <= 100
    run = answer["run"]["run"]["id"]
    coach.post("/api/runs/labels", json={"runs": [run], "change": {"circuit": "The Meadows"}})
    now_told = coach.get("/api/hand-ins").json["hand_ins"][0]
    assert now_told["found"] is None
    assert now_told["message"] is None
    assert now_told["run"]["event"]["circuit"] == "The Meadows"
    second = coach.hand_in("again.csv", path.read_bytes() + b"\n").json
    assert second["found"] is None


def test_many_files_end_in_an_account(coach: Coach, day: Day) -> None:
    assert coach.get("/api/hand-ins").json["account"] is None
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    coach.hand_in("prose.csv", b"I forgot\nthe logger\n")
    account = coach.get("/api/hand-ins?age=0").json["account"]
    assert (account["files"], account["taken"], account["not_taken"], account["waiting"]) == (3, 2, 1, 0)
    assert account["laps"] == sum(lap.time_s is not None for lap in day.runs[0].laps)
    assert account["sources"] == {"browser": 3}
    assert [item["file_name"] for item in account["skipped"]] == ["prose.csv"]
    assert account["skipped"][0]["message"]
    assert account["hidden"] == 0
    assert coach.get("/api/hand-ins?state=trouble").json["account"]["hidden"] == 2


def test_a_driver_in_two_spellings_is_joined_and_parted_again(coach: Coach, stranger: Coach, day: Day) -> None:
    coach.hand_in(day.layout_file.name, day.layout_file.read_bytes())
    first = coach.hand_in("a.csv", day.files[0].read_bytes()).json["run"]["run"]
    second = coach.hand_in("b.csv", day.files[1].read_bytes(), driver="Halvrd").json["run"]["run"]
    link = coach.post("/api/links", json={"driver": "Halvrd"}).json["id"]
    kept, gone = first["driver"], second["driver"]
    path = f"/api/drivers/{gone['id']}/join"
    assert stranger.post(path, json={"into": kept["id"]}).status_code == 404
    assert coach.post(path, json={"into": gone["id"]}).status_code == 422
    assert coach.post(path, json={"into": 999_999}).status_code == 404
    answer = coach.post(path, json={"into": kept["id"]})
    assert (answer.status_code, answer.json["driver"]["name"], answer.json["runs"]) == (200, kept["name"], 1)
    names = [driver["name"] for driver in coach.get("/api/hand-ins").json["choices"]["drivers"]]
    assert names == [kept["name"]]
    assert coach.get(f"/api/runs/{second['id']}").json["run"]["driver"]["id"] == kept["id"]
    links = {item["id"]: item["driver"]["name"] for item in coach.get("/api/links").json["links"]}
    assert links[link] == kept["name"]
    assert coach.post(f"/api/actions/{answer.json['action']}/undo").status_code == 204
    assert coach.get(f"/api/runs/{second['id']}").json["run"]["driver"]["name"] == "Halvrd"
    assert coach.get(f"/api/runs/{first['id']}").json["run"]["driver"]["id"] == kept["id"]
    links = {item["id"]: item["driver"]["name"] for item in coach.get("/api/links").json["links"]}
    assert links[link] == "Halvrd"


def test_channels_of_a_log_that_could_not_be_placed_are_corrected(coach: Coach, day: Day, tmp_path: Path) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    log = day.logs[2]
    # Names that deny what the channels are, and nothing to recognise corners by: only a person can know better.
    other = {"latitude": "Target A", "longitude": "Target B"}
    path = tmp_path / "x.csv"
    write_csv(
        replace(
            log,
            channels=tuple(
                replace(c, name=other[c.role], role=None) if c.role in other else c
                for c in log.channels
                if c.role not in TURNING
            ),
            meta={},
        ),
        path,
    )
    answer = coach.hand_in("ben.csv", path.read_bytes()).json
    assert (answer["code"], answer["can_place"]) == ("no-positions", True)
    address = f"/api/hand-ins/{answer['id']}/channels"
    table = coach.get(address).json
    found = {channel["name"]: channel for channel in table["channels"]}
    assert table["run"] is None
    assert found["Target A"]["role"] is None
    assert found["throttle"]["role"] == "throttle"
    assert found["throttle"]["picture"]
    assert coach.patch(address, json={"channels": [{"name": "nothing", "role": "speed"}]}).status_code == 422
    said = [{"name": "Target A", "role": "latitude"}, {"name": "Target B", "role": "longitude"}]
    assert coach.patch(address, json={"channels": said, "name": "Ben's box"}).status_code == 202
    row = next(r for r in coach.get("/api/hand-ins").json["hand_ins"] if r["id"] == answer["id"])
    assert row["state"] == "taken", row["message"]
    assert row["run"]["dialect"] == "Ben's box"
    own = [lap["time_s"] for lap in row["run"]["laps"] if lap["time_s"]]
    assert own == pytest.approx([lap.time_s for lap in day.runs[2].laps if lap.time_s], abs=0.02)
    assert coach.get(address).status_code == 409


def with_loop(log: Log, day: Day, metres: float) -> Log:
    """The same run, but its road swings out between 300 and 800 m, as round a loop that was not there before."""
    latitude, longitude = log.role("latitude"), log.role("longitude")
    assert latitude is not None
    assert longitude is not None
    x, y = day.layout.plane.to_xy(latitude.values, longitude.values)
    s, _ = day.layout.centre.project(x, y)
    heading = day.layout.centre.at(s)[2]
    out = metres * np.sin(np.pi * np.clip((s - 300.0) / 500.0, 0.0, 1.0)) ** 2
    found = day.layout.plane.to_degrees(x - out * np.sin(heading), y + out * np.cos(heading))
    moved = {"latitude": found[0], "longitude": found[1]}
    kept = [c for c in log.channels if c.role in (*moved, "throttle", "brake_pressure")]
    return replace(log, channels=tuple(replace(c, values=moved.get(c.role or "", c.values)) for c in kept))


def test_a_loop_more_is_another_layout_of_the_circuit(coach: Coach, day: Day, tmp_path: Path) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    for number in (1, 2):
        path = tmp_path / f"loop{number}.csv"
        write_csv(with_loop(day.logs[number], day, 60.0), path)
        answer = coach.hand_in(path.name, path.read_bytes()).json
        assert answer["state"] == "taken", answer
        assert answer["run"]["event"]["circuit"] == "Ellerholm Park, variant"
        assert answer["run"]["run"]["counting"] >= 6
    rows = coach.get("/api/circuits").json["circuits"]
    assert sorted((row["name"], row["circuit"], row["runs"]) for row in rows) == [
        ("Ellerholm Park", "Ellerholm Park", 1), ("Ellerholm Park, variant", "Ellerholm Park", 2),
    ]  # fmt: skip
    # One that drove the usual way belongs to the usual layout, whatever came between.
    usual = coach.hand_in(day.files[3].name, day.files[3].read_bytes()).json
    assert usual["run"]["event"]["circuit"] == "Ellerholm Park"
