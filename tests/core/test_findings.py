"""Findings against mistakes that the simulator made, and against a driver who makes none."""

import numpy as np
import pytest

from lauftakt.core.analysis import AnalysedRun, analyse_run, make_layout
from lauftakt.core.causes import judge
from lauftakt.core.consistency import alone, band, spread, steadiness, trend
from lauftakt.core.findings import Contender, find
from lauftakt.core.layout import Layout
from lauftakt.core.telling import tell
from lauftakt.demo.scenario import Scenario, random_scenario


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
        assert found.corner in tell(found, "reference")


def test_a_single_driver_has_no_findings(studied) -> None:
    _, layout, runs = studied
    alone_ = [Contender(runs[0], "one"), Contender(runs[2], "one")]
    assert find(alone_, 0, layout) == ([], [])


def test_the_other_way_round_losses_are_strengths(studied) -> None:
    """What the student loses to the reference, the reference gains on the student."""
    _, layout, runs = studied
    lost, _ = find([Contender(runs[0], "a"), Contender(runs[2], "b")], 0, layout)
    _, won = find([Contender(runs[0], "a"), Contender(runs[2], "b")], 1, layout)
    sizes = {f.passage: f.loss_s for f in lost}
    assert sizes
    for finding in won:
        if finding.passage in sizes:
            assert finding.loss_s == pytest.approx(-sizes[finding.passage], abs=1e-9)
    assert {f.passage for f in won} & set(sizes)


def test_at_most_three_are_put_forward(studied) -> None:
    _, layout, _ = studied
    findings, _ = find(contenders(studied), 0, layout)
    own = [f for f in findings if f.driver == "student 1"]
    assert [f.put_forward for f in own] == [i < 3 for i in range(len(own))]


def test_no_difference_has_no_cause(studied) -> None:
    _, _, runs = studied
    figures = [technique[3] for technique in runs[0].technique.values()]
    assert judge(figures, figures, {"entry": 0.1, "middle": 0.0, "exit": 0.0, "straight": 0.0}, "left") == []


def test_consistency() -> None:
    random = np.random.default_rng(1)
    values = 10 + 0.02 * random.standard_normal(40)
    assert spread(values) == pytest.approx(0.02, rel=0.5)
    numbers = np.arange(40.0)
    assert not trend(numbers, values).clear
    falling = trend(numbers, values - 0.01 * numbers)
    assert falling.clear
    assert falling.slope == pytest.approx(-0.01, abs=0.002)
    odd = values.copy()
    odd[7] = 10.4
    assert alone(odd)[7]
    assert alone(odd).sum() <= 2
    assert steadiness(np.array([0.01, 0.02, 0.0, 0.01])) == "fast-steady"
    assert steadiness(np.array([0.3, 0.5, 0.1, 0.7])) == "slow-unsteady"
    found = band(np.array([[1.0, 2.0], [2.0, 2.0], [3.0, 2.0]]))
    assert found.median.tolist() == [2.0, 2.0]
    assert (found.low <= found.median).all()
