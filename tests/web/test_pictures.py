"""The desk's pictures and what is taken away: answers equal to the core's."""

import csv
import io

import numpy as np
import pytest

from lauftakt.core.comparison.envelope import envelope, seconds_at, share_used
from lauftakt.core.findings.steady import steady_passages
from lauftakt.core.laps.lap import inside
from tests.day import Day
from tests.web.coach import Coach


@pytest.fixture
def desk(taught: Coach) -> dict:
    return taught.get("/api/desk").json


def test_steadiness_is_the_cores(taught: Coach, desk: dict, day: Day) -> None:
    names = {lap["driver"]["name"]: lap["curves"] for lap in desk["laps"]}
    base = next(lap for lap in desk["laps"] if lap["key"] == desk["reference"])
    theirs = day.runs[day.of(base["driver"]["name"])]
    for name, lap in names.items():
        told = taught.get(f"/api/steady?laps={lap}&reference={base['curves']}").json
        run = day.runs[day.of(name)]
        itself = name == base["driver"]["name"]
        trace = None if itself else theirs.traces[theirs.best_lap.number]
        core = steady_passages(run, day.layout, reference=None if itself else theirs, lap=trace)
        assert told["laps"] == len(run.counting)
        for row, one in zip(told["passages"], core, strict=True):
            assert (row["name"], row["numbers"], row["against"]) == (one.name, list(one.numbers), one.against)
            assert (row["fast"], row["steady"]) == (one.fast, one.steady), (name, one.name)
            if one.time is not None:
                assert row["time"]["value"] == pytest.approx(one.time.value, abs=1e-4)
            for corner, found in zip(row["corners"], one.corners, strict=True):
                assert set(corner["figures"]) == set(found.figures)
                for code, spread in found.figures.items():
                    assert corner["figures"][code]["value"] == pytest.approx(spread.value, rel=0.02, abs=2e-3), code


def test_a_lap_made_of_others_has_no_spread(taught: Coach, desk: dict) -> None:
    keys = ",".join(lap["key"] for lap in desk["laps"])
    made = taught.get(f"/api/desk?laps={keys},median-desk&reference={desk['reference']}").json["laps"][-1]
    assert made["made"]["kind"] == "median"
    answer = taught.get(f"/api/steady?laps={made['curves']}&reference={desk['laps'][0]['curves']}")
    assert answer.status_code == 422
    assert answer.json["code"] == "made"
    both = ",".join(lap["curves"] for lap in desk["laps"][:2])
    grip = taught.get(f"/api/grip?laps={both},{made['curves']}&reference={made['curves']}")
    assert grip.status_code == 200
    assert grip.json["laps"][-1]["run"] is None


def test_grip_is_the_cores_and_follows_the_stretch(taught: Coach, desk: dict, day: Day) -> None:
    laps = ",".join(lap["curves"] for lap in desk["laps"])
    base = desk["laps"][0]["curves"]
    whole = taught.get(f"/api/grip?laps={laps}&reference={base}").json
    part = taught.get(f"/api/grip?laps={laps}&reference={base}&from_m=3900&to_m=300").json
    for lap, told, near in zip(desk["laps"], whole["laps"], part["laps"], strict=True):
        run = day.runs[day.of(lap["driver"]["name"])]
        signals, columns = run.signals, inside(day.layout)
        rows = [signals.numbers.index(one.number) for one in run.counting]
        reached = envelope(signals.ahead[rows][:, columns], signals.aside[rows][:, columns])
        own = next(one for one in whole["runs"] if one["run"] == lap["run"])
        level = np.array([np.nan if value is None else value for value in own["envelope"]["level"]])
        assert level == pytest.approx(reached.level, rel=1e-3, nan_ok=True)
        row = signals.numbers.index(run.best_lap.number)
        ahead, aside, time = (rows[row, columns] for rows in (signals.ahead, signals.aside, signals.time))
        used = share_used(ahead, aside, seconds_at(time), reached)
        assert told["used"] == pytest.approx(used, abs=1e-3)
        assert near["used"] != told["used"]
        assert all(corner["beside"] in (None, "more", "less", "level") for corner in own["corners"])
    assert taught.get(f"/api/grip?laps={laps}&reference={base}&from_m=10&to_m=11").status_code == 422


def test_how_often_adds_up_and_its_edges_are_even_in_the_unit(taught: Coach, desk: dict) -> None:
    laps = ",".join(lap["curves"] for lap in desk["laps"])
    for query in ("role=speed&factor=3.6", "role=gear", "role=grip_used", "role=speed&from_m=3900&to_m=300"):
        told = taught.get(f"/api/often?laps={laps}&{query}").json
        for lap in told["laps"]:
            assert sum(lap["shares"]) == pytest.approx(1.0, abs=1e-6)
            assert len(lap["shares"]) == len(told["edges"]) - 1
    # What crosses the line is weighed by its own seconds, and by none of those in between.
    near = taught.get(f"/api/often?laps={laps}&role=speed&factor=3.6&from_m=0&to_m=300").json
    over = taught.get(f"/api/often?laps={laps}&role=speed&factor=3.6&from_m=4200&to_m=300").json
    mean = [
        float(np.dot(told["laps"][0]["shares"], (np.array(told["edges"])[1:] + told["edges"][:-1]) / 2))
        for told in (near, over)
    ]
    assert mean[0] == pytest.approx(mean[1], rel=0.15)
    edges = 3.6 * np.array(taught.get(f"/api/often?laps={laps}&role=speed&factor=3.6").json["edges"])
    assert edges == pytest.approx(np.round(edges), abs=1e-6)
    assert taught.get(f"/api/often?laps={laps}&role=nonsense").status_code == 422
    assert taught.get(f"/api/often?laps={laps}&role=clutch").json["edges"] == []


def numbers(coach: Coach, desk: dict, form: str, more: str = "") -> object:
    keys = ",".join(lap["key"] for lap in desk["laps"])
    roles = "speed,brake_pressure,throttle,delta,loss_rate,offset_gap,grip_used,gear"
    answer = coach.get(f"/api/desk/numbers?laps={keys}&reference={desk['reference']}&roles={roles}&format={form}{more}")
    assert answer.status_code == 200, answer.text
    assert "attachment" in answer.headers["Content-Disposition"]
    return answer


def test_the_table_that_is_taken_away_holds_the_cores_numbers(taught: Coach, desk: dict, day: Day) -> None:
    text = numbers(taught, desk, "csv").data.decode()
    lines = text.splitlines()
    head = next(index for index, line in enumerate(lines) if not line.startswith(("#", '"#')))
    rows = list(csv.reader(io.StringIO("\n".join(lines[head:]))))
    header, cells = rows[0], np.array([[float(cell or "nan") for cell in row] for row in rows[1:]])
    grid = day.layout.grid()
    assert header[0] == "distance [m]"
    assert cells[:, 0] == pytest.approx(grid, abs=1e-3)
    base = day.runs[day.of(desk["laps"][0]["driver"]["name"])]
    for lap in desk["laps"]:
        run = day.runs[day.of(lap["driver"]["name"])]
        called = f"{lap['driver']['name']}, lap {lap['number']}"
        row = run.signals.numbers.index(run.best_lap.number)
        speed = cells[:, header.index(f"{called}: speed [km/h]")]
        assert speed == pytest.approx(3.6 * run.signals.speed[row, inside(day.layout)], abs=0.02)
        delta = cells[:, header.index(f"{called}: delta [s]")]
        mine, theirs = run.traces[run.best_lap.number], base.traces[base.best_lap.number]
        assert delta == pytest.approx(mine.time - theirs.time, abs=2e-3)


def test_the_object_that_is_taken_away_is_whole_and_starts_where_the_stretch_does(taught: Coach, desk: dict) -> None:
    told = numbers(taught, desk, "json", "&from_m=4000&to_m=200").json
    assert told["stretch_m"] == [4000, 200]
    assert [lap["key"] for lap in told["laps"]] == [lap["key"] for lap in desk["laps"]]
    places = np.array(told["s_m"])
    assert ((places >= 4000) | (places <= 200)).all()
    for lap, shown in zip(told["laps"], desk["laps"], strict=True):
        delta = np.array(lap["channels"]["delta"]["values"])
        first = int(np.argmin(np.abs(places - 4000)))
        assert delta[first] == pytest.approx(0.0, abs=1e-6)
        # Behind the line it goes on with what was lost before it.
        end, begin = delta[places >= 4000][-1], delta[places <= 200][0]
        assert begin == pytest.approx(end, abs=2e-3)
        assert lap["time_s"] == shown["time_s"]
        assert len(lap["delta_u_s"]) == len(told["doubt_s_m"])


def test_names_in_what_is_taken_away_are_no_formulas(coach: Coach, day: Day) -> None:
    assert coach.hand_in("one.csv", day.files[0].read_bytes(), "=HYPERLINK(1);x").status_code == 201
    desk = coach.get("/api/desk").json
    text = numbers(coach, desk, "csv").data.decode()
    for line in text.splitlines()[:8]:
        for cell in next(csv.reader([line])):
            assert not cell.startswith(("=", "+", "-", "@")) or cell.lstrip("-").replace(".", "").isdigit()
