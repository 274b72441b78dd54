#!/usr/bin/env python3
"""Accuracy of alignment over random runs of the simulator: nobody tuned to these drivers, errors or speed scales.

Usage: .venv/bin/python benchmarks/accuracy.py [--runs 30] [--first-seed 0]

Each run is driven by a random driver with random habits, logged twice: by a car logger (100 Hz wheel speed of unknown
scale, 10 Hz fixes) and by a receiver alone (fixes and its own speed at 10 Hz). Fixes drift by 1 m over 60 s and have
0.3 m of white noise. The layout is made from the first run with a car logger. "Plain" interpolates projected fixes.
"""

import argparse
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline

from lauftakt.core import AnalysedRun, Layout, Log, analyse_run, delta_uncertainty, make_layout, time_delta
from lauftakt.core.geo import Plane
from lauftakt.core.log import Channel
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import Motion, drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.school import SCHOOL_CAR, start_line
from lauftakt.demo.sensors import Sensors, record

Array = NDArray[np.float64]

KINDS = {
    "early_brake": (5, 30), "soft_brake": (0.1, 0.35), "over_slow": (0.02, 0.08), "late_throttle": (10, 35),
    "hesitant_throttle": (10, 30), "late_turn_in": (5, 15), "needless_lift": (30, 90), "strong": (0.01, 0.03),
}  # fmt: skip


@dataclass
class Tally:
    """Errors of one kind of log, and what was stated of them."""

    laps: list[float] = field(default_factory=list)
    laps_u: list[float] = field(default_factory=list)
    laps_plain: list[float] = field(default_factory=list)
    sectors: list[float] = field(default_factory=list)
    sectors_plain: list[float] = field(default_factory=list)
    delta: list[Array] = field(default_factory=list)
    delta_plain: list[Array] = field(default_factory=list)
    whole: list[float] = field(default_factory=list)
    restarted: list[float] = field(default_factory=list)


def random_driver(random: np.random.Generator, circuit: Circuit) -> Driver:
    names = [name for name, _ in circuit.corners]
    kinds = random.choice(list(KINDS), 4, replace=False)
    habits = tuple(
        Habit(str(corner), str(kind), float(random.uniform(*KINDS[kind])), float(random.uniform(0.6, 1.0)))
        for corner, kind in zip(random.choice(names, 4, replace=False), kinds, strict=True)
    )
    return Driver(
        "random",
        corner_level=float(random.uniform(0.93, 0.985)),
        brake_level=float(random.uniform(0.82, 0.93)),
        scatter=float(random.uniform(0.002, 0.01)),
        line_scatter_m=float(random.uniform(0.15, 0.45)),
        habits=habits,
    )


def receiver_only(log: Log, motion: Motion, random: np.random.Generator) -> Log:
    """The same run from a receiver alone: its fixes, and its own speed at the same rate."""
    latitude, longitude = log.role("latitude"), log.role("longitude")
    assert latitude is not None
    assert longitude is not None
    speed = motion.at(latitude.time)["speed"] + 0.05 * random.standard_normal(len(latitude.time))
    own = Channel("receiver speed", "m/s", "receiver_speed", latitude.time, np.maximum(speed, 0.0))
    return Log((latitude, longitude, own), log.meta)


def true_times(circuit: Circuit, motion: Motion, layout: Layout) -> list[Array]:
    """True times of every timed lap on the layout's grid: the true path projected onto the layout's centre line."""
    plane = Plane(circuit.latitude, circuit.longitude)
    x, y = layout.plane.to_xy(*plane.to_degrees(motion.x, motion.y))
    s, _ = layout.centre.project(x, y, motion.heading)
    s = np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi) * layout.length
    place = CubicSpline(np.maximum.accumulate(s) + 1e-9 * np.arange(len(s)), motion.time)
    found = []
    for begin, end in zip(motion.crossings[:-1], motion.crossings[1:], strict=True):
        base = np.round(np.interp(begin, motion.time, s) / layout.length) * layout.length
        when = place(base + layout.grid()) - begin
        when[0], when[-1] = 0.0, end - begin
        found.append(when)
    return found


def plain_times(log: Log, layout: Layout, count: int) -> list[Array]:
    latitude, longitude = log.role("latitude"), log.role("longitude")
    assert latitude is not None
    assert longitude is not None
    x, y = layout.plane.to_xy(latitude.values, longitude.values)
    s, _ = layout.centre.project(x, y)
    s = np.maximum.accumulate(np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi) * layout.length)
    first = np.ceil(s[0] / layout.length) * layout.length
    lines = first + np.arange(count) * layout.length
    return [np.interp(b + layout.grid(), s, latitude.time) - np.interp(b, s, latitude.time) for b in lines]


def judge(
    tally: Tally, run: AnalysedRun, true: list[Array], plain: list[Array], layout: Layout,
    other: tuple[AnalysedRun, list[Array], list[Array]] | None, random: np.random.Generator,
) -> None:  # fmt: skip
    grid, edges = layout.grid(), np.array([0.0, *layout.splits_m, layout.length])
    for number, trace in run.traces.items():
        truth, simple = true[number - 1], plain[number - 1]
        lap = next(lap for lap in run.laps if lap.number == number)
        assert lap.time_s is not None
        assert lap.time_u_s is not None
        tally.laps.append(lap.time_s - truth[-1])
        tally.laps_u.append(lap.time_u_s)
        tally.laps_plain.append(simple[-1] - truth[-1])
        tally.sectors += list(np.diff(np.interp(edges, grid, trace.time - truth)))
        tally.sectors_plain += list(np.diff(np.interp(edges, grid, simple - truth)))
        if other is None:
            continue
        reference, reference_true, reference_plain = other
        chosen = int(random.choice(list(reference.traces)))
        base = reference.traces[chosen]
        error = time_delta(trace, base) - (truth - reference_true[chosen - 1])
        tally.delta.append(error)
        tally.delta_plain.append(simple - reference_plain[chosen - 1] - (truth - reference_true[chosen - 1]))
        end = np.array([layout.length])
        tally.whole.append(float(error[-1] / delta_uncertainty(trace, base, False, end)[0]))
        for begin in random.uniform(0, layout.length - 1300, 3):
            stop = begin + random.uniform(100, 1200)
            u = delta_uncertainty(trace, base, False, np.array([stop]), begin)[0]
            tally.restarted.append(float(np.diff(np.interp([begin, stop], grid, error))[0] / u))


def rms(values: list[float] | list[Array]) -> float:
    return float(np.sqrt(np.mean(np.square(np.concatenate([np.atleast_1d(v) for v in values])))))


def covered(normal: list[float]) -> float:
    return 100 * float(np.mean(np.abs(normal) < 1.96))


def tell(name: str, tally: Tally) -> None:
    own = [e / u for e, u in zip(tally.laps, tally.laps_u, strict=True)]
    print(f"\n{name}: {len(tally.laps)} laps")
    for what, ours, plain in (
        ("lap times", tally.laps, tally.laps_plain),
        ("sector times", tally.sectors, tally.sectors_plain),
        ("delta along the lap, other run", tally.delta, tally.delta_plain),
    ):
        share = rms(ours) / rms(plain)
        print(f"  {what:32s} RMS {1000 * rms(ours):5.1f} ms   plain {1000 * rms(plain):5.1f} ms   ratio {share:.2f}")
    print(
        f"  ±1.96 u covers: lap times {covered(own):.1f} %, whole-lap deltas {covered(tally.whole):.1f} %, "
        f"deltas restarted anywhere {covered(tally.restarted):.1f} %"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--runs", type=int, default=30)
    parser.add_argument("--first-seed", type=int, default=0)
    chosen = parser.parse_args()
    circuit = ellerholm_park()
    line = racing_line(circuit)
    layout: Layout | None = None
    tallies = {"car log": Tally(), "receiver only": Tally()}
    before: dict[str, tuple[AnalysedRun, list[Array], list[Array]]] = {}
    for seed in range(chosen.first_seed, chosen.first_seed + chosen.runs):
        random = np.random.default_rng(10_000 + seed)
        motion = drive_run(circuit, SCHOOL_CAR, random_driver(random, circuit), timed_laps=10, seed=seed, line=line)
        sensors = Sensors(speed_scale=1 + float(random.uniform(-0.015, 0.015)))
        log = record(circuit, SCHOOL_CAR, motion, sensors, seed=seed + 500_000, meta={})
        if layout is None:
            layout, _ = make_layout(log, circuit.name, start_line(circuit))
        true = true_times(circuit, motion, layout)
        for name, given in (("car log", log), ("receiver only", receiver_only(log, motion, random))):
            run = analyse_run(given, layout)
            plain = plain_times(given, layout, len(true))
            judge(tallies[name], run, true, plain, layout, before.get(name), random)
            before[name] = (run, true, plain)
        print(f"run {seed} judged", flush=True)
    for name, tally in tallies.items():
        tell(name, tally)


if __name__ == "__main__":
    main()
