"""Edges of the road and a pit lane as somebody draws or drives them."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core import analyse_run, make_layout
from lauftakt.core.circuit.edges import check_edges, edge_from_lap, edge_from_points, in_pit_lane, pit_lane_from
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.sketching import sketch_from
from lauftakt.core.log.model import Unusable
from lauftakt.core.run import AnalysedRun
from lauftakt.demo.scenario import Scenario, random_scenario
from lauftakt.formats.geojson import read_layout, write_sketch


@pytest.fixture(scope="module")
def scenario() -> Scenario:
    return random_scenario(17, laps=4, students=1, kind="ellerholm")


@pytest.fixture(scope="module")
def layout(scenario: Scenario) -> Layout:
    return make_layout([drive.log for drive in scenario.drives], scenario.sketch)[0]


@pytest.fixture(scope="module")
def run(scenario: Scenario, layout: Layout) -> AnalysedRun:
    return analyse_run(scenario.drives[0].log, layout)


def beside(layout: Layout, at: np.ndarray, offset: float) -> list[tuple[float, float]]:
    x, y, heading = layout.centre.at(at % layout.length)
    latitude, longitude = layout.plane.to_degrees(x - offset * np.sin(heading), y + offset * np.cos(heading))
    return list(zip(latitude.tolist(), longitude.tolist(), strict=True))


@settings(max_examples=10, deadline=None)
@given(st.floats(-9.0, 9.0), st.floats(0.0, 4000.0), st.booleans())
def test_a_drawn_edge_lies_where_it_was_drawn(layout: Layout, offset: float, begin: float, backward: bool) -> None:
    points = beside(layout, begin + np.arange(0.0, layout.length, 10.0), offset)
    found = edge_from_points(layout, points[::-1] if backward else points, "left")
    assert len(found) == len(layout.grid())
    assert np.median(np.abs(found - offset)) < 0.1
    assert np.abs(found - offset).max() < 1.5


def test_an_edge_drawn_in_part_goes_on_as_it_ended(layout: Layout) -> None:
    found = edge_from_points(layout, beside(layout, np.arange(500.0, 900.0, 5.0), 6.0), "left")
    assert found[600] == pytest.approx(6.0, abs=0.2)
    assert found[2000] == pytest.approx(6.0, abs=0.6)


def test_a_lap_along_the_edge_makes_it_half_a_car_wider(layout: Layout, run: AnalysedRun) -> None:
    trace = run.traces[run.counting[0].number]
    left, right = edge_from_lap(layout, trace.offset, "left"), edge_from_lap(layout, trace.offset, "right")
    assert np.allclose(left - right, 1.8)
    assert np.abs(left - 0.9 - trace.offset).max() < 1.5


@pytest.mark.parametrize(
    ("points", "told"),
    [([(0.0, 0.0)], "at least two"), ([(0.0, 0.0), (0.0, 0.001)], "does not lie beside")],
)
def test_what_is_no_edge_is_refused(layout: Layout, points: list[tuple[float, float]], told: str) -> None:
    with pytest.raises(Unusable, match=told):
        edge_from_points(layout, points, "right")


def test_edges_the_wrong_way_round_are_refused(layout: Layout) -> None:
    wide = np.full(len(layout.grid()), 5.0)
    check_edges(replace(layout, left_limit=wide, right_limit=-wide))
    with pytest.raises(Unusable, match="other way round"):
        check_edges(replace(layout, left_limit=-wide, right_limit=wide))


def test_a_lap_along_the_pit_lane_is_told(scenario: Scenario, layout: Layout) -> None:
    """The pit lane is laid where a lap of the log went, so that this lap is the one that drove through it."""
    plain = analyse_run(scenario.drives[0].log, layout)
    lap = plain.counting[1]
    at = np.arange(300.0, 700.0, 5.0)
    own = np.interp(at, layout.grid(), plain.traces[lap.number].offset)
    x, y, heading = layout.centre.at(at)
    points = np.column_stack(layout.plane.to_degrees(x - own * np.sin(heading), y + own * np.cos(heading)))
    lane = pit_lane_from(layout, [(float(a), float(b)) for a, b in points[::-1]])
    assert lane[0] == pytest.approx(points[0]), "drawn against the driving direction it is turned"
    found = analyse_run(scenario.drives[0].log, replace(layout, pit_lane=lane))
    told = next(warning for warning in found.warnings if warning.code == "in-pit-lane")
    assert f"lap {lap.number}" in told.message
    assert not any(warning.code == "in-pit-lane" for warning in plain.warnings)


def test_a_pit_lane_elsewhere_is_refused(layout: Layout) -> None:
    with pytest.raises(Unusable, match="does not lie beside"):
        pit_lane_from(layout, beside(layout, np.array([0.0, 100.0]), 4000.0))
    with pytest.raises(Unusable, match="two points"):
        pit_lane_from(layout, beside(layout, np.array([10.0]), 9.0))
    assert not in_pit_lane(layout, np.zeros(3), np.zeros(3), np.ones(3)).any()


def test_a_pit_lane_goes_out_and_in_again(layout: Layout) -> None:
    lane = pit_lane_from(layout, beside(layout, np.arange(4100.0, 4250.0, 25.0), 9.0))
    sketch = sketch_from(replace(layout, pit_lane=lane), "Ellerholm Park")
    assert read_layout(write_sketch(sketch), "x").pit_lane == pytest.approx(np.array(lane), abs=1e-9)
