#!/usr/bin/env python3
"""How often a school is told something wrong over days, on drawn seasons: who improved, what days and cars did, what
is said to be lost again by drivers who kept it.

Usage: .venv/bin/python benchmarks/over_days.py [--schools 400] [--drivers 300]
"""

import argparse
from collections.abc import Sequence

import numpy as np

from lauftakt.core.debrief.change import Pair, change_of
from lauftakt.core.debrief.check import level_of_look
from lauftakt.core.debrief.family import holm
from lauftakt.core.season.common import Driven, common_of

# What a run lies off by itself, and what a median of so many laps leaves open, as shares of the pace.
SCATTER, DOUBT, GRIP, CAR = 0.0035, 0.0015, 0.01, -0.01
# Corners that nothing was asked in, and by how much a run lies off in each, in scatters of laps.
OTHERS, RUN_EFFECT = 9, 0.5


def seasons(schools: int, drivers: int, days: int, instructors: int, gain: float) -> None:
    """Schools in which one driver gains, and half of them change cars half way."""
    rng = np.random.default_rng(11)
    inside: dict[str, list[bool]] = {"drivers": [], "days": [], "cars": []}
    falsely = found = 0
    for _ in range(schools):
        grip, own = rng.normal(0.0, GRIP, days), rng.normal(0.0, 0.02, drivers)
        runs = [
            _driven(rng, own[n] + grip[day] + (gain * day / (days - 1) if n == instructors else 0.0), n, day, days)
            for n in range(drivers)
            for day in range(days)
            if n < instructors or rng.random() > 0.2
        ]
        told = common_of(runs, frozenset(range(instructors)))
        if told is None:
            continue
        sure = holm([effect.likely for effect in told.drivers.values()], 0.05)
        clear = {name for name, left in zip(told.drivers, sure, strict=True) if left is not None}
        falsely += bool(clear - {instructors})
        found += instructors in clear
        for name, effect in told.drivers.items():
            at = [run.order for run in runs if run.driver == name]
            true = gain * (max(at) - min(at)) / (days - 1) if name == instructors else 0.0
            inside["drivers"].append(np.log1p(effect.low) <= true <= np.log1p(effect.high))
        for name, effect in told.days.items():
            inside["days"].append(np.log1p(effect.low) <= grip[int(str(name))] - grip[0] <= np.log1p(effect.high))
        for name, effect in told.cars.items():
            inside["cars"].append(np.log1p(effect.low) <= (CAR if name == 1 else -CAR) <= np.log1p(effect.high))
    kept = ", ".join(f"{name} {100 * np.mean(each):.1f} %" for name, each in inside.items() if each)
    print(
        f"{drivers} drivers, {days} days, {instructors} instructor(s), one gains {-100 * gain:.1f} %: "
        f"intervals hold {kept}; found {100 * found / schools:.0f} %, "
        f"somebody else said to change {100 * falsely / schools:.1f} %"
    )


def _driven(rng: np.random.Generator, level: float, driver: int, day: int, days: int) -> Driven:
    car = int(day >= days // 2 and driver % 2 == 1)
    pace = 100.0 * float(np.exp(level + car * CAR + rng.normal(0.0, SCATTER) + rng.normal(0.0, DOUBT)))
    return Driven(driver, day, car, day, pace, DOUBT * pace)


def kept_cues(drivers: int, laps: int, later: int, gain: float) -> None:
    """Drivers who reach a cue and keep it: how often it is said to be lost again in a later run; and how often it is
    said of those who forgot it in all of them."""
    rng = np.random.default_rng(12)
    for name, back in (("kept", 0.0), ("forgotten", 1.0)):
        reached = lost_once = lost_first = 0
        for _ in range(drivers):
            before = _run(rng, laps, 0.0)
            first = _run(rng, laps, gain)
            change = change_of(Pair.of(before[0], first[0]), _pairs(before, first), 1e-6)
            assert change is not None
            target = gain / 2
            if change.likely(1.0) > level_of_look(1) or change.after < target:
                continue
            reached += 1
            lost = []
            for look in range(1, later + 1):
                run = _run(rng, laps, gain * (1.0 - back))
                slipped = change_of(Pair.of(first[0], run[0]), _pairs(first, run), 1e-6)
                assert slipped is not None
                lost.append(slipped.likely(-1.0) <= level_of_look(look) and slipped.after < target)
            lost_once += any(lost)
            lost_first += lost[0]
        print(
            f"{gain:.0f} scatters, {laps} laps a run, {name} in {later} later runs: of {reached} that reached it "
            f"{100 * lost_first / max(reached, 1):.1f} % told lost again in the first, "
            f"{100 * lost_once / max(reached, 1):.1f} % in any"
        )


def _run(rng: np.random.Generator, laps: int, level: float) -> list[np.ndarray]:
    """A figure in every lap where it was asked for, and in the other corners, in scatters of laps."""
    off = rng.normal(0.0, RUN_EFFECT, OTHERS + 1)
    return [rng.normal(0.0, 1.0, laps) + off[n] + (level if n == 0 else 0.0) for n in range(OTHERS + 1)]


def _pairs(first: Sequence[np.ndarray], second: Sequence[np.ndarray]) -> list[Pair]:
    return [Pair.of(one, other) for one, other in zip(first[1:], second[1:], strict=True)]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--schools", type=int, default=400)
    parser.add_argument("--drivers", type=int, default=300)
    asked = parser.parse_args()
    for drivers, days, instructors, gain in (
        (6, 4, 1, 0.0), (6, 4, 1, -0.02), (6, 4, 0, -0.02), (12, 8, 1, -0.02), (20, 20, 2, -0.02),
    ):  # fmt: skip
        seasons(asked.schools, drivers, days, instructors, gain)
    for laps, gain in ((7, 3.0), (7, 4.0), (10, 3.0)):
        kept_cues(asked.drivers, laps, 6, gain)


if __name__ == "__main__":
    main()
