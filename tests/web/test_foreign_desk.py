"""The whole desk with logs that were not made for it: German names, no brake, a hill climb, long names of drivers."""

import io
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest

from lauftakt.core.registry import DERIVED, DIFFERENCES
from lauftakt.demo.scenario import random_scenario
from lauftakt.formats.csv_out import write_csv
from tests.web.coach import Coach

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


def test_a_made_lap_of_them_lies_where_it_must(coach: Coach, desk: dict[str, Any]) -> None:
    times = {lap["key"]: lap["time_s"] for lap in desk["laps"]}
    driven = [lap["time_s"] for lap in desk["laps"] if not lap["made"]]
    assert times["passages-desk"] <= min(driven) + 1e-6
    # What is usual at each place, so that slips at different places count nowhere: it may be quicker than every lap,
    # and on a hill, where some wait a little in this metre and some in that, than the best passages.
    assert 0.98 * min(driven) <= times["median-desk"] <= max(driven) + 1e-6
