"""Driven lines on the ground, and the points of every corner on them."""

import io

import numpy as np
import pyarrow as pa
import pytest

from tests.day import Day
from tests.web.coach import Coach


@pytest.fixture
def names(taught: Coach) -> list[str]:
    return [lap["curves"] for lap in taught.get("/api/desk").json["laps"]]


def lines(coach: Coach, laps: list[str]) -> pa.Table:
    answer = coach.get(f"/api/driven?laps={','.join(laps)}")
    assert answer.status_code == 200, answer.text
    assert "immutable" in answer.headers["Cache-Control"]
    return pa.ipc.open_stream(io.BytesIO(answer.data)).read_all()


def test_a_line_lies_as_far_beside_the_road_as_its_offset_says(taught: Coach, names: list[str], day: Day) -> None:
    table = lines(taught, names)
    centre = day.layout.centre
    grid = day.layout.grid()
    x, y, _ = centre.at(grid)
    assert table["s"].to_numpy() == pytest.approx(grid)
    assert table["centre|x"].to_numpy() == pytest.approx(x, abs=1e-3)
    assert table["centre|y"].to_numpy() == pytest.approx(y, abs=1e-3)
    for name, run in zip(names, day.runs, strict=False):
        s, n = centre.project(table[f"{name}|x"].to_numpy().astype(float), table[f"{name}|y"].to_numpy().astype(float))
        offset = run.traces[run.best_lap.number].offset
        inside = slice(20, -20)
        assert n[inside] == pytest.approx(offset[inside], abs=0.02)
        assert s[inside] == pytest.approx(grid[inside], abs=0.2)
    # Nobody drew how wide this road is.
    assert {column.split("|")[0] for column in table.column_names} == {"s", "centre", *names}


def test_points_of_a_corner_are_the_cores(taught: Coach, names: list[str], day: Day) -> None:
    found = taught.get(f"/api/driven/points?laps={','.join(names)}").json["laps"]
    assert [lap["lap"] for lap in found] == names
    for lap, run in zip(found, day.runs, strict=False):
        told = {row["corner"]: row for row in lap["corners"]}
        for index, corner in enumerate(day.layout.corners):
            core = run.technique.at(run.best_lap.number, index)
            if core is None:
                assert corner.name not in told
                continue
            row = told[corner.name]
            pairs = (
                ("brake_m", core.brake_point_m), ("turn_in_m", core.turn_in_m), ("slowest_m", core.min_speed_m),
                ("throttle_m", core.throttle_pickup_m), ("offset_turn_in", core.offset_turn_in),
                ("offset_apex", core.offset_apex), ("offset_exit", core.offset_exit),
            )  # fmt: skip
            for name, value in pairs:
                assert row[name] == (None if value is None else pytest.approx(value, abs=2e-3)), (corner.name, name)


def test_a_lap_whose_line_nobody_knows(coach: Coach, day: Day) -> None:
    coach.hand_in(day.layout_file.name, day.layout_file.read_bytes())
    text = day.files[0].read_text().splitlines()
    head = next(index for index, line in enumerate(text) if not line.startswith("#"))
    columns = text[head].split(",")
    kept = [index for index, name in enumerate(columns) if not name.startswith(("latitude", "longitude"))]
    blind = "\n".join([*text[:head], *(",".join(line.split(",")[index] for index in kept) for line in text[head:])])
    assert coach.hand_in("one.csv", day.files[0].read_bytes(), "Halvard").status_code == 201
    answer = coach.hand_in("blind.csv", blind.encode(), "Blind")
    assert answer.status_code == 201, answer.text
    laps = coach.get("/api/desk").json["laps"]
    assert len(laps) == 2
    by_driver = {lap["driver"]["name"]: lap["curves"] for lap in laps}
    table = lines(coach, list(by_driver.values()))
    # Where nobody knows how far across a lap was, none is drawn; its points have no offset.
    assert f"{by_driver['Halvard']}|x" in table.column_names
    assert f"{by_driver['Blind']}|x" not in table.column_names
    points = coach.get(f"/api/driven/points?laps={by_driver['Blind']}").json["laps"][0]["corners"]
    assert points
    assert all(row["offset_apex"] is None for row in points)
    assert any(row["brake_m"] is not None for row in points)
    for column in table.column_names:
        assert np.isfinite(table[column].to_numpy()).all(), column


def test_the_layouts_turn_and_marks_come_with_the_desk(taught: Coach) -> None:
    layout = taught.get("/api/desk").json["layout"]
    assert layout["closed"] is True
    assert layout["heading_deg"] == 0.0
    assert isinstance(layout["marks"], list)
