"""The simulator is what the numbers are measured against: what it says of a run must fit together by itself."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.demo.car import GRAVITY, Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import bruchfeld_kart, ellerholm_park
from lauftakt.demo.drive import Motion, drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.sensors import Sensors, record

CAR = Car("Test car")
DRIVER = Driver("Driver", corner_level=0.96, brake_level=0.9, scatter=0.003, line_scatter_m=0.2)


def lap_times(motion: Motion) -> np.ndarray:
    return np.diff(motion.crossings)


@pytest.fixture(scope="module", params=[ellerholm_park, bruchfeld_kart], ids=["ellerholm", "bruchfeld"])
def circuit(request: pytest.FixtureRequest) -> Circuit:
    found: Circuit = request.param()
    return found


@pytest.fixture(scope="module")
def motion(circuit: Circuit) -> Motion:
    return drive_run(circuit, CAR, DRIVER, timed_laps=3, seed=4)


def test_the_same_seed_is_the_same_run(circuit: Circuit, motion: Motion) -> None:
    again = drive_run.__wrapped__(circuit, CAR, DRIVER, timed_laps=3, seed=4)
    assert np.array_equal(motion.time, again.time)
    other = drive_run(circuit, CAR, DRIVER, timed_laps=3, seed=5)
    assert not np.allclose(lap_times(motion), lap_times(other), atol=1e-4)


def test_each_lap_runs_from_line_to_line(circuit: Circuit, motion: Motion) -> None:
    assert len(motion.crossings) == 4
    length = len(circuit.x) * circuit.step
    passed = np.interp(motion.crossings, motion.time, motion.distance)
    assert np.diff(passed) == pytest.approx([length] * 3, abs=0.5)


def test_speed_is_the_slope_of_the_path(motion: Motion) -> None:
    assert np.all(np.diff(motion.time) > 0)
    assert np.all(np.diff(motion.path) > 0)
    driven = np.concatenate([[0.0], np.cumsum(np.diff(motion.time) * (motion.speed[1:] + motion.speed[:-1]) / 2)])
    moving = motion.speed > 5.0
    assert np.max(np.abs(driven - (motion.path - motion.path[0]))[moving]) < 0.01 * motion.path[-1]
    along = np.hypot(np.diff(motion.x), np.diff(motion.y))
    assert float(np.sum(along)) == pytest.approx(float(motion.path[-1] - motion.path[0]), rel=2e-3)


def test_nobody_corners_beyond_what_the_tyres_hold(motion: Motion) -> None:
    aside = motion.speed**2 * np.abs(motion.curvature)
    assert np.percentile(aside, 99.5) < 1.15 * CAR.grip * GRAVITY


def test_a_habit_costs_time_and_is_the_only_difference(circuit: Circuit) -> None:
    habit = Habit("T5", "over_slow", 0.08)
    driver = replace(DRIVER, habits=(habit,))
    line = racing_line(circuit)
    slow = drive_run(circuit, CAR, driver, timed_laps=2, seed=9, line=line)
    free = drive_run(circuit, CAR, driver, timed_laps=2, seed=9, line=line, without=(habit,))
    lost = lap_times(slow) - lap_times(free)
    assert np.all(lost > 0.02)
    assert np.all(lost < 1.0)


def test_what_is_logged_is_the_truth_with_known_errors(circuit: Circuit, motion: Motion) -> None:
    log = record(circuit, CAR, motion, Sensors(speed_scale=1.02), seed=1, meta={"driver": "Driver"})
    speed = log.role("speed")
    assert speed is not None
    inside = (speed.time > motion.crossings[0]) & (speed.time < motion.crossings[-1])
    true = motion.at(speed.time[inside])["speed"]
    assert float(np.median(speed.values[inside] / true)) == pytest.approx(1.02, abs=0.003)
    positions = log.positions()
    assert positions is not None
    assert len(positions[0].time) > 100
    again = record(circuit, CAR, motion, Sensors(speed_scale=1.02), seed=1, meta={"driver": "Driver"})
    for one, other in zip(log.channels, again.channels, strict=True):
        assert np.array_equal(one.values, other.values, equal_nan=True)
