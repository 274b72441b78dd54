"""Laps: every lap of the day by sectors, bests as the core has them, and many set aside at once."""

import csv
import io
from typing import Any

import numpy as np
import pytest

from lauftakt.core.laps.counting import theoretical_best
from lauftakt.core.laps.times import passage_times
from lauftakt.store.database import Database
from lauftakt.web.paper import lap_time
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def test_a_team_without_runs_is_told_so(coach: Coach) -> None:
    found = coach.get("/api/laps").json
    assert found["event"] is None
    assert found["laps"] == []


def test_the_sheet_is_the_cores(school: Coach, day: Day) -> None:
    found = school.get("/api/laps").json
    assert [c["name"] for c in found["columns"]] == ["Sector 1", "Sector 2", "Sector 3"]
    assert [row["driver"]["name"] for row in found["drivers"]] == ["Halvard", "Ines"]
    assert len(found["laps"]) == sum(len(run.laps) for run in day.runs[:2])
    for row, run in zip(found["drivers"], day.runs[:2], strict=True):
        assert row["best_s"] == pytest.approx(run.best_lap.time_s, abs=1e-6)
        assert row["theoretical_s"] == pytest.approx(theoretical_best(run.laps), abs=1e-6)
        assert row["unbroken_s"] == pytest.approx(run.unbroken_best_s(), abs=1e-6)
        assert row["gap_s"] == pytest.approx(row["best_s"] - row["theoretical_s"])
        assert row["counting"] == len(run.counting)
        best = [min(times) for times in zip(*(lap.sector_times_s for lap in run.counting), strict=True)]
        assert [part["best_s"] for part in row["parts"]] == pytest.approx(best, abs=1e-6)
    # The spread is a run's own; of a driver with one run it is the day's as well.
    for shown, run in zip(found["runs"], day.runs[:2], strict=True):
        own = next(row for row in found["drivers"] if row["driver"]["id"] == shown["driver"])
        assert shown["spreads_s"] == pytest.approx([part["spread_s"] for part in own["parts"]])
        assert len(run.counting) >= 4
    # Who is best of all, and who is level with that; the slower of the two is not, by seconds.
    assert [part["rank"] for part in found["drivers"][0]["parts"]] == [1, 1, 1]
    assert all(part["level"] for part in found["drivers"][0]["parts"])
    assert not any(part["level"] for part in found["drivers"][1]["parts"])
    key = found["drivers"][0]["best_lap"]
    assert school.get(f"/api/desk?laps={key}&reference={key}").json["laps"][0]["time_s"] == pytest.approx(
        found["drivers"][0]["best_s"]
    )


def test_passages_are_columns_too(school: Coach, day: Day) -> None:
    found = school.get("/api/laps?columns=passages").json
    assert len(found["columns"]) == len(day.layout.passages)
    assert found["columns"][1]["name"] == "T2-T3"
    own = passage_times(day.runs[0].traces[2], day.layout)
    lap = next(lap for lap in found["laps"] if lap["number"] == 2 and lap["run"] == found["runs"][0]["id"])
    shown = [np.nan if t is None else t for t in lap["parts_s"]]
    assert shown == pytest.approx(own, abs=2e-5, nan_ok=True)
    assert school.get("/api/laps?columns=colours").status_code == 422


def test_many_laps_are_set_aside_and_brought_back_at_once(school: Coach) -> None:
    before = school.get("/api/laps").json
    keys = [lap["key"] for lap in before["laps"] if lap["time_s"] and lap["number"] in (2, 3)]
    assert len(keys) == 4
    done = school.post("/api/laps/judged", json={"laps": keys, "counts": False, "reason": "traffic"})
    assert done.json["laps"] == 4
    after = school.get("/api/laps").json
    assert {lap["key"] for lap in after["laps"] if lap["set_aside"] == "traffic"} == set(keys)
    for row, old in zip(after["drivers"], before["drivers"], strict=True):
        assert row["counting"] == old["counting"] - 2
    paddock = {run["driver"]["name"]: run["counting"] for run in school.get("/api/paddock").json["runs"]}
    assert paddock == {row["driver"]["name"]: row["counting"] for row in after["drivers"]}
    assert school.post(f"/api/actions/{done.json['action']}/undo").status_code == 204
    assert school.get("/api/laps").json["drivers"] == before["drivers"]


def test_all_laps_are_judged_or_none(school: Coach, stranger: Coach) -> None:
    laps = school.get("/api/laps").json["laps"]
    good, out = (next(lap["key"] for lap in laps if (lap["time_s"] is None) is no) for no in (False, True))
    answer = school.post("/api/laps/judged", json={"laps": [good, out], "counts": True})
    assert answer.status_code == 409
    assert school.get("/api/laps").json["laps"] == laps
    assert stranger.post("/api/laps/judged", json={"laps": [good], "counts": False}).status_code == 404
    assert school.post("/api/laps/judged", json={"laps": ["x"], "counts": False}).status_code == 422
    assert school.post("/api/laps/judged", json={"laps": [], "counts": False}).status_code == 422
    # An address at which no lap begins means none, and never the nearest one.
    nowhere = f"{good.split('-')[0]}-99999"
    assert school.post("/api/laps/judged", json={"laps": [nowhere], "counts": False}).status_code == 404


def test_the_sheet_leaves_as_csv_that_is_no_program(school: Coach) -> None:
    run = school.get("/api/paddock").json["runs"][0]["id"]
    school.patch(f"/api/runs/{run}", json={"driver": '=HYPERLINK("x")'})
    rows = list(csv.reader(io.StringIO(school.get("/api/laps/file").data.decode("utf-8-sig"))))
    assert rows[0][:3] == ["driver", "run", "car"]
    assert rows[0][-1] == "Sector 3 [s]"
    assert any(row[0] == '\'=HYPERLINK("x")' for row in rows[1:])
    timed = next(row for row in rows[1:] if row[6])
    assert float(timed[6]) == pytest.approx(sum(float(cell) for cell in timed[7:]), abs=0.002)


def test_stints_of_a_day_side_by_side(school: Coach, day: Day) -> None:
    event = school.get("/api/laps").json["event"]["id"]
    found = school.get(f"/api/stints?event={event}").json["stints"]
    assert [stint["driver"]["name"] for stint in found] == ["Halvard", "Ines"]
    for stint, run in zip(found, day.runs[:2], strict=True):
        times = [lap.time_s for lap in run.counting]
        assert [lap["time_s"] for lap in stint["laps"]] == pytest.approx(times, abs=1e-6)
        assert stint["mean_s"] == pytest.approx(np.mean(times))
        assert stint["quickest"][0]["mean_s"] == pytest.approx(np.mean(sorted(times)[:4]))
        assert [window["laps"] for window in stint["in_a_row"]] == [4, 8]
    pair = school.get(f"/api/stints?event={event}&first={found[0]['key']}&second={found[1]['key']}&windows=3").json
    assert [window["laps"] for window in pair["stints"][0]["quickest"]] == [3]
    own = [np.array([lap.time_s for lap in run.counting]) for run in day.runs[:2]]
    count = min(len(times) for times in own)
    assert pair["difference"]["laps"] == count
    assert pair["difference"]["total_s"] == pytest.approx(float((own[1][:count] - own[0][:count]).sum()), abs=1e-6)
    assert school.get(f"/api/stints?event={event}&first=1-1&second=2-2").status_code == 404
    assert school.get(f"/api/stints?event={event}&windows=x").status_code == 422


def test_the_sheet_is_measured_against_any_lap(school: Coach, day: Day) -> None:
    found = school.get("/api/laps").json
    lap = next(row for row in found["laps"] if row["time_s"] and row["run"] == found["runs"][1]["id"])
    for columns in ("sectors", "passages"):
        told = school.get(f"/api/laps?columns={columns}&against={lap['key']}").json
        own = next(row for row in told["laps"] if row["key"] == lap["key"])
        assert told["against"]["driver"] == "Ines"
        assert told["against"]["time_s"] == pytest.approx(own["time_s"], abs=1e-6)
        assert [p or -1 for p in told["against"]["parts_s"]] == pytest.approx(
            [p or -1 for p in own["parts_s"]], abs=2e-5
        )
    assert found["against"] is None
    assert school.get("/api/laps?against=999999-3").status_code == 404
    assert school.get("/api/laps?against=nonsense").status_code == 422


def test_the_best_parts_of_all_make_one_lap(school: Coach, day: Day) -> None:
    found = school.get("/api/laps").json
    best = [
        min(min(lap.sector_times_s[k] for lap in run.counting) for run in day.runs[:2])
        for k in range(len(found["columns"]))
    ]
    assert found["composite"]["time_s"] == pytest.approx(sum(best), abs=1e-6)
    assert len(found["composite"]["drivers"]) == len(best)


def test_the_sheet_is_set_on_paper(school: Coach, day: Day) -> None:
    answer = school.get("/api/laps/sheet?columns=passages")
    assert answer.mimetype == "application/pdf"
    assert answer.data.startswith(b"%PDF-")
    hostile = '#panic("no") $x$ <b> \\ " 𝔏auf' + "ä" * 150
    run = school.get("/api/laps").json["runs"][0]["id"]
    assert school.patch(f"/api/runs/{run}", json={"driver": hostile[:190]}).status_code == 200
    assert school.get("/api/laps/sheet").data.startswith(b"%PDF-")


def test_times_are_written_as_they_are_read() -> None:
    assert [lap_time(t) for t in (114.224, 59.999, 3.5, None, 119.999)] == [
        "1:54.22",
        "1:00.00",
        "3.50",
        "–",
        "2:00.00",
    ]


def test_a_name_is_one_line_and_no_formula_in_a_table(school: Coach) -> None:
    run = school.get("/api/paddock").json["runs"][0]
    before = run["driver"]["name"]
    assert school.patch(f"/api/runs/{run['id']}", json={"driver": "=Ada\n Lo\tve"}).status_code == 200
    names = {one["driver"]["name"] for one in school.get("/api/paddock").json["runs"]}
    assert "=Ada Lo ve" in names
    rows = list(csv.reader(io.StringIO(school.get("/api/laps/file").data.decode("utf-8-sig"))))
    assert any(row[0] == "'=Ada Lo ve" for row in rows)
    assert not any(row[0].startswith("=") for row in rows)
    assert school.patch(f"/api/runs/{run['id']}", json={"driver": before}).status_code == 200
