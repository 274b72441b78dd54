"""What a target promises: a share of its cause's price, by the way it goes; never more than is lost."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.debrief.target import HIGH, LOW, PASSAGE_TIME, Proposal, Target, proposals
from lauftakt.core.debrief.worth import Worth, aimed_elsewhere, worth_of
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.statement import Finding
from tests.day import Day


@pytest.fixture(scope="module")
def lost(day: Day) -> list[Finding]:
    names = [log.meta["driver"] for log in day.logs]
    contenders = [Contender(run, name, "car") for run, name in zip(day.runs, names, strict=True)]
    return [one for one in find(contenders, day.of("Halvard"), day.layout)[0] if one.driver != "Halvard"]


def offered(day: Day, finding: Finding) -> list[Proposal]:
    return proposals(finding, day.runs[finding.run], day.layout, day.runs[day.of("Halvard")])


def test_no_cue_promises_more_than_is_lost_there(day: Day, lost: list[Finding]) -> None:
    told = 0
    for finding in lost:
        for one in offered(day, finding):
            if one.target.figure == PASSAGE_TIME:
                continue
            worth = worth_of(one, finding, day.runs[finding.run], day.layout)
            if worth is not None:
                told += 1
                assert 0.0 <= worth.gain_s <= finding.loss_s + 1e-9
                assert worth.gain_u_s > 0.0
    assert told > 15


def test_half_of_the_way_is_worth_half_of_the_price(day: Day, lost: list[Finding]) -> None:
    finding, step = next(
        (finding, one) for finding in lost for one in offered(day, finding)
        if one.shown == "step" and one.theirs is not None and finding.causes[0].cause == one.cause
    )  # fmt: skip
    assert step.theirs is not None
    run = day.runs[finding.run]
    half = worth_of(step, finding, run, day.layout)
    whole = worth_of(replace(step, target=replace(step.target, value=step.theirs)), finding, run, day.layout)
    assert half is not None
    assert whole is not None
    share = (step.target.value - step.now) / (step.theirs - step.now)
    assert half.gain_s == pytest.approx(share * whole.gain_s)
    assert whole.gain_s == pytest.approx(min(finding.causes[0].cost_s, finding.loss_s))


def test_the_promise_is_what_the_mistake_really_costs(day: Day, lost: list[Finding]) -> None:
    """The whole way to the reference, against the same laps driven without the mistake."""
    errors = []
    for finding in lost:
        run = finding.run
        passage = next(one for one in day.layout.passages if one.name == finding.passage)
        taught = [m for m in day.truth[run]["mistakes"] if m["corner"] in passage.corners and m["cost_s"] > 0.08]
        if len(taught) != 1:
            continue
        for one in offered(day, finding)[:1]:
            if one.theirs is None or one.cause != taught[0]["kind"]:
                continue
            there = replace(one, target=replace(one.target, value=one.theirs))
            worth = worth_of(there, finding, day.runs[run], day.layout)
            assert worth is not None
            errors.append(abs(worth.gain_s - taught[0]["cost_s"]) / taught[0]["cost_s"])
    assert len(errors) >= 4
    assert np.median(errors) < 0.3


def test_a_time_is_worth_what_it_is_shorter(day: Day, lost: list[Finding]) -> None:
    finding = lost[0]
    assert finding.passage is not None
    asked = Proposal(None, Target(PASSAGE_TIME, finding.passage, None, 9.0, LOW), 9.25, None, "coach")
    worth = worth_of(asked, finding, day.runs[finding.run], day.layout)
    assert worth is not None
    assert worth.gain_s == pytest.approx(0.25)


def test_without_a_finding_or_laps_that_did_it_nothing_is_promised(day: Day) -> None:
    far = Proposal(None, Target("min_speed", "P4", "T5", 99.0, HIGH), 10.0, None, "coach", 12.0)
    assert worth_of(far, None, day.runs[0], day.layout) is None


@given(
    now=st.floats(-100, 100), way=st.floats(0.5, 50), share=st.floats(0, 3), known=st.booleans(),
    sign=st.sampled_from([-1.0, 1.0]),
)  # fmt: skip
def test_another_value_changes_the_promise_in_proportion(
    now: float, way: float, share: float, known: bool, sign: float
) -> None:
    theirs = now + 2.0 * sign * way if known else None
    one = Proposal("x", Target("min_speed", "P1", "T1", now + sign * way, HIGH), now, None, "step", theirs)
    there = aimed_elsewhere(Worth(0.2, 0.05), one, now + sign * share * way)
    assert there.gain_s == pytest.approx(0.2 * (min(share, 2.0) if known else share), abs=1e-9)
    assert there.gain_u_s == pytest.approx(there.gain_s / 4.0)
    assert aimed_elsewhere(Worth(0.2, 0.05), one, now - sign * way).gain_s == 0.0


def test_back_from_beyond_the_reference_the_whole_way_is_worth_as_much() -> None:
    one = Proposal("x", Target("min_speed", "P1", "T1", 16.0, HIGH), 10.0, None, "coach", 12.0)
    assert aimed_elsewhere(Worth(0.2, 0.05), one, 12.0).gain_s == pytest.approx(0.2)
    assert aimed_elsewhere(Worth(0.2, 0.05), one, 11.0).gain_s == pytest.approx(0.1)
