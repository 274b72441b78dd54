"""Where a driver is steady: spreads with their intervals, and the judgement of passages."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.comparison.spread import Spread, spread_of
from lauftakt.core.findings.steady import SPREAD, steady_passages, strong_first
from lauftakt.core.run import AnalysedRun
from tests.day import Day


def test_intervals_hold_the_true_spread_as_often_as_they_say() -> None:
    rng = np.random.default_rng(5)
    for count in (3, 4, 5, 6, 7, 9, 12, 25, 60):
        held = 0
        for _ in range(600):
            found = spread_of(rng.normal(12.0, 0.3, count))
            assert found is not None
            held += found.low <= 0.3 <= found.high
        assert 0.92 <= held / 600 <= 0.985, count


def test_a_slip_does_not_make_a_steady_driver_unsteady() -> None:
    times = 9.0 + np.random.default_rng(2).normal(0.0, 0.02, 9)
    steady = spread_of(times)
    times[3] += 1.4
    slipped = spread_of(times)
    assert steady is not None
    assert slipped is not None
    assert slipped.value < 2.2 * steady.value
    assert slipped.middle == pytest.approx(9.0, abs=0.03)


def test_what_measuring_adds_is_taken_out() -> None:
    rng = np.random.default_rng(8)
    found = spread_of(rng.normal(0.0, 0.03, 400) + rng.normal(0.0, 0.04, 400), own=0.04)
    assert found is not None
    assert found.value == pytest.approx(0.03, rel=0.2)
    nothing = spread_of(rng.normal(0.0, 0.03, 40), own=0.2)
    assert nothing is not None
    assert nothing.value == 0.0


def test_of_two_laps_nothing_is_told() -> None:
    assert spread_of([1.0, None, 2.0, float("nan")]) is None


@given(st.lists(st.floats(-1e4, 1e4), min_size=3, max_size=40), st.floats(0, 50))
def test_a_spread_lies_in_its_interval_whatever_the_values(values: list[float], own: float) -> None:
    found = spread_of(values, own)
    assert found is not None
    assert 0.0 <= found.low <= found.value <= found.high
    assert found.laps == len(values)


def loosened(run: AnalysedRun, passage: int, seconds: float, corner: int, metres: float) -> AnalysedRun:
    """A run whose driver is loose in one passage and with one brake point, and is otherwise as before."""
    wild = np.random.default_rng(4)
    shifts = {lap.number: wild.normal(0.0, 1.0) for lap in run.counting}
    passages = {n: times.copy() for n, times in run.passage_s.items()}
    assert run.technique is not None
    rows = {}
    for number in run.traces:
        own = list(run.technique[number])
        brake = own[corner].brake_point_m if own[corner] is not None else None
        if number in shifts:
            passages[number][passage] += seconds * shifts[number]
            if brake is not None:
                own[corner] = replace(own[corner], brake_point_m=brake + metres * shifts[number])
        rows[number] = own
    return replace(run, passage_s=passages, technique=_Fixed(rows))  # type: ignore[arg-type]


class _Fixed:
    """Figures that are known beforehand."""

    def __init__(self, rows: dict[int, list[object]]) -> None:
        self._rows = rows

    def at(self, number: int, which: int) -> object:
        return self._rows[number][which]


def test_the_one_loose_passage_and_its_brake_point_are_named(day: Day) -> None:
    own = day.of("Halvard")
    run, layout = day.runs[own], day.layout
    which = next(
        index
        for index, passage in enumerate(layout.passages)
        if (row := run.technique.at(run.best_lap.number, _first(layout, passage))) is not None and row.brake_point_m
    )
    corner = _first(layout, layout.passages[which])
    found = steady_passages(loosened(run, which, 0.4, corner, 14.0), layout)
    loose = found[which]
    assert loose.steady is False
    assert loose.steady_sure
    assert loose.loosest == (layout.corners[corner].name, "brake_point_m")
    assert loose.corners[0].figures["brake_point_m"].value == pytest.approx(14.0, rel=0.7)
    others = [one for index, one in enumerate(found) if index != which and one.time]
    assert all(one.time.value < loose.time.value for one in others if one.time and loose.time)
    assert strong_first(found)[-1].name == loose.name
    assert all(one.steady for one in strong_first(found)[:2])


def _first(layout: object, passage: object) -> int:
    names = [corner.name for corner in layout.corners]  # type: ignore[attr-defined]
    return names.index(passage.corners[0])  # type: ignore[attr-defined]


def test_a_slower_driver_is_slow_where_the_time_is_lost(day: Day) -> None:
    base = day.runs[day.of("Halvard")]
    layout = day.layout
    lap = base.traces[base.best_lap.number]
    for index, run in enumerate(day.runs):
        for position, one in enumerate(steady_passages(run, layout, lap=lap, reference=base)):
            if one.loss_s is None:
                continue
            own = [run.passage_s[n][position] for n in one.numbers]
            theirs = [run_s[position] for n, run_s in base.passage_s.items() if n in counting(base)]
            assert one.loss_s == pytest.approx(np.median(own) - np.median(theirs), abs=0.12), (index, one.name)
            assert one.fast == (one.loss_s <= one.level_s)
            assert one.against in ("reference", "reference lap")


def counting(run: AnalysedRun) -> set[int]:
    return {lap.number for lap in run.counting}


def test_alone_the_own_best_is_the_measure_and_every_figure_has_a_spread(day: Day) -> None:
    found = steady_passages(day.runs[0], day.layout)
    assert {one.against for one in found} == {"own best"}
    assert all(one.loss_s is None or one.loss_s >= 0 for one in found)
    told = {code for one in found for corner in one.corners for code in corner.figures}
    assert {"brake_point_m", "brake_rise_s", "brake_peak", "brake_release_m", "min_speed", "throttle_pickup_m"} <= told
    assert told <= set(SPREAD)
    peaks = [c.figures["brake_peak"].middle for one in found for c in one.corners if "brake_peak" in c.figures]
    assert 0.3 < max(peaks) < 1.3
    assert isinstance(found[0].time, Spread)
