"""Technique figures against what was driven."""

import numpy as np
import pytest

from lauftakt.core.technique import Scale, figures
from tests.day import Day


def of(day: Day, driver: str, passage: str):
    run = day.runs[day.of(driver)]
    row = list(run.traces).index(run.best_lap.number)
    grid = {role: rows[row] for role, rows in run.grid.items()}
    part = next(p for p in day.layout.passages if p.name == passage)
    trace = run.traces[run.best_lap.number]
    return figures(grid, day.layout.grid(), trace.time, run.scale, part.from_m, part.to_m)


def test_early_braking_shows_as_an_earlier_brake_point(day: Day) -> None:
    hairpin = next(p.name for p in day.layout.passages if "T5" in p.corners)
    instructor, student = of(day, "Halvard", hairpin), of(day, "Ines", hairpin)
    assert student.brake_point_m < instructor.brake_point_m - 5
    assert student.min_speed < instructor.min_speed


def test_late_throttle_shows(day: Day) -> None:
    part = next(p.name for p in day.layout.passages if "T10" in p.corners)
    assert of(day, "Ines", part).full_throttle_m > of(day, "Halvard", part).full_throttle_m + 8


def straight_brake(onset: float, rise_m: float = 8.0) -> dict[str, np.ndarray]:
    s = np.arange(400.0)
    brake = np.clip((s - onset) / rise_m, 0, 1) * 60e5
    brake[s > 260] = 0
    throttle = np.where(s < onset - 5, 1.0, np.where(s > 300, np.clip((s - 300) / 20, 0, 1), 0.0))
    speed = 55 - np.clip(s - onset, 0, 120) * 0.3 + np.clip(s - 300, 0, None) * 0.05
    return {"brake_pressure": brake, "throttle": throttle, "speed": speed}


@pytest.mark.parametrize("onset", [80.0, 101.3, 140.7])
@pytest.mark.parametrize("rise_m", [3.0, 8.0, 20.0])
def test_brake_point_is_the_onset(onset: float, rise_m: float) -> None:
    grid = straight_brake(onset, rise_m)
    s = np.arange(400.0)
    time = np.concatenate([[0], np.cumsum(1 / grid["speed"][:-1])])
    found = figures(grid, s, time, Scale(60e5, 1.0), 20, 390)
    assert found.brake_point_m == pytest.approx(onset, abs=1.2)
    assert found.full_throttle_m == pytest.approx(319, abs=1.0)
    assert found.throttle_pickup_m == pytest.approx(301, abs=1.5)
    assert not found.inferred


def test_a_short_touch_of_the_brake_is_no_brake_point() -> None:
    grid = straight_brake(200.0)
    grid["brake_pressure"][100:104] = 20e5
    s = np.arange(400.0)
    time = np.concatenate([[0], np.cumsum(1 / grid["speed"][:-1])])
    assert figures(grid, s, time, Scale(60e5, 1.0), 20, 390).brake_point_m == pytest.approx(200, abs=1.2)


def test_flat_has_nothing_to_tell() -> None:
    s = np.arange(300.0)
    grid = {"brake_pressure": np.zeros(300), "throttle": np.ones(300), "speed": np.linspace(50, 52, 300)}
    found = figures(grid, s, s / 50, Scale(60e5, 1.0), 10, 280)
    assert found.brake_point_m is None
    assert found.full_throttle_m is None


def test_braking_is_inferred_where_it_is_not_logged(day: Day) -> None:
    run = day.runs[0]
    row = list(run.traces).index(4)
    grid = {role: rows[row] for role, rows in run.grid.items() if role == "speed"}
    part = next(p for p in day.layout.passages if "T5" in p.corners)
    logged = of(day, "Halvard", part.name)
    trace = run.traces[4]
    found = figures(grid, day.layout.grid(), trace.time, Scale(None, None), part.from_m, part.to_m)
    assert found.inferred
    assert found.full_throttle_m is None
    assert found.brake_point_m == pytest.approx(logged.brake_point_m, abs=6)


def test_a_part_that_is_too_short_is_refused(day: Day) -> None:
    run = day.runs[0]
    grid = {role: rows[0] for role, rows in run.grid.items()}
    with pytest.raises(ValueError, match="3 m"):
        figures(grid, day.layout.grid(), next(iter(run.traces.values())).time, run.scale, 100.0, 101.0)
