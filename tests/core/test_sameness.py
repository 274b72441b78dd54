"""The same log is recognised in other clothes, and two laps of a steady driver are not taken for one."""

from dataclasses import replace

import numpy as np

from lauftakt.core.log.model import Log
from lauftakt.core.log.twins import same_laps
from lauftakt.core.pipeline import analyse_run
from tests.day import Day


def times(run) -> dict[int, np.ndarray]:
    return {number: trace.time for number, trace in run.traces.items()}


def cut(log: Log, begin: float, end: float) -> Log:
    channels = []
    for channel in log.channels:
        inside = (channel.time >= begin) & (channel.time <= end)
        channels.append(replace(channel, time=channel.time[inside] - begin, values=channel.values[inside]))
    return replace(log, channels=tuple(channels))


def test_a_log_of_fewer_channels_is_the_same_log(day: Day) -> None:
    log = day.logs[1]
    bare = replace(log, channels=tuple(c for c in log.channels if c.role in ("latitude", "longitude", "speed")))
    found = same_laps(times(analyse_run(bare, day.layout)), times(day.runs[1]))
    assert found == {number: number for number in day.runs[1].traces}


def test_a_piece_of_a_log_shares_its_laps(day: Day) -> None:
    third = next(lap for lap in day.runs[2].laps if lap.number == 3)
    piece = analyse_run(cut(day.logs[2], third.start_s - 20, third.start_s + 330), day.layout)
    found = same_laps(times(piece), times(day.runs[2]))
    assert found
    assert {b - a for a, b in found.items()} == {2}


def test_runs_of_different_drivers_and_laps_have_nothing_in_common(day: Day) -> None:
    for i, run in enumerate(day.runs):
        for other in day.runs[i + 1 :]:
            assert same_laps(times(run), times(other)) == {}


def test_one_lap_that_is_nearly_alike_is_not_the_same() -> None:
    lap = np.linspace(0.0, 100.0, 4000)
    wobble = 0.012 * np.sin(np.arange(4000) / 300)
    assert same_laps({1: lap, 2: lap * 1.002}, {4: lap + wobble, 5: lap * 1.004}) == {}
    assert same_laps({1: lap}, {4: lap + 0.1 * wobble}) == {1: 4}


def test_two_drivers_within_milliseconds_are_two(day: Day) -> None:
    """The same times at every place, but on lines of their own."""
    run = day.runs[1]
    lines = {number: trace.offset for number, trace in run.traces.items()}
    beside = {number: line + 0.4 * np.sin(np.arange(len(line)) / 400) for number, line in lines.items()}
    assert same_laps(times(run), times(run), (lines, beside)) == {}
    assert len(same_laps(times(run), times(run), (lines, lines))) == len(lines)
    unknown = {number: np.full(len(line), np.nan) for number, line in lines.items()}
    assert len(same_laps(times(run), times(run), (lines, unknown))) == len(lines)


def test_nothing_is_like_nothing() -> None:
    assert same_laps({}, {1: np.arange(5.0)}) == {}
    assert same_laps({1: np.arange(4.0)}, {1: np.arange(5.0)}) == {}
