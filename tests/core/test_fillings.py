"""Quick fillings of a line-up."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.comparison.fillings import FILLINGS, MOST, Asked, Candidate, fill, winners

# Two days; Ada (1) and Ben (2) share car 7, Cem (3) drives car 8; Dora's car (4) is not known.
LAPS = (
    *(Candidate(10, n, 1, 7, 100, t) for n, t in ((1, 92.0), (2, 90.4), (3, 90.0), (4, 90.2), (5, 95.0))),
    *(Candidate(11, n, 2, 7, 100, t) for n, t in ((1, 91.5), (2, 91.0), (3, 91.2), (4, 93.0))),
    *(Candidate(12, n, 3, 8, 100, t) for n, t in ((1, 88.0), (2, 88.2))),
    *(Candidate(20, n, 1, 7, 200, t) for n, t in ((1, 90.9), (2, 89.1))),
    *(Candidate(21, n, 4, None, 200, t) for n, t in ((1, 99.0), (2, 98.0))),
    *(Candidate(13, n, 4, None, 100, t) for n, t in ((1, 97.0),)),
)


def keys(kind: str, **asked: Any) -> tuple[list[tuple[int, int]], tuple[int, int]]:
    found = fill(kind, LAPS, Asked(**asked))
    assert found is not None
    return [lap.key for lap in found.laps], found.reference.key


def test_each_drivers_best() -> None:
    assert keys("bests", event=100) == ([(12, 1), (10, 3), (11, 2), (13, 1)], (12, 1))


def test_a_drivers_laps_near_the_best() -> None:
    assert keys("near_best", event=100, driver=1) == ([(10, 3), (10, 4), (10, 2)], (10, 3))
    # As near as somebody says: a share, or seconds.
    assert keys("near_best", event=100, driver=1, within_share=0.003)[0] == [(10, 3), (10, 4)]
    assert keys("near_best", event=100, driver=1, within_s=3.0)[0] == [(10, 3), (10, 4), (10, 2), (10, 1)]
    assert fill("near_best", LAPS, Asked(event=100, driver=9)) is None


def test_first_laps_of_a_run_against_its_last() -> None:
    assert keys("first_and_last", run=10) == ([(10, 4), (10, 1), (10, 2), (10, 5)], (10, 4))
    assert keys("first_and_last", run=12) == ([(12, 2), (12, 1)], (12, 2))
    assert fill("first_and_last", LAPS, Asked(run=13)) is None


def test_todays_best_against_the_best_ever_with_this_car() -> None:
    # Somebody else's with the same car, and the own one of another day; never itself, nor another car's.
    assert keys("today_and_ever", event=100, driver=2) == ([(20, 2), (11, 2)], (20, 2))
    assert keys("today_and_ever", event=200, driver=1) == ([(10, 3), (20, 2)], (10, 3))
    assert keys("today_and_ever", event=100, driver=4) == ([(21, 2), (13, 1)], (21, 2))
    assert fill("today_and_ever", LAPS, Asked(event=100, driver=3)) is None


def test_the_best_three_of_two_drivers() -> None:
    assert keys("best_of_two", event=100, driver=2, other=1) == (
        [(10, 3), (11, 2), (11, 3), (11, 1), (10, 4), (10, 2)],
        (10, 3),
    )
    assert fill("best_of_two", LAPS, Asked(event=100, driver=1, other=1)) is None
    assert fill("best_of_two", LAPS, Asked(event=200, driver=1, other=3)) is None


def test_who_won_each_passage() -> None:
    day = [lap for lap in LAPS if lap.event == 100]
    times = {lap.key: np.array([30.0, 30.0, 30.0, np.nan]) for lap in day}
    times[10, 1] = np.array([29.0, 31.0, 31.0, np.nan])
    times[11, 4] = np.array([31.0, 29.0, 29.5, np.nan])
    found = winners(day, times)
    assert found is not None
    assert [lap.key for lap in found.laps] == [(12, 1), (11, 4), (10, 1)]
    assert found.reference.key == (12, 1)
    assert winners([], {}) is None
    assert winners(day, {lap.key: np.full(4, np.nan) for lap in day}) is None


candidates = st.lists(
    st.builds(
        Candidate, st.integers(1, 6), st.integers(0, 40), st.integers(1, 4), st.none() | st.integers(1, 2),
        st.integers(1, 3), st.floats(20.0, 400.0),
    ),
    max_size=60, unique_by=lambda lap: lap.key,
)  # fmt: skip


@pytest.mark.parametrize("kind", FILLINGS)
@given(
    laps=candidates,
    asked=st.builds(Asked, st.integers(1, 3), st.integers(1, 4), st.integers(1, 4), st.integers(1, 6)),
)
def test_any_filling_is_a_line_up(kind: str, laps: list[Candidate], asked: Asked) -> None:
    found = fill(kind, laps, asked)
    if found is None:
        return
    chosen = [lap.key for lap in found.laps]
    assert len(set(chosen)) == len(chosen) <= MOST
    assert chosen[0] == found.reference.key
    assert set(chosen) <= {lap.key for lap in laps}
    # Nothing depends on the order in which laps are known.
    again = fill(kind, laps[::-1], asked)
    assert again is not None
    assert {lap.key for lap in again.laps} == set(chosen)


def test_equal_times_are_in_a_fixed_order() -> None:
    same = [replace(lap, time_s=90.0) for lap in LAPS]
    assert fill("bests", same, Asked(event=100)) == fill("bests", same[::-1], Asked(event=100))
