#!/usr/bin/env python3
"""How honest intervals are with receivers of every kind, over random days of the simulator.

Usage: .venv/bin/python benchmarks/receivers.py [--days 12] [--first-seed 0] [--laps 10] [--circuit NAME] [--drawn]
    [--kinds car,receiver,positions,share] [--rates 1,2,5,10,20,25] [--smoke]

Each day two drivers drive, and every drive is logged by a receiver of that day: slow error of 0.3 to 2 m over 15 to
200 s, white error of 0.1 to 0.5 m, 1 to 25 Hz, on a third of the days with 45 % of the points lost at random, on a
third with positions of six decimals, positions up to 0.3 s late. Each log is written in four kinds: "car" with wheel
speed and pedals at 100 Hz, "receiver" with the receiver's own speed, "positions" without any speed, and "share" with
the wheel speed and, instead of positions, the share of the lap every two seconds. The layout is made from the day's
logs, or with --drawn its centre is the middle of the road. "Ideal" is our smoother given the true noise, speed scale
and mean line; "width" is how wide our intervals are, as a multiple of the ideal's.

Seeds below 1000 are for development; final figures are taken from 1000 on.
"""

import multiprocessing
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from accuracy import Truth, days_asked, days_parser, middle_of_the_road
from numpy.typing import NDArray

from lauftakt.core import Layout, Log, delta_uncertainty, make_layout, time_delta
from lauftakt.core.laps.cutting import split_laps
from lauftakt.core.laps.lap import LapTrace
from lauftakt.core.log.model import Channel, Unusable
from lauftakt.core.pipeline import place
from lauftakt.core.placing.by_positions import WITHOUT_SPEED, Known, place_run
from lauftakt.core.placing.placed import Placed
from lauftakt.core.placing.smoother import Noise
from lauftakt.demo.scenario import Drive, Scenario, random_scenario
from lauftakt.demo.sensors import Sensors, record

Array = NDArray[np.float64]

KINDS = {
    "car": ("latitude", "longitude", "speed", "throttle", "brake_pressure"),
    "receiver": ("latitude", "longitude", "receiver_speed"),
    "positions": ("latitude", "longitude"),
    "share": ("speed", "throttle", "brake_pressure", "lap_share"),
}
SHARE_EVERY_S = 2.0
RATES = (1.0, 2.0, 5.0, 10.0, 20.0, 25.0)


@dataclass(frozen=True)
class Judged:
    """One figure of one log: what it was wrong by and what was stated, for our estimate and the ideal's."""

    kind: str
    day: int
    receiver: Sensors
    measure: str
    error: float
    stated: float
    ideal_error: float
    ideal_stated: float


def receiver_of(random: np.random.Generator, rates: tuple[float, ...] = RATES) -> tuple[Sensors, bool, bool]:
    """A day's receiver, whether points are lost, and whether positions have six decimals."""
    sensors = Sensors(
        fix_hz=float(random.choice(rates)),
        drift_m=float(np.exp(random.uniform(np.log(0.3), np.log(2.0)))),
        drift_s=float(np.exp(random.uniform(np.log(15.0), np.log(200.0)))),
        fix_m=float(np.exp(random.uniform(np.log(0.1), np.log(0.5)))),
        delay_s=float(random.uniform(0.0, 0.3)),
        receiver_noise=0.05,
    )
    return sensors, bool(random.random() < 1 / 3), bool(random.random() < 1 / 3)


def worn(log: Log, random: np.random.Generator, lost: bool, rounded: bool) -> Log:
    """A log with points lost, and positions of six decimals."""
    own = log.role("latitude")
    assert own is not None
    kept = random.random(len(own.time)) > 0.45 if lost else np.ones(len(own.time), dtype=bool)
    kept[[0, -1]] = True
    channels = []
    for channel in log.channels:
        if channel.role in ("latitude", "longitude", "receiver_speed"):
            values = np.round(channel.values, 6) if rounded and channel.role != "receiver_speed" else channel.values
            channel = replace(channel, time=channel.time[kept], values=values[kept])
        channels.append(channel)
    return replace(log, channels=tuple(channels))


def with_share(log: Log, truth: Truth, layout: Layout) -> Log:
    """The share of the lap every two seconds, beginning past the line: as a logger with the circuit in it writes it."""
    begin = truth.motion.crossings[0] + 0.7
    time = np.arange(begin, truth.motion.time[-1], SHARE_EVERY_S)
    share = np.interp(time, truth.motion.time, truth.s) % layout.length / layout.length
    return replace(log, channels=(*log.channels, Channel("lap share", "1", "lap_share", time, share)))


def laps_of(placed: Placed, layout: Layout) -> dict[int, tuple[float, float, LapTrace]]:
    """Time, its standard deviation and the trace of every timed lap, by where it begins in the log, in seconds."""
    laps, traces = split_laps(placed, layout)
    return {
        round(lap.start_s): (lap.time_s, lap.time_u_s, traces[lap.number])
        for lap in laps
        if lap.time_s is not None and lap.time_u_s is not None and lap.number in traces
    }


def ideal_laps(
    log: Log, drive: Drive, truth: Truth, layout: Layout, kind: str, noise: Noise
) -> dict[int, tuple[float, float, LapTrace]]:
    """The same by the smoother that knows what no real one does."""
    places = np.arange(0.0, layout.length, 4.0)
    line = np.mean([np.interp(base + places, truth.s, truth.n) for base in truth.bases], axis=0)
    scale = 1 / drive.sensors.speed_scale if kind == "car" else 1.0
    placed = place_run(log, layout.plane, layout.centre, noise=noise, known=Known(scale, places, line))
    return laps_of(placed, layout)


Laps = dict[int, tuple[float, float, LapTrace]]


def nearest(laps: Laps, moment: float) -> tuple[float, float, LapTrace] | None:
    """The lap that begins within two seconds of a moment."""
    found = min(laps, key=lambda at: abs(at - moment), default=None)
    return laps[found] if found is not None and abs(found - moment) <= 2 else None


def judge_day(
    work: tuple[int, int, str | None, bool, tuple[str, ...], tuple[float, ...]],
) -> tuple[list[Judged], list[str]]:
    seed, laps, circuit, drawn, kinds, rates = work
    random = np.random.default_rng(seed + 10**6)
    scenario = random_scenario(seed, laps=laps, kind=circuit, students=0)
    sensors, lost, rounded = receiver_of(random, rates)
    drives, logs = [], []
    for drive in scenario.drives:
        own = replace(sensors, speed_scale=drive.sensors.speed_scale)
        log = record(scenario.circuit, scenario.car, drive.motion, own, seed=int(random.integers(2**31)), meta={})
        drives.append(replace(drive, sensors=own))
        logs.append(worn(log, random, lost, rounded))
    sketch = replace(scenario.sketch, centre=middle_of_the_road(scenario.circuit)) if drawn else scenario.sketch
    judged: list[Judged] = []
    failed = []
    try:
        layout, _ = make_layout(logs, sketch)
    except Unusable as error:
        return [], [f"day {seed}: no layout: {error}, {sensors}"]
    for kind in kinds:
        try:
            judged += judge_kind(kind, seed, scenario, drives, logs, layout, random)
        except Unusable as error:
            failed.append(f"day {seed}, {kind}: {error}")
    return judged, failed


def judge_kind(
    kind: str, day: int, scenario: Scenario, drives: list[Drive], logs: list[Log], layout: Layout,
    random: np.random.Generator,
) -> list[Judged]:  # fmt: skip
    found: list[Judged] = []
    other: tuple[Laps, Laps, Truth] | None = None
    for drive, whole in zip(drives, logs, strict=True):
        truth = Truth(scenario.circuit, scenario.car, drive.motion, layout)
        log = with_share(whole, truth, layout) if kind == "share" else whole
        log = replace(log, channels=tuple(c for c in log.channels if c.role in KINDS[kind]))
        sensors = drive.sensors
        usual = WITHOUT_SPEED if kind == "positions" else Noise()
        noise = replace(usual, fix_m=sensors.fix_m, drift_m=sensors.drift_m, drift_s=sensors.drift_s)
        ours = laps_of(place(log, layout), layout)
        ideal = ideal_laps(log, drive, truth, layout, kind, noise) if kind != "share" else ours

        def tell(measure: str, *values: float, sensors: Sensors = sensors) -> None:
            found.append(Judged(kind, day, sensors, measure, *values))

        for index, real in enumerate(truth.times):
            moment = float(truth.motion.crossings[index])
            lap, best = nearest(ours, moment), nearest(ideal, moment)
            if lap is None or best is None:
                tell("missing", 1.0, 1.0, 1.0, 1.0)
                continue
            tell("lap", lap[0] - real[-1], lap[1], best[0] - real[-1], best[1])
            if index:
                beside, best_beside = (
                    nearest(laps, float(truth.motion.crossings[index - 1])) for laps in (ours, ideal)
                )
                if beside is not None and best_beside is not None:
                    _, low, span = list(_spans(random, layout.length))[1]
                    step = np.diff(np.interp([low, low + span], layout.grid(), real - truth.times[index - 1]))[0]
                    mine = _step(lap[2], beside[2], layout, low, span, step, same_run=True)
                    tell("same run", *mine, *_step(best[2], best_beside[2], layout, low, span, step, same_run=True))
            if other is None:
                continue
            chosen = int(random.integers(len(other[2].times)))
            at = float(other[2].motion.crossings[chosen])
            base, base_best = nearest(other[0], at), nearest(other[1], at)
            if base is None or base_best is None:
                continue
            gap = real - other[2].times[chosen]
            for measure, low, span in _spans(random, layout.length):
                step = np.diff(np.interp([low, low + span], layout.grid(), gap))[0]
                mine = _step(lap[2], base[2], layout, low, span, step)
                tell(measure, *mine, *_step(best[2], base_best[2], layout, low, span, step))
        other = (ours, ideal, truth)
    return found


def _step(
    lap: LapTrace, other: LapTrace, layout: Layout, low: float, span: float, true: float, *, same_run: bool = False
) -> tuple[float, float]:
    """By how much a delta restarted at a place is wrong after so many metres, and what was stated."""
    told = np.diff(np.interp([low, low + span], layout.grid(), time_delta(lap, other)))[0]
    u = delta_uncertainty(lap, other, same_run, np.array([low + span]), low)[0]
    return float(told - true), float(u)


def _spans(random: np.random.Generator, length: float) -> Iterator[tuple[str, float, float]]:
    yield "whole lap", 0.0, length
    for _ in range(3):
        span = float(random.uniform(0.03, 0.3)) * length
        yield "restarted", float(random.uniform(0, length - span)), span


def covers(rows: Iterable[Judged]) -> float:
    hits = [abs(row.error) <= 1.96 * row.stated for row in rows]
    return 100 * float(np.mean(hits)) if hits else float("nan")


def ideal_covers(rows: Iterable[Judged]) -> float:
    hits = [abs(row.ideal_error) <= 1.96 * row.ideal_stated for row in rows]
    return 100 * float(np.mean(hits)) if hits else float("nan")


MEASURES = ("lap", "whole lap", "restarted", "same run")


def line(name: str, rows: list[Judged]) -> str:
    """One row of a table: coverage by measure, errors, and how both compare with the ideal."""
    by = {measure: [row for row in rows if row.measure == measure] for measure in MEASURES}
    told = [row for measure in MEASURES for row in by[measure]]
    if not told:
        return f"{name:24s} nothing judged"
    laps = by["lap"]
    wrong = 1000 * float(np.sqrt(np.mean([row.error**2 for row in laps])))
    best = 1000 * float(np.sqrt(np.mean([row.ideal_error**2 for row in laps])))
    wide = float(np.median([row.stated / row.ideal_stated for row in laps]))
    missing = sum(row.measure == "missing" for row in rows)
    return (
        f"{name:24s} {covers(told):6.1f} % ({'  '.join(f'{covers(by[m]):5.1f}' for m in MEASURES)})   "
        f"ideal {ideal_covers(told):5.1f} %   lap {wrong:5.1f} ms, ideal {best:5.1f}, width x {wide:4.2f}   "
        f"{len(laps)} laps{f', {missing} missing' if missing else ''}"
    )


def report(rows: list[Judged]) -> Iterator[str]:
    yield f"{'':24s} all      ({'  '.join(MEASURES)})"
    for kind in KINDS:
        own = [row for row in rows if row.kind == kind]
        if not own:
            continue
        yield line(kind, own)
        if kind == "share":
            continue
        for hz in (1, 2, 5, 10, 20, 25):
            yield line(f"  {hz} Hz", [r for r in own if r.receiver.fix_hz == hz])
        for low, high in ((0.3, 0.6), (0.6, 1.1), (1.1, 2.01)):
            yield line(f"  {low:.1f} to {high:.1f} m", [r for r in own if low <= r.receiver.drift_m < high])
        for low, high in ((15, 35), (35, 85), (85, 201)):
            yield line(f"  {low} to {high} s", [r for r in own if low <= r.receiver.drift_s < high])
        days: dict[int, list[Judged]] = defaultdict(list)
        for row in own:
            if row.measure in MEASURES:
                days[row.day].append(row)
        by_day = [covers(found) for found in days.values()]
        few, quarter, half = np.percentile(by_day, [5, 25, 50])
        yield f"  by day: 5 % of them below {few:.0f} %, a quarter below {quarter:.0f}, half below {half:.0f}"


def main() -> None:
    parser = days_parser(__doc__)
    parser.add_argument("--kinds", default=",".join(KINDS))
    parser.add_argument("--rates", default=",".join(f"{rate:g}" for rate in RATES))
    parser.add_argument("--workers", type=int, default=2)
    chosen = days_asked(parser)
    kinds = tuple(chosen.kinds.split(","))
    rates = tuple(float(rate) for rate in chosen.rates.split(","))
    work = [
        (chosen.first_seed + i, chosen.laps, chosen.circuit, chosen.drawn, kinds, rates) for i in range(chosen.days)
    ]
    rows: list[Judged] = []
    with multiprocessing.Pool(chosen.workers) as pool:
        for number, (judged, failed) in enumerate(pool.imap_unordered(judge_day, work), 1):
            rows += judged
            print("\n".join([f"{number} of {len(work)} days judged", *failed]), flush=True)
    print("\n".join(report(rows)))


if __name__ == "__main__":
    main()
