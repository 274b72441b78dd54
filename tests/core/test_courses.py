"""Other courses than the school's: an open hill, a kart track, the southern half of the earth; and layout drawings."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.circuit.layout import Layout, LayoutSketch
from lauftakt.core.log.model import Log, Unusable
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.demo.circuits import bruchfeld_kart, karst_hill, tamar_ring
from lauftakt.demo.drive import Motion, drive_run
from lauftakt.demo.habits import Driver, Habit, Traffic
from lauftakt.demo.hill import drive_course
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE, KART, line_at, sketch_of
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.geojson import centre_of, read_layout, write_sketch
from tests.day import Day

HILL = karst_hill()


@pytest.fixture(scope="module")
def hill() -> tuple[Layout, list[AnalysedRun], list[Motion], list[Log]]:
    motions, logs = [], []
    for seed, habits in enumerate([(), (Habit("T3", "early_brake", 14.0),)]):
        driver = Driver(f"driver {seed}", scatter=0.003, habits=habits)
        motion = drive_course(HILL, COUPE, driver, drives=4, seed=seed, line=np.zeros(len(HILL.x)))
        motions.append(motion)
        logs.append(record(HILL, COUPE, motion, Sensors(speed_scale=1.01), seed=seed + 9, meta={}))
    layout, _ = make_layout(logs, sketch_of(HILL))
    return layout, [analyse_run(log, layout) for log in logs], motions, logs


def test_an_open_course_runs_from_start_to_finish(hill) -> None:
    layout, runs, motions, _ = hill
    assert not layout.centre.closed
    assert layout.length == pytest.approx(HILL.finish_m - HILL.start_m, abs=6)
    assert [c.direction for c in layout.corners] == ["right", "left", "right", "left", "left", "right", "left", "right"]
    assert layout.passages[0].from_m == 0
    assert layout.passages[-1].to_m == pytest.approx(layout.length)
    for run, motion in zip(runs, motions, strict=True):
        assert [(lap.number, lap.kind) for lap in run.laps] == [(0, "out"), *((n, "timed") for n in range(1, 5))]
        true = np.diff(motion.crossings)[::2]
        for lap, time in zip(run.laps[1:], true, strict=True):
            assert abs(lap.time_s - time) < 4 * lap.time_u_s + 0.01
            assert sum(lap.sector_times_s) == pytest.approx(lap.time_s, abs=1e-9)


def test_the_way_back_is_no_lap(hill) -> None:
    _, runs, motions, _ = hill
    for run, motion in zip(runs, motions, strict=True):
        begins = np.array([lap.start_s for lap in run.laps[1:]])
        assert np.allclose(begins, motion.crossings[::2], atol=0.3)


def test_a_drive_that_is_not_finished_is_a_part_lap(hill) -> None:
    layout, _, motions, logs = hill
    until = motions[0].crossings[2] + 30.0
    channels = tuple(replace(c, time=c.time[c.time < until], values=c.values[c.time < until]) for c in logs[0].channels)
    run = analyse_run(Log(channels), layout)
    assert [lap.kind for lap in run.laps] == ["out", "timed", "part"]


def test_a_kart_track_with_tight_corners() -> None:
    circuit = bruchfeld_kart()
    motion = drive_run(circuit, KART, Driver("x"), timed_laps=8, seed=3, line=racing_line(circuit))
    log = record(circuit, KART, motion, Sensors(), seed=4, meta={})
    assert log.role("gear") is None
    layout, _ = make_layout(log, sketch_of(circuit))
    assert 9 <= len(layout.corners) <= 10
    run = analyse_run(log, layout)
    errors = [lap.time_s - t for lap, t in zip(run.counting, np.diff(motion.crossings), strict=True)]
    assert np.sqrt(np.mean(np.square(errors))) < 0.03
    assert all(f.gear is None for f in run.technique[3] if f)


@pytest.fixture(scope="module")
def tamar() -> tuple[Log, Motion]:
    circuit = tamar_ring()
    motion = drive_run(
        circuit, COUPE, Driver("x", scatter=0.003), timed_laps=6, seed=5, line=racing_line(circuit),
        traffic=(Traffic(3, 2000.0, 450.0, 0.85),),
    )  # fmt: skip
    return record(circuit, COUPE, motion, Sensors(speed_scale=0.99, delay_s=0.07), seed=6, meta={}), motion


def test_the_southern_half_anti_clockwise_with_late_positions(tamar) -> None:
    log, motion = tamar
    layout, _ = make_layout(log, sketch_of(tamar_ring()))
    run = analyse_run(log, layout)
    assert sum(1 if c.direction == "left" else -1 for c in layout.corners) > 0
    assert run.delay_s == pytest.approx(0.07, abs=0.02)
    assert run.speed_scale == pytest.approx(1 / 0.99, abs=0.002)
    errors = [
        lap.time_s - t for lap, t in zip([p for p in run.laps if p.time_s], np.diff(motion.crossings), strict=True)
    ]
    assert np.sqrt(np.mean(np.square(errors))) < 0.03


def test_traffic_is_seen_where_it_was(tamar) -> None:
    log, _ = tamar
    layout, _ = make_layout(log, sketch_of(tamar_ring()))
    held = {lap.number: lap.held_up for lap in analyse_run(log, layout).laps if lap.held_up}
    assert set(held) == {3}
    assert min(a for a, _ in held[3]) < 2250
    assert max(b for _, b in held[3]) > 2250


def test_faults_are_repaired_and_told() -> None:
    circuit = tamar_ring()
    motion = drive_run(circuit, COUPE, Driver("x"), timed_laps=5, seed=8, line=racing_line(circuit))
    faults = Sensors(drop_outs=3, drop_out_s=4.0, jumps=5, frozen=2, clock_gaps=2)
    log = record(circuit, COUPE, motion, faults, seed=9, meta={})
    clean = record(circuit, COUPE, motion, Sensors(), seed=9, meta={})
    layout, _ = make_layout(clean, sketch_of(circuit))
    run = analyse_run(log, layout)
    assert {"position-gap", "position-jump", "position-frozen"} <= {w.code for w in run.warnings}
    times = [lap.time_s for lap in run.laps if lap.time_s is not None]
    assert np.abs(np.array(times) - np.diff(motion.crossings)).max() < 0.08


def test_a_drawing_is_used_as_it_is(day: Day) -> None:
    """Centre line given backwards and from elsewhere, splits, a corner's name, a mark, limits."""
    degrees = [(lat, lon) for lon, lat in centre_of(day.layout, 5.0)][:-1]
    turned = [*degrees[300::-1], *degrees[:300:-1]]
    circuit_split = line_at_place(day.layout, 1500.0)
    apex = day.layout.corners[4].apex_m
    sketch = LayoutSketch(
        name="Drawn",
        start=day.layout.start,
        centre=tuple(turned),
        splits=(("half way", circuit_split),),
        corners=(("Hairpin", point_at(day.layout, apex + 20.0)),),
        marks=(("bridge", point_at(day.layout, 700.0)),),
        left_limit=tuple(point_at(day.layout, s, 6.0) for s in np.arange(0, day.layout.length, 20.0)),
        right_limit=tuple(point_at(day.layout, s, -5.0) for s in np.arange(0, day.layout.length, 20.0)),
    )
    sketch = read_layout(write_sketch(sketch), "?")
    layout, warnings = make_layout(day.logs, sketch)
    assert warnings == ()
    assert layout.length == pytest.approx(day.layout.length, abs=0.5)
    x, y, _ = day.layout.centre.at(np.arange(0, day.layout.length, 7.0))
    _, n = layout.centre.project(x, y)
    assert np.abs(n).max() < 0.15
    assert layout.splits_m == pytest.approx((1500.0,), abs=0.5)
    assert layout.split_names == ("half way",)
    assert [c.name for c in layout.corners][4] == "Hairpin"
    assert layout.marks == (("bridge", pytest.approx(700.0, abs=0.5)),)
    assert np.allclose(layout.left_limit, 6.0, atol=0.4)
    assert np.allclose(layout.right_limit, -5.0, atol=0.4)
    run = analyse_run(day.logs[0], layout)
    for lap, other in zip(run.laps, day.runs[0].laps, strict=True):
        if lap.time_s is not None:
            assert len(lap.sector_times_s) == 2
            assert lap.time_s == pytest.approx(other.time_s, abs=0.004)


def point_at(layout: Layout, s: float, n: float = 0.0) -> tuple[float, float]:
    x, y, heading = layout.centre.at(np.array([s]))
    latitude, longitude = layout.plane.to_degrees(x - n * np.sin(heading), y + n * np.cos(heading))
    return float(latitude[0]), float(longitude[0])


def line_at_place(layout: Layout, s: float):
    from lauftakt.core.circuit.layout import Line

    return Line(point_at(layout, s, 7.0), point_at(layout, s, -7.0))


def test_a_start_line_drawn_the_wrong_way_round_is_refused(day: Day) -> None:
    start = replace(day.layout.start, left=day.layout.start.right, right=day.layout.start.left)
    with pytest.raises(Unusable) as told:
        make_layout(day.logs[0], "Turned", start)
    assert told.value.code in ("no-laps", "start-line")
    assert "left end first" not in str(told.value)


def test_who_drives_beside_the_line_has_not_crossed_it(day: Day) -> None:
    """A lap through the pit lane: the line's drawn ends count, not its extension."""
    start = line_at(karst_hill(), 0.0)
    assert start.left != start.right
    log, crossings = day.logs[0], day.truth[0]["crossings_s"]
    latitude, longitude = log.role("latitude"), log.role("longitude")
    x, y = day.layout.plane.to_xy(latitude.values, longitude.values)
    heading = float(day.layout.centre.at(np.array([0.0]))[2][0])
    bump = 18.0 * np.exp(-0.5 * ((latitude.time - crossings[3]) / 3.0) ** 2)
    x, y = x - np.sin(heading) * bump, y + np.cos(heading) * bump
    lat, lon = day.layout.plane.to_degrees(x, y)
    moved = {"latitude": lat, "longitude": lon}
    run = analyse_run(
        replace(log, channels=tuple(replace(c, values=moved.get(c.role, c.values)) for c in log.channels)), day.layout
    )
    assert len(run.laps) == len(day.runs[0].laps) - 1
    assert [lap.kind for lap in run.laps].count("part") == 1
    assert [lap.number for lap in run.laps] == list(range(len(run.laps)))
