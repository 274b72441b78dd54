"""Which laps count, and what follows: one rule for the core's laps and for rows of a database."""

import itertools
from dataclasses import dataclass, replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.arrays import spans
from lauftakt.core.laps.counting import (
    best_of,
    counting_of,
    outcome,
    set_slow_aside,
    theoretical_best,
)
from lauftakt.core.laps.lap import Lap


@dataclass
class Row:
    """A lap as a database may have it."""

    time_s: float | None
    set_aside: str | None
    sector_times_s: tuple[float, ...] = ()


def lap(number: int, time_s: float | None, set_aside: str | None = None, sectors: tuple[float, ...] = ()) -> Lap:
    kind = "timed" if time_s is not None else "out"
    return Lap(number, kind, set_aside, 100.0 * number, 100.0 * number + 90.0, time_s, None, sectors)


@pytest.mark.parametrize("make", [lambda t, a, s: Row(t, a, s), lambda t, a, s: lap(1, t, a, s)])
def test_the_best_are_of_the_laps_that_count(make) -> None:
    laps = [
        make(None, "out", ()),
        make(92.0, None, (30.0, 31.0, 31.0)),
        make(90.0, "by_hand", (29.0, 30.0, 31.0)),
        make(91.0, None, (31.0, 30.0, 30.0)),
    ]
    assert counting_of(laps) == [laps[1], laps[3]]
    assert best_of(laps) is laps[3]
    assert theoretical_best(laps) == 90.0
    assert best_of(laps[:1]) is None
    assert theoretical_best(laps[:1]) is None


@pytest.mark.parametrize(
    ("automatic", "timed", "counts", "wanted"),
    [
        (None, True, None, None),
        ("slow", True, None, "slow"),
        ("slow", True, True, None),
        (None, True, False, "by_hand"),
        ("slow", True, False, "slow"),
        ("out", False, None, "out"),
        ("part", False, True, "part"),  # without a time no lap counts, whoever says so
    ],
)
def test_a_persons_word_goes_before_the_computation(automatic, timed, counts, wanted) -> None:
    assert outcome(automatic, timed, counts) == wanted


def test_a_reason_is_kept() -> None:
    assert outcome(None, True, False, "traffic") == "traffic"


def test_slow_laps_are_measured_by_the_best_that_counts() -> None:
    laps = [lap(1, 100.0), lap(2, 107.1), lap(3, 106.9), lap(4, 50.0, "track_limits")]
    assert [item.set_aside for item in set_slow_aside(laps)] == [None, "slow", None, "track_limits"]
    assert set_slow_aside([replace(laps[3])]) == [laps[3]]


@given(st.lists(st.booleans(), max_size=60))
def test_spans_are_the_unbroken_runs_of_true(mask: list[bool]) -> None:
    found = spans(np.array(mask, dtype=bool))
    again = np.zeros(len(mask), dtype=bool)
    for first, last in found:
        assert first < last
        again[first:last] = True
    assert again.tolist() == mask
    for (_, last), (first, _) in itertools.pairwise(found):
        assert last < first
