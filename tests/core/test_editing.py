"""A layout that somebody changes: the road stays where it is, places follow the line, nonsense is refused in words, and
what a change does to laps is told as the computation would tell it."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from lauftakt.core import analyse_run, make_layout
from lauftakt.core.circuit.drafting import read_tracks
from lauftakt.core.circuit.editing import DrawnCorner, drawing_of, redrawn
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.relining import relined
from lauftakt.core.laps.held import SaidOfTraffic
from lauftakt.core.laps.recutting import recut
from lauftakt.core.log.model import Unusable
from lauftakt.core.redrawing import on_redrawn
from lauftakt.core.run import AnalysedRun
from lauftakt.demo.circuits import karst_hill
from lauftakt.demo.habits import Driver
from lauftakt.demo.hill import drive_course
from lauftakt.demo.scenario import COUPE, Scenario, random_scenario, sketch_of
from lauftakt.demo.sensors import Sensors, record


@pytest.fixture(scope="module")
def scenario() -> Scenario:
    return random_scenario(31, laps=5, students=1, kind="ellerholm")


@pytest.fixture(scope="module")
def layout(scenario: Scenario) -> Layout:
    drawn, _ = make_layout([drive.log for drive in scenario.drives], scenario.sketch)
    aside = np.full(len(drawn.grid()), 5.0) + np.sin(drawn.grid() / 200.0)
    return replace(drawn, left_limit=aside, right_limit=-aside, marks=(("board", 1000.0),))


@pytest.fixture(scope="module")
def run(scenario: Scenario, layout: Layout) -> AnalysedRun:
    return analyse_run(scenario.drives[1].log, layout)


def ground(layout: Layout, places: list[float]) -> np.ndarray:
    x, y, _ = layout.centre.at(np.array(places))
    return np.column_stack(layout.plane.to_degrees(x, y))


def test_a_drawing_that_changes_nothing_changes_nothing(layout: Layout) -> None:
    same = redrawn(layout, drawing_of(layout))
    assert same.corners == layout.corners
    assert same.passages == layout.passages
    assert same.splits_m == layout.splits_m
    assert same.centre is layout.centre


@settings(max_examples=12, deadline=None)
@given(st.floats(1.0, 4290.0))
def test_the_road_and_what_is_on_it_stay_on_the_ground(layout: Layout, start: float) -> None:
    assume(all(abs(split - start) > 4.0 for split in layout.splits_m))
    moved = redrawn(layout, replace(drawing_of(layout), start_m=start))
    assert moved.length == pytest.approx(layout.length, abs=0.05)
    by_name = {corner.name: corner for corner in moved.corners}
    assert sorted(by_name) == sorted(corner.name for corner in layout.corners)
    for corner in layout.corners:
        apart = (by_name[corner.name].apex_m + start - corner.apex_m) % layout.length
        assert min(apart, layout.length - apart) < 0.1
        there = ground(moved, [by_name[corner.name].apex_m])
        assert there == pytest.approx(ground(layout, [corner.apex_m]), abs=2e-6)
    assert ground(moved, [moved.marks[0][1]]) == pytest.approx(ground(layout, [1000.0]), abs=2e-6)
    assert ground(moved, [0.0]) == pytest.approx(ground(layout, [start]), abs=2e-6)
    assert np.interp((1000.0 - start) % layout.length, moved.grid(), moved.left_limit) == pytest.approx(
        np.interp(1000.0, layout.grid(), layout.left_limit), abs=0.05
    )
    assert len(moved.passages) == len(layout.passages)


def test_passages_follow_their_borders(layout: Layout) -> None:
    drawing = drawing_of(layout)
    linked = redrawn(layout, replace(drawing, borders=drawing.borders[1:]))
    assert len(linked.passages) == len(layout.passages) - 1
    assert sum(len(p.corners) for p in linked.passages) == len(layout.corners)
    alone = redrawn(layout, replace(drawing, borders=()))
    assert alone.passages[0].corners == tuple(corner.name for corner in layout.corners)


def test_corners_are_joined_and_named(layout: Layout) -> None:
    drawing = drawing_of(layout)
    first, second, *others = drawing.corners
    joined = DrawnCorner("Seam", first.entry_m, first.apex_m, second.exit_m)
    borders = tuple(b for b in drawing.borders if not first.apex_m < b < second.apex_m)
    found = redrawn(layout, replace(drawing, corners=(joined, *others), borders=borders))
    assert found.corners[0].name == "Seam"
    assert found.passages[0].corners[0] == "Seam"
    assert found.corners[0].exit_m == layout.corners[1].exit_m


WRONG = {
    "outside the lap": lambda d: replace(d, start_m=9000.0),
    "needs a name": lambda d: replace(d, corners=(replace(d.corners[0], name="  "), *d.corners[1:])),
    "are called": lambda d: replace(d, corners=(replace(d.corners[0], name=d.corners[1].name), *d.corners[1:])),
    "begin before its apex": lambda d: replace(
        d, corners=(replace(d.corners[0], entry_m=d.corners[0].exit_m), *d.corners[1:])
    ),
    "same place": lambda d: replace(
        d, corners=(*d.corners, DrawnCorner("X", d.corners[0].entry_m, d.corners[0].apex_m, d.corners[0].exit_m))
    ),
    "No corner lies": lambda d: replace(d, borders=(*d.borders, d.borders[0] + 5.0)),
    "on the start line": lambda d: replace(d, start_m=d.splits[0][1] + 1.0),
    "lie on one another": lambda d: replace(d, splits=(("", 500.0), ("", 501.0))),
    "same name": lambda d: replace(d, splits=(("A", 500.0), ("A", 900.0))),
    "along the road": lambda d: replace(d, start_turn=1.2),
    "at least 100 m": lambda d: replace(d, finish_m=d.start_m),
    "too many": lambda d: replace(d, splits=tuple(("", 4.0 * i) for i in range(1, 1100))),
    "of a sector": lambda d: replace(d, splits=(("", float("nan")),)),
}


@pytest.mark.parametrize("told", WRONG)
def test_nonsense_is_refused_in_words(layout: Layout, told: str) -> None:
    with pytest.raises(Unusable, match=told):
        redrawn(layout, WRONG[told](drawing_of(layout)))


@pytest.mark.parametrize("drawing", [
    {"start_m": 40.0}, {"start_m": -40.0}, {"start_m": 700.0}, {"start_m": 2000.0},
    {"start_m": 40.0, "start_turn": 0.3}, {"start_turn": -0.2},
])  # fmt: skip
def test_what_a_moved_line_does_is_told_as_the_computation_tells_it(
    scenario: Scenario, layout: Layout, run: AnalysedRun, drawing: dict[str, float]
) -> None:
    wanted = replace(drawing_of(layout), **drawing)
    if wanted.start_m < 0:
        wanted = replace(wanted, start_m=wanted.start_m + layout.length)
    moved = redrawn(layout, wanted)
    told = recut(run.laps, run.traces, layout, moved, wanted.start_m)
    again = analyse_run(scenario.drives[1].log, moved)
    times = {round(lap.start_s): lap for lap in again.laps if lap.time_s is not None}
    cut = [lap for lap in told.laps if lap.time_s is not None]
    # Of a line that moved far nothing is kept of the laps from and to the pits, which may hold one more each.
    assert len(cut) >= len(times) - (0 if abs(drawing.get("start_m", 0.0)) < 100 else 2)
    for lap in cut:
        same = min(times.values(), key=lambda other: abs(other.start_s - lap.start_s))
        assert lap.start_s == pytest.approx(same.start_s, abs=0.004)
        assert lap.time_s == pytest.approx(same.time_s, abs=0.004)
        assert lap.sector_times_s == pytest.approx(same.sector_times_s, abs=0.006)
        assert lap.set_aside == same.set_aside
        assert lap.time_u_s == pytest.approx(same.time_u_s, rel=0.4, abs=0.002)


def test_other_sectors_are_told_at_once(layout: Layout, run: AnalysedRun) -> None:
    other = redrawn(layout, replace(drawing_of(layout), splits=(("A", 700.0), ("", 2100.5), ("", 3000.0))))
    told = recut(run.laps, run.traces, layout, other, 0.0)
    for lap, before in zip(told.laps, run.laps, strict=True):
        assert lap.time_s == before.time_s
        assert lap.set_aside == before.set_aside
        if lap.time_s is not None:
            assert len(lap.sector_times_s) == 4
            assert sum(lap.sector_times_s) == pytest.approx(lap.time_s)


def test_start_and_finish_are_moved_on_an_open_course() -> None:
    hill = karst_hill()
    motion = drive_course(hill, COUPE, Driver("A", scatter=0.003), drives=3, seed=1, line=np.zeros(len(hill.x)))
    log = record(hill, COUPE, motion, Sensors(), seed=9, meta={})
    layout, _ = make_layout([log], sketch_of(hill))
    run = analyse_run(log, layout)
    assert redrawn(layout, drawing_of(layout)).passages == layout.passages
    for start, finish in ((30.0, layout.length - 60.0), (10.0, layout.length + 15.0)):
        wanted = replace(drawing_of(layout), start_m=start, finish_m=finish)
        moved = redrawn(layout, wanted)
        assert moved.length == pytest.approx(finish - start, abs=0.3)
        told = recut(run.laps, run.traces, layout, moved, start)
        again = analyse_run(log, moved)
        for lap, same in zip(told.laps, again.laps, strict=True):
            assert (lap.time_s is None) == (same.time_s is None)
            if lap.time_s is not None:
                assert lap.time_s == pytest.approx(same.time_s, abs=0.006)
                assert lap.sector_times_s == pytest.approx(same.sector_times_s, abs=0.006)


def test_a_better_line_leaves_everything_on_the_ground(scenario: Scenario, layout: Layout) -> None:
    one, _ = make_layout([scenario.drives[0].log], scenario.sketch)
    one = redrawn(one, replace(drawing_of(one), splits=(("bend", 700.0), ("", 2100.0))))
    one = replace(one, marks=(("board", 1000.0),), left_limit=layout.left_limit[: len(one.grid())])
    better = relined(one, read_tracks([drive.log for drive in scenario.drives]), limits=False)
    assert better.moved_m < better.most_m < 3.0
    assert better.layout.split_names == one.split_names
    pairs = [(c.apex_m, d.apex_m) for c, d in zip(one.corners, better.layout.corners, strict=True)]
    pairs += [*list(zip(one.splits_m, better.layout.splits_m, strict=True)), (1000.0, better.layout.marks[0][1])]
    for before, after in pairs:
        (a,), (b,) = ground(one, [before]), ground(better.layout, [after])
        apart = np.hypot((a[0] - b[0]) * 111_195.0, (a[1] - b[1]) * 111_195.0 * np.cos(np.radians(a[0])))
        assert apart < better.most_m + 0.2
    wide = relined(one, read_tracks([drive.log for drive in scenario.drives]), limits=True).layout
    run = analyse_run(scenario.drives[0].log, wide)
    assert all(lap.set_aside != "track_limits" for lap in run.laps)
    assert all((trace.offset < wide.left_limit + 1.5).all() for trace in run.traces.values())
    assert (wide.left_limit > wide.right_limit + 1.7).all()


def test_a_loop_is_timed_short_of_its_end(scenario: Scenario, layout: Layout, run: AnalysedRun) -> None:
    drawing = replace(drawing_of(layout), start_m=120.0, finish_m=layout.length - 350.0)
    timed = redrawn(layout, drawing)
    assert not timed.centre.closed
    assert timed.length == pytest.approx(layout.length - 470.0, abs=0.5)
    assert ground(timed, [timed.length]) == pytest.approx(ground(layout, [layout.length - 350.0]), abs=5e-6)
    assert timed.passages[0].from_m == 0.0
    assert timed.passages[-1].to_m == timed.length
    assert all(passage.corners for passage in timed.passages)
    left = [c.name for c in layout.corners if 120.0 <= c.apex_m <= layout.length - 350.0]
    assert [corner.name for corner in timed.corners] == left
    # What the laps are on it: by the computation, as a look before keeping tells it, and from the loop's own course.
    anew = analyse_run(scenario.drives[1].log, timed)
    told = recut(run.laps, run.traces, layout, timed, 120.0)
    places = np.array([120.0, layout.length - 350.0])
    own = [float(np.diff(np.interp(places, layout.grid(), run.traces[lap.number].time))[0]) for lap in run.counting]
    assert [lap.time_s for lap in anew.counting] == pytest.approx(own, abs=0.03)
    assert [lap.time_s for lap in told.laps if lap.time_s is not None and lap.set_aside is None] == pytest.approx(
        own, abs=0.005
    )
    with pytest.raises(Unusable, match="at least 10 m before"):
        redrawn(layout, replace(drawing_of(layout), finish_m=layout.length - 4.0))


def test_what_was_said_of_traffic_holds_on_a_drawing_that_is_only_looked_at(layout: Layout, run: AnalysedRun) -> None:
    lap = run.counting[1]
    trace = run.traces[lap.number]
    begin, end = np.interp([500.0, 900.0], layout.grid(), trace.time) + lap.start_s
    moved = redrawn(layout, replace(drawing_of(layout), start_m=60.0))
    said = [SaidOfTraffic(float(begin), float(end), True)]
    found = next(own for own in on_redrawn(run, layout, moved, 60.0, said).laps if own.number == lap.number)
    assert any(part == pytest.approx((440.0, 840.0), abs=1.0) for part in found.held_up)
    assert on_redrawn(run, layout, moved, 60.0).laps != on_redrawn(run, layout, moved, 60.0, said).laps
