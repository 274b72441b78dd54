"""The whole desk with logs that were not made for it: German names, no brake, a hill climb, long names of drivers."""

import io
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.registry import DERIVED, DIFFERENCES
from lauftakt.demo.scenario import random_scenario
from lauftakt.formats.csv_out import write_csv
from lauftakt.store.asked import target_on
from lauftakt.store.database import Database
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Analysis, CueRow, Debrief, Run
from tests.web.coach import Coach
from tests.web.test_over_days import sheets_of

LONG = "Maximiliane-Philippine von der Hohenwart-Untertaubenbach, Ä."
GERMAN = {
    "time [s]": "Zeit [s]", "latitude [deg]": "Breite [°]", "longitude [deg]": "Länge [°]",
    "speed [km/h]": "v_Rad [km/h]", "throttle [%]": "Gaspedal [%]", "steering [deg]": "Lenkwinkel [°]",
    "gear [1]": "Gang", "engine speed [rpm]": "Drehzahl [1/min]", "lateral acceleration [g]": "a_quer [g]",
    "longitudinal acceleration [g]": "a_laengs [g]", "oil temperature [degC]": "T_Oel [°C]",
}  # fmt: skip


def log_of(drive: Any, folder: Path, names: dict[str, str], without: tuple[str, ...]) -> bytes:
    path = folder / "own.csv"
    write_csv(drive.log, path)
    lines = [line for line in path.read_text().splitlines() if not line.startswith("#")]
    head = lines[0].split(",")
    kept = [index for index, name in enumerate(head) if not name.startswith(without)]
    rows = [",".join(line.split(",")[index] for index in kept) for line in lines[1:]]
    return "\n".join([",".join(names.get(head[index], head[index]) for index in kept), *rows]).encode()


@pytest.fixture(params=["hill climb", "German kart without a brake"])
def desk(coach: Coach, tmp_path: Path, request: pytest.FixtureRequest) -> dict[str, Any]:
    hill = request.param == "hill climb"
    scenario = random_scenario(11, laps=4, students=1, kind="karst" if hill else "bruchfeld", steady=True)
    names, without = ({}, ()) if hill else (GERMAN, ("brake", "yaw", "receiver"))
    for index, drive in enumerate(scenario.drives[:2]):
        data = log_of(drive, tmp_path, names, without)  # type: ignore[arg-type]
        answer = coach.hand_in(f"lauf-{index}.csv", data, LONG if index else "Zoë")
        assert answer.status_code == 201, answer.text
    runs = coach.get("/api/paddock").json["runs"]
    event = coach.get("/api/desk").json["event"]["id"]
    assert len(runs) == 2, coach.get("/api/hand-ins").text[:600]
    keys = [lap["key"] for run in coach.get(f"/api/choices?event={event}").json["runs"] for lap in run["laps"]]
    found = coach.get(f"/api/desk?laps={','.join(keys)},median-desk,passages-desk&reference={keys[0]}")
    assert found.status_code == 200, found.text
    return found.json


def finite(value: Any) -> None:
    """Nothing that is told is not a number: a gap is null."""
    if isinstance(value, dict):
        for each in value.values():
            finite(each)
    elif isinstance(value, list):
        for each in value:
            finite(each)
    elif isinstance(value, float):
        assert math.isfinite(value)


def test_everything_that_the_desk_asks_is_answered(coach: Coach, desk: dict[str, Any]) -> None:
    laps = [lap["curves"] for lap in desk["laps"]]
    made = [lap["curves"] for lap in desk["laps"] if lap["made"]]
    assert len(made) == 2
    assert {lap["driver"]["name"] for lap in desk["laps"] if lap["driver"]} == {"Zoë", LONG}
    base, names = laps[0], ",".join(laps)
    roles = ",".join(dict.fromkeys([*desk["laps"][0]["roles"], *(set(DERIVED) - set(DIFFERENCES))]))
    passages = [passage["name"] for passage in desk["layout"]["passages"]]
    assert passages
    asked = [
        f"/api/doubt?laps={names}&reference={base}&from_m=150.5",
        f"/api/held-up?laps={names}",
        f"/api/samples?laps={names}&roles=speed,throttle&from_m=100&to_m=160",
        f"/api/card?laps={names}&reference={base}&from_m=100&to_m=400",
        f"/api/card/figures?laps={names}&reference={base}&from_m=100&to_m=400",
        *(f"/api/card?laps={names}&reference={base}&passage={name}" for name in passages[:4]),
        *(f"/api/card/figures?laps={names}&reference={base}&passage={name}" for name in passages[:2]),
        *(f"/api/card?laps={names}&reference={one}&passage={passages[-1]}" for one in made),
        *(f"/api/beside?laps={laps[1]}&reference={one}&by=passages" for one in (base, *made)),
        *(f"/api/stretches?laps={laps[-3]}&reference={one}" for one in (base, *made)),
        f"/api/driven/points?laps={names}",
        *(f"/api/steady?laps={lap}&reference={one}" for lap in (laps[1], laps[-3]) for one in (base, *made)),
        f"/api/grip?laps={names}&reference={base}",
        f"/api/grip?laps={names}&reference={made[0]}&from_m=100&to_m=300",
        *(f"/api/often?laps={names}&role={role}&factor=3.6" for role in ("speed", "gear", "ahead", "grip_used")),
        f"/api/desk/numbers?laps={','.join(lap['key'] for lap in desk['laps'])}&reference={desk['laps'][0]['key']}"
        f"&roles={roles},delta,offset_gap&format=json&from_m=100&to_m=300",
        f"/api/notes?layout={desk['layout']['id']}&runs={desk['laps'][0]['run']}",
    ]
    for url in asked:
        answer = coach.get(url)
        assert answer.status_code == 200, (url, answer.text[:300])
        finite(json.loads(answer.text))
    for url in (
        f"/api/curves?laps={names}&reference={base}&roles={roles}",
        f"/api/curves?laps={names}&reference={made[1]}&roles=speed",
        f"/api/bands?laps={names}&reference={made[0]}&roles={roles},delta,offset_gap&from_m=200",
    ):
        answer = coach.get(url)
        assert answer.status_code == 200, (url, answer.text[:300])
        table = pa.ipc.open_stream(io.BytesIO(answer.data)).read_all()
        assert len(table.column_names) > 1
        for name in table.column_names:
            assert not np.isinf(table[name].to_numpy()).any(), name


def test_what_was_not_logged_is_said_of_those_whose_log_misses_it(coach: Coach, tmp_path: Path) -> None:
    scenario = random_scenario(11, laps=4, students=1, kind="bruchfeld", steady=True)
    for index, (drive, without) in enumerate(zip(scenario.drives[:2], ((), ("brake",)), strict=True)):
        answer = coach.hand_in(f"{index}.csv", log_of(drive, tmp_path, {}, without), f"Driver {index}")
        assert answer.status_code == 201, answer.text
    event = coach.get("/api/desk").json["event"]["id"]
    runs = coach.get(f"/api/choices?event={event}").json["runs"]
    keys = [next(lap["key"] for lap in run["laps"] if lap["time_s"]) for run in runs]
    desk = coach.get(f"/api/desk?laps={','.join(keys)}&reference={keys[0]}").json
    curves = {lap["curves"]: lap["driver"]["name"] for lap in desk["laps"]}
    name = desk["layout"]["passages"][0]["name"]
    base = next(lap["curves"] for lap in desk["laps"] if lap["key"] == desk["reference"])
    card = coach.get(f"/api/card?laps={','.join(curves)}&reference={base}&passage={name}").json
    told = {curves[row["lap"]]: row["inferred"] for row in card["figures"]}
    assert told == {"Driver 0": [], "Driver 1": ["brake"]}


def layout_of(session: Session, row: CueRow) -> Layout:
    run = session.get_one(Run, session.get_one(Debrief, row.debrief_id).run_id)
    return load_layout(session, session.get_one(Analysis, run.analysis_id).layout_version_id, None)


def test_debriefs_of_them_can_be_prepared_given_and_read(
    coach: Coach, database: Database, desk: dict[str, Any]
) -> None:
    passages = [passage["name"] for passage in desk["layout"]["passages"]]
    for run in {lap["run"] for lap in desk["laps"] if lap["run"]}:
        coach.get(f"/api/debriefs/runs/{run}")
        found = coach.get(f"/api/debriefs/runs/{run}")
        finite(found.json)
        assert found.json["state"] == "ready"
        asked = [one["passage"] for one in found.json["findings"] if one["passage"]][:2] or passages[:1]
        for name in asked:
            done = coach.post("/api/cues", json={"run": run, "kind": "cue", "passage": name})
            assert done.status_code == 201, done.text
            finite(done.json)
        # Where cars stop behind the finish of a hill no passage was driven to its end, and nothing can be kept.
        assert coach.post("/api/cues", json={"run": run, "kind": "keep", "passage": passages[-1]}).status_code != 500
        good = [one["passage"] for one in found.json["strengths"]] or passages
        kept = coach.post("/api/cues", json={"run": run, "kind": "keep", "passage": good[0]})
        assert kept.status_code in (201, 409), kept.text
        stretch = {"run": run, "kind": "cue", "from_m": 100.0, "to_m": 300.0, "figure": "min_speed"}
        assert coach.post("/api/cues", json=stretch).status_code in (201, 409, 422)
        debrief = coach.get(f"/api/debriefs/runs/{run}").json["debrief"]["id"]
        assert coach.post(f"/api/debriefs/{debrief}/give", json={"given": True}).status_code == 200
        for units in ("metric", "imperial"):
            sheet = coach.get(f"/api/debriefs/{debrief}/sheet?units={units}").json
            assert "nan" not in json.dumps(sheet).lower().replace("nanc", "")
            assert all(piece["map"].startswith("<svg") for piece in sheet["pieces"])
        for form in ("pdf", "html"):
            assert coach.get(f"/api/debriefs/{debrief}/sheet/file?format={form}").status_code == 200
        for name in (passages[0], passages[-1]):
            for of in ("map", "curves"):
                drawn = coach.get(f"/api/debriefs/runs/{run}/picture?passage={name}&of={of}&figure=brake_point_m")
                assert drawn.status_code == 200
                assert b"nan" not in drawn.data
        finite(coach.get(f"/api/debriefs/{debrief}/check").json)
        # A passage is found again where it lies, also one without a corner.
        told = coach.get(f"/api/debriefs/runs/{run}").json["debrief"]["cues"]
        with database.begin() as session:
            for row in session.scalars(select(CueRow).where(CueRow.id.in_([cue["id"] for cue in told]))):
                target = target_on(row, layout_of(session, row))
                assert target is not None
                assert (target.passage, target.corner) == (row.passage, row.corner)
                assert target.value == pytest.approx(row.value, abs=0.5)
    finite(coach.get("/api/debriefs").json)
    day = coach.get("/api/paddock").json["event"]["id"]
    for path in ("school", f"day?event={day}", "calendar", *(f"drivers/{one}" for one in drivers_in(coach))):
        told = coach.get(f"/api/season/{path}")
        assert told.status_code == 200, told.text
        finite(told.json)
    layout = coach.get("/api/circuits").json["circuits"][0]["id"]
    assert sheets_of(coach, day).mimetype == "application/pdf"
    for path in (f"season/days/{day}/summary", f"layouts/{layout}/notes-sheet"):
        assert coach.get(f"/api/{path}").mimetype == "application/pdf", path


def drivers_in(coach: Coach) -> list[int]:
    return [one["id"] for one in coach.get("/api/paddock").json["drivers"]]


def test_a_made_lap_of_them_lies_where_it_must(coach: Coach, desk: dict[str, Any]) -> None:
    times = {lap["key"]: lap["time_s"] for lap in desk["laps"]}
    driven = [lap["time_s"] for lap in desk["laps"] if not lap["made"]]
    assert times["passages-desk"] <= min(driven) + 1e-6
    # What is usual at each place, so that slips at different places count nowhere: it may be quicker than every lap,
    # and on a hill, where some wait a little in this metre and some in that, than the best passages.
    assert 0.98 * min(driven) <= times["median-desk"] <= max(driven) + 1e-6
