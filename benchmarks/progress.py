#!/usr/bin/env python3
"""How often a driver is told that something changed, over made-up pairs of runs whose truth is known.

Usage: .venv/bin/python benchmarks/progress.py [--days 30] [--first-seed 0] [--laps 8] [--run-effect 0.5] [--smoke]
       .venv/bin/python benchmarks/progress.py --drawn 400 [--laps 8] [--run-effect 0.5]

Each day has a reference driver and students; every run is written as a file, read, placed and compared like anybody's,
and the cues are those that follow from the findings of the first run, at most three, chosen as a coach would: the
dearest first, and where nothing is found the passages that look worst. A run as a whole lies off in every corner by
--run-effect of the scatter from lap to lap. Then each student drives again in three ways: without any change; with
three lap scatters more in the middle of the first cue's corner; and without the mistakes of the first run.

--drawn leaves the simulator out: so many drivers who change nothing, twelve passages in which a figure goes with the
time, the three worst picked out; once where all passages are alike, once where their true losses differ.
"""

import argparse
import tempfile
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from lauftakt.core import AnalysedRun, Layout, analyse_run, make_layout
from lauftakt.core.debrief.change import FEWEST_LAPS, Pair, change_of, size_of
from lauftakt.core.debrief.check import Asked, Check, check, level_of_look, losses_of
from lauftakt.core.debrief.luck import expected_luck, goes_with, passage_doubt
from lauftakt.core.debrief.target import HIGH, LOW, Target, by_figure, proposals, values_of
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.registry import PASSAGE_TIME
from lauftakt.demo.car import Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import CIRCUITS
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE, KART, random_scenario, sketch_of
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.reading import read_log

STUDENTS = 4
CUES = 3
CHANGE = 3.0
# Two places are one corner; laps from which a true scatter is known.
NEAR_M, TRUE_LAPS = 45.0, 20


@dataclass
class Tally:
    """What was answered, by what really happened."""

    drivers: int = 0
    praised: int = 0
    plainly: int = 0
    moved: int = 0
    blamed: int = 0
    lost: int = 0
    keeps: int = 0
    elsewhere: int = 0
    tried: int = 0
    found: int = 0
    found_alone: int = 0
    mended: Counter[str] = field(default_factory=Counter)
    cues: int = 0


@dataclass(frozen=True)
class Course:
    """Where and with what a day is driven."""

    circuit: Circuit
    kind: str
    folder: Path
    laps: int
    car: Car
    line: np.ndarray

    def analysed(self, driver: Driver, seed: int, layout: Layout | None) -> tuple[AnalysedRun, Layout]:
        """One run as a file, read and placed."""
        motion = drive_run(self.circuit, self.car, driver, timed_laps=self.laps, seed=seed, line=self.line)
        scale = 1 + float(np.random.default_rng(seed).uniform(-0.015, 0.015))
        log = record(
            self.circuit, self.car, motion, Sensors(speed_scale=scale), seed=seed + 1, meta={"driver": driver.name}
        )
        path = self.folder / f"{seed}.csv"
        write_csv(log, path)
        read = read_log(path)
        path.unlink()
        made = layout or make_layout(read, sketch_of(self.circuit))[0]
        return analyse_run(read, made), made


def cues_of(run: AnalysedRun, base: AnalysedRun, layout: Layout) -> list[Asked]:
    """What a coach would ask: after findings, else where the run looks worst."""
    lost, _ = find([Contender(base, "reference", "car"), Contender(run, "student", "car")], 0, layout)
    own = [one for one in lost if one.driver == "student" and one.passage and one.put_forward]
    found: list[Target] = []
    for finding in own[:CUES]:
        offered = proposals(finding, run, layout, base)
        if offered:
            found.append(offered[0].target)
    losses = losses_of(run, layout, base)
    for name in sorted(losses, key=lambda name: -losses[name][0]):
        if len(found) < CUES and all(one.passage != name for one in found):
            one = by_figure(run, layout, name, None, PASSAGE_TIME, LOW)
            if one is not None:
                found.append(one.target)
    return [Asked(key, target) for key, target in enumerate(found)]


def keep_of(run: AnalysedRun, base: AnalysedRun, layout: Layout, cues: Sequence[Asked]) -> Asked | None:
    """The passage that looks best, to be kept."""
    losses = losses_of(run, layout, base)
    free = [name for name in losses if all(one.target.passage != name for one in cues)]
    if not free:
        return None
    name = min(free, key=lambda name: losses[name][0])
    times = values_of(run, layout, name, None, PASSAGE_TIME)[1]
    return Asked(99, Target(PASSAGE_TIME, name, None, float(np.median(times)), LOW), keep=True)


def days(first: int, count: int, laps: int, run_effect: float) -> Iterator[Tally]:
    for seed in range(first, first + count):
        with tempfile.TemporaryDirectory() as folder:
            yield _day(seed, Path(folder), laps, run_effect)


def _day(seed: int, folder: Path, laps: int, run_effect: float) -> Tally:
    random = np.random.default_rng((seed, 11))
    kind = ("bruchfeld", "bruchfeld", "ellerholm")[seed % 3]
    circuit = CIRCUITS[kind]()
    car = KART if kind == "bruchfeld" else COUPE
    told, course = Tally(), Course(circuit, kind, folder, laps, car, racing_line(circuit))
    made = random_scenario(seed, laps=2, students=STUDENTS, kind=kind)
    drivers = [replace(drive.driver, run_effect=run_effect) for drive in made.drives]
    scatter = float(random.uniform(0.004, 0.012))
    base, layout = course.analysed(replace(drivers[0], scatter=scatter), 9000 * seed, None)
    for number, driver in enumerate(drivers[1:]):
        # The first is the reference's twin: nothing of what looks bad in his run is more than chance.
        student = replace(driver, scatter=scatter)
        first, _ = course.analysed(student, 9000 * seed + 10 * number + 1, layout)
        if len(first.counting) < FEWEST_LAPS:
            continue
        cues = cues_of(first, base, layout)
        keep = keep_of(first, base, layout, cues)
        asked = [*cues, *([keep] if keep else [])]
        losses = losses_of(first, layout, base)
        again, _ = course.analysed(student, 9000 * seed + 10 * number + 2, layout)
        _count_unchanged(told, check(first, again, layout, asked, losses=losses), cues, first, again, layout)
        corner = _corner(cues, layout)
        habit = None if corner is None else _more(course, student, layout, corner)
        if corner is not None and habit is not None:
            more = replace(student, habits=(*student.habits, habit))
            third, _ = course.analysed(more, 9000 * seed + 10 * number + 3, layout)
            _count_changed(told, first, third, layout, corner, losses, cues)
        if student.habits:
            mended, _ = course.analysed(replace(student, habits=()), 9000 * seed + 10 * number + 4, layout)
            told.mended.update(one.answer for one in check(first, mended, layout, cues, losses=losses).answers)
            told.cues += len(cues)
    return told


def _count_unchanged(
    told: Tally, found: Check, cues: Sequence[Asked], first: AnalysedRun, again: AnalysedRun, layout: Layout
) -> None:
    answers = {one.key: one for one in found.answers}
    told.drivers += 1
    told.praised += any(answers[cue.key].answer in ("reached", "reached_paid") for cue in cues)
    told.moved += any(answers[cue.key].answer == "moved" for cue in cues)
    told.blamed += any(answers[cue.key].answer == "worse" for cue in cues)
    told.elsewhere += bool(found.elsewhere)
    if 99 in answers:
        told.keeps += 1
        told.lost += answers[99].answer == "lost"
    # What somebody would say who only looks whether the time there is better by more than its scatter.
    for cue in cues:
        times = [values_of(run, layout, cue.target.passage, None, PASSAGE_TIME)[1] for run in (first, again)]
        if min(len(one) for one in times) < FEWEST_LAPS:
            continue
        gain = float(np.median(times[0]) - np.median(times[1]))
        error = float(np.sqrt(sum(np.var(one, ddof=1) / len(one) for one in times)))
        if gain > 1.645 * error:
            told.plainly += 1
            break


def _more(course: Course, student: Driver, layout: Layout, corner: str) -> Habit | None:
    """What raises the true lowest speed of a corner by three of its true scatters from lap to lap; None where the
    simulator has no corner there."""
    place = next(one.apex_m for one in layout.corners if one.name == corner)
    length = course.circuit.length
    along = {name: (s - course.circuit.start_m) % length for name, s in course.circuit.corners}
    name = min(along, key=lambda one: min(abs(along[one] - place), length - abs(along[one] - place)))
    if min(abs(along[name] - place), length - abs(along[name] - place)) > NEAR_M:
        return None
    plain = _lowest(course, replace(student, run_effect=0.0), along[name])
    scatter = float(np.std(plain, ddof=1))
    tried = Habit(name, "strong", 0.02)
    risen = _lowest(course, replace(student, run_effect=0.0, habits=(*student.habits, tried)), along[name])
    gain = float(np.median(risen - plain))
    return replace(tried, amount=tried.amount * CHANGE * scatter / gain) if gain > 0.0 else None


def _lowest(course: Course, driver: Driver, place: float) -> np.ndarray:
    """True lowest speed around a place in each of many laps."""
    motion = drive_run(course.circuit, course.car, driver, timed_laps=TRUE_LAPS, seed=77, line=course.line)
    length = course.circuit.length
    laps = []
    for lap in range(TRUE_LAPS):
        near = np.abs(motion.distance - (lap * length + place)) < NEAR_M
        if near.any():
            laps.append(float(motion.speed[near].min()))
    return np.array(laps)


def _corner(cues: Sequence[Asked], layout: Layout) -> str | None:
    passage = next((one for one in layout.passages if cues and one.name == cues[0].target.passage), None)
    return None if passage is None or not passage.corners else cues[0].target.corner or passage.corners[0]


def _count_changed(
    told: Tally, first: AnalysedRun, third: AnalysedRun, layout: Layout, corner: str,
    losses: dict[str, tuple[float, float]], cues: Sequence[Asked],
) -> None:  # fmt: skip
    """The lowest speed of the first cue's corner was raised by three lap scatters: is that seen among the cues?"""
    target = Target("min_speed", cues[0].target.passage, corner, 0.0, HIGH)
    values = values_of(first, layout, target.passage, corner, "min_speed")[1]
    if np.isfinite(values).sum() < FEWEST_LAPS:
        return
    target = replace(target, value=float(np.nanmedian(values)) + 1e-3)
    answer = check(first, third, layout, [Asked(0, target), *cues[1:]], losses=losses).answers[0]
    told.tried += 1
    told.found += answer.answer in ("reached", "reached_paid", "moved")
    alone = check(first, third, layout, [Asked(0, target)], losses=losses).answers[0]
    told.found_alone += alone.answer in ("reached", "reached_paid", "moved")


PASSAGES, PICKED, GOES_WITH = 12, 3, 0.6


def drawn(drivers: int, laps: int, run_effect: float, apart: float) -> tuple[float, float]:
    """Shares of drivers who change nothing and are told that something is reached, and of intervals that hold 0."""
    random = np.random.default_rng(5)
    praised = held = 0
    for _ in range(drivers):
        size = random.uniform(0.02, 0.08, PASSAGES)
        truth = random.exponential(apart, PASSAGES) if apart else np.zeros(PASSAGES)
        runs = [_drawn_run(random, size, truth, laps, run_effect) for _ in range(2)]
        (figure, time), (again, _) = runs
        losses = np.median(time, axis=1)
        luck = expected_luck(losses.tolist(), [passage_doubt(row) for row in time])
        picked = np.argsort(-losses)[:PICKED]
        others = [Pair.of(figure[k], again[k]) for k in range(PASSAGES) if k not in picked]
        relation = goes_with(list(figure), list(time))
        told = []
        for k in picked:
            pair = Pair.of(figure[k], again[k])
            found = change_of(pair, others, 1e-6, relation * luck[k] / size_of(time[k]) * pair.scatter(1e-6))
            assert found is not None
            held += found.low <= 0.0 <= found.high
            told.append((found.likely(-1.0), found.after <= figure[k][np.argmin(time[k])]))
        told.sort()
        left = [level_of_look(1) / (PICKED - order) for order in range(PICKED)]
        sure = [all(told[i][0] <= left[i] for i in range(order + 1)) for order in range(PICKED)]
        praised += any(clear and met for clear, (_, met) in zip(sure, told, strict=True))
    return praised / drivers, held / (PICKED * drivers)


def _drawn_run(
    random: np.random.Generator, size: np.ndarray, truth: np.ndarray, laps: int, run_effect: float
) -> tuple[np.ndarray, np.ndarray]:
    """A figure with a scatter of 1, and the times that go with it, in each passage and lap of a run."""
    off = random.normal(size=(PASSAGES, 1)) * run_effect + random.normal() * 0.5
    common = off + random.normal(size=(PASSAGES, laps))
    own = random.normal(size=(PASSAGES, laps)) + random.normal(size=(PASSAGES, 1)) * run_effect
    figure = GOES_WITH * common + np.sqrt(1.0 - GOES_WITH**2) * own
    return figure, truth[:, None] + size[:, None] * common


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--days", type=int, default=30)
    parser.add_argument("--first-seed", type=int, default=0)
    parser.add_argument("--laps", type=int, default=8)
    parser.add_argument("--run-effect", type=float, default=0.5)
    parser.add_argument("--drawn", type=int, default=0, metavar="DRIVERS")
    parser.add_argument("--smoke", action="store_true", help="one short day")
    asked = parser.parse_args()
    if asked.drawn:
        print(f"{asked.drawn} drawn drivers, {asked.laps} + {asked.laps} laps, run effect {asked.run_effect:g}")
        for name, apart in (("all passages alike", 0.0), ("losses of 0.1 s on average", 0.1)):
            praised, held = drawn(asked.drawn, asked.laps, asked.run_effect, apart)
            print(f"{name}: told reached {100 * praised:.1f} %, intervals hold {100 * held:.1f} %")
        return
    if asked.smoke:
        asked.days, asked.laps = 1, 6
    whole = Tally()
    for one in days(asked.first_seed, asked.days, asked.laps, asked.run_effect):
        for name in (
            "drivers",
            "praised",
            "plainly",
            "blamed",
            "lost",
            "keeps",
            "elsewhere",
            "tried",
            "found",
            "found_alone",
            "moved",
            "cues",
        ):
            setattr(whole, name, getattr(whole, name) + getattr(one, name))
        whole.mended.update(one.mended)
    print(f"{asked.days} days from {asked.first_seed}, {asked.laps} + {asked.laps} laps, "
          f"run effect {asked.run_effect:g} of the scatter")  # fmt: skip
    share = 100.0 / max(whole.drivers, 1)
    print(f"drivers who changed nothing: {whole.drivers}")
    print(
        f"  told reached            {share * whole.praised:5.1f} %  (looked at plainly {share * whole.plainly:.1f} %)"
    )
    print(f"  told moved              {share * whole.moved:5.1f} %")
    print(f"  told worse              {share * whole.blamed:5.1f} %")
    print(f"  told that another place pays {share * whole.elsewhere:5.1f} %")
    print(f"  keeps told lost         {100.0 * whole.lost / max(whole.keeps, 1):5.1f} %")
    found = 100.0 * whole.found / max(whole.tried, 1)
    alone = 100.0 * whole.found_alone / max(whole.tried, 1)
    print(f"three lap scatters: {whole.tried}, found among three cues {found:.1f} %, as the only cue {alone:.1f} %")
    each = [f"{name} {100.0 * count / max(whole.cues, 1):.0f} %" for name, count in whole.mended.most_common()]
    print(f"mistakes left off: {whole.cues} cues, {', '.join(each)}")


if __name__ == "__main__":
    main()
