"""The desk's answers equal the core's."""

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
from sqlalchemy import select

from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import (
    delta_uncertainty,
    loss_rate,
    rate_uncertainty,
    stretch_loss,
    time_delta,
)
from lauftakt.core.log.roles import WHEELS
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.reading import read_log
from lauftakt.store.database import Database
from lauftakt.store.models import LapRow
from tests.day import Day
from tests.web.coach import Coach


@pytest.fixture
def desk(taught: Coach) -> dict:
    return taught.get("/api/desk").json


def query(desk: dict) -> str:
    names = {lap["key"]: lap["curves"] for lap in desk["laps"]}
    return f"laps={','.join(names.values())}&reference={names[desk['reference']]}"


def test_the_default_line_up(desk: dict, day: Day) -> None:
    assert [lap["driver"]["name"] for lap in desk["laps"]] == ["Halvard", "Ines"]
    assert desk["reference"] == desk["laps"][0]["key"]
    assert [lap["number"] for lap in desk["laps"]] == [day.runs[0].best_lap.number, day.runs[1].best_lap.number]
    assert desk["laps"][0]["delta_s"] == 0
    assert desk["laps"][1]["delta_s"] == pytest.approx(
        day.runs[1].best_lap.time_s - day.runs[0].best_lap.time_s, abs=1e-6
    )
    assert 0.002 < desk["laps"][1]["delta_u_s"] < 0.05


def test_a_run_asked_for_stands_next_to_the_reference(taught: Coach, desk: dict) -> None:
    run = desk["laps"][1]["run"]
    assert taught.get(f"/api/desk?run={run}").json["laps"][1]["run"] == run


def test_the_line_up_asked_for(taught: Coach, desk: dict) -> None:
    run = desk["laps"][1]["run"]
    found = taught.get(f"/api/desk?laps={run}.2,{run}.3&reference={run}.3").json
    assert [(lap["run"], lap["number"]) for lap in found["laps"]] == [(run, 2), (run, 3)]
    assert found["reference"] == found["laps"][1]["key"]
    # What is sent to somebody names laps by their moment, and leads to the same ones.
    named = ",".join(lap["key"] for lap in found["laps"])
    again = taught.get(f"/api/desk?laps={named}&reference={found['reference']}").json
    assert [lap["number"] for lap in again["laps"]] == [2, 3]
    assert taught.get(f"/api/desk?laps={run}.0").status_code == 404  # the out lap is not a timed one
    many = ",".join(f"{run}.{i}" for i in range(1, 40))
    assert taught.get(f"/api/desk?laps={many}").json["code"] == "too-many"


def test_curves_are_the_cores(taught: Coach, desk: dict, day: Day) -> None:
    answer = taught.get(f"/api/curves?{query(desk)}&roles=speed,gear,nonsense")
    assert answer.mimetype == "application/vnd.apache.arrow.stream"
    table = pa.ipc.open_stream(io.BytesIO(answer.data)).read_all()
    grid = day.layout.grid()
    assert np.allclose(table["s"].to_numpy(), grid)
    reference, other = desk["laps"][0]["curves"], desk["laps"][1]["curves"]
    one = day.runs[0].traces[day.runs[0].best_lap.number]
    two = day.runs[1].traces[day.runs[1].best_lap.number]
    assert np.allclose(
        table[f"{other}|time"].to_numpy() - table[f"{reference}|time"].to_numpy(), time_delta(two, one), atol=1e-6
    )
    assert np.allclose(
        table[f"{other}|loss_rate"].to_numpy(), loss_rate(time_delta(two, one), day.layout.length), atol=1e-6
    )
    sure = table[f"{other}|sure_rate"].to_numpy()
    rate = table[f"{other}|loss_rate"].to_numpy()
    u = rate_uncertainty(two, one, False, day.layout.grid())
    assert not sure[np.abs(rate) < 1.5 * u].any()
    assert np.allclose(sure[np.abs(rate) > 8 * u], rate[np.abs(rate) > 8 * u])
    assert (np.abs(rate) > 5 * u).any()
    assert f"{other}|gear" in table.column_names
    assert not [name for name in table.column_names if "nonsense" in name]


def test_the_card_of_a_passage_is_the_cores(taught: Coach, desk: dict, day: Day) -> None:
    for passage in day.layout.passages:
        card = taught.get(f"/api/card?{query(desk)}&passage={passage.name}").json
        own = {row["lap"]: row for row in card["figures"]}
        assert own[desk["laps"][0]["curves"]]["loss_s"] == 0
        b, r = day.runs[1].best_lap.number, day.runs[0].best_lap.number
        low, high = passage_range(day.layout, day.layout.passages.index(passage))
        expected = stretch_loss(day.runs[1].traces[b], day.runs[0].traces[r], low, high, False)
        assert own[desk["laps"][1]["curves"]]["loss_s"] == pytest.approx(expected.loss_s, abs=1e-6)
        halvard, ines = card["habits"]
        assert (halvard["of"], ines["of"]) == (9, 8)
        assert 0 <= ines["losing"] <= 8
        assert ines["best_loss_s"] <= ines["median_loss_s"]
        assert card["of"] == 17
        assert card["median_loss_s"] is not None
        assert card["corner"] in card["corners"] == list(passage.corners)


def test_the_costs_on_the_card_add_up_and_are_the_cores(taught: Coach, desk: dict, day: Day) -> None:
    """Causes, what was brought in and what is unexplained are the loss, and the sentences say it."""
    told = 0
    for passage in day.layout.passages:
        card = taught.get(f"/api/card?{query(desk)}&passage={passage.name}").json
        own = card["figures"][1]
        if own["causes"]:
            total = sum(one["cost_s"] for one in own["causes"]) + own["brought_in_s"] + own["unexplained_s"]
            assert total == pytest.approx(own["loss_s"], abs=1e-6)
            assert all(one["cost_u_s"] > 0 for one in own["causes"])
            told += 1
        said = text_of(own["says"])
        assert "Ines" in said
        assert said.endswith(".")
        assert "None" not in said
    assert told


def test_the_card_says_how_well_places_are_known(taught: Coach, desk: dict, day: Day) -> None:
    for passage in day.layout.passages:
        reference, own = taught.get(f"/api/card?{query(desk)}&passage={passage.name}").json["figures"][:2]
        assert reference["brake_point_u_m"] is None
        for name in ("brake_point", "full_throttle"):
            both = own[f"{name}_m"] is not None and reference[f"{name}_m"] is not None
            assert (own[f"{name}_u_m"] is not None) == both
            assert not both or 0.0 < own[f"{name}_u_m"] < 5.0


def text_of(parts: list[dict]) -> str:
    return "".join(part["text"] if part["text"] is not None else f"{part['value']:.2f}" for part in parts)


def test_figures_belong_to_the_corner_asked_for(taught: Coach, desk: dict, day: Day) -> None:
    passage = next(p for p in day.layout.passages if len(p.corners) > 1)
    for name in passage.corners:
        card = taught.get(f"/api/card?{query(desk)}&passage={passage.name}&corner={name}").json
        which = [c.name for c in day.layout.corners].index(name)
        own = day.runs[1].technique.at(day.runs[1].best_lap.number, which)
        assert card["corner"] == name
        assert card["figures"][1]["min_speed"] == pytest.approx(own.min_speed, abs=0.02)
        assert card["figures"][1]["full_throttle_m"] == pytest.approx(own.full_throttle_m, abs=1.0)


def test_a_lap_without_one_cause(taught: Coach, desk: dict, day: Day) -> None:
    """Quicker than it was by about what the cause costs, and as it was before it."""
    curves = desk["laps"][1]["curves"]
    base = desk["laps"][0]["curves"]
    tried = 0
    for passage in day.layout.passages:
        card = taught.get(f"/api/card?{query(desk)}&passage={passage.name}").json
        for cause in card["figures"][1]["causes"]:
            if cause["cost_s"] < 0.1:
                continue
            place = f"laps={curves}&reference={base}&passage={passage.name}&cause={cause['cause']}"
            again = taught.get(f"/api/card/without?{place}").json
            assert again["lap"] == curves
            assert again["won_s"] == pytest.approx(cause["cost_s"], rel=0.6, abs=0.03)
            assert len(again["s_m"]) == len(again["speed"]) > 20
            assert 3 < min(again["speed"]) < max(again["speed"]) < 90
            tried += 1
    assert tried
    place = f"laps={curves}&reference={base}&passage=P1"
    assert taught.get(f"/api/card/without?{place}&cause=nonsense").status_code == 422
    both = f"laps={curves},{base}&reference={base}&passage=P1&cause=soft_brake"
    assert taught.get(f"/api/card/without?{both}").status_code == 422


def test_the_card_of_a_stretch_restarts_the_delta(taught: Coach, desk: dict, day: Day) -> None:
    card = taught.get(f"/api/card?{query(desk)}&from_m=1500&to_m=2300").json
    one = day.runs[0].traces[day.runs[0].best_lap.number]
    two = day.runs[1].traces[day.runs[1].best_lap.number]
    delta = np.interp([1500, 2300], day.layout.grid(), time_delta(two, one))
    assert card["figures"][1]["loss_s"] == pytest.approx(delta[1] - delta[0], abs=1e-6)
    assert taught.get(f"/api/card?{query(desk)}&from_m=1500&to_m=1501").json["code"] == "invalid"
    assert taught.get(f"/api/card?{query(desk)}&passage=P99").status_code == 404


def test_a_stretch_of_several_corners_says_whose_figures_they_are(taught: Coach, desk: dict, day: Day) -> None:
    low, high = day.layout.corners[1].entry_m - 80.0, day.layout.corners[3].exit_m + 60.0
    place = f"{query(desk)}&from_m={low}&to_m={high}"
    card = taught.get(f"/api/card?{place}").json
    names = [corner.name for corner in day.layout.corners[1:4]]
    assert card["corners"] == names
    assert card["corner"] in names
    for corner in day.layout.corners[1:4]:
        one = taught.get(f"/api/card?{place}&corner={corner.name}").json
        assert one["corner"] == corner.name
        assert [row["loss_s"] for row in one["figures"]] == [row["loss_s"] for row in card["figures"]]
        for row in one["figures"]:
            for figure in ("brake_point_m", "min_speed_m", "throttle_pickup_m", "full_throttle_m"):
                assert row[figure] is None or low <= row[figure] <= high, (corner.name, figure)
            assert abs(row["min_speed_m"] - corner.apex_m) < 60.0
    # What holds one corner alone, or less, is its own whole.
    assert taught.get(f"/api/card?{query(desk)}&from_m={high - 40}&to_m={high}").json["corner"] is None


def test_doubt_of_curves_is_the_cores(taught: Coach, desk: dict, day: Day) -> None:
    answer = taught.get(f"/api/doubt?{query(desk)}&from_m=1500")
    assert "immutable" in answer.headers["Cache-Control"]
    found = answer.json
    assert found["s_m"][0] == 0
    assert found["s_m"][-1] == pytest.approx(day.layout.length, abs=0.01)
    own, other = found["laps"]
    assert set(own["delta_u_s"]) == {0}
    one = day.runs[0].traces[day.runs[0].best_lap.number]
    two = day.runs[1].traces[day.runs[1].best_lap.number]
    places = np.array(found["s_m"])
    assert np.allclose(other["delta_u_s"], delta_uncertainty(two, one, False, places, 1500.0), atol=1e-4)
    assert min(other["delta_u_s"]) < 0.002 < max(other["delta_u_s"])


def test_who_is_level_with_the_fastest_is_said(taught: Coach, desk: dict, database: Database) -> None:
    assert [lap["best_of_all"] for lap in desk["laps"]] == [True, False]
    runs = taught.get("/api/paddock").json["runs"]
    assert [run["level"] for run in runs] == [run["gap_s"] == 0 for run in runs]
    # With doubts as wide as the gap nobody can say who was faster.
    other = max(runs, key=lambda run: run["gap_s"])
    known: dict[int, float | None] = {}
    with database.begin() as session:
        for lap in session.scalars(select(LapRow).where(LapRow.run_id == other["id"])):
            known[lap.id], lap.time_u_s = lap.time_u_s, other["gap_s"]
    try:
        again = {run["id"]: run["level"] for run in taught.get("/api/paddock").json["runs"]}
    finally:
        # Others look at the same school, and laps that are not those that were stored are damaged.
        with database.begin() as session:
            for lap in session.scalars(select(LapRow).where(LapRow.id.in_(known))):
                lap.time_u_s = known[lap.id]
    assert again[other["id"]]


def test_choices_hold_every_timed_lap(taught: Coach, desk: dict) -> None:
    runs = taught.get(f"/api/choices?event={desk['event']['id']}").json["runs"]
    assert [len(run["laps"]) for run in runs] == [9, 8]
    # With the best of each, and the same by days.
    for run in runs:
        counting = [lap for lap in run["laps"] if lap["set_aside"] is None]
        assert run["best"] == min(counting, key=lambda lap: lap["time_s"])["key"]
        assert run["day"] == desk["event"]["day"]
    everywhere = taught.get(f"/api/choices?event={desk['event']['id']}&everywhere=true").json["runs"]
    assert [run["run"] for run in everywhere] == [run["run"] for run in runs][::-1]


def filled(taught: Coach, desk: dict, kind: str, **asked: float) -> tuple[list[str], str]:
    query = "".join(f"&{name}={value}" for name, value in asked.items())
    answer = taught.get(f"/api/fillings?event={desk['event']['id']}&kind={kind}{query}")
    assert answer.status_code == 200, answer.json
    return answer.json["laps"], answer.json["reference"]


def test_quick_fillings_lie_on_the_desk(taught: Coach, desk: dict, day: Day) -> None:
    halvard, ines = (lap["driver"]["id"] for lap in desk["laps"])
    runs = [lap["run"] for lap in desk["laps"]]
    both, reference = filled(taught, desk, "bests")
    assert (both, reference) == ([lap["key"] for lap in desk["laps"]], desk["reference"])
    for kind, asked, least in (
        ("near_best", {"driver": ines}, 2), ("first_and_last", {"run": runs[1]}, 4),
        ("best_of_two", {"driver": ines, "other": halvard}, 6), ("winners", {}, 1),
    ):  # fmt: skip
        laps, reference = filled(taught, desk, kind, **asked)
        assert len(laps) >= least
        assert laps[0] == reference
        shown = taught.get(f"/api/desk?laps={','.join(laps)}&reference={reference}").json
        assert [lap["key"] for lap in shown["laps"]] == laps
        assert all(lap["set_aside"] is None for lap in shown["laps"])
    near, _ = filled(taught, desk, "near_best", driver=ines, within_s=0.001)
    assert len(near) == 1
    assert len(filled(taught, desk, "near_best", driver=ines, within_share=0.2)[0]) > 2
    # Each passage's quickest lap of the day is among the winners, by the core's times.
    laps, _ = filled(taught, desk, "winners")
    winners = {(int(key.split("-")[0])) for key in laps}
    for index in range(len(day.layout.passages)):
        times = {
            run: min(day.runs[i].passage_s[lap.number][index] for lap in day.runs[i].counting)
            for i, run in enumerate(runs)
        }
        assert min(times, key=times.get) in winners


def test_what_cannot_be_filled_says_why(taught: Coach, desk: dict) -> None:
    event, ines = desk["event"]["id"], desk["laps"][1]["driver"]["id"]
    for kind, asked, says in (
        ("near_best", "&driver=999999", "no lap that counts"),
        ("first_and_last", "", "fewer than two"),
        ("best_of_two", f"&driver={ines}&other={ines}", "two drivers"),
    ):
        answer = taught.get(f"/api/fillings?event={event}&kind={kind}{asked}")
        assert answer.status_code == 404
        assert says in answer.json["message"]
    assert taught.get(f"/api/fillings?event={event}&kind=anything").status_code == 422


def test_what_else_differs_from_the_reference_is_said(coach: Coach, day: Day) -> None:
    for path in (day.layout_file, *day.files[:2]):
        coach.hand_in(path.name, path.read_bytes())
    shown = coach.get("/api/desk").json
    reference, other = shown["laps"]
    assert reference["differs"] == []
    coach.patch(f"/api/runs/{reference['run']}", json={"tyres": "soft", "conditions": "dry"})
    coach.patch(f"/api/runs/{other['run']}", json={"tyres": "medium", "conditions": "damp"})
    again = coach.get(
        f"/api/desk?laps={','.join(lap['key'] for lap in shown['laps'])}&reference={reference['key']}"
    ).json
    differs = {row["what"]: (row["own"], row["reference"]) for row in again["laps"][1]["differs"]}
    assert differs["tyres"] == ("medium", "soft")
    assert differs["conditions"] == ("damp", "dry")
    assert again["laps"][0]["differs"] == []


def test_the_paddock(taught: Coach, day: Day) -> None:
    paddock = taught.get("/api/paddock").json
    first, second = paddock["runs"]
    assert [(each["run"], each["chosen"]) for each in paddock["measured"]] == [(first["id"], False)]
    assert first["reference"]
    assert first["gap_s"] == 0
    assert second["best_s"] == pytest.approx(day.runs[1].best_lap.time_s)
    assert second["theoretical_best_s"] == pytest.approx(day.runs[1].theoretical_best_s())
    assert (second["counting"], second["laps"]) == (8, 10)
    assert paddock["event"]["name"] == "Spring school"
    assert paddock["event"]["day"] == "2026-05-16"


def test_the_api_describes_itself(app) -> None:
    spec = app.spec
    assert spec["openapi"].startswith("3.1")
    assert "/api/desk" in spec["paths"]


def test_a_log_of_wheels_alone_has_a_speed_on_the_desk(coach: Coach, day: Day, tmp_path: Path) -> None:
    coach.hand_in(day.layout_file.name, day.layout_file.read_bytes())
    log = read_log(day.files[1])
    speed = log.role("speed")
    assert speed is not None
    wheels = [
        replace(speed, name=f"wheel {end} {side}", role=f"wheel_{end}_{side}", values=speed.values * scale)
        for (end, side), scale in zip(WHEELS, (0.99, 1.0, 1.01, 1.02), strict=True)
    ]
    kept = [channel for channel in log.channels if channel.role not in ("speed", "receiver_speed")]
    path = tmp_path / "wheels.csv"
    write_csv(replace(log, channels=(*kept, *wheels)), path)
    row = coach.hand_in("wheels.csv", path.read_bytes()).json
    assert row["state"] == "taken", row["message"]
    assert any("middle of 4 wheels" in told["message"] for told in row["run"]["warnings"])
    run = coach.get("/api/paddock").json["runs"][0]["id"]
    shown = coach.get(f"/api/desk?run={run}").json
    assert "speed" in shown["laps"][0]["roles"]
    best = day.runs[1].best_lap
    assert shown["laps"][0]["time_s"] == pytest.approx(best.time_s, abs=0.02)
    # The table of channels shows what was logged, and that can be changed as ever.
    channels = coach.get(f"/api/runs/{run}/channels").json["channels"]
    assert {channel["role"] for channel in channels} >= {"wheel_front_left", "wheel_rear_right"}
    assert "speed of the wheels" not in {channel["name"] for channel in channels}
