"""Laps that nobody drove as a whole: composite and median."""

from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.joined import (
    Source,
    best_parts,
    joined_lap,
    joined_sectors,
    median_lap,
    part_times,
    passage_edges,
    sector_edges,
)
from lauftakt.core.laps.lap import inside, reach
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.demo.scenario import random_scenario

Studied = tuple[Layout, AnalysedRun, list[Source]]


def sources_of(run: AnalysedRun) -> list[Source]:
    signals = run.signals
    assert signals is not None
    counting = {lap.number for lap in run.counting}
    return [
        Source(
            {"time": signals.time[row], "speed": signals.speed[row], "offset": signals.offset[row],
             **{role: values[row] for role, values in signals.others.items()}},
            run.traces[number].draws,
        )
        for row, number in enumerate(signals.numbers) if number in counting
    ]  # fmt: skip


@pytest.fixture(scope="module")
def studied() -> Studied:
    scenario = random_scenario(42, laps=8, students=1, kind="ellerholm", steady=True)
    layout, _ = make_layout([drive.log for drive in scenario.drives], scenario.sketch)
    run = analyse_run(scenario.drives[0].log, layout)
    return layout, run, sources_of(run)


def test_best_sectors_are_the_theoretical_best(studied: Studied) -> None:
    layout, run, sources = studied
    edges = sector_edges(layout)
    found = joined_lap(sources, best_parts(sources, edges, layout), edges, layout)
    inner = found.rows["time"][inside(layout)]
    assert inner[-1] == pytest.approx(run.theoretical_best_s(), abs=1e-9)
    assert (np.diff(inner) > 0).all()
    best = np.min([lap.sector_times_s for lap in run.counting], axis=0)
    assert joined_sectors(found, layout) == pytest.approx(tuple(best), abs=1e-9)


def test_best_passages_are_quicker_than_any_lap_and_each_part_is_its_laps_own(studied: Studied) -> None:
    layout, run, sources = studied
    edges = passage_edges(layout)
    assert edges[0] == 0.0
    assert edges[-1] == layout.length
    which = best_parts(sources, edges, layout)
    found = joined_lap(sources, which, edges, layout)
    assert found.rows["time"][inside(layout)][-1] <= min(lap.time_s for lap in run.counting)
    middle = (np.array(edges[1:]) + np.array(edges[:-1])) / 2
    places = reach(layout)
    for part, index in enumerate(which):
        own = np.interp(middle[part], places, sources[index].rows["speed"])
        assert np.interp(middle[part], places, found.rows["speed"]) == pytest.approx(own)
        assert np.diff(np.interp(edges[part : part + 2], places, found.rows["time"]))[0] == pytest.approx(
            part_times(sources[index], edges, layout)[part], abs=1e-4
        )


def test_one_lap_joined_with_itself_is_that_lap(studied: Studied) -> None:
    layout, _, sources = studied
    for edges in (sector_edges(layout), passage_edges(layout)):
        found = joined_lap(sources[:1], [0] * (len(edges) - 1), edges, layout)
        driven = np.isfinite(sources[0].rows["time"])
        assert np.allclose(found.rows["time"][driven], sources[0].rows["time"][driven], atol=1e-9)
        assert np.array_equal(np.isfinite(found.rows["time"]), driven)
        # Its error of time is the lap's, from where it begins.
        assert np.allclose(np.diff(found.draws, axis=0), np.diff(sources[0].draws, axis=0), atol=1e-9)
    again = median_lap(sources[:1], layout)
    assert np.allclose(again.rows["time"][driven], sources[0].rows["time"][driven], atol=1e-9)


def test_a_slip_in_one_lap_leaves_no_trace_in_the_median(studied: Studied) -> None:
    layout, _, sources = studied
    usual = median_lap(sources, layout)
    slow = dict(sources[0].rows)
    slow["time"] = slow["time"] + 3.0 * np.clip((reach(layout) - 1000.0) / 30.0, 0.0, 1.0)
    slipped = median_lap([Source(slow, sources[0].draws), *sources[1:]], layout)
    shift = slipped.rows["time"][inside(layout)] - usual.rows["time"][inside(layout)]
    assert abs(shift[-1]) < 0.05
    times = [source.rows["time"][inside(layout)][-1] for source in sources]
    assert min(times) < usual.rows["time"][inside(layout)][-1] < max(times)
    assert set(np.unique(usual.rows["gear"][inside(layout)])) <= set(range(10))


def test_channels_that_one_of_them_lacks_are_left_out(studied: Studied) -> None:
    layout, _, sources = studied
    poor = Source({role: sources[0].rows[role] for role in ("time", "speed", "offset")}, sources[0].draws[:, :3])
    two = joined_lap([poor, sources[1]], [0, 1], (0.0, 500.0, layout.length), layout)
    for found in (median_lap([poor, sources[1]], layout), two):
        assert set(found.rows) == {"time", "speed", "offset"}
        assert found.draws.shape[1] == 3


@settings(deadline=None, max_examples=40)
@given(st.data())
def test_parts_keep_their_time_wherever_they_meet(studied: Studied, data: st.DataObject) -> None:
    layout, _, sources = studied
    cuts = data.draw(st.lists(st.floats(20.0, layout.length - 20.0), max_size=6))
    edges = [0.0]
    for cut in sorted(cuts):
        if cut - edges[-1] > 5.0:
            edges.append(cut)
    edges.append(layout.length)
    which = [data.draw(st.integers(0, len(sources) - 1)) for _ in edges[1:]]
    found = joined_lap(sources, which, edges, layout)
    inner = found.rows["time"][inside(layout)]
    assert (np.diff(inner) > 0).all()
    whole = sum(part_times(sources[index], edges, layout)[part] for part, index in enumerate(which))
    assert inner[-1] == pytest.approx(whole, abs=1e-9)
    assert np.isfinite(found.draws).all()


def test_a_passage_over_the_line_is_two_parts() -> None:
    passages = [SimpleNamespace(from_m=100.0), SimpleNamespace(from_m=600.0)]
    layout = SimpleNamespace(passages=passages, length=1000.0)
    assert passage_edges(layout) == (0.0, 100.0, 600.0, 1000.0)  # type: ignore[arg-type]
