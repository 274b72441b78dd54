"""Names by synthesis: a passage driven with a mistake put in, compared with what was driven."""

from collections import defaultdict
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.car import ShownCar, shown_car
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.names import Case
from lauftakt.core.findings.pairing import Contender, clean_passages, drives, passage_places
from lauftakt.core.findings.prices import prepared
from lauftakt.core.findings.rebuilding import Pair
from lauftakt.core.findings.synthesis.driving import drive, plan_of, seconds, unchanged
from lauftakt.core.findings.synthesis.fitting import Fitted, Synthesis, synthesise
from lauftakt.core.findings.synthesis.mistakes import LINE, mistakes, tried_in
from lauftakt.core.findings.synthesis.naming import ALIKE, explained
from lauftakt.core.log.model import Log
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.windows import windows
from lauftakt.demo.circuits import CIRCUITS
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE, sketch_of
from lauftakt.demo.sensors import Sensors, record

# What exchanged elements alone call by other names: rolling before the brake braking too late, a late turn-in an
# early release or a slow middle. And what has to keep its name.
MISTAKES = {
    "T3": Habit("T3", "coasting", 40.0),
    "T5": Habit("T5", "early_brake", 14.0),
    "T10": Habit("T10", "late_turn_in", 13.0),
    "T12": Habit("T12", "late_throttle", 24.0),
}
PEDALS = ("throttle", "brake_pressure")


@pytest.fixture(scope="module")
def day() -> tuple[Layout, list[Log]]:
    circuit = CIRCUITS["ellerholm"]()
    line = racing_line(circuit)
    base = Driver("reference", corner_level=0.965, brake_level=0.9, scatter=0.002, line_scatter_m=0.2)
    logs = []
    for number, driver in enumerate((base, replace(base, name="student", habits=tuple(MISTAKES.values())))):
        motion = drive_run(circuit, COUPE, driver, timed_laps=8, seed=500 + number, line=line)
        logs.append(record(circuit, COUPE, motion, Sensors(), seed=600 + number, meta={"driver": driver.name}))
    layout, _ = make_layout(logs, sketch_of(circuit))
    return layout, logs


@pytest.fixture(scope="module")
def runs(day) -> list[AnalysedRun]:
    return [analyse_run(log, day[0]) for log in day[1]]


@pytest.fixture(scope="module")
def car(runs: list[AnalysedRun]) -> ShownCar:
    found = shown_car([run.signals for run in runs])
    assert found is not None
    return found


@pytest.fixture(scope="module")
def pairs(day, runs: list[AnalysedRun], car: ShownCar) -> list[Pair]:
    """Every passage as the student and as the reference drive it."""
    layout, (theirs, own) = day[0], runs
    found = []
    for position in range(len(layout.passages)):
        sides = [drives(run, clean_passages(run, layout, position).numbers, position) for run in (own, theirs)]
        found.append(prepared(car, *sides, *passage_places(layout, position, windows(layout)))[0])
    return found


def passage_of(layout: Layout, corner: str) -> str:
    circuit = CIRCUITS["ellerholm"]()
    place = dict(circuit.corners)[corner] * layout.length / circuit.length
    near = min(layout.corners, key=lambda c: abs(c.apex_m - place))
    return next(p.name for p in layout.passages if near.name in p.corners)


def test_with_nothing_changed_a_plan_comes_out_as_it_was_driven(pairs: list[Pair]) -> None:
    for both in pairs:
        for side in (0, 1):
            plan = plan_of(both, side)
            energy = drive(plan, [unchanged(plan)], float(plan.energy[0]))[0]
            assert np.sqrt(2 * energy) == pytest.approx(np.sqrt(2 * plan.energy), abs=1e-6)


def test_a_larger_mistake_costs_more(pairs: list[Pair]) -> None:
    """A late braking wins on the way in before it is paid for, and a line costs what was driven."""
    seen: set[str] = set()
    for both in pairs:
        known = tried_in(both.only(0))
        plan, tried = known.plan, mistakes(both.only(0), known)
        energy = drive(plan, [one.change for one in tried], float(plan.energy[0]))
        assert np.isfinite(energy).all()
        cost = seconds(energy, plan.steps) - seconds(plan.energy[None, :], plan.steps)
        by_answer: dict[tuple[str, int, str], list[tuple[float, float]]] = defaultdict(list)
        for one, each in zip(tried, cost, strict=True):
            size = -one.size if one.cause == "soft_brake" else one.size
            by_answer[one.cause, one.stage, one.answer].append((size, float(each)))
        for (cause, _, _), found in by_answer.items():
            if cause in ("braked_too_late", "late_turn_in", LINE):
                continue
            seen.add(cause)
            # A very large one runs into the next corner, and costs no more.
            costs = [each for size, each in sorted(found) if size <= 30.0 or cause == "needless_lift"]
            assert costs[-1] > -0.005, cause
            assert all(b > a - 0.02 for a, b in pairwise(costs)), (cause, costs)
    assert {"early_brake", "soft_brake", "coasting", "over_slow", "late_throttle", "wrong_gear"} <= seen


def test_who_drives_like_the_reference_makes_no_mistake(pairs: list[Pair]) -> None:
    for both in pairs:
        same = replace(both, courses=(both.courses[1], both.courses[1]), gears=np.array([both.gears[1]] * 2))
        found = synthesise(same, pedals=True)
        assert found.fitted == ()
        assert found.brought_in_s == pytest.approx(0.0, abs=1e-9)


def test_a_synthesised_mistake_is_found_again(pairs: list[Pair]) -> None:
    """What was driven is a drive with a mistake put in: its cause and its seconds come back."""
    both = pairs[0].only(0)
    known = tried_in(both)
    plan = known.plan
    for one in mistakes(both, known):
        if (one.cause, one.size) not in {("early_brake", 20.0), ("late_throttle", 27.0), ("over_slow", 0.055)}:
            continue
        energy = drive(plan, [one.change], float(plan.energy[0]))
        own = replace(both.courses[1], energy=energy)
        found = synthesise(replace(both, courses=(own, both.courses[1])), pedals=False)
        truth = float(seconds(energy, plan.steps)[0] - seconds(plan.energy[None, :], plan.steps)[0])
        assert found.fitted[0].cause == one.cause, one.answer
        assert found.fitted[0].seconds == pytest.approx(truth, rel=0.1)
        assert found.left < 0.05


@pytest.mark.parametrize("logged", [True, False])
def test_mistakes_get_their_names(day, logged: bool) -> None:
    """With the pedals logged, and without."""
    layout, logs = day
    if not logged:
        logs = [replace(log, channels=tuple(c for c in log.channels if c.role not in PEDALS)) for log in logs]
    runs = [analyse_run(log, layout) for log in logs]
    contenders = [Contender(run, name, "coupé") for run, name in zip(runs, ("reference", "student"), strict=True)]
    found = find(contenders, 0, layout)[0]
    for corner, habit in MISTAKES.items():
        finding = next((f for f in found if f.passage == passage_of(layout, corner)), None)
        assert finding is not None, corner
        assert habit.kind in (finding.cause, finding.second_cause), (corner, finding.causes)
        total = sum(one.cost_s for one in finding.causes) + finding.brought_in_s + finding.unexplained_s
        assert total == pytest.approx(finding.loss_s)


def case_of(both: Pair) -> Case:
    return Case(both, both.stages[0], 0, (), (), "left", {}, cost=0.2)


def test_figures_decide_between_what_explains_alike(pairs: list[Pair]) -> None:
    early = Fitted("early_brake", 0, 11.0, "rolls on", 0.2)
    release = Fitted("early_release", 0, 15.0, "", 0.19)
    case = case_of(pairs[0].only(0))
    near = Synthesis((early,), 0.0, 0.05, ((release, ALIKE - 0.1),))
    told = explained(near, case, ("early_release",), 0.2, 0.0)
    assert told is not None
    assert [one.cause for one in told[0]] == ["early_release", "early_brake"]
    assert sum(one.cost_s for one in told[0]) == pytest.approx(0.2)
    far = replace(near, instead=((release, 3.0),))
    told = explained(far, case, ("early_release",), 0.2, 0.0)
    assert told is not None
    assert [one.cause for one in told[0]] == ["early_brake"]


def test_what_does_not_fit_explains_nothing(pairs: list[Pair]) -> None:
    case = case_of(pairs[0].only(0))
    one = Fitted("early_brake", 0, 11.0, "rolls on", 0.2)
    assert explained(Synthesis((), 0.0, 1.0), case, (), 0.2, 0.0) is None
    assert explained(Synthesis((one,), 0.0, 0.8), case, (), 0.2, 0.0) is None
    assert explained(Synthesis((one,), 0.0, 0.1), case, (), 0.02, 0.0) is None
    gear = Synthesis((Fitted("wrong_gear", 0, 1.0, "", 0.2),), 0.0, 0.1)
    between = explained(gear, replace(case, same_car=False), (), 0.2, 0.0)
    assert between == ((), 0.0)
