"""The car watch, stints and traffic as a coach uses them: figures are the core's, words survive a new analysis."""

from typing import Any

import numpy as np
import pytest

from lauftakt.core.technique.by_lap import STATISTICS, figures_by_lap
from lauftakt.core.technique.watching import Limit, excursions, growth
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.reading import read_raw
from lauftakt.store.database import Database
from lauftakt.store.models import HeldWord
from lauftakt.web.creeping import WORTH
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give

RPM = 2 * np.pi / 60


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def watch(school: Coach, **query: Any) -> dict[str, Any]:
    asked = "&".join(f"{name}={value}" for name, value in query.items())
    answer = school.get(f"/api/watch?{asked}")
    assert answer.status_code == 200, answer.json
    return answer.json


def test_figures_by_lap_are_the_cores(school: Coach, day: Day) -> None:
    codes = "water_temperature:mean,engine_speed:high,throttle:p95,peak_braking:mean,nonsense:mean,gear:nonsense"
    found = watch(school, figures=codes)
    assert [row["code"] for row in found["figures"]] == codes.split(",")[:4]
    assert {row["role"] for row in found["roles"]} >= {"water_temperature", "peak_braking", "full_throttle_share"}
    for number, run in enumerate(found["runs"]):
        log = interpret(read_raw(day.files[number]))
        own = figures_by_lap(log, day.runs[number].laps, day.runs[number].signals, day.layout.length)
        laps = [lap for lap in found["laps"] if lap["run"] == run["id"]]
        assert len(laps) == len(day.runs[number].laps)
        for column, code in enumerate(codes.split(",")[:4]):
            role, statistic = code.split(":")
            told = np.array([lap["values"][column] for lap in laps], float)
            assert told == pytest.approx(own[role][:, STATISTICS.index(statistic)], rel=1e-3, nan_ok=True)


def test_whether_what_a_driver_does_grows_is_the_cores(school: Coach) -> None:
    codes = "peak_braking:mean,lateral_grip:mean,full_throttle_share:mean"
    found = watch(school, figures=codes)
    assert found["growths"]
    for one in found["growths"]:
        runs = {run["id"] for run in found["runs"] if run["driver"]["id"] == one["driver"]["id"]}
        column = [code.split(":")[0] for code in codes.split(",")].index(one["role"])
        laps = [lap for lap in found["laps"] if lap["run"] in runs and lap["time_s"] and not lap["set_aside"]]
        own = growth(np.array([lap["values"][column] for lap in laps], float), WORTH[one["quantity"]])
        assert own is not None
        assert (one["verdict"], one["laps"]) == (own.verdict, own.laps)
        assert one["by"] == pytest.approx(own.by, rel=1e-6)
    # Laps set aside do not count: then there are too few.
    keys = [lap["key"] for lap in found["laps"] if lap["time_s"]]
    aside = {"laps": keys[:-3], "counts": False, "reason": "mistake"}
    assert school.post("/api/laps/judged", json=aside).status_code == 200
    assert watch(school)["growths"] == []


def sheet(**more: Any) -> dict[str, Any]:
    return {"mass_kg": 1180.0, "power_w": 140_000.0, "gears": [3.2, 2.1], "tyres": "205/50", **more}


def test_what_was_over_a_limit_is_found_in_the_samples_and_leads_to_its_place(school: Coach, day: Day) -> None:
    found = watch(school)
    car = found["cars"][0]
    assert car["sheet"]["limits"] == []
    log = interpret(read_raw(day.files[0]))
    turning = log.role("engine_speed")
    assert turning is not None
    value = float(np.quantile(turning.values, 0.995))
    limits = [{"role": "engine_speed", "over": True, "value": value, "least_s": 0.05}]
    kept = school.put(f"/api/cars/{car['id']}/sheet", json=sheet(limits=limits))
    assert kept.status_code == 200, kept.json
    own = excursions(turning, Limit("engine_speed", True, value, 0.05), None, log.role("gear"))
    assert own
    told = watch(school)
    run = told["runs"][0]["id"]
    rows = sorted((row for row in told["excursions"] if row["run"] == run), key=lambda row: row["from_s"])
    assert [row["from_s"] for row in rows] == pytest.approx([one.begin_s for one in own], abs=0.02)
    assert [row["duration_s"] for row in rows] == pytest.approx([one.end_s - one.begin_s for one in own], abs=0.03)
    assert [row["gear_after"] for row in rows] == [one.gear_after for one in own]
    placed = next(row for row in rows if row["at_m"] is not None)
    assert placed["from_m"] <= placed["at_m"] <= placed["to_m"]
    # There the car was at that moment: the speed of the desk's curve and that of the log agree on the engine's.
    lap = next(lap for lap in day.runs[0].laps if lap.number == placed["number"])
    trace = day.runs[0].traces[lap.number]
    when = np.interp(placed["at_m"], day.layout.grid(), trace.time) + lap.start_s
    assert when == pytest.approx(placed["from_s"], abs=placed["duration_s"] + 0.05)
    assert sum(lap["over_s"] for lap in told["laps"] if lap["run"] == run) == pytest.approx(
        sum(row["duration_s"] for row in rows), abs=0.2
    )
    assert school.post(f"/api/actions/{kept.json['action']}/undo").status_code == 204
    assert watch(school)["excursions"] == []


def test_a_limit_of_what_nobody_logged_is_told(school: Coach) -> None:
    car = watch(school)["cars"][0]["id"]
    limits = [{"role": "oil_pressure", "over": False, "value": 2e5, "when_role": "engine_speed", "when_over": 300.0}]
    assert school.put(f"/api/cars/{car}/sheet", json=sheet(limits=limits)).status_code == 200
    found = watch(school)
    assert len(found["missing"]) == 2
    assert "oil pressure was not logged" in found["missing"][0]
    assert school.get(f"/api/cars/{car}").json["sheet"]["mass_kg"] == 1180.0
    unknown = school.put(f"/api/cars/{car}/sheet", json=sheet(limits=[{"role": "x", "over": True, "value": 1.0}]))
    assert (unknown.status_code, unknown.json["code"]) == (422, "role")


def test_sets_of_figures_are_kept_by_name(school: Coach) -> None:
    made = school.post("/api/figure-sets", json={"name": "Engine", "figures": ["engine_speed:high"]}).json
    again = school.post("/api/figure-sets", json={"name": "engine", "figures": ["gear:low"]}).json
    assert again["id"] == made["id"]
    assert watch(school)["sets"] == [again]
    assert school.post("/api/figure-sets", json={"name": "No", "figures": ["x:y"]}).status_code == 422
    assert school.delete(f"/api/figure-sets/{made['id']}").status_code == 204
    assert watch(school)["sets"] == []


def test_a_car_or_a_driver_over_all_days(school: Coach) -> None:
    found = watch(school)
    driver, car = found["runs"][0]["driver"]["id"], found["cars"][0]["id"]
    assert {row["driver"]["id"] for row in watch(school, driver=driver)["runs"]} == {driver}
    assert len(watch(school, car=car)["runs"]) == 2
    assert school.get("/api/watch?car=999999").status_code == 404


def test_traffic_is_corrected_in_the_logs_time_and_taken_back(school: Coach, database: Database) -> None:
    laps = school.get("/api/laps").json["laps"]
    lap = next(row for row in laps if row["time_s"] and row["set_aside"] is None and not row["held"])
    said = school.post("/api/laps/traffic", json={"lap": lap["key"], "from_m": 300.0, "to_m": 900.0, "held": True})
    assert said.status_code == 200, said.json

    def now() -> dict[str, Any]:
        return next(row for row in school.get("/api/laps").json["laps"] if row["key"] == lap["key"])

    assert now()["held_m"] == [pytest.approx([300.0, 900.0], abs=1.5)]
    assert now()["held"] == [0]
    driver = next(row for row in school.get("/api/laps").json["drivers"] if row["counting"])
    free = school.post("/api/laps/traffic", json={"lap": lap["key"], "from_m": 0.0, "to_m": 500.0, "held": False})
    assert now()["held_m"] == [pytest.approx([500.0, 900.0], abs=1.5)]
    # The words are of the log, not of the layout: on a moved line the part lies on the same ground.
    layout = school.get("/api/circuits").json["circuits"][0]["id"]
    ground = school.get(f"/api/layouts/{layout}").json
    kept = school.post(
        f"/api/layouts/{layout}/versions",
        json={
            "base": ground["version"]["id"],
            "sector_set": ground["sector_set"],
            "start_m": 100.0,
            "corners": [
                {k: c[k] for k in ("name", "entry_m", "apex_m", "exit_m")} for c in ground["layout"]["corners"]
            ],
            "borders": [p["from_m"] for p in ground["layout"]["passages"]],
            "splits": ground["sets"][0]["splits"],
        },
    )
    assert kept.status_code == 200, kept.json
    moved = [row["held_m"] for row in school.get("/api/laps").json["laps"] if row["held_m"]]
    assert [pytest.approx([400.0, 800.0], abs=3.0)] in moved
    for action in (free.json["action"], said.json["action"]):
        assert school.post(f"/api/actions/{action}/undo").status_code == 204
    with database.begin() as session:
        assert session.query(HeldWord).filter_by(team_id=school.team_id).count() == 0
    wrong = school.post("/api/laps/traffic", json={"lap": lap["key"], "from_m": 900.0, "to_m": 300.0, "held": True})
    assert (wrong.status_code, wrong.json["code"]) == (422, "part")
    assert driver["driver"]["name"]


def test_a_stint_is_cut_described_and_its_tyres_are_entered(school: Coach) -> None:
    event = school.get("/api/laps").json["event"]["id"]

    def stints() -> list[dict[str, Any]]:
        return school.get(f"/api/stints?event={event}").json["stints"]

    before = stints()
    own = before[0]
    middle = own["laps"][4]["key"]
    cut = school.post("/api/stints/said", json={"lap": middle, "cut": True, "tried": "Softer at the rear."})
    assert cut.status_code == 200, cut.json
    after = [row for row in stints() if row["run"] == own["run"]]
    assert [len(row["laps"]) for row in after] == [4, len(own["laps"]) - 4]
    assert (after[1]["cut"], after[1]["tried"], after[0]["tried"]) == (True, "Softer at the rear.", None)
    tyres = {"front_left": {"inner_k": 361.0, "middle_k": 358.0, "outer_k": 352.0, "cold_pa": 160e3, "hot_pa": 205e3}}
    assert school.post("/api/stints/said", json={"lap": middle, "tyres": tyres}).status_code == 200
    told = [row for row in stints() if row["run"] == own["run"]][1]
    assert told["tyres_said"]["front_left"]["inner_k"] == 361.0
    assert told["tried"] == "Softer at the rear."
    assert told["tyres_logged"] is None
    assert school.post(f"/api/actions/{cut.json['action']}/undo").status_code == 204
    assert len([row for row in stints() if row["run"] == own["run"]]) == 1
    # What was said of it since is not taken along: it is there again with the cut.
    assert school.post("/api/stints/said", json={"lap": middle, "cut": True}).status_code == 200
    assert any((row["tyres_said"] or {}).get("front_left", {}).get("inner_k") == 361.0 for row in stints())
