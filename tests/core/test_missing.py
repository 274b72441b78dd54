"""What a log lacks, and what of it was driven somewhere else, is said."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.log.model import Log
from lauftakt.core.log.sense import missing_channels
from lauftakt.core.pipeline import analyse_run
from tests.day import Day


def without(log: Log, *roles: str) -> Log:
    return replace(log, channels=tuple(c for c in log.channels if c.role not in roles))


def test_missing_pedals_are_said(day: Day) -> None:
    log = day.logs[0]
    assert missing_channels(log) is None
    told = missing_channels(without(log, "brake_pressure", "steering"))
    assert told.code == "channels-missing"
    assert "no brake" in told.message
    assert "no steering" in told.message
    assert "throttle" not in told.message


def test_two_circuits_in_one_log(day: Day) -> None:
    log = day.logs[1]
    end = float(log.role("speed").time[-1]) + 5.0
    channels = []
    for channel in log.channels:
        away = channel.values + (0.2 if channel.role in ("latitude", "longitude") else 0.0)
        channels.append(
            replace(
                channel,
                time=np.concatenate([channel.time, channel.time + end]),
                values=np.concatenate([channel.values, away]),
            )
        )
    run = analyse_run(replace(log, channels=tuple(channels)), day.layout)
    told = {warning.code: warning.message for warning in run.warnings}
    assert "50 % of the driving" in told["part-elsewhere"]
    times = [lap.time_s for lap in run.laps if lap.time_s]
    expected = [lap.time_s for lap in day.runs[1].laps if lap.time_s]
    assert times[: len(expected)] == pytest.approx(expected, abs=0.03)
    assert len(times) == len(expected)
    assert "part-elsewhere" not in {warning.code for warning in day.runs[1].warnings}
