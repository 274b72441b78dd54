"""Random days by seed: a circuit, a car, a reference driver, a twin of him, and students with known mistakes."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.circuit.layout import LayoutSketch, Line
from lauftakt.core.log.model import Log
from lauftakt.core.plane import Plane
from lauftakt.demo.car import Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import CIRCUITS
from lauftakt.demo.drive import Motion, drive_run, plain_speed
from lauftakt.demo.habits import Driver, Habit, Traffic
from lauftakt.demo.line import path_geometry, racing_line
from lauftakt.demo.sensors import Sensors, record

Array = NDArray[np.float64]

COUPE = Car("coupé")
SPORTS_CAR = Car(
    "sports car", mass_kg=980.0, grip=1.32, power_w=210_000.0, drag_area_m2=0.8, full_brake_bar=85.0,
    gear_top_speeds=(21.0, 31.0, 41.0, 51.0, 60.0, 70.0),
)  # fmt: skip
KART = Car(
    "kart", mass_kg=168.0, grip=1.45, power_w=11_500.0, drag_area_m2=0.55, gear_top_speeds=(29.0,), rpm_limit=13_000.0,
    shift_rpm=13_000.0, engine_brake_ms2=1.1, wheelbase_m=1.05, steering_ratio=1.4, full_brake_bar=40.0,
)  # fmt: skip

# What a mistake may amount to. Those of the second row need braking, those of the third a corner driven (almost) flat.
ANYWHERE = {
    "over_slow": (0.025, 0.08), "late_throttle": (10.0, 32.0), "hesitant_throttle": (10.0, 28.0),
    "late_turn_in": (6.0, 14.0),
}  # fmt: skip
BRAKED = {
    "early_brake": (8.0, 30.0), "soft_brake": (0.15, 0.4), "interrupted_brake": (8.0, 20.0), "wrong_gear": (1.0, 1.0),
    "coasting": (20.0, 60.0),
}  # fmt: skip
FAST = {"needless_lift": (30.0, 90.0)}


@dataclass(frozen=True)
class Mistake:
    """A habit with the time it costs in a usual lap, found by driving the same run without it."""

    habit: Habit
    cost_s: float
    cost_by_lap_s: tuple[float, ...]


@dataclass(frozen=True)
class Drive:
    """One run: who drove, what really happened, and the log."""

    driver: Driver
    motion: Motion
    sensors: Sensors
    log: Log
    mistakes: tuple[Mistake, ...]
    traffic: tuple[Traffic, ...]


@dataclass(frozen=True)
class Scenario:
    """A day: the first drive is the reference's, the second that of his twin, who does nothing differently."""

    circuit: Circuit
    car: Car
    sketch: LayoutSketch
    drives: tuple[Drive, ...]


def line_at(circuit: Circuit, place: float) -> Line:
    """A line across the road at a place of the circuit, from limit to limit."""
    plane = Plane(circuit.latitude, circuit.longitude)
    index = round(place / circuit.step) % len(circuit.x)
    half, heading = circuit.width / 2, circuit.heading[index]
    across = np.array([-np.sin(heading), np.cos(heading)]) * half
    x, y = circuit.x[index], circuit.y[index]
    latitude, longitude = plane.to_degrees([x + across[0], x - across[0]], [y + across[1], y - across[1]])
    return Line((float(latitude[0]), float(longitude[0])), (float(latitude[1]), float(longitude[1])))


def sketch_of(circuit: Circuit) -> LayoutSketch:
    """The lines of a circuit, as somebody would draw them."""
    finish = None if circuit.finish_m is None else line_at(circuit, circuit.finish_m)
    return LayoutSketch(name=circuit.name, start=line_at(circuit, circuit.start_m), finish=finish)


def random_scenario(
    seed: int,
    *,
    laps: int = 10,
    students: int = 3,
    kind: str | None = None,
    traffic: bool = False,
    steady: bool = False,
) -> Scenario:
    """A random day.

    Parameters
    ----------
    seed : everything follows from it
    laps : timed laps of each run
    students : how many drivers with mistakes, besides the reference and his twin
    kind : name of the circuit, else chosen at random
    traffic : whether students meet slower cars
    steady : drivers whose passages scatter by about 0.01 s

    Returns
    -------
    The scenario with its truth.
    """
    random = np.random.default_rng(seed)
    kind = kind or str(random.choice(["ellerholm", "ellerholm", "tamar", "bruchfeld"]))
    circuit = CIRCUITS[kind]()
    car = KART if kind == "bruchfeld" else (COUPE if random.random() < 0.6 else SPORTS_CAR)
    line = racing_line(circuit)
    base = Driver(
        "reference",
        corner_level=float(random.uniform(0.95, 0.985)),
        brake_level=float(random.uniform(0.84, 0.93)),
        scatter=float(random.uniform(0.001, 0.003) if steady else random.uniform(0.003, 0.02)),
        line_scatter_m=float(random.uniform(0.15, 0.4)),
    )
    drives = []
    for number in range(2 + students):
        driver = base if number == 0 else replace(base, name="twin" if number == 1 else f"student {number - 1}")
        if number > 1:
            driver = replace(driver, habits=_mistakes(random, circuit, car, driver, line))
        slower = _traffic(random, circuit, laps) if traffic and number > 1 else ()
        sensors = Sensors(speed_scale=1 + float(random.uniform(-0.015, 0.015)), receiver_noise=0.05)
        drives.append(_drive(circuit, car, driver, line, laps, int(random.integers(2**31)), sensors, slower))
    return Scenario(circuit, car, sketch_of(circuit), tuple(drives))


def _drive(
    circuit: Circuit, car: Car, driver: Driver, line: Array, laps: int, seed: int, sensors: Sensors,
    traffic: tuple[Traffic, ...],
) -> Drive:  # fmt: skip
    motion = drive_run(circuit, car, driver, timed_laps=laps, seed=seed, line=line, traffic=traffic)
    mistakes = []
    for habit in driver.habits:
        other = drive_run(
            circuit, car, driver, timed_laps=laps, seed=seed, line=line, traffic=traffic, without=(habit,)
        )
        cost = np.diff(motion.crossings) - np.diff(other.crossings)
        mistakes.append(Mistake(habit, float(np.median(cost)), tuple(cost.tolist())))
    log = record(circuit, car, motion, sensors, seed=seed + 1, meta={"driver": driver.name, "car": car.name})
    return Drive(driver, motion, sensors, log, tuple(mistakes), traffic)


def _mistakes(
    random: np.random.Generator, circuit: Circuit, car: Car, driver: Driver, line: Array
) -> tuple[Habit, ...]:
    """Three or four mistakes in corners where they can happen, no two of them in neighbouring corners."""
    speed = plain_speed(circuit, car, driver, line)
    _, _, _, curvature = path_geometry(circuit, line)
    bend = gaussian_filter1d(curvature, 3, mode="wrap")
    count = len(speed)
    free = list(range(len(circuit.corners)))
    habits: list[Habit] = []
    wanted = int(random.integers(3, 5))
    while free and len(habits) < wanted:
        which = int(random.choice(free))
        free = [i for i in free if min((i - which) % len(circuit.corners), (which - i) % len(circuit.corners)) > 1]
        name, place = circuit.corners[which]
        around = np.arange(round((place - 60) / circuit.step), round((place + 60) / circuit.step)) % count
        lowest = float(speed[around].min())
        before = np.arange(round((place - 220) / circuit.step), round(place / circuit.step)) % count
        drop = float(speed[before].max()) - lowest
        turning = float(np.abs(bend[around]).max()) * lowest**2
        kinds = dict(FAST) if drop < 1.0 or turning < 4.0 else {**ANYWHERE, **(BRAKED if drop > 6.0 else {})}
        if len(car.gear_top_speeds) < 2:
            kinds.pop("wrong_gear", None)
        kind = str(random.choice(list(kinds)))
        short = 0.45 if car is KART and kind not in ("over_slow", "soft_brake") else 1.0
        amount = float(random.uniform(*kinds[kind])) * (short if kind != "wrong_gear" else 1.0)
        habits.append(Habit(name, kind, amount, float(random.uniform(0.75, 1.0))))
    return tuple(habits)


def _traffic(random: np.random.Generator, circuit: Circuit, laps: int) -> tuple[Traffic, ...]:
    lap = int(random.integers(2, laps))
    return (
        Traffic(
            lap, float(random.uniform(0, circuit.length)), float(random.uniform(250, 600)),
            float(random.uniform(0.82, 0.92)),
        ),
    )  # fmt: skip
