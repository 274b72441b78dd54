#!/usr/bin/env python3
"""Draws docs/car.svg: a car as it showed itself in the demo day's laps, beside the simulator's.

Usage: .venv/bin/python benchmarks/car_picture.py
"""

import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.comparison.car import SPEEDS, ShownCar, shown_car
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.demo.car import Car
from lauftakt.demo.school import SCHOOL_CAR, write_day
from lauftakt.formats.geojson import read_layout
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.reading import read_raw

Array = NDArray[np.float64]
WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 760, 420, 56, 20, 20, 46
FASTEST, MOST, LEAST = 65.0, 7.0, -3.0
INK, MUTED, RULE, ACCENT, LOSS = "#20242e", "#5f5c55", "#ddd7ca", "#4a2f6b", "#d4551a"


def at(speed: float, force: float) -> str:
    """A point of the picture."""
    x = LEFT + (WIDTH - LEFT - RIGHT) * speed / FASTEST
    y = TOP + (HEIGHT - TOP - BOTTOM) * (MOST - force) / (MOST - LEAST)
    return f"{x:.1f},{y:.1f}"


def line(speed: Array, force: Array, colour: str, width: float, dash: str = "") -> str:
    points = " ".join(at(float(v), float(a)) for v, a in zip(speed, force, strict=True))
    return (
        f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-dasharray="{dash}"/>'
    )


def text(speed: float, force: float, words: str, colour: str = MUTED, anchor: str = "start") -> str:
    x, y = at(speed, force).split(",")
    return f'<text x="{x}" y="{y}" fill="{colour}" font-size="13" text-anchor="{anchor}">{words}</text>'


def simulators(car: Car, gear: int, speed: Array) -> Array:
    """Net acceleration at full throttle in one gear, m/s^2."""
    top = car.gear_top_speeds[gear - 1]
    turns = np.minimum(1.0, speed / top)
    power = car.power_w * np.minimum(1.0, 1.36 * turns - 0.36 * turns**2)
    return np.asarray(power / np.maximum(speed, 0.32 * top) / car.mass_kg - np.asarray(car.resistance(speed)))


def picture(shown: ShownCar, car: Car) -> str:
    parts = []
    for force in range(int(LEAST), int(MOST) + 1):
        parts.append(line(np.array([0.0, FASTEST]), np.full(2, float(force)), RULE, 1.0))
        parts.append(text(-0.7, force - 0.12, f"{force}".replace("-", "−"), anchor="end"))
    for kmh in range(0, 240, 40):
        parts.append(text(kmh / 3.6, LEAST - 0.6, f"{kmh} km/h", anchor="middle"))
    for gear in sorted(gear for gear in shown.force if gear > 0):
        low, high = shown.ranges[gear]
        speed = np.linspace(low, high, 60)
        net = np.interp(speed, SPEEDS, shown.force[gear]) + shown.closed(speed**2 / 2)
        parts.append(line(speed, simulators(car, gear, speed), LOSS, 5.0))
        parts.append(line(speed, net, INK, 1.6))
        parts.append(text(float(speed[0]), float(net[0]) + 0.3, f"gear {gear}", INK))
    speed = np.linspace(8.0, 61.0, 60)
    parts.append(line(speed, shown.closed(speed**2 / 2), ACCENT, 1.6, "6 3"))
    parts.append(text(24.0, -2.1, "closed throttle: rolling, engine and air", ACCENT))
    parts.append(text(28.0, 6.3, "acceleration along the path, m/s²", MUTED))
    parts.append(text(28.0, 5.7, "thin: as it showed itself; broad: the simulator’s car", MUTED))
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" font-family="sans-serif" role="img">'
    )
    title = "<title>A car as it showed itself: acceleration over speed in each gear</title>"
    ground = f'<rect width="{WIDTH}" height="{HEIGHT}" fill="#fffefb"/>'
    return "\n".join([head, title, ground, *parts, "</svg>"]) + "\n"


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        drawn, *files = write_day(Path(folder))
        logs = [interpret(read_raw(path)) for path in files]
        layout, _ = make_layout(logs, read_layout(drawn.read_bytes(), drawn.stem))
        runs = [analyse_run(log, layout) for log in logs]
        shown = shown_car([run.signals for run in runs if run.signals is not None])
    assert shown is not None
    target = Path(__file__).parent.parent / "docs" / "car.svg"
    target.write_text(picture(shown, SCHOOL_CAR))
    print(f"{target.name}: {len(shown.force) - 1} gears, most lateral acceleration {shown.cornering:.1f} m/s²")


if __name__ == "__main__":
    main()
