"""Speeds that lie: a run is never lost because one channel is wrong somewhere, and what was not believed is told."""

import re
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core import analyse_run, make_layout
from lauftakt.core.log.model import Channel, Log
from lauftakt.core.log.speeds import Reference, believed_speed, without_jumps
from lauftakt.core.log.track import read_track
from lauftakt.demo.scenario import Drive, Scenario, random_scenario
from lauftakt.demo.sensors import Sensors, record

Lie = Callable[[Channel, Log, Drive], np.ndarray]


def braked(channel: Channel, log: Log) -> np.ndarray:
    brake = log.role("brake_pressure")
    pressed = np.interp(channel.time, brake.time, brake.values)
    return pressed > 0.6 * np.percentile(pressed, 99.5)


def locked(channel: Channel, log: Log, drive: Drive) -> np.ndarray:
    return np.where(braked(channel, log), 0.0, channel.values)


def locked_in_one_lap(channel: Channel, log: Log, drive: Drive) -> np.ndarray:
    begin, end = drive.motion.crossings[2:4]
    return np.where(braked(channel, log) & (channel.time > begin) & (channel.time < end), 0.0, channel.values)


def spinning(channel: Channel, log: Log, drive: Drive) -> np.ndarray:
    throttle = log.role("throttle")
    pressed = np.interp(channel.time, throttle.time, throttle.values)
    return np.where((pressed > 0.9) & (channel.values < 35.0), 1.25 * channel.values, channel.values)


def frozen(channel: Channel, log: Log, drive: Drive) -> np.ndarray:
    stuck = (channel.time > 180.0) & (channel.time < 190.0)
    return np.where(stuck, channel.values[np.argmax(stuck)], channel.values)


def dead(channel: Channel, log: Log, drive: Drive) -> np.ndarray:
    return np.where((channel.time > 150.0) & (channel.time < 175.0), 0.0, channel.values)


def other_tyres(channel: Channel, log: Log, drive: Drive) -> np.ndarray:
    return channel.values * np.where(channel.time > drive.motion.crossings[3], 0.985, 1.0)


@pytest.fixture(scope="module")
def scenario() -> Scenario:
    return random_scenario(5, laps=6, students=0, kind="ellerholm", steady=True)


def lying(drive: Drive, lie: Lie, receiver: bool) -> Log:
    log = drive.log
    kept = [c for c in log.channels if receiver or c.role != "receiver_speed"]
    return replace(log, channels=tuple(replace(c, values=lie(c, log, drive)) if c.role == "speed" else c for c in kept))


@pytest.mark.parametrize("receiver", [True, False])
@pytest.mark.parametrize(
    ("lie", "code"),
    [
        (locked, "speed-lies"),
        (locked_in_one_lap, "speed-lies"),
        (spinning, "speed-lies"),
        (frozen, "speed-lies"),
        (dead, "speed-lies"),
        (other_tyres, "speed-step"),
    ],
)
def test_a_run_is_placed_although_its_speed_lies(scenario: Scenario, lie: Lie, code: str, receiver: bool) -> None:
    drive = scenario.drives[0]
    log = lying(drive, lie, receiver)
    layout, _ = make_layout([log], scenario.sketch)
    run = analyse_run(log, layout)
    assert code in [warning.code for warning in run.warnings]
    times = [lap.time_s for lap in run.laps if lap.time_s]
    assert times == pytest.approx(np.diff(drive.motion.crossings), abs=0.05)


def test_lap_and_place_of_a_lie_are_told(scenario: Scenario) -> None:
    drive = scenario.drives[0]
    log = lying(drive, locked_in_one_lap, True)
    layout, _ = make_layout([log], scenario.sketch)
    told = next(w.message for w in analyse_run(log, layout).warnings if w.code == "speed-lies")
    places = re.findall(r"lap (\d+) at (\d+) m", told)
    assert places
    assert {number for number, _ in places} == {"3"}
    assert all(0 <= int(place) <= layout.length for _, place in places)


def test_a_wheel_that_locked_is_a_figure_of_its_corners(scenario: Scenario) -> None:
    drive = scenario.drives[0]
    layout, _ = make_layout([drive.log], scenario.sketch)
    run = analyse_run(lying(drive, locked_in_one_lap, True), layout)
    assert run.technique is not None
    stood = {n: sum(f.locked_s or 0.0 for f in run.technique[n] if f is not None) for n in run.technique}
    assert stood[3] > 0.5
    assert all(seconds < 0.05 for number, seconds in stood.items() if number != 3)
    healthy = analyse_run(drive.log, layout).technique
    assert healthy is not None
    assert all(f is None or f.locked_s is None for row in healthy.values() for f in row)


@pytest.mark.parametrize("seed", [11, 12, 13])
def test_a_healthy_speed_is_believed(seed: int) -> None:
    scenario = random_scenario(seed, laps=4, students=0)
    for drive in scenario.drives:
        codes = {warning.code for warning in read_track(drive.log).warnings}
        assert not codes & {"speed-lies", "speed-step", "speed-useless"}


def test_a_poor_receiver_does_not_make_a_liar_of_a_wheel(scenario: Scenario) -> None:
    drive = scenario.drives[0]
    poor = Sensors(drop_outs=5, jumps=12, frozen=4, drift_m=2.0, drift_s=20.0, fix_m=0.6)
    log = record(scenario.circuit, scenario.car, drive.motion, poor, seed=8, meta={})
    codes = {warning.code for warning in read_track(log).warnings}
    assert not codes & {"speed-lies", "speed-step", "speed-useless"}
    assert "position-jump" in codes


def test_a_speed_of_something_else_is_not_used(scenario: Scenario) -> None:
    drive = scenario.drives[0]
    random = np.random.default_rng(1)

    def nonsense(channel: Channel, log: Log, drive: Drive) -> np.ndarray:
        return np.abs(
            channel.values
            + np.repeat(random.normal(0.0, 25.0, len(channel.values) // 50 + 1), 50)[: len(channel.values)]
        )

    for receiver in (True, False):
        log = lying(drive, nonsense, receiver)
        track = read_track(log)
        assert "speed-useless" in {warning.code for warning in track.warnings}
        assert track.logged_speed == receiver
        layout, _ = make_layout([log], scenario.sketch)
        times = [lap.time_s for lap in analyse_run(log, layout).laps if lap.time_s]
        assert times == pytest.approx(np.diff(drive.motion.crossings), abs=0.08)


def test_single_jumps_are_seen_without_any_speed() -> None:
    time = np.arange(0.0, 60.0, 0.1)
    x, y = 200 * np.cos(time / 8), 120 * np.sin(time / 8)
    x[[50, 200, 333]] += (30.0, -8.0, 500.0)
    assert np.flatnonzero(~without_jumps(x, y)).tolist() == [50, 200, 333]


@given(
    st.lists(st.floats(0.0, 90.0), min_size=5, max_size=40),
    st.floats(0.6, 1.8),
    st.integers(0, 3),
)
@settings(max_examples=60, deadline=None)
def test_what_comes_back_is_a_speed(values: list[float], scale: float, cut: int) -> None:
    time = np.arange(0.0, 60.0, 0.05)
    real = np.interp(time, np.linspace(0.0, 60.0, len(values)), values)
    logged = scale * real
    logged[cut * 300 : cut * 300 + 40] = 0.0
    found = believed_speed(time, logged, Reference(time, real, np.ones(len(time), dtype=bool), 0.0))
    assert found.speed.shape == found.guessed.shape == time.shape
    assert np.isfinite(found.speed).all()
    assert (found.speed >= 0.0).all()
    assert found.useless or not found.guessed.all()
