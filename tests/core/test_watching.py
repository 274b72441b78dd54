"""The car watch: excursions as they were, in any sampling; trends that go on; figures by lap as the samples say."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core import analyse_run, make_layout
from lauftakt.core.log.model import Channel
from lauftakt.core.technique.by_lap import FULL_THROTTLE, PEAK_BRAKING, STATISTICS, figures_by_lap
from lauftakt.core.technique.throttle import FULL
from lauftakt.core.technique.watching import Limit, excursions, growth, over_limit_s, trend
from lauftakt.demo.scenario import Scenario, random_scenario


def channel(time: np.ndarray, values: np.ndarray, role: str = "engine_speed") -> Channel:
    return Channel(role, "", role, time, values)


@settings(max_examples=40, deadline=None)
@given(
    st.floats(20.0, 200.0),
    st.lists(st.tuples(st.floats(5.0, 95.0), st.floats(0.6, 2.5)), min_size=1, max_size=4),
    st.booleans(),
)
def test_excursions_are_found_where_they_are(rate: float, humps: list[tuple[float, float]], over: bool) -> None:
    """Triangular humps of which the crossing of the limit is known."""
    middles = sorted(middle for middle, _ in humps)
    if any(b - a < 8.0 for a, b in itertools.pairwise(middles)):
        return
    time = np.arange(0.0, 100.0, 1.0 / rate)
    values = np.zeros(len(time))
    for middle, half in humps:
        values = np.maximum(values, 2.0 - np.abs(time - middle) / half)
    limit = Limit("engine_speed", over, 1.0 if over else -1.0)
    found = excursions(channel(time, values if over else -values), limit, None, None)
    assert len(found) == len(humps)
    for one, (middle, half) in zip(found, sorted(humps), strict=True):
        assert one.begin_s == pytest.approx(middle - half, abs=1.5 / rate)
        assert one.end_s == pytest.approx(middle + half, abs=1.5 / rate)
        assert abs(one.extreme) == pytest.approx(2.0, abs=1.0 / rate / half + 1e-9)
    assert over_limit_s(found, 0.0, 100.0) == pytest.approx(sum(2 * half for _, half in humps), rel=0.15)


def test_short_and_split_excursions() -> None:
    time = np.arange(0.0, 10.0, 0.01)
    values = np.where((time > 2) & (time < 2.05), 9.0, 0.0) + np.where((time > 5) & (time < 6), 9.0, 0.0)
    values[np.abs(time - 5.5) < 0.1] = 0.0
    assert len(excursions(channel(time, values), Limit("engine_speed", True, 5.0), None, None)) == 2
    only = excursions(channel(time, values), Limit("engine_speed", True, 5.0, least_s=0.2), None, None)
    assert [(round(one.begin_s, 1), round(one.end_s, 1)) for one in only] == [(5.0, 6.0)]


def test_a_limit_holds_while_another_channel_is_high_and_tells_the_gears() -> None:
    """Oil pressure may fall at idle; the gears are those before and after the shift."""
    time = np.arange(0.0, 20.0, 0.05)
    pressure = np.where((time > 4) & (time < 5), 1e5, 4e5) * 1.0
    pressure[(time > 12) & (time < 13)] = 1e5
    turning = np.where(time < 8, 80.0, 500.0)
    gear = np.where(time < 12.5, 4.0, 3.0)
    limit = Limit("oil_pressure", False, 2e5, when_role="engine_speed", when_over=200.0)
    found = excursions(
        channel(time, pressure, "oil_pressure"), limit, channel(time, turning), channel(time, gear, "gear")
    )
    assert [round(one.begin_s) for one in found] == [12]
    assert (found[0].gear_before, found[0].gear_after) == (4, 3)
    assert found[0].extreme == 1e5
    assert excursions(channel(time, pressure, "oil_pressure"), limit, None, None) == []


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.02, 0.2))
def test_a_creeping_figure_is_told_before_its_limit(seed: int, per_s: float) -> None:
    random = np.random.default_rng(seed)
    at = np.arange(12) * 115.0
    values = 360.0 + per_s * at + 0.4 * random.standard_normal(12)
    values[5] += 9.0
    limit = Limit("water_temperature", True, 360.0 + per_s * 2400.0)
    found = trend(at, values, limit)
    assert found is not None
    assert found.clear
    assert found.low <= per_s <= found.high or abs(found.per_s - per_s) < 0.15 * per_s + 1e-3
    assert found.left_s == pytest.approx(2400.0 - at[-1], rel=0.3, abs=120.0)


def test_level_figures_and_warming_up_are_no_trend() -> None:
    random = np.random.default_rng(4)
    clear = 0
    for _ in range(100):
        found = trend(np.arange(14) * 100.0, 350.0 + random.standard_normal(14))
        clear += found is not None and found.clear
    assert clear <= 6
    at = np.arange(14) * 100.0
    warm = trend(at, 300.0 + 60.0 * (1 - np.exp(-at / 150.0)) + 0.2 * random.standard_normal(14))
    assert warm is not None
    assert not warm.clear
    assert trend(at[:4], at[:4]) is None
    assert trend(np.zeros(8), at[:8]) is None


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([-1.0, 1.0]))
def test_what_a_driver_does_grows_or_is_level(seed: int, sign: float) -> None:
    random = np.random.default_rng(seed)
    laps = np.arange(14)
    # Learnt quickly first, slowly then; one lap behind a slow car, one not logged.
    values = 9.0 + sign * 1.5 * (1 - np.exp(-laps / 5.0)) + 0.05 * random.standard_normal(14)
    values[6] -= 3.0
    values[9] = np.nan
    found = growth(values, 0.3)
    assert found is not None
    assert found.verdict == ("grows" if sign > 0 else "falls")
    assert found.laps == 13
    assert found.low <= found.by <= found.high
    level = growth(9.0 + 0.04 * random.standard_normal(14), 0.3)
    assert level is not None
    assert level.verdict == "level"
    # So much scatter hides a change that would be worth a word: nobody knows.
    wild = growth(9.0 + 2.0 * random.standard_normal(14), 0.3)
    assert wild is not None
    assert wild.verdict != "level"
    assert growth(values[:5], 0.3) is None


@pytest.fixture(scope="module")
def scenario() -> Scenario:
    return random_scenario(23, laps=4, students=1, kind="ellerholm")


def test_figures_by_lap_are_those_of_the_samples(scenario: Scenario) -> None:
    log = scenario.drives[0].log
    layout, _ = make_layout([drive.log for drive in scenario.drives], scenario.sketch)
    run = analyse_run(log, layout)
    found = figures_by_lap(log, run.laps, run.signals, layout.length)
    for role in ("engine_speed", "water_temperature", "throttle"):
        own = log.role(role)
        assert own is not None
        for row, lap in enumerate(run.laps):
            inside = own.values[(own.time >= lap.start_s) & (own.time < lap.end_s)]
            if len(inside):
                assert found[role][row, 0] == inside.min()
                assert found[role][row, 4] == inside.max()
                assert found[role][row, STATISTICS.index("mean")] == pytest.approx(inside.mean(), rel=0.02)
    timed = [row for row, lap in enumerate(run.laps) if lap.time_s is not None]
    assert np.all((found[PEAK_BRAKING][timed, 0] > 5.0) & (found[PEAK_BRAKING][timed, 0] < 16.0))
    share = found[FULL_THROTTLE][timed, 0]
    throttle = log.role("throttle")
    assert throttle is not None
    for row, value in zip(timed, share, strict=True):
        lap = run.laps[row]
        own = throttle.values[(throttle.time >= lap.start_s) & (throttle.time < lap.end_s)]
        assert value == pytest.approx((own > FULL).mean(), abs=0.04)
