"""Units that contradict the values, pedals without names, local coordinates."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.log.model import Channel, Log
from lauftakt.core.log.sense import make_sense
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.plane import Plane
from tests.day import Day


def codes(log: Log) -> set[str]:
    return {warning.code for warning in log.warnings}


def changed(log: Log, role: str, **changes: object) -> Log:
    return replace(log, channels=tuple(replace(c, **changes) if c.role == role else c for c in log.channels))


def test_a_sound_log_stays_as_it_is(day: Day) -> None:
    for log in day.logs:
        assert make_sense(log) == log


@pytest.mark.parametrize("factor", [3.6, 1 / 3.6, 2.2369, 1 / 2.2369, 1.609])
def test_a_speed_in_another_unit_is_recognised_by_the_positions(day: Day, factor: float) -> None:
    speed = day.logs[0].role("speed")
    found = make_sense(changed(day.logs[0], "speed", values=speed.values * factor))
    assert "unit-corrected" in codes(found)
    assert np.allclose(found.role("speed").values / speed.values.clip(1), 1.0, atol=0.01, rtol=0.01) or np.isclose(
        np.median(found.role("speed").values / speed.values.clip(1)), 1.0, atol=0.01
    )


def test_a_speed_that_fits_no_unit_is_doubted(day: Day) -> None:
    speed = day.logs[0].role("speed")
    found = make_sense(changed(day.logs[0], "speed", values=speed.values * 1.3))
    assert codes(found) == {"unit-doubted"}
    assert np.array_equal(found.role("speed").values, speed.values * 1.3)


@pytest.mark.parametrize("factor", [0.01, 100.0])
def test_shares_and_per_cent(day: Day, factor: float) -> None:
    throttle = day.logs[0].role("throttle")
    found = make_sense(changed(day.logs[0], "throttle", values=throttle.values * factor))
    assert "unit-corrected" in codes(found)
    assert np.allclose(found.role("throttle").values, throttle.values)


def test_local_coordinates_do_as_well(day: Day) -> None:
    log = day.logs[0]
    latitude, longitude = log.role("latitude"), log.role("longitude")
    x, y = Plane(53.8127, 10.1846).to_xy(latitude.values, longitude.values)
    others = tuple(c for c in log.channels if c.role not in ("latitude", "longitude"))
    local = make_sense(
        Log(
            (
                Channel("x", "m", "local_x", latitude.time, x),
                Channel("y", "m", "local_y", latitude.time, y),
                *others,
            )
        )
    )
    assert "local-positions" in codes(local)
    layout, _ = make_layout(local, "Somewhere")
    run = analyse_run(local, layout)
    assert layout.length == pytest.approx(day.layout.length, abs=4)
    assert len(run.traces) >= len(day.runs[0].traces) - 1
