"""How right the figures of every corner are: against the true motion, corner by corner, linked ones included.

    python benchmarks/figures.py [--days N] [--first-seed K] [--smoke]

What is true is worked out here from the noiseless motion by the contract's definitions, not by the program's code.
"""

import argparse
from collections import defaultdict
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core import analyse_run, make_layout
from lauftakt.core.circuit.layout import Corner, Layout
from lauftakt.core.log.model import Log
from lauftakt.core.plane import Plane
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.windows import windows
from lauftakt.demo.car import GRAVITY, Car
from lauftakt.demo.drive import Motion
from lauftakt.demo.scenario import Scenario, random_scenario
from lauftakt.demo.sensors import _most

Array = NDArray[np.float64]
FIGURES = ("brake_point_m", "brake_release_m", "throttle_pickup_m", "full_throttle_m", "min_speed")
# The goals of the worst corner's median: with pedals, and with positions and the receiver's speed only.
GOALS = {
    "brake_point_m": (3.0, 6.0), "brake_release_m": (4.0, 8.0), "throttle_pickup_m": (4.0, 8.0),
    "full_throttle_m": (4.0, 8.0), "min_speed": (0.5 / 3.6, 1.0 / 3.6),
}  # fmt: skip


@dataclass(frozen=True)
class True_:
    """The true motion of one lap over its places on the centre line, and what pedals did."""

    s: Array
    speed: Array
    throttle: Array
    brake: Array
    bend: Array


def true_lap(scenario: Scenario, motion: Motion, number: int, layout: Layout, reach: float = 400.0) -> True_:
    """A lap from the start line on, reaching beyond both its ends, by the places of the layout's centre line."""
    car, length, circuit = scenario.car, scenario.circuit.length, scenario.circuit
    begin = np.interp(motion.crossings[number - 1], motion.time, motion.distance)
    inside = (motion.distance > begin - reach) & (motion.distance < begin + length + reach)
    degrees = Plane(circuit.latitude, circuit.longitude).to_degrees(motion.x[inside], motion.y[inside])
    s, _ = layout.centre.project(*layout.plane.to_xy(*degrees), motion.heading[inside])
    s = np.unwrap(s, period=layout.length)
    middle = int(np.argmin(np.abs(motion.distance[inside] - begin - 1.0)))
    s -= layout.length * round(float(s[middle]) / layout.length)
    speed, gain = motion.speed[inside], motion.acceleration[inside]
    force = gain + np.asarray(car.resistance(speed))
    throttle = np.clip(force / np.maximum(_most(car, speed, motion.gear[inside]), 1e-3), 0.0, 1.0)
    braking = np.clip(-force - np.where(speed > 5.0, car.engine_brake_ms2, 0.2), 0.0, None)
    return True_(
        np.maximum.accumulate(s), speed, np.where(throttle > 0.94, 1.0, throttle), _pressure(car, braking),
        motion.curvature[inside],
    )  # fmt: skip


def _pressure(car: Car, braking: Array) -> Array:
    return braking / (car.grip * GRAVITY * car.brake_share)


def true_figures(lap: True_, layout: Layout, corner: int, brake_on: float) -> dict[str, float | None]:
    """The contract's definitions on what really happened."""
    places = windows(layout)
    window, following, before = places[corner], places[(corner + 1) % len(places)], places[corner - 1]
    length = layout.length
    ahead = following.entry + (length if following.apex <= window.apex else 0.0)
    behind = before.apex - (length if before.apex >= window.apex else 0.0)

    def slowest(low: float, high: float) -> int:
        a, b = np.searchsorted(lap.s, [low, high])
        return int(a + np.argmin(lap.speed[a : max(b, a + 1)]))

    here = slowest(min(window.entry, window.apex - 10), max(window.exit, window.apex + 10))
    a = slowest(behind - 30, behind + 30)
    # A braking belongs to the corner it leads to: what lies before the throttle was full again was for something else.
    flat = np.flatnonzero(lap.throttle[a:here] >= 0.95)
    begin = a + int(flat[-1]) if len(flat) else a
    b = max(int(np.searchsorted(lap.s, max(ahead, window.apex + 10))), here + 2)
    found: dict[str, float | None] = dict.fromkeys(FIGURES)
    found["min_speed"] = float(lap.speed[here])
    s = lap.s[begin:b]
    runs = _runs(lap.brake[begin:b] > brake_on, s)
    runs = [(x, y) for x, y in runs if s[x] <= lap.s[here] + 8 and s[y - 1] - s[x] > 5.0]
    if runs:
        found["brake_point_m"] = float(s[runs[0][0]])
        found["brake_release_m"] = float(s[runs[-1][1] - 1])
    full = np.flatnonzero(lap.throttle[here:b] >= 0.95)
    if lap.throttle[a:b].min() < 0.95 and len(full) and full[0] > 0:
        first = here + int(full[0])
        found["full_throttle_m"] = float(lap.s[first])
        slow = np.flatnonzero(np.gradient(lap.speed[a : first + 1]) <= 0.0)
        if len(slow):
            found["throttle_pickup_m"] = float(lap.s[a + slow[-1]])
    return found


def _runs(on: NDArray[np.bool_], s: Array) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], on.astype(int), [0]])))
    joined: list[tuple[int, int]] = []
    for x, y in zip(edges[::2], edges[1::2], strict=True):
        if joined and s[x] - s[joined[-1][1] - 1] < 25.0:
            joined[-1] = (joined[-1][0], int(y))
        else:
            joined.append((int(x), int(y)))
    return joined


def kind_of(layout: Layout, corner: Corner) -> str:
    """Whether it is linked to others."""
    linked = next((p.corners for p in layout.passages if corner.name in p.corners), ())
    return "linked" if len(linked) > 1 else "alone"


def bare(log: Log) -> Log:
    """Positions and the receiver's speed only."""
    kept = tuple(c for c in log.channels if c.role in ("latitude", "longitude", "receiver_speed"))
    return replace(log, channels=tuple(replace(c, role="speed") if c.role == "receiver_speed" else c for c in kept))


Missed = dict[tuple[str, str], dict[str, list[float | None]]]


def judge(scenario: Scenario, run: AnalysedRun, motion: Motion, layout: Layout, into: Missed, name: str) -> None:
    """By how much each figure is off, for each corner; None where one of the two has none."""
    assert run.technique is not None
    for lap in run.counting:
        true = true_lap(scenario, motion, lap.number, layout)
        brake_on = 0.05 * float(np.percentile(true.brake, 99))
        for index, corner in enumerate(layout.corners):
            found = run.technique.at(lap.number, index)
            if found is None:
                continue
            truth = true_figures(true, layout, index, brake_on)
            place = into[name, f"{corner.name} {kind_of(layout, corner)}"]
            for figure in FIGURES:
                seen, real = getattr(found, figure), truth[figure]
                if real is not None:
                    place[figure].append(None if seen is None else float(seen) - real)


def main() -> None:
    """Judge random days and print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--days", type=int, default=8)
    parser.add_argument("--first-seed", type=int, default=7000)
    parser.add_argument("--smoke", action="store_true")
    asked = parser.parse_args()
    days, laps = (2, 4) if asked.smoke else (asked.days, 8)
    for what in ("with pedals", "positions only"):
        missed: Missed = defaultdict(lambda: defaultdict(list))
        for seed in range(asked.first_seed, asked.first_seed + days):
            kind = ("ellerholm", "tamar", "bruchfeld")[seed % 3]
            scenario = random_scenario(seed, laps=laps, students=1, kind=kind, steady=True)
            logs = [drive.log if what == "with pedals" else bare(drive.log) for drive in scenario.drives]
            layout, _ = make_layout(logs, scenario.sketch)
            for drive, log in zip(scenario.drives, logs, strict=True):
                judge(scenario, analyse_run(log, layout), drive.motion, layout, missed, f"{seed} {kind}")
        table(what, missed)


def table(what: str, missed: Missed) -> None:
    """Medians over all corners, the worst corner's median, and the 90th percentile."""
    print(f"\n{what}: off by (median, worst corner's median, 90th percentile of corners' medians), missing")
    for figure in FIGURES:
        factor, unit = (3.6, "km/h") if figure == "min_speed" else (1.0, "m")
        medians: list[tuple[float, str]] = []
        absent = whole = 0
        for (day, corner), figures in missed.items():
            told = [abs(value) for value in figures[figure] if value is not None]
            absent += len(figures[figure]) - len(told)
            whole += len(figures[figure])
            if len(told) >= 3:
                medians.append((factor * float(np.median(told)), f"{day} {corner}"))
        if not medians:
            continue
        values = [value for value, _ in medians]
        goal = factor * GOALS[figure][what != "with pedals"]
        worst = sorted(medians, reverse=True)[:4]
        print(
            f"  {figure:18} {np.median(values):6.2f} {max(values):8.2f} {np.percentile(values, 90):8.2f} {unit:5}"
            f" {100 * absent / max(whole, 1):5.1f} %   within the goal of {goal:.1f}:"
            f" {sum(value <= goal for value in values)} of {len(values)} corners"
        )
        print("      worst: " + "; ".join(f"{name} {value:.1f}" for value, name in worst))


if __name__ == "__main__":
    main()
