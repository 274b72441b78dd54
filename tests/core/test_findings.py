"""Findings against mistakes that the simulator made, and against a driver who makes none."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.trend import alone, trend
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.words import metric, tell
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import Scenario, random_scenario
from lauftakt.demo.sensors import Sensors, record


@pytest.fixture(scope="module")
def studied() -> tuple[Scenario, Layout, list[AnalysedRun]]:
    scenario = random_scenario(42, laps=8, students=1, kind="ellerholm", steady=True)
    layout, _ = make_layout([drive.log for drive in scenario.drives], scenario.sketch)
    return scenario, layout, [analyse_run(drive.log, layout) for drive in scenario.drives]


def contenders(studied) -> list[Contender]:
    scenario, _, runs = studied
    return [Contender(run, drive.driver.name) for run, drive in zip(runs, scenario.drives, strict=True)]


def test_every_mistake_is_found_and_nothing_about_the_twin(studied) -> None:
    scenario, layout, _ = studied
    findings, strengths = find(contenders(studied), 0, layout)
    assert not [f for f in findings + strengths if f.driver == "twin"]
    for mistake in scenario.drives[2].mistakes:
        if mistake.cost_s < 0.08:
            continue
        place = dict(scenario.circuit.corners)[mistake.habit.corner] * layout.length / scenario.circuit.length
        corner = min(layout.corners, key=lambda c, place=place: abs(c.apex_m - place))
        passage = next(p.name for p in layout.passages if corner.name in p.corners)
        found = next(f for f in findings if f.passage == passage)
        assert found.loss_s == pytest.approx(mistake.cost_s, abs=0.35 * mistake.cost_s + 0.03)
        assert found.corner in metric(tell(found, "reference"))


def test_a_single_driver_is_measured_against_the_own_best(studied) -> None:
    """A habit that is always there is none beside the own laps; one that is there in most of them is what there is to
    win, with its cause."""
    scenario, layout, runs = studied
    alone_ = [Contender(runs[0], "one"), Contender(runs[2], "one")]
    findings, strengths = find(alone_, 0, layout)
    assert strengths == []
    assert all(f.against == "own best" and f.loss_s >= 0.05 for f in findings)
    # The twin scatters like the reference and has nothing to win by doing what he did in his best laps.
    assert find([Contender(runs[1], "twin")], 0, layout) == ([], [])
    line = racing_line(scenario.circuit)
    habit = Habit("T1", "soft_brake", 0.35, share=0.7)
    driver = replace(scenario.drives[0].driver, name="sometimes", habits=(habit,))
    motion = drive_run(scenario.circuit, scenario.car, driver, timed_laps=10, seed=9, line=line)
    run = analyse_run(record(scenario.circuit, scenario.car, motion, Sensors(), seed=6, meta={}), layout)
    found, _ = find([Contender(run, "sometimes")], 0, layout)
    place = dict(scenario.circuit.corners)["T1"] * layout.length / scenario.circuit.length
    corner = min(layout.corners, key=lambda c: abs(c.apex_m - place)).name
    assert found
    assert found[0].corner == corner
    assert "soft_brake" in (found[0].cause, found[0].second_cause)
    assert found[0].put_forward
    assert "the own best laps" in metric(tell(found[0], "nobody"))


def test_the_other_way_round_losses_are_strengths(studied) -> None:
    """What the student loses to the reference, the reference gains on the student."""
    _, layout, runs = studied
    lost, _ = find([Contender(runs[0], "a"), Contender(runs[2], "b")], 0, layout)
    _, won = find([Contender(runs[0], "a"), Contender(runs[2], "b")], 1, layout)
    sizes = {f.passage: f.loss_s for f in lost if f.against == "reference"}
    assert sizes
    for finding in won:
        if finding.passage in sizes:
            assert finding.loss_s == pytest.approx(-sizes[finding.passage], abs=1e-9)
    assert {f.passage for f in won} & set(sizes)


def test_less_grip_everywhere_is_said_once(studied) -> None:
    scenario, layout, runs = studied
    wet = replace(scenario.car, grip=0.72 * scenario.car.grip)
    line = racing_line(scenario.circuit)
    motion = drive_run(scenario.circuit, wet, scenario.drives[0].driver, timed_laps=6, seed=77, line=line)
    log = record(scenario.circuit, wet, motion, Sensors(), seed=78, meta={})
    run = analyse_run(log, layout)
    findings, _ = find([Contender(runs[0], "dry"), Contender(run, "wet")], 0, layout)
    assert findings[0].cause == "car_or_conditions"
    assert findings[0].passage is None
    assert findings[0].loss_s > 2
    assert "Everywhere" in metric(tell(findings[0], "dry"))
    assert sum(f.loss_s for f in findings[1:]) < 0.6 * findings[0].loss_s
    dry, _ = find([Contender(runs[0], "dry"), Contender(runs[2], "student")], 0, layout)
    assert "car_or_conditions" not in {f.cause for f in dry}


def test_a_reference_lap_before_the_in_lap_hides_nothing(studied) -> None:
    """The last timed lap runs on into the in lap: its passage over the line is no yardstick."""
    _, layout, runs = studied
    over = next(i for i, p in enumerate(layout.passages) if p.from_m > p.to_m)
    last = max(lap.number for lap in runs[0].counting)
    faster = tuple(replace(lap, time_s=lap.time_s - 5.0) if lap.number == last else lap for lap in runs[0].laps)
    base = replace(runs[0], laps=faster)
    assert base.best_lap.number == last
    slow = {n: times + 0.4 * (np.arange(len(times)) == over) for n, times in runs[1].passage_s.items()}
    findings, _ = find([Contender(base, "a"), Contender(replace(runs[1], passage_s=slow), "b")], 0, layout)
    assert layout.passages[over].name in {f.passage for f in findings}


def test_at_most_three_are_put_forward_and_no_habit_twice(studied) -> None:
    _, layout, _ = studied
    findings, _ = find(contenders(studied), 0, layout)
    own = [f for f in findings if f.driver == "student 1"]
    forward = [f for f in own if f.put_forward]
    assert forward[0] == own[0]
    assert 1 <= len(forward) <= 3
    named = [f.cause for f in forward if f.cause != "unclear"]
    assert len(set(named)) == len(named)
    assert all(f.loss_s >= 0.08 for f in forward if f.cause == "unclear")


def test_consistency() -> None:
    random = np.random.default_rng(1)
    values = 10 + 0.02 * random.standard_normal(40)
    numbers = np.arange(40.0)
    assert not trend(numbers, values).clear
    falling = trend(numbers, values - 0.01 * numbers)
    assert falling.clear
    assert falling.slope == pytest.approx(-0.01, abs=0.002)
    odd = values.copy()
    odd[7] = 10.4
    assert alone(odd)[7]
    assert alone(odd).sum() <= 2
