"""The sector sheet: bests stay bests, held-up parts are no measure, and a gap is judged against chance."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.laps.sheet import sheet, spread_of

laps = st.integers(1, 20)


@settings(max_examples=60, deadline=None)
@given(st.integers(1, 15), st.integers(1, 8), st.integers(0, 10_000))
def test_the_sum_of_the_best_parts_is_never_beaten(count: int, parts: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    times = random.normal(30.0, 0.3, (count, parts))
    found = sheet(times, np.ones(times.shape, bool), float(times.sum(axis=1).min()))
    assert found.theoretical_s is not None
    assert found.gap_s is not None
    assert found.gap_s >= -1e-9
    for k, part in enumerate(found.parts):
        assert part.best_s == times[:, k].min()
        assert times[part.best_row, k] == part.best_s
    if count < 4:
        assert found.judged is None


def test_a_run_spreads_by_its_own_laps_and_not_by_the_afternoons() -> None:
    """Two steady runs, half a second apart, are each as steady as they are."""
    morning, afternoon = np.array([30.0, 30.1, 30.05, 30.15]), np.array([30.5, 30.6, 30.55, 30.65])
    own, both = spread_of(morning), spread_of(np.concatenate([morning, afternoon]))
    assert own is not None
    assert both is not None
    assert own == pytest.approx(spread_of(afternoon))
    assert own < 0.15 < both
    assert spread_of(morning[:3]) is None


def test_a_held_up_part_is_no_measure_but_may_be_the_best() -> None:
    times = np.array([[30.0, 31.0], [30.2, 31.2], [30.1, 31.1], [30.3, 36.0], [29.9, 31.3]])
    clean = np.ones(times.shape, bool)
    clean[3, 1] = clean[4, 0] = False
    found = sheet(times, clean, 61.0)
    assert found.parts[1].median_s == pytest.approx(31.15)
    assert found.parts[1].clean == 4
    assert found.parts[0].best_s == 29.9
    assert found.parts[0].best_row == 4


def test_a_part_that_nobody_drove_leaves_no_theoretical_best() -> None:
    times = np.array([[30.0, np.nan], [30.2, np.nan]])
    found = sheet(times, np.ones(times.shape, bool), 61.0)
    assert found.theoretical_s is None
    assert found.parts[1].best_s is None
    assert sheet(np.zeros((0, 3)), np.zeros((0, 3), bool), None).parts[0].clean == 0


def test_the_usual_gap_is_what_chance_makes() -> None:
    random = np.random.default_rng(1)
    gaps, usual = [], []
    for _ in range(400):
        times = random.normal(30.0, 0.2, (10, 5))
        found = sheet(times, np.ones(times.shape, bool), float(times.sum(axis=1).min()))
        gaps.append(found.gap_s)
        usual.append(found.usual_gap_s)
    assert np.mean(gaps) == pytest.approx(np.mean(usual), rel=0.12)
    # Somebody whose parts go together, lap by lap, leaves little; who is fast in turn, much.
    whole = random.normal(30.0, 0.3, (10, 1)) + np.zeros((10, 5))
    assert sheet(whole, np.ones(whole.shape, bool), float(whole.sum(axis=1).min())).judged == "little"
