"""What values say of roles: channels without names, names that are swapped, pedals in volts, triggers."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.log.held import held_samples
from lauftakt.core.log.model import Channel, Log, RawChannel, RawLog
from lauftakt.core.log.roles import ROLES
from lauftakt.core.log.triggers import line_moments
from lauftakt.core.pipeline import analyse_run
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.units import convert
from tests.day import Day

# Slow temperatures behave like one another.
UNTOLD = ("oil_temperature", "water_temperature")


def raw(log: Log, name: Callable[[int, Channel], str], *, units: bool = False, **values: Callable) -> RawLog:
    """A log as written under other names; ``values`` by role change what is written."""
    found = []
    for index, channel in enumerate(log.channels):
        role = ROLES[channel.role]
        written = convert(channel.values, role.unit, role.assumed)
        change = values.get(channel.role)
        found.append(
            RawChannel(
                name(index, channel),
                role.assumed if units else "",
                channel.time,
                change(written) if change else written,
            )
        )
    return RawLog(tuple(found))


def roles_of(log: Log) -> list[str | None]:
    return [channel.role for channel in log.channels]


def codes(log: Log) -> set[str]:
    return {warning.code for warning in log.warnings}


@pytest.mark.parametrize("driver", [0, 2])
def test_channels_without_names_are_known_by_what_they_do(day: Day, driver: int) -> None:
    log = day.logs[driver]
    found = interpret(raw(log, lambda i, _: f"Channel {i}"))
    wanted = [None if role in UNTOLD else role for role in roles_of(log)]
    assert roles_of(found) == wanted
    assert all(c.recognised.by == "values" for c in found.channels if c.role)
    run, sound = analyse_run(found, day.layout), day.runs[driver]
    for own, other in zip(run.laps, sound.laps, strict=True):
        assert (own.time_s or 0) == pytest.approx(other.time_s or 0, abs=0.03)


SWAPPED = {
    "throttle": "Brake", "brake_pressure": "Throttle", "lateral_acceleration": "Acc X",
    "longitudinal_acceleration": "Acc Y", "latitude": "Longitude", "longitude": "Latitude",
}  # fmt: skip


@pytest.mark.parametrize("pair", [("throttle", "brake_pressure"), ("lateral_acceleration", "longitudinal_acceleration"), ("latitude", "longitude")])  # fmt: skip # noqa: E501
def test_swapped_names_are_put_right_and_told(day: Day, pair: tuple[str, str]) -> None:
    log = day.logs[1]
    found = interpret(raw(log, lambda _, c: SWAPPED[c.role] if c.role in pair else c.name))
    assert roles_of(found) == roles_of(log)
    assert [w.code for w in found.warnings].count("role-contradicted") == 2


def test_what_a_person_says_outranks_names_and_values(day: Day) -> None:
    from lauftakt.core.log.dialect import Choice, Dialect

    said = Dialect(frozenset(), {"throttle": Choice(role="brake_pedal"), "steering": Choice(role="")})
    found = interpret(raw(day.logs[1], lambda _, c: c.name, units=True), said)
    assert {c.name: c.role for c in found.channels if c.name in said.choices} == {
        "throttle": "brake_pedal",
        "steering": None,
    }
    # The same channel, numbered because another logger's file holds its name twice.
    again = interpret(raw(day.logs[1], lambda _, c: f"{c.name} (2)" if c.name == "steering" else c.name), said)
    assert again.role("steering") is None


def test_pedals_in_volts_with_an_offset(day: Day) -> None:
    log = day.logs[1]
    volts = raw(log, lambda _, c: c.name, throttle=lambda v: 0.5 + v * 0.04, brake_pressure=lambda v: 0.3 + v / 25)
    channels = tuple(
        replace(c, unit="V", name={"brake pressure": "Brake Pedal"}.get(c.name, c.name))
        if c.name in ("throttle", "brake pressure")
        else c
        for c in volts.channels
    )
    found = interpret(RawLog(channels))
    assert "pedal-stops" in codes(found)
    assert np.allclose(found.role("throttle").values, log.role("throttle").values, atol=0.02)
    brake = found.role("brake_pedal").values
    assert np.median(brake) < 0.005
    assert 0.99 < brake.max() <= 1.0
    offset = interpret(raw(log, lambda _, c: c.name, units=True, throttle=lambda v: 8 + 0.8 * v))
    assert np.allclose(offset.role("throttle").values, log.role("throttle").values, atol=0.02)


def test_a_trigger_keeps_its_edges_and_tells_the_line(day: Day) -> None:
    clock = np.arange(0.0, 900.0, 0.01)
    pulses = (clock % 88.0 < 0.05) & (clock > 1.0)
    assert held_samples(pulses.astype(float)) is None
    log = interpret(RawLog((RawChannel("Beacon", "", clock, pulses.astype(float)),)))
    times, rate = line_moments(log)
    assert rate == pytest.approx(100)
    assert times == pytest.approx(88.0 * np.arange(1, 11), abs=0.01)
    slow = np.repeat(np.random.default_rng(0).random(300), 10)
    assert len(held_samples(slow)) == 300


def test_a_log_without_positions_is_timed_by_its_trigger(day: Day) -> None:
    log, sound = day.logs[1], day.runs[1]
    crossed = [lap.start_s for lap in sound.laps if lap.time_s] + [sound.laps[-2].end_s]
    clock = log.role("speed").time
    pulses = sum(((clock >= at) & (clock < at + 0.05)).astype(float) for at in crossed)
    kept = tuple(c for c in log.channels if c.role not in ("latitude", "longitude", "receiver_speed", "lap_number"))
    bare = Log((*kept, Channel("trigger", "1", "lap_trigger", clock, pulses)))
    run = analyse_run(bare, day.layout)
    own = {lap.number: lap.time_s for lap in run.laps if lap.time_s}
    true = [lap.time_s for lap in sound.laps if lap.time_s]
    away = np.array(list(own.values())) - true
    assert np.sqrt(np.mean(away**2)) < 0.008
    assert np.max(np.abs(away)) < 0.02


def test_of_rivals_the_better_measurement_wins(day: Day) -> None:
    log = day.logs[1]
    fast, fixes = log.role("speed"), log.role("latitude").time
    slow = Channel("Speed", "km/h", None, fixes, 3.6 * np.interp(fixes, fast.time, fast.values))
    others = tuple(
        RawChannel(c.name, ROLES[c.role].assumed, c.time, convert(c.values, c.unit, ROLES[c.role].assumed))
        for c in log.channels
        if c.role not in ("speed", "receiver_speed")
    )
    both = (
        RawChannel("Speed", "km/h", slow.time, slow.values),
        RawChannel("Speed Wheels", "km/h", fast.time, 3.6 * fast.values),
    )
    found = interpret(RawLog((*both, *others)))
    assert {c.name: c.role for c in found.channels if "Speed" in c.name} == {
        "Speed": "receiver_speed",
        "Speed Wheels": "speed",
    }


def coarse(log: Log, rng: np.random.Generator) -> Log:
    """Positions once a second, half a second late, to a metre."""
    return replace(
        log,
        channels=tuple(
            replace(c, time=c.time[::10] + 0.5, values=np.round(c.values[::10], 5))
            if c.role in ("latitude", "longitude")
            else c
            for c in log.channels
        ),
    )


def noisy(log: Log, rng: np.random.Generator) -> Log:
    """Sensors that shake, a wheel off its centre, a brake that rests above zero, a throttle between 12 and 84 %."""

    def change(c: Channel) -> np.ndarray:
        shake = rng.standard_normal(len(c.values))
        if c.role in ("lateral_acceleration", "longitudinal_acceleration"):
            return c.values + 1.2 * shake
        if c.role == "steering":
            return c.values + 0.15 + 0.02 * shake
        if c.role == "brake_pressure":
            return c.values + 1.2e5 + 4e4 * shake
        return 0.12 + 0.72 * c.values if c.role == "throttle" else c.values

    return replace(log, channels=tuple(replace(c, values=change(c)) for c in log.channels))


def parked(log: Log, rng: np.random.Generator) -> Log:
    """The logger ran for ten minutes before the car moved."""
    found = []
    for c in log.channels:
        step = float(np.median(np.diff(c.time)))
        wait = np.arange(0.0, 600.0, step)
        shake = 1e-7 * rng.standard_normal(len(wait)) if c.role in ("latitude", "longitude") else np.zeros(len(wait))
        still = c.values[0] if c.role in ("latitude", "longitude", "engine_speed") else 0.0
        found.append(
            replace(c, time=np.concatenate([wait, c.time + 600.0]), values=np.concatenate([still + shake, c.values]))
        )
    return replace(log, channels=tuple(found))


@pytest.mark.parametrize("how", [coarse, noisy, parked])
def test_channels_without_names_of_other_sensors(day: Day, how: Callable[[Log, np.random.Generator], Log]) -> None:
    rng = np.random.default_rng(0)
    log = how(day.logs[1], rng)
    order = rng.permutation(len(log.channels))
    shuffled = replace(log, channels=tuple(log.channels[i] for i in order))
    found = interpret(raw(shuffled, lambda i, _: f"Kanal {i}"))
    assert roles_of(found) == [None if role in UNTOLD else role for role in roles_of(shuffled)]


def test_a_log_that_stood_in_the_middle_is_understood(day: Day) -> None:
    """An hour and a half of which the car stood the middle half."""
    log = day.logs[1]
    end = log.role("speed").time[-1]

    def long(c: Channel) -> Channel:
        step = float(np.median(np.diff(c.time)))
        wait = np.arange(step, 4000.0, step)
        still = np.zeros(len(wait)) + (c.values[-1] if c.role in ("latitude", "longitude") else 0.0)
        again = c.time + end + 4000.0
        return replace(
            c,
            time=np.concatenate([c.time, c.time[-1] + wait, again]),
            values=np.concatenate([c.values, still, c.values]),
        )

    found = interpret(raw(replace(log, channels=tuple(long(c) for c in log.channels)), lambda i, _: f"K{i}"))
    assert roles_of(found) == [None if role in UNTOLD else role for role in roles_of(log)]


def test_a_dead_speed_of_the_receiver_under_a_long_name_is_no_obstacle(day: Day) -> None:
    """A constant channel whose name says the receiver's speed among words that nobody knows."""
    log = day.logs[1]
    names = {"receiver_speed": "GPS Speed zork qwux"}
    dead = raw(log, lambda _, c: names.get(c.role, c.name), receiver_speed=lambda v: 0.0 * v)
    found = interpret(dead)
    assert found.role("speed") is not None
    assert found.positions() is not None
