"""Targets are safe: never beyond the reference, inside their passage, and lent only by passages that compare."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.comparison.spread import median_doubt
from lauftakt.core.debrief.target import (
    HIGH,
    LOW,
    PASSAGE_TIME,
    RESOLVED,
    Proposal,
    arrivals,
    at_usual_arrival,
    by_figure,
    comparable,
    is_place,
    passage_index,
    proposals,
    usual,
    values_of,
)
from lauftakt.core.debrief.wording import ask
from lauftakt.core.debrief.worth import asked_for
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.words import metric
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Technique
from lauftakt.core.technique.windows import windows
from tests.day import Day

PLACE, CORNER = "P4", "T5"


@pytest.fixture(scope="module")
def offered(day: Day) -> list[tuple[AnalysedRun, Proposal]]:
    """Everything that can be proposed to anybody on the day, put forward or not."""
    names = [log.meta["driver"] for log in day.logs]
    base = day.of("Halvard")
    lost, _ = find([Contender(run, name, "car") for run, name in zip(day.runs, names, strict=True)], base, day.layout)
    return [
        (day.runs[one.run], proposal)
        for one in lost
        if one.driver != "Halvard"
        for proposal in proposals(one, day.runs[one.run], day.layout, day.runs[base])
    ]


def test_no_target_lies_beyond_the_reference(day: Day, offered: list[tuple[AnalysedRun, Proposal]]) -> None:
    base = day.runs[day.of("Halvard")]
    assert len(offered) > 20
    for _, one in offered:
        target = one.target
        if target.figure == PASSAGE_TIME:
            continue
        theirs = usual(base, day.layout, target.passage, target.corner, target.figure)
        assert theirs is None or target.sign * (target.value - theirs) <= RESOLVED[target.quantity] + 1e-9, one


def test_a_place_that_is_asked_for_lies_in_its_passage(day: Day, offered: list[tuple[AnalysedRun, Proposal]]) -> None:
    for _, one in offered:
        if is_place(one.target.figure):
            window = next(w for w in windows(day.layout) if w.corner == one.target.corner)
            assert window.low <= one.target.value <= window.high, one


def test_no_target_hangs_on_what_the_laps_scatter_by(day: Day, offered: list[tuple[AnalysedRun, Proposal]]) -> None:
    """The way to it is longer than what its usual value is known to; a passage's time is asked for by itself."""
    for run, one in offered:
        target = one.target
        if target.figure == PASSAGE_TIME:
            continue
        values = values_of(run, day.layout, target.passage, target.corner, target.figure)[1]
        doubt = median_doubt(values) or 0.0
        way = one.theirs - one.now if one.shown == "step" and one.theirs is not None else target.value - one.now
        assert target.sign * way >= 2.0 * doubt - 1e-9, one


def test_what_promises_hardly_anything_is_not_asked(day: Day) -> None:
    names = [log.meta["driver"] for log in day.logs]
    base = day.of("Halvard")
    lost, _ = find([Contender(run, name, "car") for run, name in zip(day.runs, names, strict=True)], base, day.layout)
    asked = [
        worth
        for one in lost
        if one.driver != "Halvard"
        for _, worth in asked_for(one, day.runs[one.run], day.layout, day.runs[base])
    ]
    assert len(asked) > 15
    assert all(worth is None or worth.gain_s >= 0.02 for worth in asked)


def with_speed(run: AnalysedRun, day: Day, number: int, by: float) -> AnalysedRun:
    """The same run, but that one lap arrives at the corner by so many m/s faster."""
    assert run.signals is not None
    window = next(w for w in windows(day.layout) if w.corner == CORNER)
    speed = run.signals.speed.copy()
    near = np.abs(run.signals.places - window.low) < 20.0
    speed[run.signals.numbers.index(number), near] += by
    return replace(run, signals=replace(run.signals, speed=speed))


def own_best(run: AnalysedRun, day: Day, figure: str = "brake_point_m") -> tuple[int, float, float]:
    """Number of the lap with the quickest passage, its figure, and the usual one."""
    numbers, values = values_of(run, day.layout, PLACE, CORNER, figure)
    times = values_of(run, day.layout, PLACE, None, PASSAGE_TIME)[1]
    best = int(np.argmin(times))
    return numbers[best], float(values[best]), float(np.median(values))


def test_a_brake_point_is_brought_to_the_usual_arrival(day: Day) -> None:
    """Who arrives slower may brake later, and has learnt nothing by it."""
    run = day.runs[day.of("Ines")]
    number, value, _ = own_best(run, day)
    slower = with_speed(run, day, number, -0.25)
    numbers = values_of(run, day.layout, PLACE, CORNER, "brake_point_m")[0]
    arrival = arrivals(slower, day.layout, PLACE, CORNER, numbers)[numbers.index(number)]
    usually = float(np.median(arrivals(slower, day.layout, PLACE, CORNER, numbers)))
    braking = values_of(run, day.layout, PLACE, CORNER, "mean_braking")[1][numbers.index(number)]
    found = by_figure(slower, day.layout, PLACE, CORNER, "brake_point_m", HIGH)
    assert found is not None
    assert found.lap == number
    assert found.target.value == pytest.approx(value - (usually**2 - arrival**2) / 2 / braking, abs=0.01)
    assert found.target.value < value - 0.7
    # So much slower that no braking can be told from it: it lends nothing.
    other = by_figure(with_speed(run, day, number, -4.0), day.layout, PLACE, CORNER, "brake_point_m", HIGH)
    assert other is None or other.lap != number


def test_a_lap_that_arrived_faster_is_not_asked_to_brake_later_still(day: Day) -> None:
    run = day.runs[day.of("Ines")]
    number, value, _ = own_best(run, day)
    faster = with_speed(run, day, number, 0.6)
    numbers, values = values_of(run, day.layout, PLACE, CORNER, "brake_point_m")
    lent = at_usual_arrival(faster, day.layout, PLACE, CORNER, "brake_point_m", numbers, values)
    assert lent[numbers.index(number)] == pytest.approx(value)
    assert (lent <= values + 1e-9).all()


def test_a_lap_whose_arrival_or_braking_nobody_knows_lends_no_brake_point(day: Day) -> None:
    run = day.runs[day.of("Ines")]
    number, _, _ = own_best(run, day)
    unknown = with_speed(run, day, number, np.nan)
    numbers = values_of(run, day.layout, PLACE, CORNER, "brake_point_m")[0]
    assert not comparable(unknown, day.layout, PLACE, CORNER, "brake_point_m", numbers)[numbers.index(number)]
    found = by_figure(unknown, day.layout, PLACE, CORNER, "brake_point_m", HIGH)
    assert found is None or found.lap != number


def test_a_speed_is_not_lent_by_a_lap_that_arrived_slower(day: Day) -> None:
    run = day.runs[day.of("Ines")]
    number, _, _ = own_best(run, day)
    slower = with_speed(run, day, number, -1.0)
    numbers = values_of(run, day.layout, PLACE, CORNER, "min_speed")[0]
    which = numbers.index(number)
    assert comparable(run, day.layout, PLACE, CORNER, "min_speed", numbers)[which]
    assert not comparable(slower, day.layout, PLACE, CORNER, "min_speed", numbers)[which]
    assert comparable(slower, day.layout, PLACE, CORNER, "brake_point_m", numbers)[which]


def test_a_figure_of_another_line_is_not_lent(day: Day) -> None:
    run = day.runs[day.of("Ines")]
    number, _, _ = own_best(run, day)
    assert run.technique is not None
    which = next(k for k, corner in enumerate(day.layout.corners) if corner.name == CORNER)
    known = run.technique.everything()
    figures = known[number, which]
    assert figures is not None
    known[number, which] = replace(figures, offset_apex=(figures.offset_apex or 0.0) + 2.0)
    wide = replace(run, technique=Technique(run.signals, windows(day.layout), known))
    numbers = values_of(run, day.layout, PLACE, CORNER, "min_speed")[0]
    assert not comparable(wide, day.layout, PLACE, CORNER, "min_speed", numbers)[numbers.index(number)]
    assert comparable(wide, day.layout, PLACE, CORNER, "offset_apex", numbers)[numbers.index(number)]


def test_a_lap_after_an_out_lap_lends_nothing(day: Day) -> None:
    run = day.runs[day.of("Ines")]
    number, _, _ = own_best(run, day)
    laps = [replace(lap, kind="out") if lap.number == number - 1 else lap for lap in run.laps]
    found = by_figure(replace(run, laps=laps), day.layout, PLACE, CORNER, "brake_point_m", HIGH)
    assert found is None or found.lap != number


def test_a_driver_who_is_beyond_the_reference_already_is_asked_for_nothing(day: Day) -> None:
    run = day.runs[day.of("Ines")]
    _, _, usually = own_best(run, day)
    assert by_figure(run, day.layout, PLACE, CORNER, "brake_point_m", HIGH, theirs=usually - 5.0) is None
    near = by_figure(run, day.layout, PLACE, CORNER, "brake_point_m", HIGH, theirs=usually + 4.0)
    assert near is not None
    assert near.target.value <= usually + 4.0 + RESOLVED["distance"]
    assert passage_index(day.layout, PLACE) == 3


def test_what_a_coach_asks_for_beyond_the_reference_says_so(
    day: Day, offered: list[tuple[AnalysedRun, Proposal]]
) -> None:
    one = next(one for _, one in offered if one.target.figure == "brake_point_m")
    further = one.by_coach(one.target.value + 9.0, one.target.value + 2.0)
    assert metric(ask(further, day.layout)).endswith("That is 7 m beyond the reference.")
    assert further.shown == "coach"
    assert "beyond" not in metric(ask(one.by_coach(one.target.value, one.target.value + 2.0), day.layout))
    assert "beyond" not in metric(ask(one.by_coach(one.target.value + 9.0, None), day.layout))
    # Later than the reference is daring, also on the way back from later still; earlier is not, whatever was asked.
    back = replace(one, target=replace(one.target, direction=LOW))
    assert back.by_coach(one.target.value, one.target.value - 6.0).beyond == pytest.approx(6.0)
    assert back.by_coach(one.target.value, one.target.value + 6.0).beyond == 0.0
    rolls = replace(one, target=replace(one.target, figure="coast_s", direction=LOW))
    assert rolls.by_coach(0.1, 0.3).beyond == 0.0


def test_a_place_that_was_moved_is_not_said_to_have_been_done(
    offered: list[tuple[AnalysedRun, Proposal]], day: Day
) -> None:
    one = next(one for _, one in offered if one.shown == "own best")
    assert f"You did it in lap {one.lap}" in metric(ask(replace(one, brought=-0.4), day.layout))
    moved = metric(ask(replace(one, brought=-4.0), day.layout))
    assert f"Lap {one.lap} showed it, arriving slower than you usually do." in moved
