"""Corners, passages and sectors of the layout that was made from a log."""

import numpy as np

from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.laps.lap import inside
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.scenario import random_scenario
from tests.day import Day


def test_all_thirteen_corners_are_found(day: Day) -> None:
    circuit = ellerholm_park()
    assert [corner.name for corner in day.layout.corners] == [f"T{i}" for i in range(1, 14)]
    scale = day.layout.length / circuit.length
    for corner, (name, apex) in zip(day.layout.corners, circuit.corners, strict=True):
        # The apex lies within the corner that was built; a double apex has two of them.
        assert abs(corner.apex_m - apex * scale) < 70, name
        assert corner.entry_m < corner.apex_m < corner.exit_m


def test_directions(day: Day) -> None:
    left = {corner.name for corner in day.layout.corners if corner.direction == "left"}
    assert left == {"T2", "T5", "T7", "T9", "T11"}


def test_the_chicane_is_one_group(day: Day) -> None:
    groups = {corner.name: corner.group for corner in day.layout.corners}
    assert groups["T2"] == groups["T3"] != groups["T1"]


def test_passages_divide_the_lap_without_gaps(day: Day) -> None:
    passages = day.layout.passages
    for passage, following in zip(passages, [*passages[1:], passages[0]], strict=True):
        assert passage.to_m == following.from_m
    covered = sum((p.to_m - p.from_m) % day.layout.length for p in passages)
    assert np.isclose(covered, day.layout.length)
    assert [name for p in passages for name in p.corners] == [c.name for c in day.layout.corners]


def test_passages_begin_before_everybody_brakes(day: Day) -> None:
    grid = day.layout.grid()
    hairpin = next(p for p in day.layout.passages if "T5" in p.corners)
    for run in day.runs:
        pressure = run.signals.others["brake_pressure"][:, inside(day.layout)]
        at = int(np.searchsorted(grid, hairpin.from_m))
        assert (pressure[:, at] < 3e5).all()


def test_sectors_are_of_comparable_time(day: Day) -> None:
    assert len(day.layout.splits_m) == 2
    best = day.runs[0].best_lap
    assert max(best.sector_times_s) < 1.35 * min(best.sector_times_s)
    begins = {round(p.from_m, 3) for p in day.layout.passages}
    assert {round(s, 3) for s in day.layout.splits_m} <= begins


def test_length_of_the_layout(day: Day) -> None:
    # The centre line is the mean of driven lines, a little shorter than the middle of the road.
    assert 0.99 * 4310 < day.layout.length < 4310


def test_a_passage_begins_before_all_of_its_braking() -> None:
    """Also where a driver touches the brake once more just before the apex."""
    scenario = random_scenario(5, laps=6, students=0, kind="ellerholm", steady=True)
    layout, _ = make_layout([scenario.drives[0].log], scenario.sketch)
    signals = analyse_run(scenario.drives[0].log, layout).signals
    assert signals is not None
    for index, passage in enumerate(layout.passages):
        low, _ = passage_range(layout, index)
        apex = next(c.apex_m for c in layout.corners if c.name == passage.corners[0])
        before = (signals.places >= low - 80.0) & (signals.places < low) & (signals.places > 0)
        assert apex > low
        for row in range(len(signals.numbers)):
            braking = signals.brake[row, before] > signals.brake_on
            assert braking.mean() < 0.3, (passage, signals.numbers[row])


def test_corners_that_depend_on_one_another_are_one_passage(day: Day) -> None:
    assert [p.corners for p in day.layout.passages if len(p.corners) > 1] == [
        ("T2", "T3"),
        ("T7", "T8"),
        ("T11", "T12"),
    ]
