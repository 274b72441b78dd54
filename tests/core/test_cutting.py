"""Kinds of laps, and logs that begin or end anywhere."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.log.model import Channel, Log, Unusable
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.demo.circuits import tamar_ring
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE
from lauftakt.demo.sensors import Sensors, record
from tests.day import Day


def cut(log: Log, begin: float, end: float) -> Log:
    """The log between two moments, its clock beginning anew."""
    channels = []
    for channel in log.channels:
        inside = (channel.time >= begin) & (channel.time < end)
        channels.append(replace(channel, time=channel.time[inside] - begin, values=channel.values[inside]))
    return replace(log, channels=tuple(channels))


def without(log: Log, *roles: str) -> Log:
    return replace(log, channels=tuple(c for c in log.channels if c.role not in roles))


def test_out_timed_in(day: Day) -> None:
    for run, truth in zip(day.runs, day.truth, strict=True):
        kinds = [lap.kind for lap in run.laps]
        assert kinds == ["out", *["timed"] * len(truth["lap_times_s"]), "in"]
        assert [lap.number for lap in run.laps] == list(range(len(kinds)))
        assert run.laps[0].set_aside == "out"
        assert run.laps[-1].set_aside == "in"


def test_a_log_that_begins_and_ends_on_the_road_has_part_laps(day: Day) -> None:
    crossings = day.truth[0]["crossings_s"]
    run = analyse_run(cut(day.logs[0], crossings[0] - 30.0, crossings[3] + 30.0), day.layout)
    assert [lap.kind for lap in run.laps] == ["part", "timed", "timed", "timed", "part"]
    true = np.diff(crossings[:4])
    for lap, time in zip(run.laps[1:4], true, strict=True):
        assert abs(lap.time_s - time) < 3.5 * lap.time_u_s


def test_one_slow_lap_is_set_aside_and_nothing_is_dropped(day: Day) -> None:
    log = day.logs[1]
    crossings = day.truth[1]["crossings_s"]
    begin, end = crossings[2] + 20.0, crossings[2] + 60.0

    def stretch(time: np.ndarray) -> np.ndarray:
        # Forty seconds take a half longer; the speed falls accordingly.
        return time + 0.5 * (np.clip(time, begin, end) - begin)

    channels = [
        replace(
            c,
            time=stretch(c.time),
            values=np.where((c.time > begin) & (c.time < end), c.values / 1.5, c.values)
            if c.role == "speed"
            else c.values,
        )
        for c in log.channels
    ]
    run = analyse_run(Log(tuple(channels), log.meta), day.layout)
    aside = [lap.number for lap in run.laps if lap.set_aside == "slow"]
    assert aside == [3]
    assert len(run.laps) == len(day.runs[1].laps)
    assert 3 not in {lap.number for lap in run.counting}


def test_positions_only(day: Day) -> None:
    """Without any logged speed lap times are no worse than those of interpolated fixes."""
    run = analyse_run(without(day.logs[2], "speed"), day.layout)
    true = np.array(day.truth[2]["lap_times_s"])
    errors = np.array([lap.time_s for lap in run.laps if lap.time_s is not None]) - true
    assert np.sqrt(np.mean(errors**2)) < 0.035
    assert any(w.code == "speed-inferred" for w in run.warnings)


@pytest.mark.parametrize(
    ("left", "limit"), [((), 0.06), (("yaw_rate",), 0.06), (("yaw_rate", "lateral_acceleration"), 0.5)]
)
def test_without_positions_corners_tell_where_the_car_is(day: Day, left: tuple[str, ...], limit: float) -> None:
    run = analyse_run(without(day.logs[1], "latitude", "longitude", *left), day.layout)
    assert {w.code for w in run.warnings} >= {"placed-by-corners"}
    times = np.array([lap.time_s for lap in run.laps if lap.time_s is not None])
    stated = np.array([lap.time_u_s for lap in run.laps if lap.time_s is not None])
    errors = times - day.truth[1]["lap_times_s"]
    assert np.sqrt(np.mean(errors**2)) < limit
    assert (np.abs(errors) < 4 * stated).all()
    apart = [run.traces[n].time - day.runs[1].traces[n].time for n in run.traces]
    assert np.sqrt(np.mean(np.square(apart))) < 3 * limit
    corner = run.technique[3][4]
    assert corner.offset_apex is None
    assert corner.min_speed == pytest.approx(day.runs[1].technique[3][4].min_speed, abs=0.3)


def test_lap_distance_and_lap_share_are_positions_along_the_line(day: Day) -> None:
    log, truth = day.logs[2], day.truth[2]
    s = np.interp(np.arange(0, truth["time_s"][-1], 0.1), truth["time_s"], truth["s_m"]) % 4310.0
    clock = np.arange(len(s)) * 0.1
    bare = without(log, "latitude", "longitude", "yaw_rate", "lateral_acceleration", "steering")
    for channel in (
        Channel("lap distance", "m", "lap_distance", clock, s),
        Channel("share", "1", "lap_share", clock, s / 4310.0),
    ):
        run = analyse_run(replace(bare, channels=(*bare.channels, channel)), day.layout)
        times = np.array([lap.time_s for lap in run.laps if lap.time_s is not None])
        assert np.abs(times - truth["lap_times_s"]).max() < 0.1


def test_without_anything_to_recognise_it_says_so(day: Day) -> None:
    gone = ("latitude", "longitude", "yaw_rate", "lateral_acceleration", "steering")
    for roles in (gone, (*gone, "speed")):
        with pytest.raises(Unusable) as told:
            analyse_run(without(day.logs[0], *roles), day.layout)
        assert told.value.code == "no-positions"


def test_the_corners_of_another_circuit_are_not_recognised(day: Day) -> None:
    circuit = tamar_ring()
    line = racing_line(circuit)
    motion = drive_run(circuit, COUPE, Driver("x"), timed_laps=2, seed=1, line=line)
    log = record(circuit, COUPE, motion, Sensors(), seed=2, meta={})
    with pytest.raises(Unusable) as told:
        analyse_run(without(log, "latitude", "longitude"), day.layout)
    assert told.value.code == "elsewhere"


def test_another_place_is_refused(day: Day) -> None:
    log = day.logs[0]
    moved = [replace(c, values=c.values + 0.1) if c.role == "latitude" else c for c in log.channels]
    with pytest.raises(Unusable) as told:
        analyse_run(Log(tuple(moved), log.meta), day.layout)
    assert told.value.code == "elsewhere"


def test_the_other_direction_is_another_layout(day: Day) -> None:
    log = day.logs[0]
    end = max(float(c.time[-1]) for c in log.channels)
    back = tuple(replace(c, time=(end - c.time)[::-1], values=c.values[::-1]) for c in log.channels)
    with pytest.raises(Unusable) as told:
        analyse_run(Log(back, log.meta), day.layout)
    assert told.value.code == "elsewhere"


def test_shifting_the_clock_changes_nothing(day: Day) -> None:
    log = day.logs[4]
    later = tuple(replace(c, time=c.time + 3600.0) for c in log.channels)
    shifted = analyse_run(Log(later, log.meta), day.layout)
    before = [lap.time_s for lap in day.runs[4].laps]
    for lap, time in zip(shifted.laps, before, strict=True):
        assert (lap.time_s is None) == (time is None)
        if time is not None:
            assert lap.time_s == pytest.approx(time, abs=1e-6)


def test_jumps_and_frozen_fixes_do_little_harm(day: Day) -> None:
    log = day.logs[3]
    latitude = log.role("latitude")
    values = latitude.values.copy()
    values[700] += 0.002
    values[2500] -= 0.004
    values[4000:4030] = values[4000]
    longitude = log.role("longitude")
    held = longitude.values.copy()
    held[4000:4030] = held[4000]
    channels = tuple(
        replace(c, values=values) if c.role == "latitude" else replace(c, values=held) if c.role == "longitude" else c
        for c in log.channels
    )
    run = analyse_run(Log(channels, log.meta), day.layout)
    assert {"position-jump", "position-frozen"} <= {w.code for w in run.warnings}
    for lap, old in zip(run.laps, day.runs[3].laps, strict=True):
        if old.time_s is not None:
            assert abs(lap.time_s - old.time_s) < 0.03


def test_layout_without_a_line_lies_on_the_longest_straight(day: Day) -> None:
    layout, warnings = make_layout(day.logs[0], "Somewhere")
    assert [w.code for w in warnings] == ["start-line-assumed"]
    assert len(layout.corners) == 13
    run = analyse_run(day.logs[0], layout)
    assert len(run.counting) >= len(day.truth[0]["lap_times_s"]) - 1
    first = layout.corners[0]
    # The longest straight leads to what is T1 there, too: nothing but straight before it.
    assert first.entry_m > 500


def test_layout_from_a_lap_counter(day: Day) -> None:
    log = day.logs[0]
    crossings = np.array(day.truth[0]["crossings_s"])
    speed = log.role("speed")
    counter = Channel("lap", "1", "lap_number", speed.time, np.searchsorted(crossings, speed.time).astype(float))
    layout, warnings = make_layout(Log((*log.channels, counter), log.meta), "Counted")
    assert [w.code for w in warnings] == ["start-line-from-counter"]
    x, y = day.layout.plane.to_xy([layout.plane.latitude], [layout.plane.longitude])
    assert np.hypot(x[0], y[0]) < 6.0
