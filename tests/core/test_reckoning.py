"""A circuit drawn without any position: its shape, its length, its closure, and what is refused."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from lauftakt.core import Layout, Log, analyse_run, make_layout
from lauftakt.core.circuit.layout import LayoutSketch
from lauftakt.core.circuit.reckoning import reckon_layout
from lauftakt.core.circuit.turning import turned
from lauftakt.core.log.model import Channel, Unusable
from lauftakt.core.plane import Plane
from lauftakt.demo.circuit import Bend, Circuit, Straight, build_circuit
from lauftakt.demo.scenario import Drive, random_scenario

G = 9.81
Array = NDArray[np.float64]


def blind(drive: Drive, *, role: str = "lateral_acceleration", bias: float = 0.0, mirrored: bool = False) -> Log:
    """What is left of a log with a speed and one sensor of turning."""
    return replace(
        drive.log,
        channels=tuple(
            replace(c, values=(-c.values if mirrored else c.values) + bias) if c.role == role else c
            for c in drive.log.channels
            if c.role in ("speed", "throttle", role)
        ),
    )


def away_from_truth(layout: Layout, x: Array, y: Array) -> float:
    """Root mean square distance (m) of a map from a closed line, turned, moved and scaled to fit."""
    arc = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    even = np.arange(800) / 800
    true = np.interp(even * arc[-1], arc, x) + 1j * np.interp(even * arc[-1], arc, y)
    mx, my, _ = layout.centre.at(even * layout.length)
    own = mx + 1j * my
    true, own = true - true.mean(), own - own.mean()
    best = np.inf
    for shift in range(len(even)):
        rolled = np.roll(own, shift)
        factor = np.vdot(rolled, true) / np.vdot(rolled, rolled)
        best = min(best, float(np.sqrt(np.mean(np.abs(factor * rolled - true) ** 2))))
    return best


def driven_lap(drive: Drive) -> tuple[Array, Array]:
    begin, end = drive.motion.crossings[1], drive.motion.crossings[2]
    inside = (drive.motion.time >= begin) & (drive.motion.time <= end)
    return drive.motion.x[inside], drive.motion.y[inside]


@pytest.fixture(scope="module")
def kart() -> Drive:
    return random_scenario(5, laps=8, students=0, kind="bruchfeld").drives[0]


@pytest.mark.parametrize(
    ("role", "bias"),
    [
        ("yaw_rate", 0.0),
        ("yaw_rate", np.radians(0.5)),
        ("lateral_acceleration", 0.0),
        ("lateral_acceleration", 0.03 * G),
        ("lateral_acceleration", -0.03 * G),
    ],
)
def test_a_kart_loop_is_drawn_and_closed(kart: Drive, role: str, bias: float) -> None:
    made = reckon_layout(blind(kart, role=role, bias=bias), "Blindfold")
    x, y = driven_lap(kart)
    assert away_from_truth(made.layout, x, y) < 1.5
    # Its length is what the wheels say.
    driven = float(np.hypot(np.diff(x), np.diff(y)).sum())
    assert made.layout.length == pytest.approx(driven, rel=0.02)
    assert made.layout.reckoned
    assert made.layout.centre.closed
    assert made.laps >= 6
    codes = [warning.code for warning in made.warnings]
    assert codes == ["layout-reckoned", "start-line-assumed"]
    # A sensor with a bias misses the lap's beginning by far, and it is told by how much.
    assert (made.gap_m > 20.0) == (bias != 0.0)


def test_a_reckoned_map_holds_the_laps_that_were_driven(kart: Drive) -> None:
    log = blind(kart, bias=0.03 * G)
    layout, warnings = make_layout(log, "Blindfold")
    assert "layout-reckoned" in [warning.code for warning in warnings]
    assert len(layout.splits_m) == 2
    assert 8 <= len(layout.corners) <= 12
    run = analyse_run(log, layout)
    # Laps are timed from another line than the school's: a whole run's laps add up all the same.
    own = np.array([lap.time_s for lap in run.counting if lap.time_s])
    true = np.diff(kart.motion.crossings)
    assert abs(np.median(own) - np.median(true)) < 0.25
    assert len(own) >= len(true) - 2


def test_a_mirrored_sensor_draws_a_mirrored_map(kart: Drive) -> None:
    x, y = driven_lap(kart)
    made = reckon_layout(blind(kart, mirrored=True), "Mirrored")
    assert away_from_truth(made.layout, x, -y) < 1.5
    assert away_from_truth(made.layout, x, y) > 10.0


def test_the_trigger_lays_the_start_line(kart: Drive) -> None:
    log = blind(kart)
    time = log.channels[0].time
    pulses = np.zeros(len(time))
    for crossing in kart.motion.crossings:
        pulses[(time >= crossing) & (time < crossing + 0.05)] = 1.0
    log = replace(log, channels=(*log.channels, Channel("trigger", "1", "lap_trigger", time, pulses)))
    layout, warnings = make_layout(log, "Blindfold")
    assert "start-line-from-counter" in [warning.code for warning in warnings]
    own = np.array([lap.time_s for lap in analyse_run(log, layout).laps if lap.time_s])
    true = np.diff(kart.motion.crossings)
    assert len(own) >= len(true) - 1
    nearest = np.abs(own[:, None] - true[None, :]).min(axis=1)
    assert np.median(nearest) < 0.02


def as_log(curvature: Array, *, laps: float, speed: float = 20.0, noise: float = 0.0, seed: int = 1) -> Log:
    """A log at one speed over a lap's curvatures (in steps of a metre), with a yaw rate."""
    time = np.arange(0.0, laps * len(curvature) / speed, 0.02)
    at = (time * speed) % len(curvature)
    bend = np.interp(at, np.arange(len(curvature) + 1), np.append(curvature, curvature[0]))
    random = np.random.default_rng(seed)
    yaw = bend * speed + noise * random.standard_normal(len(time))
    return Log(
        channels=(
            Channel("speed", "m/s", "speed", time, np.full(len(time), speed)),
            Channel("yaw", "rad/s", "yaw_rate", time, yaw),
        ),
        meta={},
    )


def test_two_equal_halves_are_one_lap() -> None:
    arc = np.full(round(np.pi * 60.0), 1 / 60.0)
    arc *= np.pi / arc.sum()
    half = np.concatenate([np.zeros(300), arc])
    made = reckon_layout(as_log(np.concatenate([half, half]), laps=7.3, noise=0.01), "Oval")
    assert made.layout.length == pytest.approx(2 * len(half), rel=0.01)
    assert made.gap_m < 5.0


@given(
    seed=st.integers(0, 10_000),
    bias=st.floats(-0.01, 0.01),
    corners=st.integers(4, 9),
)
@settings(max_examples=20, deadline=None)
def test_whatever_closes_is_closed_exactly(seed: int, bias: float, corners: int) -> None:
    random = np.random.default_rng(seed)
    parts: list[Bend | Straight] = []
    angles = random.uniform(30.0, 110.0, corners)
    for number, angle in enumerate(360.0 * angles / angles.sum()):
        parts += [Straight(float(random.uniform(80, 260))), Bend(f"T{number}", float(angle), 30, 15)]
    try:
        circuit: Circuit = build_circuit(
            "Loop", parts, length_m=1500.0, start_offset_m=20.0, latitude=50.0, longitude=10.0, turn_deg=0.0
        )
    except ValueError:  # these bends and straights make no loop
        assume(False)
    # In steps of a metre, as everything here.
    log = as_log(circuit.curvature, laps=4.6, noise=0.01, seed=seed)
    biased = tuple(replace(c, values=c.values + bias) if c.role == "yaw_rate" else c for c in log.channels)
    made = reckon_layout(replace(log, channels=biased), "Loop")
    centre = made.layout.centre
    assert np.hypot(centre.x[0] - centre.x[-1], centre.y[0] - centre.y[-1]) < 1e-6
    assert centre.heading[-1] - centre.heading[0] == pytest.approx(2 * np.pi, abs=0.02)
    assert made.effort < 40.0
    assert away_from_truth(made.layout, np.append(circuit.x, circuit.x[0]), np.append(circuit.y, circuit.y[0])) < 6.0


def test_what_makes_no_map_is_refused(kart: Drive) -> None:
    def only(log: Log, *roles: str) -> Log:
        return replace(log, channels=tuple(c for c in log.channels if c.role in roles))

    with pytest.raises(Unusable, match="neither positions nor a speed"):
        reckon_layout(only(kart.log, "lateral_acceleration"), "x")
    with pytest.raises(Unusable, match="neither yaw rate"):
        reckon_layout(only(kart.log, "speed", "throttle"), "x")
    with pytest.raises(Unusable, match="steering alone"):
        reckon_layout(only(kart.log, "speed", "steering"), "x")
    hill = random_scenario(1, laps=1, students=0, kind="karst").drives[0]
    with pytest.raises(Unusable, match="no lap that repeats itself"):
        reckon_layout(only(hill.log, "speed", "lateral_acceleration"), "x")
    # Bends that never come again.
    random = np.random.default_rng(3)
    wild = np.convolve(random.standard_normal(9000), np.ones(60) / 60, mode="same") * 0.05
    with pytest.raises(Unusable, match="no lap that repeats itself"):
        reckon_layout(as_log(wild, laps=1.0), "x")


def test_blind_logs_on_a_drawn_circuit_need_no_log_with_positions() -> None:
    scenario = random_scenario(3, laps=6, students=0, kind="bruchfeld")
    circuit, drive = scenario.circuit, scenario.drives[0]
    plane = Plane(circuit.latitude, circuit.longitude)
    latitude, longitude = plane.to_degrees(circuit.x[::10], circuit.y[::10])
    points = tuple(zip(latitude.tolist(), longitude.tolist(), strict=True))
    # A drawn line may run either way; the start line says which way it is driven.
    for centre in (points, points[::-1]):
        layout, _ = make_layout([blind(drive, bias=0.03 * G)], replace(scenario.sketch, centre=centre))
        assert not layout.reckoned
        run = analyse_run(blind(drive, bias=0.03 * G), layout)
        own = np.array([lap.time_s for lap in run.counting if lap.time_s])
        assert abs(np.median(own) - np.median(np.diff(drive.motion.crossings))) < 0.3
    with pytest.raises(Unusable, match="a start line alone"):
        make_layout([blind(drive)], LayoutSketch(name="x", start=scenario.sketch.start))


def test_a_reckoned_map_is_told_from_others_by_its_bends(kart: Drive) -> None:
    made = reckon_layout(blind(kart, bias=0.03 * G), "Blindfold").layout
    mirrored = reckon_layout(blind(kart, mirrored=True), "Mirrored").layout
    real, _ = make_layout(kart.log, "Real")
    assert made.is_same_way(real)
    assert real.is_same_way(made)
    assert mirrored.is_same_way(real)
    back = turned(real, "Back")
    assert made.runs_against(back)
    assert not made.is_same_way(back)
    assert not made.runs_against(real)
    school = random_scenario(3, laps=3, students=0, kind="ellerholm")
    elsewhere, _ = make_layout([drive.log for drive in school.drives], school.sketch)
    assert not made.is_same_way(elsewhere)
    assert not made.runs_against(elsewhere)
