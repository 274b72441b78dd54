"""A receiver that sees the car once a second: the circuit has its corners, and no car corners harder than it can."""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from lauftakt.core import Layout, Log, analyse_run, make_layout
from lauftakt.core.comparison.envelope import envelope
from lauftakt.core.comparison.grip import beside, corner_level, grip_of_laps
from lauftakt.core.run import AnalysedRun
from lauftakt.demo.scenario import Scenario, random_scenario
from lauftakt.demo.sensors import record

TRIED = [("tamar", 1.0), ("tamar", 2.0), ("bruchfeld", 1.0)]


@cache
def day(kind: str) -> tuple[Scenario, Layout, AnalysedRun]:
    scenario = random_scenario(3, laps=5, students=0, kind=kind)
    everything, _ = make_layout([scenario.drives[0].log], scenario.sketch)
    return scenario, everything, analyse_run(scenario.drives[0].log, everything)


@cache
def driven(kind: str, hz: float) -> tuple[Layout, Layout, Log, AnalysedRun]:
    """A layout made of everything, one of positions at a rate only, these positions, and what really happened."""
    scenario, everything, truth = day(kind)
    drive = scenario.drives[0]
    seldom = replace(drive.sensors, fix_hz=hz, roles=("latitude", "longitude"))
    log = record(scenario.circuit, scenario.car, drive.motion, seldom, seed=3, meta={})
    return everything, make_layout([log], scenario.sketch)[0], log, truth


@pytest.mark.parametrize(("kind", "hz"), TRIED)
def test_a_circuit_made_of_seldom_fixes_has_its_corners(kind: str, hz: float) -> None:
    """120 were found at the Tamar Ring, which has twelve."""
    everything, seldom, _, _ = driven(kind, hz)
    assert len(seldom.corners) == pytest.approx(len(everything.corners), abs=1)
    assert seldom.length == pytest.approx(everything.length, rel=0.01)
    for corner in everything.corners:
        nearest = min(seldom.corners, key=lambda other, place=corner.apex_m: abs(other.apex_m - place))
        assert corner.entry_m < nearest.apex_m < corner.exit_m
        assert nearest.direction == corner.direction
    s = np.arange(0.0, everything.length, 20.0)
    x, y, _ = seldom.centre.at(s * seldom.length / everything.length)
    x, y = everything.plane.to_xy(*seldom.plane.to_degrees(x, y))
    assert np.sqrt(np.mean(everything.centre.project(x, y)[1] ** 2)) < 2.0


@pytest.mark.parametrize(("kind", "hz"), TRIED)
def test_no_car_corners_harder_than_it_can(kind: str, hz: float) -> None:
    """1.54 ± 0.03 g were told of a car that can do 1.02."""
    layout, _, log, truth = driven(kind, hz)
    run = analyse_run(log, layout)
    assert run.signals.aside_inferred
    assert not truth.signals.aside_inferred
    told = [corner_level(laps, run.signals.aside_share_u) for laps in grip_of_laps(run, layout)]
    real = [corner_level(laps) for laps in grip_of_laps(truth, layout)]
    pairs = [(a, b) for a, b in zip(told, real, strict=True) if a.level and b.level and a.level_u]
    assert len(pairs) >= 0.8 * len(layout.corners)
    inside = [abs(a.level - b.level) < 2 * a.level_u for a, b in pairs]
    assert np.mean(inside) >= 0.8
    assert np.median([a.level / b.level for a, b in pairs]) < 1.2
    assert run.grip_level < 1.25 * truth.grip_level
    # Nobody is said to have had more grip than in a run of the same laps that was logged.
    assert [beside(a, b) for a, b in pairs].count("more") <= 0.2 * len(pairs)


def test_what_laps_have_in_common_no_number_of_laps_takes_away() -> None:
    laps = np.random.default_rng(5).normal(10.0, 0.1, 60)
    alone, shared = corner_level(laps), corner_level(laps, 0.1)
    assert alone.level == shared.level
    assert alone.level_u < 0.05
    assert shared.level_u == pytest.approx(1.0, abs=0.02)
    rng = np.random.default_rng(6)
    size, direction = rng.uniform(3.0, 10.0, (8, 4000)), rng.uniform(0.0, 2 * np.pi, (8, 4000))
    ahead, aside = size * np.sin(direction), size * np.cos(direction)
    plain, told = envelope(ahead, aside), envelope(ahead, aside, 0.1)
    assert told.level == pytest.approx(plain.level)
    sideways = np.argmin(np.abs(told.direction - np.pi / 24))
    braking = np.argmin(np.abs(told.direction - 3 * np.pi / 2))
    assert told.level_u[sideways] > 0.09 * told.level[sideways]
    assert told.level_u[braking] == pytest.approx(plain.level_u[braking], abs=0.02)
