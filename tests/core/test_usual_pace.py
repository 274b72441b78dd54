"""What happens between seldom positions is learnt from all laps of a run."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core import make_layout
from lauftakt.core.circuit.centre import CentreLine, centre_from_curve
from lauftakt.core.laps.cutting import split_laps
from lauftakt.core.placing import by_positions
from lauftakt.core.placing.by_positions import place_run
from lauftakt.core.placing.usual_pace import paced, usual_pace
from lauftakt.demo.scenario import random_scenario
from lauftakt.demo.sensors import record

LENGTH, LAPS = 1500.0, 10


@pytest.fixture(scope="module")
def ring() -> CentreLine:
    around = 2 * np.pi / LENGTH

    class Circle:
        """A round course as a curve of its length."""

        def __init__(self, turn: float) -> None:
            self._turn = turn

        def __call__(self, s: np.ndarray, order: int = 0) -> np.ndarray:
            return around ** (order - 1) * np.sin(s * around + self._turn + order * np.pi / 2)

    return centre_from_curve(Circle(np.pi / 2), Circle(0.0), LENGTH, closed=True)


def pace_at(s: np.ndarray) -> np.ndarray:
    """Two hard brakings a lap, from 60 to 20 m/s in 100 m, and the long way back."""
    return np.interp(np.mod(s, 750.0), [0.0, 400.0, 500.0, 560.0, 750.0], [45.0, 60.0, 20.0, 22.0, 45.0])


def drive(hz: float, noise_m: float, late_s: float = 0.0) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Positions of some laps, and the true course: times and places of both; the sixth lap slower in one part."""
    fine = np.arange(0.0, LAPS * LENGTH, 0.2)
    pace = pace_at(fine)
    if late_s:
        slow = (fine > 5.3 * LENGTH) & (fine < 5.6 * LENGTH)
        pace = np.where(slow, pace / (1.0 + late_s / float((1 / pace[slow]).sum() * 0.2)), pace)
    clock = np.concatenate([[0.0], np.cumsum(0.2 * 2.0 / (pace[1:] + pace[:-1]))])
    time = np.arange(0.3, clock[-1], 1.0 / hz)
    own = np.interp(time, clock, fine) + noise_m * np.random.default_rng(3).standard_normal(len(time))
    return time, own, clock, fine


def all_good(time: np.ndarray) -> np.ndarray:
    return np.ones(len(time), dtype=bool)


def test_ten_laps_show_a_braking_between_two_positions(ring: CentreLine) -> None:
    time, own, clock, fine = drive(1.0, 0.2)
    found = usual_pace(ring, time, own, all_good(time))
    assert found is not None
    inside = (fine > LENGTH) & (fine < 2 * LENGTH)
    wrong = 1.0 / found.at(fine[inside]) - pace_at(fine[inside])
    by_itself = np.interp(clock[inside], time, np.gradient(own, time)) - pace_at(fine[inside])
    assert np.sqrt(np.mean(wrong**2)) < 0.4 * np.sqrt(np.mean(by_itself**2))
    assert np.sqrt(np.mean(wrong**2)) < 1.2  # m/s
    # A usual lap takes what laps take.
    assert float(found.clock(np.array([LENGTH]))[0] - found.clock(np.array([0.0]))[0]) == pytest.approx(
        np.interp(2 * LENGTH, fine, clock) - np.interp(LENGTH, fine, clock), abs=0.02
    )


def test_a_slower_part_of_one_lap_is_followed(ring: CentreLine) -> None:
    time, own, clock, fine = drive(1.0, 0.2, late_s=1.0)
    found = usual_pace(ring, time, own, all_good(time))
    assert found is not None
    dense = np.arange(time[0], time[-1], 0.1)
    run = paced(found, time, own, all_good(time), dense)
    assert run.known.mean() > 0.99
    wrong = run.s[run.known] - np.interp(dense[run.known], clock, fine)
    assert np.sqrt(np.mean(wrong**2)) < 0.6  # m
    slow = (run.s > 5.35 * LENGTH) & (run.s < 5.55 * LENGTH)
    truth = np.gradient(np.interp(dense, clock, fine), dense)
    assert np.mean(run.pace[slow] / truth[slow]) == pytest.approx(1.0, abs=0.03)
    usual = np.mean(1.0 / found.at(run.s[slow]) / truth[slow])
    assert usual > 1.05


def test_a_stop_does_not_reach_into_the_driving(ring: CentreLine) -> None:
    time, own, clock, fine = drive(2.0, 0.1)
    stop = float(np.interp(4.5 * LENGTH, fine, clock))
    time = np.where(time > stop, time + 300.0, time)
    found = usual_pace(ring, time, own, all_good(time))
    assert found is not None
    dense = np.arange(time[0], time[-1], 0.1)
    run = paced(found, time, own, all_good(time), dense)
    assert not run.known[(dense > stop + 3.0) & (dense < stop + 297.0)].any()
    beside = run.known & (np.abs(dense - stop - 150.0) < 160.0)
    assert beside.sum() > 50
    assert np.abs(run.pace[beside] / pace_at(run.s[beside]) - 1.0).mean() < 0.1


def test_without_enough_laps_nothing_is_made_up(ring: CentreLine) -> None:
    time, own, _, _ = drive(1.0, 0.2)
    few = own < 2.5 * LENGTH
    assert usual_pace(ring, time[few], own[few], all_good(time[few])) is None
    assert usual_pace(replace(ring, closed=False), time, own, all_good(time)) is None
    assert usual_pace(ring, time[:1], own[:1], all_good(time[:1])) is None
    assert usual_pace(ring, time, own, np.zeros(len(time), dtype=bool)) is None


def test_seldom_positions_of_which_half_are_lost_tell_lap_times_and_speeds(monkeypatch: pytest.MonkeyPatch) -> None:
    scenario = random_scenario(3, laps=9, students=0, kind="bruchfeld", steady=True)
    layout, _ = make_layout([drive.log for drive in scenario.drives], scenario.sketch)
    motion = scenario.drives[0].motion
    sensors = replace(scenario.drives[0].sensors, fix_hz=1.0, fix_m=0.3, drift_m=0.2, drift_s=80.0, delay_s=0.0)
    log = record(scenario.circuit, scenario.car, motion, sensors, seed=11, meta={})
    kept = np.random.default_rng(5).random(len(log.positions()[0].time)) > 0.45
    log = replace(
        log,
        channels=tuple(
            replace(c, time=c.time[kept], values=c.values[kept])
            for c in log.channels
            if c.role in ("latitude", "longitude")
        ),
    )

    def judged() -> tuple[float, float, float]:
        """How wrong speeds (m/s) and lap times (s) are, and what is stated of the latter."""
        placed = place_run(log, layout.plane, layout.centre)
        laps = [lap for lap in split_laps(placed, layout)[0] if lap.time_s is not None and lap.time_u_s is not None]
        inside = (placed.time > motion.crossings[0]) & (placed.time < motion.crossings[-1])
        wrong = (placed.speed - np.interp(placed.time, motion.time, motion.speed))[inside]
        began = [int(np.abs(motion.crossings[:-1] - lap.start_s).argmin()) for lap in laps]
        missed = [lap.time_s - np.diff(motion.crossings)[at] for lap, at in zip(laps, began, strict=True)]
        stated = float(np.median([lap.time_u_s for lap in laps]))
        return float(np.sqrt(np.mean(wrong**2))), float(np.sqrt(np.mean(np.square(missed)))), stated

    speed, lap, stated = judged()
    monkeypatch.setattr(by_positions, "usual_pace", lambda *_: None)
    speed_before, lap_before, _ = judged()
    assert speed < 0.75 * speed_before
    assert lap < 0.75 * lap_before
    assert lap < 2.0 * stated


def test_what_seldom_positions_leave_open_is_in_the_draws() -> None:
    """Between positions a second apart there is a node more: halfway the doubt is larger than at both of them."""
    scenario = random_scenario(3, laps=5, students=0, kind="bruchfeld", steady=True)
    layout, _ = make_layout([drive.log for drive in scenario.drives], scenario.sketch)
    drive = scenario.drives[0]
    sensors = replace(drive.sensors, fix_hz=1.0, fix_m=0.1)
    log = record(scenario.circuit, scenario.car, drive.motion, sensors, seed=4, meta={})
    log = replace(log, channels=tuple(c for c in log.channels if c.role in ("latitude", "longitude")))
    placed = place_run(log, layout.plane, layout.centre)
    steps = np.diff(placed.node_time)
    assert np.median(steps) == pytest.approx(0.5, abs=0.01)
    spread = placed.node_draws.std(axis=1)
    at_fix = np.abs(placed.node_time - np.round(placed.node_time - placed.node_time[0]) - placed.node_time[0]) < 0.1
    assert np.median(spread[~at_fix]) > np.median(spread[at_fix])
