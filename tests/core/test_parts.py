"""Figures between two places, where in them time goes, and the stretches that are worth a look."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.comparison.parts import (
    WORTH_S,
    lost_between,
    part_edges,
    part_figures,
    telling_stretches,
    to_median_of_others,
)
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.technique.windows import Window
from lauftakt.demo.scenario import random_scenario

S = np.arange(0.0, 4001.0)


def bumps(*parts: tuple[float, float, float]) -> tuple[np.ndarray, np.ndarray]:
    """Delta and loss rate of a lap that loses evenly between places: from, to, seconds."""
    rate = np.zeros(len(S))
    for low, high, loss in parts:
        rate[(low <= S) & (high > S)] += loss / (high - low)
    return np.concatenate([[0.0], np.cumsum(rate[:-1])]), rate


BORDERS = (0.0, 400.0, 1000.0, 1900.0, 2900.0, 4000.0)


def test_a_loss_is_found_from_where_it_begins_to_where_it_has_grown() -> None:
    delta, rate = bumps((500, 620, 0.30), (620, 900, 0.06), (2000, 2100, -0.12), (3000, 3010, 0.01))
    found = telling_stretches(S, delta, rate, BORDERS)
    assert [round(one.loss_s, 2) for one in found] == [0.35, -0.12]
    corner = found[0]
    # The straight that the corner feeds belongs to it.
    # From where it begins, with a little before: the pedal moves before the speed does.
    assert 480 <= corner.from_m <= 500
    assert corner.to_m == pytest.approx(880, abs=30)
    assert 1980 <= found[1].from_m <= 2000
    assert found[1].to_m == pytest.approx(2100, abs=6)


def test_corners_that_depend_on_one_another_are_one_and_others_are_not() -> None:
    parts = ((500, 560, 0.1), (700, 760, 0.1), (1200, 1300, 0.1))
    delta, rate = bumps(*parts)
    # A little everywhere does not make one of all.
    delta, rate = delta + 5e-5 * S, rate + 5e-5
    found = sorted(telling_stretches(S, delta, rate, BORDERS), key=lambda one: one.from_m)
    assert len(found) == 2
    assert found[0].from_m < 520
    assert 740 < found[0].to_m < 1100
    apart = telling_stretches(S, delta, rate, (0.0, 400.0, 630.0, 1000.0, 4000.0))
    assert len(apart) == 3


def test_what_is_not_sure_yet_where_it_begins_belongs_to_it() -> None:
    # A brake that is pressed earlier: the loss grows from nothing, and for the first 25 m it is inside the doubt.
    rate = np.interp(S, [2018.0, 2100.0, 2150.0], [0.0, 0.008, 0.0])
    delta = np.concatenate([[0.0], np.cumsum(rate[:-1])])
    sure = np.where(rate > 0.0025, rate, 0.0)
    (found,) = telling_stretches(S, delta, sure, BORDERS)
    assert 2000 <= found.from_m <= 2020
    # Of a loss that goes on for ever, on a straight of a weaker engine, only what lies near.
    sure[:1900] = 0.0
    (found,) = telling_stretches(S, delta + 3e-4 * S, sure, BORDERS)
    assert 1930 <= found.from_m <= 2020


def test_nothing_is_proposed_where_nothing_is_sure() -> None:
    delta = 0.001 * np.sin(S / 50.0)
    assert telling_stretches(S, delta, np.zeros(len(S)), BORDERS) == []


@settings(deadline=None, max_examples=60)
@given(st.lists(st.tuples(st.integers(0, 3550), st.integers(30, 400), st.floats(-0.5, 0.5)), max_size=5))
def test_stretches_of_one_kind_never_overlap_and_lose_what_they_say(parts: list[tuple[int, int, float]]) -> None:
    delta, rate = bumps(*[(float(low), float(low + size), loss) for low, size, loss in parts])
    found = telling_stretches(S, delta, rate, BORDERS, most=99)
    for one in found:
        assert 0.0 <= one.from_m < one.to_m <= S[-1]
        assert abs(one.loss_s) >= WORTH_S
        ends = np.interp([one.from_m, one.to_m], S, delta)
        assert one.loss_s == pytest.approx(ends[1] - ends[0])
    for sign in (1.0, -1.0):
        order = sorted((one for one in found if sign * one.loss_s > 0), key=lambda one: one.from_m)
        assert all(a.to_m <= b.from_m + 1.0 for a, b in pairwise(order))


@pytest.fixture(scope="module")
def run():
    scenario = random_scenario(7, laps=4, students=1, kind="ellerholm", steady=True)
    layout, _ = make_layout([scenario.drives[0].log], scenario.sketch)
    return layout, analyse_run(scenario.drives[0].log, layout)


def test_figures_between_two_places_are_the_laps(run) -> None:
    layout, own = run
    signals = own.signals
    grid = layout.grid()
    number = own.best_lap.number
    row = signals.numbers.index(number)
    whole = part_figures(signals, row, 0.0, layout.length)
    assert whole.time_s == pytest.approx(own.best_lap.time_s, abs=1e-9)
    assert whole.mean_speed == pytest.approx(layout.length / own.best_lap.time_s)
    assert whole.min_speed <= min(whole.entry_speed, whole.exit_speed)
    assert whole.max_speed >= max(whole.entry_speed, whole.exit_speed)
    assert 0.0 < whole.mean_braking < whole.peak_braking
    halves = [part_figures(signals, row, *ends) for ends in ((0.0, 700.5), (700.5, layout.length))]
    assert sum(half.time_s for half in halves) == pytest.approx(whole.time_s, abs=1e-9)
    assert min(half.min_speed for half in halves) == pytest.approx(whole.min_speed)
    assert part_figures(signals, row, 10.0, 10.5) is None
    assert part_figures(signals, row, -5000.0, 100.0) is None
    assert len(grid) > 0


def test_parts_of_a_passage_add_up(run) -> None:
    _, own = run
    numbers = list(own.traces)
    window = Window("T", 400.0, 500.0, 560.0, 620.0, 900.0, 900.0)
    for release, pickup in ((None, None), (540.0, 575.0), (None, 980.0)):
        edges = part_edges(window, release, pickup, 400.0, 900.0)
        assert (np.diff(edges) >= 0).all()
        assert (edges[0], edges[-1]) == (400.0, 900.0)
        assert edges[3] == 620.0
        lost = lost_between(own.traces[numbers[0]], own.traces[numbers[1]], edges)
        whole = lost_between(own.traces[numbers[0]], own.traces[numbers[1]], np.array([400.0, 900.0]))
        assert lost.sum() == pytest.approx(whole[0], abs=1e-9)


def test_loss_to_the_median_of_the_others() -> None:
    assert to_median_of_others([10.0, 11.0, 12.0, 20.0], 3) == pytest.approx(9.0)
    assert to_median_of_others([10.0, 11.0], 0) is None
    assert to_median_of_others([10.0, float("nan"), 11.0], 1) is None
