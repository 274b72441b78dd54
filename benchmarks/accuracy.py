#!/usr/bin/env python3
"""How right the core is, over random days of the simulator that nobody tuned to.

Usage: .venv/bin/python benchmarks/accuracy.py [--days 12] [--first-seed 0] [--laps 10] [--circuit NAME] [--drawn]
    [--smoke]

Each day has a reference driver, his twin and three students with three or four mistakes each, whose cost is found by
driving the same run again without them. Every run is logged twice: by a car logger (100 Hz wheel speed of unknown scale
and pedals, 10 Hz fixes) and by a receiver alone (fixes and its own speed at 10 Hz). Fixes drift by 1 m over 60 s and
have 0.3 m of white noise. The layout is made from all logs of the day and its start line, or with --drawn its centre is
the middle of the road, from which the driven lines lie up to some metres off. "Plain" interpolates projected fixes;
"ideal" is our smoother given the true noise, speed scale and mean line.

Seeds below 1000 are for development; final figures are taken from 1000 on.
"""

import argparse
import multiprocessing
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline

from lauftakt.core import AnalysedRun, Layout, Log, analyse_run, delta_uncertainty, make_layout, time_delta
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender, clean_passages
from lauftakt.core.laps.cutting import split_laps
from lauftakt.core.laps.times import sector_times
from lauftakt.core.placing.by_positions import Known, place_run
from lauftakt.core.placing.smoother import Noise
from lauftakt.core.plane import Plane
from lauftakt.core.technique.windows import windows
from lauftakt.demo.car import Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.drive import Motion
from lauftakt.demo.scenario import Drive, Scenario, random_scenario

Array = NDArray[np.float64]
Tally = dict[str, list[float]]

RECEIVER = ("latitude", "longitude", "receiver_speed")
SEEN_S = 0.08
# Another cause that says the same of what was driven: who is told either does the right thing.
ALSO_RIGHT = {
    "late_turn_in": {"late_turn_in", "over_slow"},
    "coasting": {"coasting", "early_brake"},
    "interrupted_brake": {"interrupted_brake", "early_brake"},
}


class Truth:
    """What really happened in a run, on a layout."""

    def __init__(self, circuit: Circuit, car: Car, motion: Motion, layout: Layout) -> None:
        self.motion, self.layout = motion, layout
        plane = Plane(circuit.latitude, circuit.longitude)
        x, y = layout.plane.to_xy(*plane.to_degrees(motion.x, motion.y))
        s, self.n = layout.centre.project(x, y, motion.heading)
        length = layout.length
        self.s = np.unwrap(s * 2 * np.pi / length) / (2 * np.pi) * length
        place = CubicSpline(np.maximum.accumulate(self.s) + 1e-9 * np.arange(len(s)), motion.time)
        self.times: list[Array] = []
        self.bases: list[float] = []
        for begin, end in zip(motion.crossings[:-1], motion.crossings[1:], strict=True):
            base = np.round(np.interp(begin, motion.time, self.s) / length) * length
            when = place(base + layout.grid()) - begin
            when[0], when[-1] = 0.0, end - begin
            self.times.append(when)
            self.bases.append(float(base))
        force = motion.acceleration + np.asarray(car.resistance(motion.speed))
        self.brake = np.clip(-force - np.where(motion.speed > 5.0, car.engine_brake_ms2, 0.2), 0.0, None)
        timed = (motion.time > motion.crossings[0]) & (motion.time < motion.crossings[-1])
        self.most = float(np.percentile(self.brake[timed], 99))

    def brake_point(self, lap: int, low: float, high: float) -> float | None:
        """Where the first braking that is held begins in a window of a lap, metres from the start line."""
        first, last = np.searchsorted(self.s, [self.bases[lap] + low, self.bases[lap] + high])
        on = self.brake[first:last] > 0.05 * self.most
        edges = np.flatnonzero(np.diff(np.concatenate([[0], on.astype(int), [0]]))).reshape(-1, 2)
        for a, b in edges:
            if self.motion.time[first + b - 1] - self.motion.time[first + a] >= 0.2:
                begin = first + a
                while self.brake[begin] > 0.003 * self.most:
                    begin -= 1
                return float(self.s[begin] - self.bases[lap])
        return None

    def lowest(self, lap: int, low: float, high: float) -> float:
        first, last = np.searchsorted(self.s, [self.bases[lap] + low, self.bases[lap] + high])
        return float(self.motion.speed[first:last].min())


def plain_times(log: Log, layout: Layout, count: int) -> list[Array]:
    """Times of every timed lap by interpolating projected fixes."""
    latitude, longitude = log.role("latitude"), log.role("longitude")
    assert latitude is not None
    assert longitude is not None
    x, y = layout.plane.to_xy(latitude.values, longitude.values)
    s, _ = layout.centre.project(x, y)
    s = np.maximum.accumulate(np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi) * layout.length)
    first = np.ceil(s[0] / layout.length) * layout.length
    lines = first + np.arange(count) * layout.length
    return [np.interp(b + layout.grid(), s, latitude.time) - np.interp(b, s, latitude.time) for b in lines]


def ideal_run(log: Log, drive: Drive, truth: Truth, layout: Layout, receiver: bool) -> list[tuple[Array, float]]:
    """Lap times and sector times of our smoother given what no real one knows."""
    inside = (truth.s > truth.bases[0]) & (truth.s < truth.bases[-1] + layout.length)
    places = np.arange(0.0, layout.length, 4.0)
    laps = [np.interp(base + places, truth.s, truth.n) for base in truth.bases]
    assert inside.any()
    known = Known(1.0 if receiver else 1 / drive.sensors.speed_scale, places, np.mean(laps, axis=0))
    placed = place_run(log, layout.plane, layout.centre, noise=Noise(), known=known, draws=False)
    found, traces = split_laps(placed, layout)
    times = {lap.number: lap.time_s for lap in found}
    return [(np.array(sector_times(trace, layout)), float(times[n] or 0.0)) for n, trace in traces.items()]


def judge_alignment(
    tally: Tally, run: AnalysedRun, truth: Truth, log: Log, drive: Drive, layout: Layout,
    other: tuple[AnalysedRun, Truth, list[Array]] | None, random: np.random.Generator, receiver: bool,
) -> list[Array]:  # fmt: skip
    plain = plain_times(log, layout, len(truth.times))
    ideal = ideal_run(log, drive, truth, layout, receiver)
    grid, edges = layout.grid(), np.array([0.0, *layout.splits_m, layout.length])
    places = windows(layout)
    for row, (number, trace) in enumerate(run.traces.items()):
        real, simple = truth.times[number - 1], plain[number - 1]
        lap = next(lap for lap in run.laps if lap.number == number)
        assert lap.time_s is not None
        assert lap.time_u_s is not None
        sectors = np.diff(np.interp(edges, grid, real))
        tally["lap"].append(lap.time_s - real[-1])
        tally["lap_z"].append((lap.time_s - real[-1]) / lap.time_u_s)
        tally["lap_plain"].append(simple[-1] - real[-1])
        tally["lap_ideal"].append(ideal[row][1] - real[-1])
        tally["sector"] += list(np.array(lap.sector_times_s) - sectors)
        tally["sector_plain"] += list(np.diff(np.interp(edges, grid, simple)) - sectors)
        tally["sector_ideal"] += list(ideal[row][0] - sectors)
        for figures, window in zip(run.technique[number], places, strict=True):
            if figures is None or window.low < 0 or window.high > layout.length:
                continue
            lowest = truth.lowest(number - 1, window.entry - 10, window.exit + 10)
            tally["lowest"].append((figures.min_speed - lowest) * 3.6)
            point = truth.brake_point(number - 1, window.low, window.exit)
            if point is not None and figures.brake_point_m is not None:
                tally["brake_point"].append(figures.brake_point_m - point)
            elif point is not None or figures.brake_point_m is not None:
                tally["brake_point_missed"].append(1.0)
        if other is None:
            continue
        base_run, base_truth, base_plain = other
        chosen = int(random.choice(list(base_run.traces)))
        base = base_run.traces[chosen]
        gap = real - base_truth.times[chosen - 1]
        error = time_delta(trace, base) - gap
        tally["delta"] += list(error[::20])
        tally["delta_plain"] += list((simple - base_plain[chosen - 1] - gap)[::20])
        end = np.array([layout.length])
        tally["whole_z"].append(float(error[-1] / delta_uncertainty(trace, base, False, end)[0]))
        for _ in range(3):
            span = random.uniform(0.03, 0.3) * layout.length
            begin = random.uniform(0, layout.length - span)
            u = delta_uncertainty(trace, base, False, np.array([begin + span]), begin)[0]
            step = float(np.diff(np.interp([begin, begin + span], grid, error))[0])
            tally["restarted"].append(step)
            tally["restarted_z"].append(step / u)
    return plain


def judge_findings(tally: Tally, scenario: Scenario, runs: list[AnalysedRun], layout: Layout) -> None:
    contenders = [Contender(run, d.driver.name) for run, d in zip(runs, scenario.drives, strict=True)]
    findings, _ = find(contenders, 0, layout)
    passage_of = {name: p.name for p in layout.passages for name in p.corners}
    by_place = {corner.name: corner for corner in layout.corners}
    spreads = [
        np.std(side.times, ddof=1)
        for side in (clean_passages(runs[0], layout, i) for i in range(len(layout.passages)))
        if len(side.times) > 2
    ]
    scatter = float(np.median(spreads))
    tally["scatter"].append(scatter)
    tally["twin_false" if scatter <= 0.02 else "twin_false_wide"].append(
        float(sum(f.driver == "twin" for f in findings))
    )
    scale = layout.length / scenario.circuit.length
    for index, drive in enumerate(scenario.drives):
        own = {f.passage: f for f in findings if f.run == index}
        if index < 2:
            continue
        explained = set()
        for mistake in drive.mistakes:
            place = dict(scenario.circuit.corners)[mistake.habit.corner] * scale
            corner = min(by_place.values(), key=lambda c, place=place: abs(c.apex_m - place))
            passage = passage_of[corner.name]
            explained.add(passage)
            if mistake.cost_s < SEEN_S:
                continue
            kind = mistake.habit.kind
            found = own.get(passage)
            narrow = "" if scatter <= 0.02 else "_wide"
            tally[f"found{narrow}"].append(float(found is not None))
            tally[f"found:{kind}"].append(float(found is not None))
            if found is not None:
                right = {found.cause, found.second_cause} & ALSO_RIGHT.get(kind, {kind})
                tally["cause"].append(float(bool(right)))
                tally["cause_strict"].append(float(kind in (found.cause, found.second_cause)))
                tally[f"cause:{kind}"].append(float(kind in (found.cause, found.second_cause)))
                if not right:
                    tally[f"instead:{kind}:{found.cause}/{found.second_cause}"].append(1.0)
                tally["loss_error"].append(found.loss_s - mistake.cost_s)
            else:
                tally[f"missed:{kind}:{mistake.cost_s:.2f}"].append(1.0)
        beside = [f for f in own.values() if f.passage not in explained]
        tally["beside"].append(float(len(beside)))
        tally["beside_s"] += [f.loss_s for f in beside]


def middle_of_the_road(circuit: Circuit) -> tuple[tuple[float, float], ...]:
    """The centre of a circuit as somebody draws it, every few metres, in degrees."""
    latitude, longitude = Plane(circuit.latitude, circuit.longitude).to_degrees(circuit.x[::10], circuit.y[::10])
    return tuple(zip(latitude.tolist(), longitude.tolist(), strict=True))


def judge_day(work: tuple[int, int, str | None, bool]) -> dict[str, Tally]:
    seed, laps, kind, drawn = work
    scenario = random_scenario(seed, laps=laps, kind=kind, steady=seed % 2 == 0)
    sketch = replace(scenario.sketch, centre=middle_of_the_road(scenario.circuit)) if drawn else scenario.sketch
    layout, _ = make_layout([drive.log for drive in scenario.drives], sketch)
    tallies: dict[str, Tally] = {}
    for name in ("car log", "receiver only"):
        random = np.random.default_rng(seed)
        tally: Tally = defaultdict(list)
        runs = []
        other: tuple[AnalysedRun, Truth, list[Array]] | None = None
        for drive in scenario.drives:
            receiver = name != "car log"
            log = drive.log
            chosen = [c for c in log.channels if (c.role in RECEIVER) == receiver or c.role in RECEIVER[:2]]
            log = Log(tuple(chosen), log.meta)
            truth = Truth(scenario.circuit, scenario.car, drive.motion, layout)
            run = analyse_run(log, layout)
            plain = judge_alignment(tally, run, truth, log, drive, layout, other, random, receiver)
            other = (run, truth, plain)
            runs.append(run)
        judge_findings(tally, scenario, runs, layout)
        tallies[name] = dict(tally)
    return tallies


def rms(values: list[float]) -> float:
    return float(np.sqrt(np.mean(np.square(values)))) if values else float("nan")


def covered(normal: list[float]) -> float:
    return 100 * float(np.mean(np.abs(normal) < 1.96)) if normal else float("nan")


def percent(values: list[float]) -> str:
    return f"{100 * np.mean(values):.0f} % of {len(values)}" if values else "none"


def lines(name: str, t: Tally) -> Iterator[str]:
    yield f"\n{name}: {len(t['lap'])} laps"
    both = {key: t[f"lap{key}"] + t[f"sector{key}"] for key in ("", "_plain", "_ideal")}
    for what, ours, plain, ideal in (
        ("lap times", t["lap"], t["lap_plain"], t["lap_ideal"]),
        ("sector times", t["sector"], t["sector_plain"], t["sector_ideal"]),
        ("lap and sector times", both[""], both["_plain"], both["_ideal"]),
    ):
        yield (
            f"  {what:34s} RMS {1000 * rms(ours):5.1f} ms   "
            f"plain {1000 * rms(plain):5.1f} ({rms(ours) / rms(plain):.2f})"
            f"   ideal {1000 * rms(ideal):5.1f} ({rms(ours) / rms(ideal):.2f})"
        )
    share = rms(t["delta"]) / rms(t["delta_plain"])
    yield (
        f"  {'delta along the lap, other run':34s} RMS {1000 * rms(t['delta']):5.1f} ms   "
        f"plain {1000 * rms(t['delta_plain']):5.1f} ({share:.2f})"
    )
    yield (
        f"  ±1.96 u covers: lap times {covered(t['lap_z']):.1f} %, whole-lap deltas {covered(t['whole_z']):.1f} %, "
        f"deltas restarted anywhere {covered(t['restarted_z']):.1f} %"
    )
    point, lowest = t.get("brake_point", []), t["lowest"]
    missed = len(t.get("brake_point_missed", []))
    yield (
        f"  brake point: median error {np.median(np.abs(point)):.2f} m (bias {np.median(point):+.2f}), 90 % within "
        f"{np.percentile(np.abs(point), 90):.1f} m, of {len(point)}; {missed} seen by one side only"
    )
    yield (
        f"  lowest speed: median error {np.median(np.abs(lowest)):.2f} km/h (bias {np.median(lowest):+.2f}), "
        f"90 % within {np.percentile(np.abs(lowest), 90):.2f}"
    )
    yield f"  passage scatter of the references: {1000 * min(t['scatter']):.0f} to {1000 * max(t['scatter']):.0f} ms"
    yield (
        f"  mistakes costing {SEEN_S} s or more found: scatter up to 0.02 s {percent(t.get('found', []))}, "
        f"larger {percent(t.get('found_wide', []))}"
    )
    yield (
        f"  right cause first or second: {percent(t.get('cause', []))}; by its very name "
        f"{percent(t.get('cause_strict', []))}"
    )
    for key in sorted(k for k in t if k.startswith("found:")):
        kind = key.split(":")[1]
        yield f"    {kind:20s} found {percent(t[key]):14s} cause {percent(t.get(f'cause:{kind}', []))}"
    for key in sorted(k for k in t if k.startswith(("instead:", "missed:"))):
        yield f"      {key} x {len(t[key])}"
    yield (
        f"  false findings a twin: scatter up to 0.02 s {np.mean(t.get('twin_false') or [0]):.2f} "
        f"of {len(t.get('twin_false', []))}, larger {np.mean(t.get('twin_false_wide') or [0]):.2f} "
        f"of {len(t.get('twin_false_wide', []))}"
    )
    sizes = ", ".join(f"{s:.2f}" for s in sorted(t.get("beside_s", []))[-8:])
    yield f"  findings beside the mistakes, a student: {np.mean(t['beside']):.2f} (largest: {sizes} s)"


def days_parser(about: str | None) -> argparse.ArgumentParser:
    """What every benchmark over random days is asked for."""
    parser = argparse.ArgumentParser(description=about, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--days", type=int, default=12)
    parser.add_argument("--first-seed", type=int, default=0)
    parser.add_argument("--laps", type=int, default=10)
    parser.add_argument("--circuit")
    parser.add_argument("--drawn", action="store_true", help="the layout's centre is the middle of the road")
    parser.add_argument("--smoke", action="store_true", help="two short days, to see that it runs")
    return parser


def days_asked(parser: argparse.ArgumentParser) -> argparse.Namespace:
    """The answers; a smoke test has two short days."""
    chosen = parser.parse_args()
    if chosen.smoke:
        chosen.days, chosen.laps = 2, 5
    return chosen


def tell_days(
    judge: Callable[[Any], dict[str, Tally]], work: Sequence[Any], lines: Callable[[str, Tally], Iterator[str]]
) -> None:
    """Judge days side by side, put what they showed together, and print it."""
    total: dict[str, Tally] = {}
    with multiprocessing.Pool(2) as pool:
        for number, tallies in enumerate(pool.imap_unordered(judge, work), 1):
            for name, tally in tallies.items():
                sums = total.setdefault(name, defaultdict(list))
                for key, values in tally.items():
                    sums[key] += values
            print(f"{number} of {len(work)} days judged", flush=True)
    for name, tally in total.items():
        print("\n".join(lines(name, tally)))


def main() -> None:
    chosen = days_asked(days_parser(__doc__))
    work = [(chosen.first_seed + i, chosen.laps, chosen.circuit, chosen.drawn) for i in range(chosen.days)]
    tell_days(judge_day, work, lines)


if __name__ == "__main__":
    main()
