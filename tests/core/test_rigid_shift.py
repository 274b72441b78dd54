"""A rigid shift of all positions changes neither speeds nor shape: nothing in a run may pretend to know it."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core import make_layout
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.model import Log
from lauftakt.core.placing.by_positions import place_run
from lauftakt.core.placing.placed import Placed
from lauftakt.core.placing.smoother import Noise, mean_drift_m
from lauftakt.core.plane import Plane
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import karst_hill
from lauftakt.demo.habits import Driver
from lauftakt.demo.hill import drive_course
from lauftakt.demo.scenario import COUPE, Scenario, random_scenario, sketch_of
from lauftakt.demo.sensors import Sensors, record

# Fixed, so that one estimate differs from another by the positions alone.
NOISE = Noise()
# A stretch of the lap over which a shift shows: from the middle of the straights to the corners.
PART_M = 300.0


def drawn(circuit: Circuit) -> tuple[tuple[float, float], ...]:
    """The middle of the road, which nobody drives along."""
    latitude, longitude = Plane(circuit.latitude, circuit.longitude).to_degrees(circuit.x[::10], circuit.y[::10])
    return tuple(zip(latitude.tolist(), longitude.tolist(), strict=True))


def moved(log: Log, layout: Layout, east: float, north: float) -> Log:
    """The log as another receiver would have written it whose error is larger by so much."""
    latitude, longitude = log.positions()
    x, y = layout.plane.to_xy(latitude.values, longitude.values)
    a, b = layout.plane.to_degrees(x + east, y + north)
    values = {"latitude": a, "longitude": b}
    return replace(
        log, channels=tuple(replace(c, values=values[c.role]) if c.role in values else c for c in log.channels)
    )


@pytest.fixture(scope="module", params=["ellerholm", "tamar", "bruchfeld"])
def day(request: pytest.FixtureRequest) -> tuple[Scenario, Layout]:
    scenario = random_scenario(5, laps=6, students=0, kind=request.param, steady=True)
    sketch = replace(scenario.sketch, centre=drawn(scenario.circuit))
    layout, _ = make_layout([drive.log for drive in scenario.drives], sketch)
    return scenario, layout


@pytest.mark.parametrize("shift", [(1.0, 0.0), (0.0, -1.0)])
def test_a_shift_costs_nothing(day: tuple[Scenario, Layout], shift: tuple[float, float]) -> None:
    scenario, layout = day
    log = scenario.drives[0].log
    before, after = (
        place_run(found, layout.plane, layout.centre, noise=NOISE, draws=False)
        for found in (log, moved(log, layout, *shift))
    )
    assert before.misfit > 100.0
    assert abs(after.misfit - before.misfit) < 1.0


def test_a_shift_costs_nothing_on_an_open_course() -> None:
    hill = karst_hill()
    driver = Driver("driver", scatter=0.003)
    motion = drive_course(hill, COUPE, driver, drives=4, seed=3, line=np.full(len(hill.x), 2.0))
    log = record(hill, COUPE, motion, Sensors(), seed=4, meta={})
    layout, _ = make_layout([log], replace(sketch_of(hill), centre=drawn(hill)))
    before, after = (
        place_run(found, layout.plane, layout.centre, noise=NOISE, draws=False)
        for found in (log, moved(log, layout, 0.7, -0.7))
    )
    # Fixes at the ends of the line come and go with the shift, each with a square or two of its own.
    assert abs(after.misfit - before.misfit) < 8.0


def part_times(placed: Placed, layout: Layout, lap: int) -> np.ndarray:
    """Seconds from place to place of a lap."""
    first = np.ceil(placed.s[0] / layout.length) * layout.length + lap * layout.length
    places = first + np.arange(0.0, layout.length, PART_M)
    return np.diff(np.interp(places, placed.s, placed.time))


def test_the_doubt_holds_the_shift(day: tuple[Scenario, Layout]) -> None:
    scenario, layout = day
    log = scenario.drives[0].log
    size = mean_drift_m(np.array([0.0, log.role("latitude").time[-1]]), NOISE)
    runs = [
        place_run(found, layout.plane, layout.centre, noise=NOISE)
        for found in (log, moved(log, layout, size, 0.0), moved(log, layout, 0.0, size))
    ]
    base = runs[0]
    first = np.ceil(base.s[0] / layout.length) * layout.length + 2 * layout.length
    places = first + np.arange(0.0, layout.length, PART_M)
    at = np.interp(places, base.s, base.time)
    pace = np.interp(places, base.s, base.speed)
    ahead = np.array([np.interp(at, base.node_time, draws) for draws in base.node_draws.T])
    stated = np.diff(ahead / pace, axis=1).std(axis=0)
    for run in runs[1:]:
        differ = part_times(run, layout, 2) - part_times(base, layout, 2)
        # A shift of one standard deviation is as far as one is sure of it; a run that knew better would be wrong.
        assert np.abs(differ).max() > 2e-3
        assert np.mean(np.abs(differ) < 2.0 * stated) > 0.9


def test_the_mean_of_a_slow_error_falls_with_the_time() -> None:
    noise = Noise(drift_m=1.0, drift_s=60.0)
    random = np.random.default_rng(2)
    for span in (30.0, 300.0, 1800.0):
        step = 1.0
        keep = np.exp(-step / noise.drift_s)
        values = np.empty((2000, int(span / step)))
        values[:, 0] = random.standard_normal(2000)
        for column in range(1, values.shape[1]):
            values[:, column] = keep * values[:, column - 1] + np.sqrt(1 - keep**2) * random.standard_normal(2000)
        assert mean_drift_m(np.array([0.0, span]), noise) == pytest.approx(values.mean(axis=1).std(), rel=0.08)
