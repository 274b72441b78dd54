#!/usr/bin/env python3
"""Whether a loss is explained by the right cause, and at the right price, over random days of the simulator.

Usage: .venv/bin/python benchmarks/causes.py [--days 12] [--first-seed 0] [--laps 10] [--together 1] [--smoke]

Each day has a reference driver and students, each with --together mistakes in one passage and as many passages as there
is room for, every kind as often as the others. The truth of a cost is the passage driven again: with one mistake the
same laps without it, with several every subset of them, shared out by Shapley's value. Every run is logged twice, as in
accuracy.py.
"""

import time
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from math import factorial

import numpy as np
from accuracy import RECEIVER, Tally, Truth, days_asked, days_parser, percent, tell_days
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core import AnalysedRun, Layout, Log, analyse_run, make_layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.statement import Finding
from lauftakt.demo.car import Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import CIRCUITS
from lauftakt.demo.drive import Motion, drive_run, plain_speed
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import path_geometry, racing_line
from lauftakt.demo.scenario import COUPE, KART, SPORTS_CAR, sketch_of
from lauftakt.demo.sensors import Sensors, record

Array = NDArray[np.float64]

# Kind of mistake -> the name it must get, where it can happen, and how much of it.
BRAKED, ANYWHERE, FLAT = "braked", "anywhere", "flat"
KINDS: dict[str, tuple[str, str, tuple[float, float]]] = {
    "early_brake": ("early_brake", BRAKED, (8.0, 30.0)),
    "soft_brake": ("soft_brake", BRAKED, (0.15, 0.4)),
    "slow_brake_rise": ("slow_brake_rise", BRAKED, (50.0, 110.0)),
    "early_release": ("early_release", BRAKED, (15.0, 40.0)),
    "late_release": ("late_release", BRAKED, (8.0, 25.0)),
    "interrupted_brake": ("interrupted_brake", BRAKED, (10.0, 25.0)),
    "coasting": ("coasting", BRAKED, (25.0, 60.0)),
    "late_coasting": ("coasting", BRAKED, (10.0, 32.0)),
    "wrong_gear": ("wrong_gear", BRAKED, (1.0, 1.0)),
    "over_slow": ("over_slow", ANYWHERE, (0.025, 0.08)),
    "late_throttle": ("late_throttle", ANYWHERE, (10.0, 32.0)),
    "hesitant_throttle": ("hesitant_throttle", ANYWHERE, (10.0, 28.0)),
    "late_turn_in": ("late_turn_in", ANYWHERE, (6.0, 14.0)),
    "early_turn_in": ("early_turn_in", ANYWHERE, (6.0, 14.0)),
    "unused_width": ("unused_width", ANYWHERE, (0.3, 0.8)),
    "needless_lift": ("needless_lift", FLAT, (30.0, 90.0)),
    "braked_too_late": ("braked_too_late", BRAKED, (6.0, 15.0)),
    "understeer": ("understeer", ANYWHERE, (0.05, 0.12)),
    "oversteer": ("oversteer", ANYWHERE, (12.0, 30.0)),
    "locked_wheel": ("locked_wheel", BRAKED, (18.0, 40.0)),
}
# What positions and speed alone cannot tell.
UNSEEN = ("wrong_gear", "understeer", "oversteer", "locked_wheel")
SHARES = ("wrong_gear", "soft_brake", "over_slow", "unused_width", "understeer")
SEEN_S = 0.08


@dataclass(frozen=True)
class Mistake:
    """Habits of one passage with what each costs in it, s, and the loss of all together."""

    habits: tuple[Habit, ...]
    passage: int
    cost_s: tuple[float, ...]
    together_s: float


@dataclass(frozen=True)
class Day:
    """A day's logs on a layout, with the mistakes of each run."""

    circuit: Circuit
    car: Car
    layout: Layout
    logs: list[Log]
    mistakes: list[list[Mistake]]
    drivers: list[Driver]
    seeds: list[int]
    line: Array


def fitting(circuit: Circuit, car: Car, driver: Driver, line: Array) -> dict[str, str]:
    """What kind of mistake each corner has room for."""
    speed = plain_speed(circuit, car, driver, line)
    bend = gaussian_filter1d(path_geometry(circuit, line)[3], 3, mode="wrap")
    found = {}
    for name, place in circuit.corners:
        around = np.arange(round((place - 60) / circuit.step), round((place + 60) / circuit.step)) % len(speed)
        before = np.arange(round((place - 220) / circuit.step), round(place / circuit.step)) % len(speed)
        lowest = float(speed[around].min())
        drop = float(speed[before].max()) - lowest
        turning = float(np.abs(bend[around]).max()) * lowest**2
        found[name] = FLAT if drop < 1.0 or turning < 4.0 else (BRAKED if drop > 6.0 else ANYWHERE)
    return found


def passage_medians(circuit: Circuit, car: Car, motion: Motion, layout: Layout) -> Array:
    """Median time of the timed laps in each passage, (p,) s, as it really was."""
    truth = Truth(circuit, car, motion, layout)
    order = np.argsort(truth.s, kind="stable")
    found = []
    for index in range(len(layout.passages)):
        low, high = passage_range(layout, index)
        bases = np.array(truth.bases)
        ends = [np.interp(bases + place, truth.s[order], motion.time[order]) for place in (low, high)]
        whole = (bases + high < truth.s.max()) & (bases + low > truth.s.min())
        found.append(float(np.median((ends[1] - ends[0])[whole][1:-1])))
    return np.array(found)


def random_day(seed: int, laps: int, together: int) -> Day:
    """A day whose students make mistakes of every kind."""
    random = np.random.default_rng(seed)
    kind = str(random.choice(["ellerholm", "ellerholm", "tamar", "bruchfeld"]))
    circuit = CIRCUITS[kind]()
    car = KART if kind == "bruchfeld" else (COUPE if random.random() < 0.6 else SPORTS_CAR)
    line = racing_line(circuit)
    base = Driver(
        "reference", corner_level=float(random.uniform(0.95, 0.985)), brake_level=float(random.uniform(0.84, 0.93)),
        scatter=float(random.uniform(0.001, 0.004)), line_scatter_m=float(random.uniform(0.15, 0.4)),
    )  # fmt: skip
    room = fitting(circuit, car, base, line)
    names = [name for name, _ in circuit.corners]
    drivers = [base]
    deck: list[str] = []
    for number in range(4):
        habits: list[Habit] = []
        for first in range(number % 2, len(names), 2):
            if not deck:
                deck = list(random.permutation(list(KINDS)))
            where = room[names[first]]
            fits = [k for k in deck if KINDS[k][1] == where or (where == BRAKED and KINDS[k][1] == ANYWHERE)]
            if len(car.gear_top_speeds) < 2:
                fits = [k for k in fits if k != "wrong_gear"]
            short = 0.45 if car is KART else 1.0
            for chosen in fits[:together]:
                deck.remove(chosen)
                amount = float(random.uniform(*KINDS[chosen][2]))
                habits.append(Habit(names[first], chosen, amount * (1.0 if chosen in SHARES else short), 1.0))
        drivers.append(replace(base, name=f"student {number}", habits=tuple(habits)))
    motions, logs, seeds = [], [], []
    for driver in drivers:
        seeds.append(int(random.integers(2**31)))
        motions.append(drive_run(circuit, car, driver, timed_laps=laps, seed=seeds[-1], line=line))
        sensors = Sensors(speed_scale=1 + float(random.uniform(-0.015, 0.015)), receiver_noise=0.05, wheels=True)
        logs.append(record(circuit, car, motions[-1], sensors, seed=seeds[-1] + 1, meta={"driver": driver.name}))
    layout, _ = make_layout(logs, sketch_of(circuit))
    scale = layout.length / circuit.length
    places = dict(circuit.corners)
    mistakes: list[list[Mistake]] = [[]]
    for driver, motion, own_seed in zip(drivers[1:], motions[1:], seeds[1:], strict=True):
        with_all = passage_medians(circuit, car, motion, layout)
        groups: dict[int, list[Habit]] = defaultdict(list)
        for habit in driver.habits:
            place = places[habit.corner] * scale
            corner = min(layout.corners, key=lambda c, place=place: abs(c.apex_m - place))
            groups[next(i for i, p in enumerate(layout.passages) if corner.name in p.corners)].append(habit)
        clean = _without(circuit, car, driver, own_seed, laps, line, layout, driver.habits)
        found = []
        for passage, habits in groups.items():
            worth = {(): with_all[passage], tuple(habits): clean[passage]}
            for size in range(1, len(habits)):
                for gone in combinations(habits, size):
                    worth[gone] = _without(circuit, car, driver, own_seed, laps, line, layout, gone)[passage]
            found.append(
                Mistake(tuple(habits), passage, _shares(habits, worth), float(with_all[passage] - clean[passage]))
            )
        mistakes.append(found)
    return Day(circuit, car, layout, logs, mistakes, drivers, seeds, line)


def _without(
    circuit: Circuit, car: Car, driver: Driver, seed: int, laps: int, line: Array, layout: Layout,
    gone: Sequence[Habit],
) -> Array:  # fmt: skip
    again = drive_run(circuit, car, driver, timed_laps=laps, seed=seed, line=line, without=gone)
    return passage_medians(circuit, car, again, layout)


def _shares(habits: Sequence[Habit], worth: dict[tuple[Habit, ...], float]) -> tuple[float, ...]:
    """What each habit costs: Shapley's value over the subsets that were driven again."""
    count, found = len(habits), []
    for habit in habits:
        others = [h for h in habits if h != habit]
        total = 0.0
        for size in range(count):
            weight = factorial(size) * factorial(count - size - 1) / factorial(count)
            for gone in combinations(others, size):
                both = tuple(h for h in habits if h in gone or h == habit)
                total += weight * (worth[tuple(h for h in habits if h in gone)] - worth[both])
        found.append(float(total))
    return tuple(found)


def analysed(day: Day, receiver: bool) -> list[AnalysedRun]:
    """The day's runs as a car's logger or a receiver alone saw them."""
    found = []
    for log in day.logs:
        chosen = [c for c in log.channels if (c.role in RECEIVER) == receiver or c.role in RECEIVER[:2]]
        found.append(analyse_run(Log(tuple(chosen), log.meta), day.layout))
    return found


def judge_day(work: tuple[int, int, int]) -> dict[str, Tally]:
    seed, laps, together = work
    day = random_day(seed, laps, together)
    tallies: dict[str, Tally] = {}
    for name in ("car log", "receiver only"):
        tally: Tally = defaultdict(list)
        runs = analysed(day, name != "car log")
        begin = time.perf_counter()
        found, _ = find([Contender(run, f"{k}", day.car.name) for k, run in enumerate(runs)], 0, day.layout)
        tally["find_s"].append(time.perf_counter() - begin)
        own = {(f.run, f.passage): f for f in found}
        for index, mistakes in enumerate(day.mistakes):
            for mistake in mistakes:
                finding = own.get((index, day.layout.passages[mistake.passage].name))
                _judge(tally, mistake, finding, name != "car log")
        tallies[name] = dict(tally)
    return tallies


def _judge(tally: Tally, mistake: Mistake, finding: Finding | None, receiver: bool) -> None:
    if mistake.together_s < SEEN_S:
        return
    tally["found"].append(float(finding is not None))
    if finding is None:
        return
    tally["unexplained"].append(abs(finding.unexplained_s))
    tally["loss"].append(finding.loss_s)
    by_name = {one.cause: one for one in finding.causes}
    many = max(2, len(mistake.habits))
    told = [one.cause for one in finding.causes if one.cost_s > 0][:many]
    for habit, cost in zip(mistake.habits, mistake.cost_s, strict=True):
        if cost < SEEN_S or (receiver and habit.kind in UNSEEN):
            continue
        name = KINDS[habit.kind][0]
        one = by_name.get(name)
        error = abs((one.cost_s if one is not None else 0.0) - cost) / cost
        for key in ("", f":{habit.kind}"):
            tally[f"first{key}"].append(float(told[:1] == [name]))
            tally[f"named{key}"].append(float(name in told))
            tally[f"error{key}"].append(error)
        if one is not None:
            tally["within"].append(float(abs(one.cost_s - cost) < 1.96 * one.cost_u_s))
        if name not in told:
            tally[f"instead:{habit.kind}:{told[0] if told else 'nothing'}"].append(1.0)


def lines(name: str, t: Tally) -> Iterator[str]:
    yield f"\n{name}: {len(t['first'])} mistakes of {SEEN_S} s or more in {int(sum(t['found']))} findings"
    yield f"  found {percent(t['found'])}; findings of a day in {np.median(t['find_s']):.1f} s"
    yield (
        f"  right cause first {percent(t['first'])}, among the first two (or as many as were made) "
        f"{percent(t['named'])}"
    )
    share = sum(t["unexplained"]) / sum(t["loss"])
    yield (
        f"  seconds of the right cause: median error {100 * np.median(t['error']):.0f} %; within ±1.96 u "
        f"{percent(t['within'])}; unexplained {100 * share:.0f} % of what is lost"
    )
    for kind in KINDS:
        if f"first:{kind}" in t:
            yield (
                f"    {kind:18s} first {percent(t[f'first:{kind}']):14s} named {percent(t[f'named:{kind}']):14s} "
                f"error {100 * np.median(t[f'error:{kind}']):3.0f} %"
            )
    worst = Counter({key: len(values) for key, values in t.items() if key.startswith("instead:")})
    for key, count in worst.most_common(8):
        yield f"      {key} x {count}"


def main() -> None:
    parser = days_parser(__doc__)
    parser.add_argument("--together", type=int, default=1, help="mistakes in one passage")
    chosen = days_asked(parser)
    work = [(chosen.first_seed + i, chosen.laps, chosen.together) for i in range(chosen.days)]
    tell_days(judge_day, work, lines)


if __name__ == "__main__":
    main()
