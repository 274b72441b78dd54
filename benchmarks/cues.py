#!/usr/bin/env python3
"""Whether targets are safe, near what the driver does without the mistake, and worth what they promise.

Usage: .venv/bin/python benchmarks/cues.py [--days 12] [--first-seed 0] [--laps 10] [--together 1] [--smoke]

The days are those of causes.py. Of every finding about a mistake the first cue is taken, as a coach would with one
click. Then the driver is made to do what it says: the passage is driven again with the mistake that the cue is about
reduced by the share of the way to the reference that the target goes. Every run is logged twice, as in accuracy.py.
"""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from accuracy import Tally, days_asked, days_parser, percent, tell_days
from causes import KINDS, SEEN_S, Day, Mistake, analysed, passage_medians, random_day

from lauftakt.core import AnalysedRun
from lauftakt.core.debrief.target import RISKY
from lauftakt.core.debrief.worth import asked_for, worth_of
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.statement import Finding
from lauftakt.core.registry import PASSAGE_TIME
from lauftakt.demo.drive import drive_run

# A target that a log cannot tell from the reference's figure is not beyond it.
RESOLVED = 0.5


def judge_day(work: tuple[int, int, int]) -> dict[str, Tally]:
    seed, laps, together = work
    day = random_day(seed, laps, together)
    tallies: dict[str, Tally] = {}
    for name in ("car log", "receiver only"):
        tally: Tally = defaultdict(list)
        runs = analysed(day, name != "car log")
        found, _ = find([Contender(run, f"{k}", day.car.name) for k, run in enumerate(runs)], 0, day.layout)
        own = {(f.run, f.passage): f for f in found}
        for index, mistakes in enumerate(day.mistakes):
            for mistake in mistakes:
                finding = own.get((index, day.layout.passages[mistake.passage].name))
                if finding is not None and mistake.together_s >= SEEN_S:
                    _judge(tally, day, index, mistake, finding, runs, laps)
        tallies[name] = dict(tally)
    return tallies


def _judge(
    tally: Tally, day: Day, index: int, mistake: Mistake, finding: Finding, runs: list[AnalysedRun], laps: int
) -> None:
    offered = [one for one, _ in asked_for(finding, runs[index], day.layout, runs[0])]
    if not offered:
        tally["nothing"].append(1.0)
        return
    asked = offered[0]
    tally["asked"].append(1.0)
    tally["by time"].append(float(asked.target.figure == PASSAGE_TIME))
    if asked.theirs is None or asked.target.figure == PASSAGE_TIME:
        return
    risk = RISKY.get(asked.target.figure)
    # Who is more daring than the reference already is not sent on: what lies between the two is no risk.
    most = max if risk == "high" else min
    past = abs(most(asked.target.value, asked.theirs, asked.now) - most(asked.theirs, asked.now)) if risk else 0.0
    tally["beyond"].append(float(past > RESOLVED))
    about = [habit for habit in mistake.habits if KINDS[habit.kind][0] == asked.cause]
    tally["about a mistake"].append(float(bool(about)))
    if not about:
        return
    way = asked.theirs - asked.now
    share = float(np.clip((asked.target.value - asked.now) / way, 0.0, 1.0)) if way else 0.0
    driver = day.drivers[index]
    habits = tuple(
        replace(habit, amount=habit.amount * (1.0 - share)) if habit in about else habit for habit in driver.habits
    )
    gained = []
    for who in (driver, replace(driver, habits=habits)):
        again = drive_run(day.circuit, day.car, who, timed_laps=laps, seed=day.seeds[index], line=day.line)
        gained.append(passage_medians(day.circuit, day.car, again, day.layout)[mistake.passage])
    gain = float(gained[0] - gained[1])
    tally[f"away:{asked.target.figure}"].append(abs(asked.target.value - asked.theirs))
    worth = worth_of(asked, finding, runs[index], day.layout)
    if worth is None or gain < SEEN_S / 2:
        return
    tally["promised"].append(abs(worth.gain_s - gain) / gain)
    tally["whole loss"].append(abs(finding.loss_s - gain) / gain)
    tally["within"].append(float(abs(worth.gain_s - gain) <= 1.96 * worth.gain_u_s))
    tally[f"kind:{about[0].kind}"].append((worth.gain_s - gain) / gain)


def lines(name: str, t: Tally) -> Iterator[str]:
    yield f"\n{name}: {len(t.get('asked', []))} cues, {len(t.get('nothing', []))} findings without one"
    yield f"  beyond the reference {percent(t['beyond'])}; by time alone {percent(t['by time'])}"
    yield f"  about a mistake that was made {percent(t['about a mistake'])}"
    yield (
        f"  promised against gained ({len(t['promised'])}): median error {100 * np.median(t['promised']):.0f} % "
        f"(the whole loss of the place: {100 * np.median(t['whole loss']):.0f} %); within ±1.96 u "
        f"{percent(t['within'])}"
    )
    for key, values in sorted(t.items()):
        if key.startswith("away:"):
            yield f"    {key[5:]:20s} {np.median(values):.2f} from the reference's, {len(values)} cues"
        if key.startswith("kind:"):
            yield f"    {key[5:]:20s} promised {100 * np.median(values):+.0f} % against gained, {len(values)} cues"


def main() -> None:
    parser = days_parser(__doc__)
    parser.add_argument("--together", type=int, default=1, help="mistakes in one passage")
    chosen = days_asked(parser)
    work = [(chosen.first_seed + i, chosen.laps, chosen.together) for i in range(chosen.days)]
    tell_days(judge_day, work, lines)


if __name__ == "__main__":
    main()
