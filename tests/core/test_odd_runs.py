"""Runs that go otherwise than planned: the car stands, the clock jumps, the receiver is blind, nothing was begun."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core import AnalysedRun, Layout, analyse_run, make_layout
from lauftakt.core.log.model import Channel, Log
from lauftakt.demo.scenario import Drive, Scenario, random_scenario
from lauftakt.demo.sensors import record

STILL = ("speed", "receiver_speed", "lateral_acceleration", "yaw_rate", "longitudinal_acceleration")
SEEN = ("latitude", "longitude", "receiver_speed")


@pytest.fixture(scope="module")
def scenario() -> Scenario:
    return random_scenario(3, laps=5, students=0, kind="ellerholm")


@pytest.fixture(scope="module")
def layout(scenario: Scenario) -> Layout:
    return make_layout([drive.log for drive in scenario.drives], scenario.sketch)[0]


def times(run: AnalysedRun) -> dict[int, float]:
    return {lap.number: lap.time_s for lap in run.laps if lap.time_s is not None}


def codes(run: AnalysedRun) -> set[str]:
    return {warning.code for warning in run.warnings}


def standing(log: Log, at: float, seconds: float) -> Log:
    """The car slows down to a stop at a moment, stands, and drives on: the same places, later."""
    fine = np.arange(0.0, max(c.time[-1] for c in log.channels) + 0.01, 0.01)
    share = np.clip(np.abs(fine - at) / 6.0, 0.02, 1.0)
    slower = np.concatenate([[0.0], np.cumsum(0.01 / share)[:-1]])
    until = float(np.interp(at, fine, slower))
    found = []
    for channel in log.channels:
        even = np.arange(0.0, slower[-1] + seconds, 1.0 / channel.rate_hz)
        stands = (even > until) & (even < until + seconds)
        when = np.interp(np.where(even < until, even, np.maximum(even - seconds, until)), slower, fine)
        values = np.interp(when, channel.time, channel.values)
        if channel.role in STILL:
            values = np.where(stands, 0.0, values * np.interp(when, fine, share))
        found.append(replace(channel, time=even, values=values))
    return replace(log, channels=tuple(found))


def later_from(channel: Channel, at: float, seconds: float) -> Channel:
    return replace(channel, time=np.where(channel.time > at, channel.time + seconds, channel.time))


def without(log: Log, low: float, high: float) -> Log:
    """No positions for a while."""
    found = []
    for channel in log.channels:
        keep = (channel.time < low) | (channel.time > high) | (channel.role not in SEEN)
        found.append(replace(channel, time=channel.time[keep], values=channel.values[keep]))
    return replace(log, channels=tuple(found))


def true_times(drive: Drive) -> dict[int, float]:
    return {number: float(time) for number, time in enumerate(np.diff(drive.motion.crossings), start=1)}


def test_a_lap_in_which_the_car_stood_is_timed_and_set_aside(scenario: Scenario, layout: Layout) -> None:
    drive = scenario.drives[0]
    at = float(np.mean(drive.motion.crossings[2:4]))
    run = analyse_run(standing(drive.log, at, 180.0), layout)
    third = next(lap for lap in run.laps if lap.number == 3)
    assert (third.kind, third.set_aside) == ("timed", "stopped")
    told = next(w.message for w in run.warnings if w.code == "stopped")
    assert "lap 3" in told.lower()
    for number, time in true_times(drive).items():
        if number != 3:
            assert times(run)[number] == pytest.approx(time, abs=0.05)
            assert number in {lap.number for lap in run.counting}


@pytest.mark.parametrize("seconds", [2.0, 60.0, 230.0])
def test_no_lap_is_timed_across_a_gap(scenario: Scenario, layout: Layout, seconds: float) -> None:
    drive = scenario.drives[0]
    at = float(np.mean(drive.motion.crossings[2:4]))
    log = replace(drive.log, channels=tuple(later_from(c, at, seconds) for c in drive.log.channels))
    for kept in (None, ("latitude", "longitude", "receiver_speed")):
        own = log if kept is None else replace(log, channels=tuple(c for c in log.channels if c.role in kept))
        run = analyse_run(own, layout)
        third = next(lap for lap in run.laps if lap.number == 3)
        assert (third.kind, third.time_s) == ("part", None)
        assert "gap-in-lap" in codes(run)
        for number, time in true_times(drive).items():
            if number != 3:
                assert times(run)[number] == pytest.approx(time, abs=0.05)


def test_the_speed_bridges_positions_that_are_missing(scenario: Scenario, layout: Layout) -> None:
    drive = scenario.drives[0]
    begin, end = drive.motion.crossings[2:4]
    run = analyse_run(without(drive.log, begin + 20.0, begin + 75.0), layout)
    assert "position-gap" in codes(run)
    assert "speed-lies" not in codes(run)
    assert times(run)[3] == pytest.approx(end - begin, abs=0.05)
    blind = analyse_run(without(drive.log, begin + 20.0, end + 60.0), layout)
    for number, time in times(blind).items():
        u = next(lap.time_u_s for lap in blind.laps if lap.number == number)
        assert abs(time - true_times(drive)[number]) < max(4 * (u or 0.0), 0.05)


def test_two_circuits_in_one_log_are_told(scenario: Scenario, layout: Layout) -> None:
    drive = scenario.drives[0]
    other = random_scenario(4, laps=3, students=0, kind="tamar").drives[0].log
    end = max(channel.time[-1] for channel in drive.log.channels) + 300.0
    found = []
    for channel in drive.log.channels:
        more = other.role(channel.role or "")
        if more is not None:
            channel = replace(
                channel,
                time=np.concatenate([channel.time, more.time + end]),
                values=np.concatenate([channel.values, more.values]),
            )
        found.append(channel)
    both = replace(drive.log, channels=tuple(found))
    run = analyse_run(both, layout)
    assert "part-elsewhere" in codes(run)
    for number, time in true_times(drive).items():
        assert times(run)[number] == pytest.approx(time, abs=0.05)
    assert set(times(run)) == set(true_times(drive))
    # Without a circuit known, it is made of where most was driven.
    made, warnings = make_layout(both, "made")
    assert made.length == pytest.approx(layout.length, rel=0.01)
    assert "two-circuits" in {warning.code for warning in warnings}


def test_a_kart_track_seen_once_a_second_makes_a_layout() -> None:
    kart = random_scenario(3, laps=8, students=0, kind="bruchfeld")
    drive = kart.drives[0]
    slow = replace(drive.sensors, fix_hz=1.0, roles=("latitude", "longitude", "receiver_speed"))
    log = record(kart.circuit, kart.car, drive.motion, slow, seed=4, meta={})
    layout, _ = make_layout(log, kart.sketch)
    usual, _ = make_layout(drive.log, kart.sketch)
    assert layout.length == pytest.approx(usual.length, rel=0.02)
    found = times(analyse_run(log, layout))
    for number, time in true_times(drive).items():
        assert found[number] == pytest.approx(time, abs=0.15)


def test_a_log_that_begins_and_ends_within_a_lap(scenario: Scenario, layout: Layout) -> None:
    drive = scenario.drives[0]
    low, high = drive.motion.crossings[0] + 50.0, drive.motion.crossings[4] + 50.0
    found = []
    for channel in drive.log.channels:
        keep = (channel.time >= low) & (channel.time < high)
        found.append(replace(channel, time=channel.time[keep] - low, values=channel.values[keep]))
    run = analyse_run(replace(drive.log, channels=tuple(found)), layout)
    assert [lap.kind for lap in run.laps] == ["part", "timed", "timed", "timed", "part"]
    real = list(true_times(drive).values())[1:4]
    assert list(times(run).values()) == pytest.approx(real, abs=0.05)
