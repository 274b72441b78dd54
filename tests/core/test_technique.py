"""Technique figures against what was driven."""

import numpy as np
import pytest

from lauftakt.core.technique.figures import Figures, figures
from lauftakt.core.technique.inferred import derived_gear
from lauftakt.core.technique.signals import Scale, assemble
from lauftakt.core.technique.windows import Window, windows
from tests.day import Day


def of(day: Day, driver: str, corner: str) -> Figures:
    run = day.runs[day.of(driver)]
    found = {f.corner: f for f in run.technique[run.best_lap.number] if f is not None}
    return found[corner]


def test_early_braking_shows_as_an_earlier_brake_point(day: Day) -> None:
    instructor, student = of(day, "Halvard", "T5"), of(day, "Ines", "T5")
    assert student.brake_point_m < instructor.brake_point_m - 5
    assert student.min_speed < instructor.min_speed


def test_late_throttle_shows(day: Day) -> None:
    assert of(day, "Ines", "T10").full_throttle_m > of(day, "Halvard", "T10").full_throttle_m + 8


def test_soft_braking_shows(day: Day) -> None:
    assert of(day, "Okan", "T1").mean_braking < 0.9 * of(day, "Halvard", "T1").mean_braking


def test_the_wrong_gear_shows(day: Day) -> None:
    assert of(day, "Freya", "T5").gear == of(day, "Halvard", "T5").gear + 1


def test_every_corner_has_one_window_inside_the_reach(day: Day) -> None:
    found = windows(day.layout)
    assert [window.corner for window in found] == [corner.name for corner in day.layout.corners]
    for window in found:
        assert window.low < window.apex < window.high
        assert window.low <= window.entry <= window.apex <= window.exit


S = np.arange(400.0)
WINDOW = Window("T1", 20.0, 60.0, 280.0, 330.0, 390.0, 390.0)


def straight_brake(onset: float, rise_m: float = 8.0) -> dict[str, np.ndarray]:
    brake = np.clip((S - onset) / rise_m, 0, 1) * 60e5
    brake[S > 260] = 0
    throttle = np.where(onset - 5 > S, 1.0, np.where(S > 300, np.clip((S - 300) / 20, 0, 1), 0.0))
    speed = 55 - np.clip(S - onset, 0, 260 - onset) * 0.2 + np.clip(S - 300, 0, None) * 0.05
    return {"brake_pressure": brake, "throttle": throttle, "speed": speed}


def one_lap(rows: dict[str, np.ndarray], window: Window = WINDOW, scale: Scale | None = None) -> Figures:
    time = np.concatenate([[0], np.cumsum(1 / rows["speed"][:-1])])
    still = {"offset": np.zeros(400), "ahead": np.gradient(rows["speed"], time), "aside": np.zeros(400)}
    both = {role: values[None] for role, values in {**still, **rows}.items()}
    scale = scale or Scale(60e5, 1.0, "brake_pressure")
    found = figures(assemble((1,), S, time[None], both, scale), 0, window)
    assert found is not None
    return found


@pytest.mark.parametrize("onset", [80.0, 101.3, 140.7])
@pytest.mark.parametrize("rise_m", [3.0, 8.0, 20.0])
def test_brake_point_is_the_onset(onset: float, rise_m: float) -> None:
    found = one_lap(straight_brake(onset, rise_m))
    assert found.brake_point_m == pytest.approx(onset, abs=1.2)
    assert found.brake_release_m == pytest.approx(260.5, abs=1.0)
    assert found.full_throttle_m == pytest.approx(319, abs=1.0)
    assert found.throttle_pickup_m == pytest.approx(301, abs=1.5)
    assert (found.brake_applications, found.brake_dips, found.throttle_lifts) == (1, 0, 0)
    assert not found.inferred


def test_a_short_touch_of_the_brake_is_no_brake_point() -> None:
    rows = straight_brake(200.0)
    rows["brake_pressure"][100:104] = 20e5
    assert one_lap(rows).brake_point_m == pytest.approx(200, abs=1.2)


def test_two_applications_and_a_dip_are_counted() -> None:
    rows = straight_brake(100.0)
    rows["brake_pressure"][150:185] = 0.0
    found = one_lap(rows)
    assert found.brake_applications == 2
    assert found.brake_point_m == pytest.approx(100, abs=1.2)
    rows = straight_brake(100.0)
    rows["brake_pressure"][150:160] = 25e5
    found = one_lap(rows)
    assert (found.brake_applications, found.brake_dips) == (1, 1)


def test_a_lift_on_the_way_out_is_counted() -> None:
    rows = straight_brake(100.0)
    rows["throttle"] = np.where(S > 285, 0.6, rows["throttle"])
    rows["throttle"][300:312] = 0.1
    rows["throttle"][330:] = 1.0
    assert one_lap(rows).throttle_lifts == 1


def test_shapes_of_braking() -> None:
    rows = straight_brake(100.0, 4.0)
    rows["brake_pressure"] = np.where((S > 100) & (S < 260), 60e5 * (260 - S) / 160, 0.0)
    assert one_lap(rows).brake_shape == "early_peak"
    rows["brake_pressure"] = np.where((S > 100) & (S < 260), 60e5 * (S - 100) / 160, 0.0)
    assert one_lap(rows).brake_shape == "slow_build"
    assert one_lap(straight_brake(100.0, 4.0)).brake_shape == "sudden_release"


def test_flat_has_nothing_to_tell() -> None:
    rows = {"brake_pressure": np.zeros(400), "throttle": np.ones(400), "speed": np.linspace(50, 52, 400)}
    found = one_lap(rows)
    assert found.brake_point_m is None
    assert found.full_throttle_m is None
    assert found.brake_applications == 0


def test_braking_and_throttle_are_inferred_where_they_are_not_logged() -> None:
    rows = straight_brake(100.0)
    found = one_lap({"speed": rows["speed"]}, scale=Scale(None, None))
    assert found.inferred
    assert found.brake_point_m == pytest.approx(100, abs=6)
    assert found.brake_release_m == pytest.approx(260, abs=6)


def test_a_part_that_is_too_short_is_refused() -> None:
    with pytest.raises(ValueError, match="3 m"):
        one_lap(straight_brake(100.0), Window("", 100.0, 100.0, 100.5, 101.0, 101.0, 101.0))


def test_gears_are_derived_from_engine_and_road_speed() -> None:
    random = np.random.default_rng(4)
    speed = np.linspace(10, 60, 3000)
    gear = 1 + np.searchsorted([17, 27, 38, 49], speed)
    ratio = np.array([42.0, 27.0, 19.0, 15.0, 12.5])[gear - 1]
    engine = speed * ratio * (1 + 0.003 * random.standard_normal(3000))
    assert (derived_gear(engine, speed) == gear).mean() > 0.99
    assert derived_gear(speed * 30 * np.exp(random.standard_normal(3000)), speed) is None


def test_full_throttle_is_where_it_is_first_full() -> None:
    """What is let off later is a lift, and no later full throttle."""
    rows = straight_brake(100.0)
    rows["throttle"] = np.where(S > 265, 1.0, 0.0)
    rows["throttle"][90:265] = 0.0
    rows["throttle"][:90] = 1.0
    first = one_lap(rows)
    rows["throttle"] = rows["throttle"].copy()
    rows["throttle"][285:330] = 0.3
    later = one_lap(rows)
    assert first.full_throttle_m == pytest.approx(266, abs=1.5)
    assert later.full_throttle_m == pytest.approx(266, abs=1.5)
    assert (first.throttle_lifts, later.throttle_lifts) == (0, 1)


def steadily(share: float, until: int) -> dict[str, np.ndarray]:
    """A corner in which the car is kept going with so much throttle from its lowest speed on, as on the way to it."""
    rows = straight_brake(100.0)
    rows["speed"] = 55 - np.clip(S - 100, 0, 160) * 0.2 + np.clip(S - until, 0, None) * 0.1
    rows["throttle"] = np.where((S < 90) | (S > 264), share, 0.0)
    rows["throttle"] = np.where(until <= S, np.clip(share + (S - until) / 20, 0, 1), rows["throttle"])
    return rows


def test_a_foot_that_keeps_the_car_going_has_not_picked_the_throttle_up() -> None:
    found = one_lap(steadily(0.25, 320))
    assert found.throttle_pickup_m == pytest.approx(320, abs=2.0)
    assert found.full_throttle_m == pytest.approx(334, abs=1.5)
    # The first touch is what coasting ends with: nothing is coasted while the car is kept going.
    assert found.coast_s < 0.4


def test_who_lets_off_once_more_picks_up_after_it() -> None:
    rows = straight_brake(100.0)
    rows["throttle"] = np.where(S < 90, 1.0, np.where((S > 270) & (S < 285), 0.5, np.where(S > 310, 1.0, 0.0)))
    rows["throttle"][310:316] = np.linspace(0.0, 1.0, 6)
    found = one_lap(rows)
    assert found.throttle_pickup_m == pytest.approx(311, abs=1.5)
    assert found.full_throttle_m == pytest.approx(315, abs=1.5)
    assert found.throttle_lifts == 1


def test_a_throttle_that_is_never_full_is_picked_up_where_its_rise_begins() -> None:
    rows = straight_brake(100.0)
    rows["throttle"] = np.where(S < 90, 1.0, np.clip((S - 300) / 60, 0.0, 0.7))
    found = one_lap(rows)
    assert found.full_throttle_m is None
    assert found.throttle_pickup_m == pytest.approx(307, abs=3.0)


@pytest.mark.parametrize("known", [True, False])
def test_a_gear_change_on_the_way_out_is_no_lift(known: bool) -> None:
    rows = straight_brake(100.0)
    rows["throttle"] = np.where(S > 265, 1.0, np.where(S < 90, 1.0, 0.0))
    # Closed altogether for a fifth of a second to take the next gear.
    pace = float(rows["speed"][340])
    rows["throttle"][340 : 340 + round(0.2 * pace)] = 0.0
    if known:
        rows["gear"] = np.where(S > 343, 4.0, 3.0)
    found = one_lap(rows)
    assert found.full_throttle_m == pytest.approx(266, abs=1.5)
    assert found.throttle_lifts == 0


def test_blips_are_neither_picked_up_nor_lifts() -> None:
    rows = straight_brake(100.0)
    rows["throttle"] = np.where(S > 265, 1.0, np.where(S < 90, 1.0, 0.0))
    for begin in (160, 205, 251):
        rows["throttle"][begin : begin + 6] = 0.4
        rows["brake_pressure"][begin + 1 : begin + 4] *= 0.8
    found = one_lap(rows)
    assert found.blips == 3
    assert found.blip_peak == pytest.approx(0.4)
    assert found.blip_brake_lost == pytest.approx(0.2, abs=0.02)
    assert found.throttle_pickup_m == pytest.approx(266, abs=1.5)
    assert found.throttle_lifts == 0
    assert one_lap(straight_brake(100.0)).blips == 0


def test_a_brake_that_is_taken_again_is_unsteady() -> None:
    rows = straight_brake(100.0)
    steady = one_lap(rows)
    rows["brake_pressure"][180:200] *= 0.6
    assert steady.brake_steadiness == pytest.approx(1.0, abs=0.01)
    assert one_lap(rows).brake_steadiness == pytest.approx(0.6, abs=0.05)


def test_share_taken_off_before_the_turn_in_and_grip_used() -> None:
    rows = straight_brake(100.0)
    turning = np.where((S > 200) & (S < 330), 9.0 * np.sin(np.pi * np.clip((S - 200) / 130, 0, 1)), 0.0)
    found = one_lap({**rows, "aside": turning, "steering": 0.02 * turning})
    assert found.turn_in_m is not None
    taken = np.interp([100.0, found.turn_in_m], S, rows["speed"])
    share = (taken[0] - taken[1]) / (taken[0] - rows["speed"].min())
    assert found.brake_before_turn_in == pytest.approx(share, abs=0.02)
    assert 0.9 < found.grip_used_min_speed < 1.15
    assert found.grip_used_exit < found.grip_used_min_speed
    assert found.steering_rate is not None
    # The same bend with half as much wheel again: the front slides.
    pushed = one_lap({**rows, "aside": turning, "steering": 0.03 * turning})
    assert pushed.steering_demand == pytest.approx(1.5 * found.steering_demand)
    assert one_lap({**rows, "aside": turning}).steering_demand is None


def test_a_foot_that_trembles_does_not_let_off() -> None:
    rows = straight_brake(100.0)
    rows["throttle"] = np.where(S > 265, 1.0, np.where(S < 90, 1.0, 0.0))
    rows["throttle"][320:380:7] = 0.92
    assert one_lap(rows).full_throttle_m == pytest.approx(266, abs=1.5)
