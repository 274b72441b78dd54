"""The demo team: the driving school at Ellerholm Park, an instructor and five students on one day."""

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Line
from lauftakt.core.plane import Plane
from lauftakt.demo.car import Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import Motion, drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.geojson import write_start

Array = NDArray[np.float64]

TEAM = "Driving school at Ellerholm Park"
EVENT = "Spring school"
SCHOOL_CAR = Car("School coupé 2")


@dataclass(frozen=True)
class Attendance:
    """One driver's run of the day."""

    driver: Driver
    laps: int
    clock: str
    speed_scale: float


DAY: tuple[Attendance, ...] = (
    Attendance(
        Driver("Halvard", corner_level=0.985, brake_level=0.93, scatter=0.002, line_scatter_m=0.18), 9, "09:40", 1.004
    ),
    Attendance(
        Driver(
            "Ines",
            corner_level=0.955,
            brake_level=0.9,
            scatter=0.003,
            habits=(
                Habit("T5", "early_brake", 13.0, 0.9),
                Habit("T5", "over_slow", 0.05, 0.9),
                Habit("T2", "soft_brake", 0.3),
                Habit("T10", "late_throttle", 27.0),
                Habit("T6", "strong", 0.02),
            ),
        ),
        8,
        "10:05",
        0.992,
    ),
    Attendance(
        Driver(
            "Okan",
            corner_level=0.95,
            brake_level=0.88,
            scatter=0.005,
            habits=(
                Habit("T1", "soft_brake", 0.28),
                Habit("T4", "over_slow", 0.15),
                Habit("T8", "needless_lift", 55.0, 0.8),
                Habit("T13", "hesitant_throttle", 26.0),
                Habit("T11", "strong", 0.025),
            ),
        ),
        9,
        "10:05",
        1.011,
    ),
    Attendance(
        Driver(
            "Freya",
            corner_level=0.968,
            brake_level=0.92,
            scatter=0.0025,
            habits=(
                Habit("T5", "wrong_gear", 1.0),
                Habit("T12", "over_slow", 0.05),
                Habit("T1", "strong", 0.02),
                Habit("T7", "strong", 0.015),
            ),
        ),
        10,
        "10:35",
        0.998,
    ),
    Attendance(
        Driver(
            "Priya",
            corner_level=0.935,
            brake_level=0.84,
            scatter=0.008,
            line_scatter_m=0.4,
            habits=(
                Habit("T1", "early_brake", 22.0),
                Habit("T6", "needless_lift", 90.0, 0.85),
                Habit("T10", "over_slow", 0.08),
                Habit("T13", "late_throttle", 30.0),
                Habit("T3", "strong", 0.035),
            ),
        ),
        8,
        "10:35",
        1.007,
    ),
    Attendance(
        Driver(
            "Jonas",
            corner_level=0.957,
            brake_level=0.89,
            scatter=0.01,
            line_scatter_m=0.45,
            habits=(
                Habit("T1", "over_slow", 0.05, 0.7),
                Habit("T4", "hesitant_throttle", 30.0),
                Habit("T9", "strong", 0.02),
                Habit("T12", "strong", 0.025),
            ),
        ),
        9,
        "11:00",
        0.987,
    ),
)


def start_line(circuit: Circuit) -> Line:
    """The circuit's start line, from limit to limit."""
    plane = Plane(circuit.latitude, circuit.longitude)
    half = circuit.width / 2
    x, y = -np.sin(circuit.heading[0]) * half, np.cos(circuit.heading[0]) * half
    latitude, longitude = plane.to_degrees([x, -x], [y, -y])
    return Line((float(latitude[0]), float(longitude[0])), (float(latitude[1]), float(longitude[1])))


def write_day(folder: Path, *, day: str = "2026-05-16", truth: bool = False) -> list[Path]:
    """Write the school's day as ordinary files: a layout with the start line, then one CSV log a driver.

    Parameters
    ----------
    folder : made if missing
    day : ISO date of the runs
    truth : also write ``truth.json``: true lap times, s(t) and positions (east and north of
        the start line) of every run, and each mistake with the time it costs a lap

    Returns
    -------
    The files to hand in, the layout first.
    """
    folder.mkdir(parents=True, exist_ok=True)
    circuit = ellerholm_park()
    line = racing_line(circuit)
    layout = folder / "ellerholm-park.geojson"
    layout.write_bytes(write_start(circuit.name, start_line(circuit)))
    files, told = [layout], {}
    for number, attendance in enumerate(DAY):
        name = attendance.driver.name
        motion = drive_run(
            circuit, SCHOOL_CAR, attendance.driver, timed_laps=attendance.laps, seed=500 + number, line=line
        )
        log = record(
            circuit,
            SCHOOL_CAR,
            motion,
            Sensors(speed_scale=attendance.speed_scale),
            seed=900 + number,
            meta={
                "driver": name,
                "car": SCHOOL_CAR.name,
                "circuit": circuit.name,
                "event": EVENT,
                "date": f"{day}T{attendance.clock}:00+02:00",
                "kind": "practice",
            },
        )
        path = folder / f"{day}-{attendance.clock.replace(':', '')}-{name.lower()}.csv"
        write_csv(log, path)
        files.append(path)
        if truth:
            told[path.name] = _truth(circuit, attendance, motion, number, line)
    if truth:
        (folder / "truth.json").write_text(json.dumps(told))
    return files


def write_afternoon(folder: Path, *, day: str = "2026-05-16") -> list[Path]:
    """Write two more runs of the day as the stand-in logger recorded them: short, and without saying who drove."""
    folder.mkdir(parents=True, exist_ok=True)
    circuit = ellerholm_park()
    line = racing_line(circuit)
    files = []
    for number, (attendance, clock) in enumerate(((DAY[1], "15:10"), (DAY[3], "15:35"))):
        motion = drive_run(circuit, SCHOOL_CAR, attendance.driver, timed_laps=5, seed=700 + number, line=line)
        meta = {"car": SCHOOL_CAR.name, "circuit": circuit.name, "date": f"{day}T{clock}:00+02:00"}
        log = record(
            circuit, SCHOOL_CAR, motion, Sensors(speed_scale=attendance.speed_scale), seed=1200 + number, meta=meta
        )
        path = folder / f"run-{number + 1:03d}-{attendance.driver.name.lower()}.csv"
        write_csv(log, path)
        files.append(path)
    return files


def _truth(circuit: Circuit, attendance: Attendance, motion: Motion, number: int, line: Array) -> dict[str, object]:
    """What really happened; each mistake's cost is found by driving the same run again without it."""
    mistakes = []
    lap_times = np.diff(motion.crossings)
    for habit in attendance.driver.habits:
        other = drive_run(
            circuit,
            SCHOOL_CAR,
            attendance.driver,
            timed_laps=attendance.laps,
            seed=500 + number,
            without=(habit,),
            line=line,
        )
        cost = lap_times - np.diff(other.crossings)
        mistakes.append(
            {
                "corner": habit.corner,
                "kind": habit.kind,
                "amount": habit.amount,
                "share": habit.share,
                "cost_s": float(np.median(cost)),
                "cost_by_lap_s": cost.round(4).tolist(),
            }
        )
    every = slice(None, None, 2)
    return {
        "driver": attendance.driver.name,
        "speed_scale": attendance.speed_scale,
        "crossings_s": motion.crossings.tolist(),
        "lap_times_s": lap_times.tolist(),
        "time_s": motion.time[every].round(5).tolist(),
        "s_m": motion.distance[every].round(3).tolist(),
        "x_m": motion.x[every].round(3).tolist(),
        "y_m": motion.y[every].round(3).tolist(),
        "mistakes": mistakes,
    }
