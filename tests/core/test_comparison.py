"""The delta, its slope, and findings against any lap."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.comparison.delta import loss_rate, place_uncertainty, stretch_loss, time_delta
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.technique.figures import Technique
from lauftakt.core.technique.windows import windows
from tests.day import Day


@given(st.floats(60.0, 900.0), st.floats(-0.01, 0.01))
@settings(max_examples=60, deadline=None)
def test_a_constant_slope_is_constant_to_the_laps_end(length: float, slope: float) -> None:
    """The grid's last step is what is left of a metre: it does not count as a whole one."""
    places = np.append(np.arange(int(np.floor(length - 1e-6)) + 1, dtype=float), length)
    rate = loss_rate(slope * places, length)
    assert len(rate) == len(places)
    assert rate == pytest.approx(np.full(len(places), slope), abs=1e-9 + 2e-4 * abs(slope))


def test_the_rate_adds_up_to_the_delta(day: Day) -> None:
    one, two = (run.traces[run.best_lap.number] for run in day.runs[:2])
    delta = time_delta(two, one)
    steps = np.gradient(day.layout.grid())
    assert float(np.sum(loss_rate(delta, day.layout.length) * steps)) == pytest.approx(delta[-1], abs=0.01)


@given(st.floats(0.05, 0.9), st.floats(0.05, 0.9))
@settings(max_examples=25, deadline=None)
def test_losses_of_neighbouring_stretches_add_up(day: Day, a: float, b: float) -> None:
    one, two = (run.traces[run.best_lap.number] for run in day.runs[:2])
    low, high = sorted((0.0, day.layout.length * max(a, b)))
    middle = day.layout.length * min(a, b)
    if not low < middle < high:
        return
    parts = [stretch_loss(two, one, *ends, False).loss_s for ends in ((low, middle), (middle, high))]
    assert sum(parts) == pytest.approx(stretch_loss(two, one, low, high, False).loss_s, abs=1e-9)


def test_findings_can_be_against_any_lap_of_the_reference(day: Day) -> None:
    sides = [Contender(day.runs[0], "halvard"), Contender(day.runs[1], "ines")]
    best, _ = find(sides, 0, day.layout)
    slowest = max(day.runs[0].counting, key=lambda lap: lap.time_s)
    other, _ = find(sides, 0, day.layout, lap=slowest.number)
    by_passage = {finding.passage: finding for finding in best}
    shared = [finding for finding in other if finding.passage in by_passage]
    assert shared
    for finding in shared:
        assert finding.loss_s == pytest.approx(by_passage[finding.passage].loss_s, abs=1e-9)
    assert any(abs(f.loss_to_lap_s - by_passage[f.passage].loss_to_lap_s) > 1e-6 for f in shared)
    assert find(sides, 0, day.layout, lap=99) == ([], [])
    # Two runs of one driver are no two drivers.
    assert find([Contender(day.runs[0], "same"), Contender(day.runs[1], "same")], 0, day.layout) == ([], [])


def test_figures_that_were_kept_are_the_computed_ones(day: Day) -> None:
    run = day.runs[1]
    assert run.signals is not None
    assert run.technique is not None
    kept = run.technique.everything()
    again = Technique(run.signals, windows(day.layout), dict(kept))
    assert again.everything() == kept
    marked = {key: None if value is None else replace(value, coast_s=99.0) for key, value in kept.items()}
    known = Technique(run.signals, windows(day.layout), marked)
    assert all(found is None or found.coast_s == 99.0 for found in known[run.best_lap.number])


def test_how_well_a_difference_of_places_is_known(day: Day) -> None:
    one, two = day.runs[:2]
    laps = [lap.number for lap in one.counting[:2]]
    places = np.array([0.2, 0.5, 0.8, np.nan, 0.5]) * day.layout.length
    pace = np.array([50.0, 50.0, 50.0, 50.0, np.nan])
    within = place_uncertainty(one.traces[laps[0]], one.traces[laps[1]], True, places, pace)
    between = place_uncertainty(one.traces[laps[0]], two.traces[two.best_lap.number], False, places, pace)
    assert (within[:3] > 0.0).all()
    # What a run's laps share cancels; drifts of a minute they hardly share.
    assert (within[:3] < 1.2 * between[:3]).all()
    itself = place_uncertainty(one.traces[laps[0]], one.traces[laps[0]], True, places, pace)
    assert (itself[:3] == 0.0).all()
    # Decimetres to metres, as receivers err.
    assert 0.05 < float(np.median(between[:3])) < 3.0
    assert np.isnan(between[3:]).all()
    faster = place_uncertainty(one.traces[laps[0]], two.traces[two.best_lap.number], False, places, 2 * pace)
    assert faster[:3] == pytest.approx(2 * between[:3])
    bare = replace(one.traces[laps[0]], draws=np.zeros((len(one.traces[laps[0]].draws), 0)))
    assert (place_uncertainty(bare, bare, True, places, pace)[:3] == 0.0).all()
