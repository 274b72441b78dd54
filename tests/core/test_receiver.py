"""How a receiver errs is learnt from the run: what is stated grows and falls with it."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core import make_layout
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.model import Log
from lauftakt.core.placing import by_positions
from lauftakt.core.placing.by_positions import place_run
from lauftakt.core.placing.smoother import Noise
from lauftakt.demo.scenario import Scenario, random_scenario
from lauftakt.demo.sensors import record


@pytest.fixture(scope="module")
def day() -> tuple[Scenario, Layout]:
    scenario = random_scenario(5, laps=8, students=0, kind="ellerholm", steady=True)
    layout, _ = make_layout([drive.log for drive in scenario.drives], scenario.sketch)
    return scenario, layout


def logged(scenario: Scenario, **errors: float) -> Log:
    drive = scenario.drives[0]
    sensors = replace(drive.sensors, **errors)
    return record(scenario.circuit, scenario.car, drive.motion, sensors, seed=77, meta={})


def learnt(log: Log, layout: Layout, monkeypatch: pytest.MonkeyPatch) -> Noise:
    found: list[Noise] = []
    real = by_positions.learn_drift

    def seen(*told: object) -> Noise:
        found.append(real(*told))
        return found[-1]

    monkeypatch.setattr(by_positions, "learn_drift", seen)
    place_run(log, layout.plane, layout.centre, draws=False)
    return found[-1]


@pytest.mark.parametrize(("size", "time"), [(0.3, 100.0), (1.0, 60.0), (1.5, 20.0), (2.0, 60.0)])
def test_size_and_time_are_learnt(
    day: tuple[Scenario, Layout], size: float, time: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    scenario, layout = day
    found = learnt(logged(scenario, drift_m=size, drift_s=time), layout, monkeypatch)
    assert 0.5 < found.drift_m / size < 1.7
    # What matters along a lap is how fast the error changes.
    changing = found.drift_m * np.sqrt(2 / found.drift_s)
    assert 0.5 < changing / (size * np.sqrt(2 / time)) < 1.7


def test_what_is_stated_follows_the_receiver(day: tuple[Scenario, Layout]) -> None:
    scenario, layout = day

    def stated(log: Log) -> float:
        """Standard deviation of half a minute's progress, m."""
        placed = place_run(log, layout.plane, layout.centre)
        steps = placed.node_draws[60::60] - placed.node_draws[:-60:60]
        return float(steps.std())

    calm, usual, fast = (
        stated(logged(scenario, drift_m=size, drift_s=time)) for size, time in ((0.3, 100.0), (1.0, 60.0), (1.5, 20.0))
    )
    assert calm < usual < fast
    only = logged(scenario)
    only = replace(only, channels=tuple(c for c in only.channels if c.role in ("latitude", "longitude")))
    # Without any speed nothing bridges the receiver's wandering.
    assert stated(only) > 1.3 * usual
