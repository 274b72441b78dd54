"""What drivers usually do, and the samples that their loggers wrote."""

import io

import numpy as np
import pyarrow as pa
import pytest

from tests.day import Day
from tests.web.coach import Coach


@pytest.fixture
def own(taught: Coach, day: Day) -> list[str]:
    """Curves of all timed laps of the second driver's run."""
    event = taught.get("/api/desk").json["event"]["id"]
    runs = taught.get(f"/api/choices?event={event}").json["runs"]
    name = day.logs[1].meta["driver"]
    run = next(run for run in runs if run["driver"]["name"] == name)
    keys = ",".join(lap["key"] for lap in run["laps"] if lap["set_aside"] is None)
    return [lap["curves"] for lap in taught.get(f"/api/desk?laps={keys}").json["laps"]]


def table(taught: Coach, url: str) -> pa.Table:
    answer = taught.get(url)
    assert answer.status_code == 200, answer.text
    return pa.ipc.open_stream(io.BytesIO(answer.data)).read_all()


def test_the_band_of_a_driver_is_quartiles_of_the_laps(taught: Coach, own: list[str]) -> None:
    laps, base = ",".join(own), taught.get("/api/desk").json["laps"][0]["curves"]
    asked = "roles=speed,throttle,delta,offset_gap,rolling,loss_rate"
    bands = table(taught, f"/api/bands?laps={laps},{base}&reference={base}&from_m=500.5&{asked}")
    curves = table(taught, f"/api/curves?laps={laps},{base}&reference={base}&roles=speed,throttle,offset,rolling")
    driver = taught.get("/api/desk").json["laps"][1]["driver"]["id"]
    # Of the reference's driver there is one lap: no band.
    assert {name.split("|")[0] for name in bands.column_names if name != "s"} == {str(driver)}

    def rows(role: str) -> np.ndarray:
        return np.array([curves[f"{lap}|{role}"].to_numpy() for lap in own], float)

    grid = curves["s"].to_numpy()
    time = rows("time") - curves[f"{base}|time"].to_numpy()
    delta = time - np.array([[np.interp(500.5, grid, row)] for row in time])
    expected = {"speed": rows("speed"), "delta": delta, "offset_gap": rows("offset") - curves[f"{base}|offset"]}
    for role, values in expected.items():
        for name, share in (("low", 0.25), ("middle", 0.5), ("high", 0.75)):
            told = bands[f"{driver}|{role}|{name}"].to_numpy()
            assert told == pytest.approx(np.quantile(values, share, axis=0), abs=1e-4), (role, name)
    # On neither pedal or not: there is no half.
    assert set(np.unique(bands[f"{driver}|rolling|middle"].to_numpy())) <= {0.0, 1.0}


def test_of_two_laps_there_is_no_band(taught: Coach, own: list[str]) -> None:
    laps = ",".join(own[:2])
    assert table(taught, f"/api/bands?laps={laps}&reference={own[0]}&roles=speed").column_names == ["s"]


def test_samples_are_what_the_logger_wrote(taught: Coach, own: list[str], day: Day) -> None:
    lap = own[0]
    found = taught.get(f"/api/samples?laps={lap}&roles=speed,throttle,grip_used,offset&from_m=400&to_m=600").json
    told = {row["role"]: row for row in found["channels"]}
    assert set(told) == {"speed", "throttle"}  # what is computed has none
    run, number = day.runs[1], int(lap.split(".")[1])
    start = next(each.start_s for each in run.laps if each.number == number)
    time = run.traces[number].time
    grid = day.layout.grid()
    for role, row in told.items():
        places = np.array(row["s_m"])
        assert (np.diff(places) > 0).all()
        assert places.min() >= 399.9
        assert places.max() <= 600.1
        assert 0 < row["rate_hz"] < 1000
        channel = day.logs[1].role(role)
        assert channel is not None
        first, last = np.searchsorted(channel.time, start + np.interp([400.0, 600.0], grid, time))
        assert abs(len(places) - (last - first)) <= 1
    # They lie on the curve, but for what smoothing takes off.
    curve = table(taught, f"/api/curves?laps={lap}&reference={lap}&roles=throttle")
    near = np.interp(told["throttle"]["s_m"], curve["s"].to_numpy(), curve[f"{lap}|throttle"].to_numpy())
    assert np.median(np.abs(near - np.array(told["throttle"]["values"]))) < 0.02


def test_samples_of_a_long_piece_are_refused_and_of_a_made_lap_there_are_none(taught: Coach, own: list[str]) -> None:
    answer = taught.get(f"/api/samples?laps={own[0]}&from_m=0&to_m=2000")
    assert answer.status_code == 422
    assert "800 m" in answer.json["message"]
    keys = [lap["key"] for lap in taught.get("/api/desk").json["laps"]]
    desk = taught.get(f"/api/desk?laps={','.join(keys)},median-desk&reference={keys[0]}").json
    made = next(lap["curves"] for lap in desk["laps"] if lap["made"])
    assert taught.get(f"/api/samples?laps={made}&from_m=100&to_m=200").json == {"channels": []}


def test_folded_staves_are_remembered(taught: Coach) -> None:
    before = taught.get("/api/staves").json
    body = {"staves": ["delta", "speed"], "folded": ["speed"], "heights": {}, "sets": []}
    assert taught.put("/api/staves", json=body).status_code == 200
    assert taught.get("/api/staves").json["folded"] == ["speed"]
    taught.put("/api/staves", json=before)
