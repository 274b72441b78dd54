"""The card in depth: figures of the registry, two laps in all parts, stretches proposed by the data."""

import io

import numpy as np
import pyarrow as pa
import pytest

from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import stretch_loss, time_delta
from lauftakt.core.laps.lap import inside
from lauftakt.core.registry import FIGURES
from tests.day import Day
from tests.web.coach import Coach


@pytest.fixture
def names(taught: Coach) -> tuple[str, str]:
    desk = taught.get("/api/desk").json
    return desk["laps"][0]["curves"], desk["laps"][1]["curves"]


def test_every_figure_of_the_registry_is_the_cores(taught: Coach, names: tuple[str, str], day: Day) -> None:
    base, own = names
    passage = next(p for p in day.layout.passages if len(p.corners) == 1)
    where = [c.name for c in day.layout.corners].index(passage.corners[0])
    found = taught.get(f"/api/card/figures?laps={own},{base}&reference={base}&passage={passage.name}").json
    lap = day.runs[1].best_lap.number
    told = {row["lap"]: row for row in found["laps"]}
    assert set(told[own]["values"]) == set(FIGURES)
    core = day.runs[1].technique.at(lap, where)
    for code, value in told[own]["values"].items():
        expected = getattr(core, code)
        # An analysis that was made anew from stored samples differs in the seventh digit.
        assert value == (None if expected is None else pytest.approx(float(expected), rel=1e-4, abs=1e-3)), code
    # Entry, middle, exit and straight add up to what is lost in the corner.
    low, high = passage_range(day.layout, day.layout.passages.index(passage))
    loss = stretch_loss(day.runs[1].traces[lap], day.runs[0].traces[day.runs[0].best_lap.number], low, high, False)
    assert sum(told[own]["parts_s"]) == pytest.approx(loss.loss_s, abs=1e-4)
    assert told[base]["parts_s"] == pytest.approx([0.0] * 4, abs=1e-9)
    # The dots are the run's clean laps.
    dots = {row["run"]: row for row in found["runs"]}
    assert len(dots) == 2
    for row in dots.values():
        assert len(row["numbers"]) >= 4
        assert set(row["figures"]) == set(FIGURES)
        assert all(len(each["values"]) == len(row["numbers"]) for each in row["figures"].values())
    stretch = taught.get(f"/api/card/figures?laps={own},{base}&reference={base}&from_m=500&to_m=900").json
    assert stretch["laps"][0]["parts_s"] == []
    assert stretch["corner"] is None


def test_two_laps_in_all_parts_add_up(taught: Coach, names: tuple[str, str], day: Day) -> None:
    base, own = names
    a, b = day.runs[1].best_lap, day.runs[0].best_lap
    rows = taught.get(f"/api/beside?laps={own}&reference={base}&by=sectors").json["rows"]
    assert [row["name"] for row in rows] == ["1", "2", "3"]
    assert sum(row["loss_s"] for row in rows) == pytest.approx(a.time_s - b.time_s, abs=1e-4)
    assert sum(row["own"]["time_s"] for row in rows) == pytest.approx(a.time_s, abs=1e-4)
    passages = taught.get(f"/api/beside?laps={own}&reference={base}").json["rows"]
    assert [row["name"] for row in passages] == [p.name for p in day.layout.passages]
    for row in passages:
        for side in ("own", "reference"):
            told = row[side]
            assert told["min_speed"] <= min(told["entry_speed"], told["exit_speed"])
            assert told["peak_braking"] >= (told["mean_braking"] or 0.0)
        assert row["loss_s"] == pytest.approx(row["own"]["time_s"] - row["reference"]["time_s"], abs=1e-6)
    same = taught.get(f"/api/beside?laps={base}&reference={base}").json["rows"]
    assert all(row["loss_s"] == pytest.approx(0.0) for row in same)
    assert taught.get(f"/api/beside?laps={own}&reference={base}&by=halves").status_code == 422


def test_stretches_are_proposed_where_the_delta_grows(taught: Coach, names: tuple[str, str], day: Day) -> None:
    base, own = names
    found = taught.get(f"/api/stretches?laps={own}&reference={base}").json["stretches"]
    assert found
    two, one = (day.runs[k].traces[day.runs[k].best_lap.number] for k in (1, 0))
    delta, grid = time_delta(two, one), day.layout.grid()
    sizes = [abs(row["loss_s"]) for row in found]
    assert sizes == sorted(sizes, reverse=True)
    for row in found:
        assert np.diff(np.interp([row["from_m"], row["to_m"]], grid, delta))[0] == pytest.approx(
            row["loss_s"], abs=2e-3
        )  # fmt: skip
        assert abs(row["loss_s"]) > row["loss_u_s"]
    # What was lost for certain is nearly all in them.
    assert sum(row["loss_s"] for row in found) > 0.6 * delta[-1]
    assert taught.get(f"/api/stretches?laps={base}&reference={base}").json["stretches"] == []


def test_derived_channels_are_drawn_as_the_core_has_them(taught: Coach, names: tuple[str, str], day: Day) -> None:
    base, own = names
    roles = "grip_used,rolling,brake_inferred"
    answer = taught.get(f"/api/curves?laps={own},{base}&reference={base}&roles={roles}")
    table = pa.ipc.open_stream(io.BytesIO(answer.data)).read_all()
    run = day.runs[1]
    row = run.signals.numbers.index(run.best_lap.number)
    used = run.signals.grip_used(row)[inside(day.layout)]
    assert np.allclose(table[f"{own}|grip_used"].to_numpy(), used, rtol=1e-3, atol=1e-3)
    assert set(np.unique(table[f"{own}|rolling"].to_numpy())) <= {0.0, 1.0}
    # The brake was logged: nothing is inferred of it.
    assert f"{own}|brake_inferred" not in table.column_names
