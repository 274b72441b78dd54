"""The demo's endurance afternoon: two drivers share a car for a stint each, on tyres that fade and in traffic."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.model import Channel, Log
from lauftakt.core.log.roles import ENDS, ROLES, SIDES
from lauftakt.demo.car import Car
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Traffic
from lauftakt.demo.line import racing_line
from lauftakt.demo.school import DAY
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.csv_out import write_csv

Array = NDArray[np.float64]

EVENT = "Endurance afternoon"
# Before the school's day, so that the day is still what a coach sees first.
ON = "2026-05-09"
CAR = Car("Endurance coupé 7", mass_kg=1190.0, grip=1.1, power_w=165_000.0)
RPM = 2.0 * np.pi / 60.0
# What its engine stands, and what the coach wrote down of it, in SI units.
SHEET: dict[str, Any] = {
    "mass_kg": 1190.0,
    "power_w": 165_000.0,
    "gears": [3.31, 2.12, 1.56, 1.24, 1.03, 0.88],
    "final_drive": 3.94,
    "tyres": "225/45 R17, medium",
    "set_ups": [{"day": "2026-05-02", "text": "Rear wing one hole down; cold 1.70 front, 1.65 rear."}],
    "limits": [
        {"role": "engine_speed", "over": True, "value": 7350.0 * RPM, "least_s": 0.05},
        {"role": "water_temperature", "over": True, "value": 273.15 + 102.0, "least_s": 5.0},
        {
            "role": "oil_pressure", "over": False, "value": 2.2e5, "least_s": 0.2, "when_role": "engine_speed",
            "when_over": 3500.0 * RPM,
        },
    ],
}  # fmt: skip
# Driver, laps, clock, what was tried, seed.
STINTS = (
    (replace(DAY[3].driver, fade=0.0011), 13, "14:00", "Short shifts to save the tyres.", 41),
    (replace(DAY[5].driver, fade=0.0019, scatter=0.005), 12, "14:45", "Full revs, harder out of the corners.", 42),
)
TRAFFIC = ((Traffic(5, 900.0, 700.0, 0.9),), (Traffic(4, 2300.0, 900.0, 0.88), Traffic(8, 600.0, 500.0, 0.9)))


def write_endurance(folder: Path, *, day: str = ON) -> list[Path]:
    """Write the two stints as ordinary CSV logs, with what an endurance car logs besides: oil pressure, voltage, fuel,
    tyres, air. In one of them the car is shifted down too early once, and its water grows warmer from lap to lap."""
    folder.mkdir(parents=True, exist_ok=True)
    circuit = ellerholm_park()
    line = racing_line(circuit)
    files = []
    for number, (driver, laps, clock, _, seed) in enumerate(STINTS):
        motion = drive_run(circuit, CAR, driver, timed_laps=laps, seed=seed, line=line, traffic=TRAFFIC[number])
        meta = {
            "driver": driver.name, "car": CAR.name, "circuit": circuit.name, "event": EVENT,
            "date": f"{day}T{clock}:00+02:00", "kind": "race", "tyres": "medium, set B",
        }  # fmt: skip
        log = record(circuit, CAR, motion, Sensors(speed_scale=1.003), seed=1500 + seed, meta=meta)
        log = _with_the_car(log, number, np.random.default_rng(seed))
        if number == 0:
            log = _over_revved(log, float(motion.crossings[7]) + 60.0)
        path = folder / f"{day}-{clock.replace(':', '')}-{driver.name.lower()}.csv"
        write_csv(log, path)
        files.append(path)
    return files


def _with_the_car(log: Log, number: int, random: np.random.Generator) -> Log:
    """What the car logs of itself: all at one sample a second."""
    turning = log.role("engine_speed")
    assert turning is not None
    time = np.arange(0.0, turning.time[-1])
    rpm = np.interp(time, turning.time, turning.values) / RPM
    warm = 1.0 - np.exp(-time / 200.0)

    def noise(size: float) -> Array:
        return np.asarray(size * random.standard_normal(len(time)))

    creep = (0.006 if number == 1 else 0.0004) * time
    values = {
        "water_temperature": 273.15 + 58.0 + 31.0 * warm + creep + noise(0.15),
        "oil_pressure": 1e5 * (0.9 + 3.6 * np.clip(rpm / 6500.0, 0.0, 1.0) - 0.4 * warm) + noise(3e3),
        "battery_voltage": 13.9 - 0.00004 * time + noise(0.02),
        "fuel": 1e-3 * (46.0 - 0.0155 * time),
        "ambient_temperature": 273.15 + 21.5 + 0.0004 * time + noise(0.05),
    }
    for end in ENDS:
        for side in SIDES:
            hot = 38.0 if end == "front" else 33.0
            values[f"tyre_temperature_{end}_{side}"] = 273.15 + 41.0 + hot * warm + 0.004 * time + noise(0.4)
            values[f"tyre_pressure_{end}_{side}"] = 1e5 * (1.68 + 0.42 * warm + 0.00004 * time) + noise(300.0)
    kept = tuple(channel for channel in log.channels if channel.role not in values)
    made = tuple(Channel(ROLES[r].header, ROLES[r].unit, r, time, np.asarray(v)) for r, v in values.items())
    return replace(log, channels=kept + made)


def _over_revved(log: Log, after_s: float) -> Log:
    """One shift down that comes too early: the engine turns faster than it may for a third of a second."""
    gear = log.role("gear")
    assert gear is not None
    down = np.flatnonzero((np.diff(gear.values) < 0) & (gear.time[1:] > after_s))
    at = float(gear.time[down[0]])

    def changed(channel: Channel, value: Callable[[Array], Array]) -> Channel:
        own = channel.values.copy()
        where = (channel.time > at - 0.34) & (channel.time <= at + 0.02)
        own[where] = value(own[where])
        return replace(channel, values=own)

    def turned(values: Array) -> Array:
        return np.asarray(7350.0 * RPM + 520.0 * RPM * np.sin(np.linspace(0.0, np.pi, len(values))))

    return replace(
        log,
        channels=tuple(
            changed(channel, turned)
            if channel.role == "engine_speed"
            else changed(channel, lambda own: np.full(len(own), own.min() - 1.0))
            if channel.role == "gear"
            else channel
            for channel in log.channels
        ),
    )
