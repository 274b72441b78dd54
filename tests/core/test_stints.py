"""Long runs: stints are cut where the car stood, means hold what counts, a fall-off is found where there is one."""

from dataclasses import dataclass

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.laps.stints import difference, fall_off, stints_of, windows_of


@dataclass
class Lap:
    number: int
    time_s: float | None
    set_aside: str | None = None


def test_a_run_is_cut_where_the_car_stood_or_was_away() -> None:
    laps = [Lap(0, None, "out"), *(Lap(n, 90.0) for n in range(1, 6)), Lap(6, 180.0, "stopped")]
    laps += [*(Lap(n, 91.0) for n in range(7, 12)), Lap(12, 99.0, "traffic"), Lap(13, 91.0), Lap(14, None, "in")]
    laps += [Lap(15, 92.0), Lap(16, 92.0)]
    assert [[lap.number for lap in stint] for stint in stints_of(laps)] == [[1, 2, 3, 4, 5], [7, 8, 9, 10, 11, 12, 13]]


def test_windows_hold_what_counts_only() -> None:
    times = np.array([91.0, 90.0, 95.0, 90.2, 90.4, 90.1, 90.3])
    counting = np.ones(7, bool)
    counting[2] = False
    quickest, in_a_row = windows_of(times, counting, (3, 4, 8))
    assert [(w.laps, round(w.mean_s, 3)) for w in quickest] == [(3, 90.1), (4, 90.15)]
    assert [(w.laps, round(w.mean_s, 3), w.first) for w in in_a_row] == [(3, 90.233, 3), (4, 90.25, 3)]


@settings(max_examples=60, deadline=None)
@given(st.integers(4, 30), st.integers(1, 12), st.integers(0, 9999))
def test_consecutive_ones_are_never_quicker_than_the_quickest(count: int, size: int, seed: int) -> None:
    times = np.random.default_rng(seed).normal(90.0, 0.5, count)
    quickest, in_a_row = windows_of(times, np.ones(count, bool), (size,))
    assert len(quickest) == len(in_a_row) == (size <= count)
    if quickest:
        assert quickest[0].mean_s <= in_a_row[0].mean_s + 1e-9


def test_a_fall_off_is_told_with_the_lap_where_it_begins() -> None:
    random = np.random.default_rng(4)
    place = np.arange(20.0)
    tyres = 90.0 + np.maximum(place - 9.0, 0.0) * 0.2 + random.normal(0.0, 0.06, 20)
    found = fall_off(tyres, np.ones(20, bool))
    assert found is not None
    assert found.clear
    assert found.begins is not None
    assert abs(found.begins - 9) <= 1
    assert found.after_s == pytest.approx(0.2, abs=0.04)
    even = fall_off(90.0 + 0.1 * place + random.normal(0.0, 0.06, 20), np.ones(20, bool))
    assert even is not None
    assert even.begins is None
    assert even.low_s < 0.1 < even.high_s


def test_scatter_alone_is_no_fall_off() -> None:
    random = np.random.default_rng(5)
    told = [fall_off(random.normal(90.0, 0.3, 14), np.ones(14, bool)) for _ in range(200)]
    assert sum(found.clear for found in told) < 24
    assert sum(found.begins is not None for found in told) < 24
    assert fall_off(np.array([90.0, 90.1, 90.2]), np.ones(3, bool)) is None


def test_two_stints_over_equal_lap_counts() -> None:
    first = np.array([90.0, 90.1, np.nan, 90.2, 90.3])
    found = difference(first, np.array([90.4, 90.6, 95.0, 90.6]))
    assert found is not None
    assert found.laps == 3
    assert found.total_s == pytest.approx(1.3)
    assert found.total_u_s == pytest.approx(np.std([0.4, 0.5, 0.4], ddof=1) * 3**0.5)
    assert difference(first, np.array([90.0])) is None
