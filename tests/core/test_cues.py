"""Cues, their targets and words, and whether a change is more than chance, against simulated truth."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.debrief.change import Pair, change_of, size_of
from lauftakt.core.debrief.check import (
    KEPT,
    LEVEL,
    MOVED,
    NO_CHANGE,
    REACHED,
    REACHED_PAID,
    UNJUDGED,
    WORSE,
    Asked,
    check,
    level_of_look,
    losses_of,
)
from lauftakt.core.debrief.luck import expected_luck, goes_with, passage_doubt
from lauftakt.core.debrief.target import (
    HIGH,
    LOW,
    Proposal,
    Target,
    by_figure,
    proposals,
    unwrapped,
    values_of,
)
from lauftakt.core.debrief.wording import MOST_WORDS, ask, mark_near, praise, words_in
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.words import metric
from lauftakt.core.pipeline import analyse_run
from lauftakt.core.registry import PASSAGE_TIME
from lauftakt.core.run import AnalysedRun
from lauftakt.formats.reading import read_log
from tests.day import Day


@pytest.fixture(scope="module")
def later(day: Day, next_files: dict[str, Path]) -> dict[str, AnalysedRun]:
    """The run after the debrief, by driver."""
    logs = [read_log(path) for path in next_files.values()]
    return {log.meta["driver"]: analyse_run(log, day.layout) for log in logs}


@pytest.fixture(scope="module")
def asked(day: Day) -> dict[str, list[Proposal]]:
    """The first proposal after each finding that is put forward, by driver."""
    names = [log.meta["driver"] for log in day.logs]
    base = day.of("Halvard")
    lost, _ = find([Contender(run, name, "car") for run, name in zip(day.runs, names, strict=True)], base, day.layout)
    found: dict[str, list[Proposal]] = {name: [] for name in names}
    for finding in lost:
        if finding.put_forward and finding.driver != "Halvard":
            run = day.runs[day.of(finding.driver)]
            found[finding.driver].append(proposals(finding, run, day.layout, day.runs[base])[0])
    return found


def answers(day: Day, later: dict[str, AnalysedRun], asked: dict[str, list[Proposal]], name: str) -> list[str]:
    before = day.runs[day.of(name)]
    wanted = [Asked(key, one.target) for key, one in enumerate(asked[name][:2])]
    losses = losses_of(before, day.layout, day.runs[day.of("Halvard")])
    found = check(before, later[name], day.layout, wanted, losses=losses)
    return [one.answer for one in found.answers]


def test_the_afternoon_is_answered_as_it_was_driven(
    day: Day, later: dict[str, AnalysedRun], asked: dict[str, list[Proposal]]
) -> None:
    assert answers(day, later, asked, "Ines") == [REACHED_PAID, REACHED_PAID]
    # In one corner what was asked, with the time lost again behind it; in the other half of the way.
    assert answers(day, later, asked, "Okan") == [REACHED, MOVED]
    assert answers(day, later, asked, "Freya") == [NO_CHANGE, WORSE]
    assert REACHED_PAID in answers(day, later, asked, "Priya")
    assert set(answers(day, later, asked, "Jonas")) == {UNJUDGED}  # three laps


def test_a_place_that_pays_for_it_is_named(
    day: Day, later: dict[str, AnalysedRun], asked: dict[str, list[Proposal]]
) -> None:
    before = day.runs[day.of("Priya")]
    wanted = [Asked(key, one.target) for key, one in enumerate(asked["Priya"][:2])]
    found = check(before, later["Priya"], day.layout, wanted)
    holding = next(p.name for p in day.layout.passages if "T8" in p.corners or "T7" in p.corners)
    assert holding in [one.passage for one in found.elsewhere]
    assert check(before, later["Priya"], day.layout, wanted, apart="another car").elsewhere == ()
    slower = next(p.name for p in day.layout.passages if "T12" in p.corners)
    nothing = check(day.runs[day.of("Freya")], later["Freya"], day.layout, [])
    assert [one.passage for one in nothing.elsewhere] == [slower]


def test_what_is_put_forward_after_a_run_is_of_that_run(day: Day, later: dict[str, AnalysedRun]) -> None:
    base, okan = day.runs[day.of("Halvard")], day.runs[day.of("Okan")]
    three = [Contender(base, "Halvard", "c"), Contender(okan, "Okan", "c"), Contender(later["Okan"], "Okan", "c")]
    lost, _ = find(three, 0, day.layout, by_run=True)
    forward = {run: [one.passage for one in lost if one.run == run and one.put_forward] for run in (1, 2)}
    # Half of every mistake is left in the second run, and the greater ones of the first do not hide it.
    assert len(forward[1]) == 3
    assert forward[2]
    by_driver, _ = find(three, 0, day.layout)
    assert sum(one.put_forward for one in by_driver) == 3


def test_the_other_way_round_it_is_worse_and_a_keep_is_lost(day: Day, later: dict[str, AnalysedRun]) -> None:
    good, bad = later["Ines"], day.runs[day.of("Ines")]
    place = next(p.name for p in day.layout.passages if "T5" in p.corners)
    _, values = values_of(good, day.layout, place, "T5", "brake_point_m")
    target = Target("brake_point_m", place, "T5", float(np.median(values)) + 3.0, HIGH)
    assert check(good, bad, day.layout, [Asked(1, target)]).answers[0].answer == WORSE
    _, times = values_of(good, day.layout, place, None, PASSAGE_TIME)
    keep = Asked(2, Target(PASSAGE_TIME, place, None, float(np.median(times)), LOW), keep=True)
    assert check(good, bad, day.layout, [keep]).answers[0].answer == "lost"
    assert check(bad, good, day.layout, [keep]).answers[0].answer == KEPT


def test_targets_are_what_the_own_quickest_passage_did(day: Day, asked: dict[str, list[Proposal]]) -> None:
    first = asked["Ines"][0]
    assert (first.cause, first.shown, first.target.direction) == ("early_brake", "own best", HIGH)
    run = day.runs[day.of("Ines")]
    numbers, values = values_of(run, day.layout, first.target.passage, first.target.corner, "brake_point_m")
    times = values_of(run, day.layout, first.target.passage, None, PASSAGE_TIME)[1]
    assert first.lap == numbers[int(np.argmin(times))]
    # But for what was arrived slower or faster.
    assert first.target.value == pytest.approx(values[int(np.argmin(times))], abs=1.0)
    assert not first.target.met(first.now)
    assert first.target.met(first.target.value)
    # Where own laps show nothing, a step towards the reference and not all of it.
    step = next(one for one in asked["Ines"] if one.shown == "step")
    assert step.target.sign * (step.target.value - step.now) > 0
    # What is better already is nothing to be asked for.
    assert by_figure(run, day.layout, first.target.passage, "T5", "brake_point_m", HIGH, theirs=0.0) is None
    with pytest.raises(KeyError):
        values_of(run, day.layout, "P99", "T5", "brake_point_m")


def test_a_cue_hangs_on_a_mark_that_is_near(day: Day, asked: dict[str, list[Proposal]]) -> None:
    one = asked["Ines"][0]
    seam = ("the second seam", (one.target.value - 1.0) % day.layout.length)
    marked = replace(day.layout, marks=(seam, ("a tree", (one.target.value + 400.0) % day.layout.length)))
    said = metric(ask(one, marked))
    assert said.startswith("T5: brake at the second seam, ")
    assert "later than now" in said
    beyond = replace(day.layout, marks=(("the board", one.target.value - 20.0),))
    assert "brake 20 m after the board" in metric(ask(one, beyond))
    assert "second seam" not in metric(ask(one, day.layout))
    # Over the start line as well.
    near = replace(day.layout, marks=(("the bridge", day.layout.length - 5.0),))
    found = mark_near(near, 7.0)
    assert found is not None
    assert found.beyond_m == pytest.approx(12.0)
    for proposal in (each for list_ in asked.values() for each in list_):
        assert words_in(metric(ask(proposal, marked))) <= MOST_WORDS
    assert "0.03 s quicker than Halvard" in metric(praise("T6", quicker_s=0.03, than="Halvard", spread_s=None, laps=8))


def test_places_are_told_on_the_lap_that_the_corner_belongs_to(day: Day) -> None:
    first = day.layout.corners[0]
    before_line = unwrapped(day.layout, day.layout.length - 30.0, first.name)
    assert before_line == pytest.approx(-30.0)
    assert unwrapped(day.layout, first.apex_m, first.name) == pytest.approx(first.apex_m)


RANDOM = np.random.default_rng(3)


def two_runs(laps: int, corners: int, change: float, run_effect: float) -> tuple[Pair, list[Pair]]:
    """A figure with a scatter of 1 in some corners, in two runs; in the first corner it was changed."""

    def run() -> np.ndarray:
        whole = RANDOM.normal() * 0.5
        own = RANDOM.normal(size=(corners, 1)) * run_effect
        return whole + own + RANDOM.normal(size=(corners, laps))

    before, after = run(), run()
    after[0] += change
    pairs = [Pair.of(a, b) for a, b in zip(before, after, strict=True)]
    return pairs[0], pairs[1:]


@pytest.mark.parametrize(("laps", "run_effect"), [(4, 0.5), (6, 0.5), (8, 0.7)])
def test_chance_and_the_run_as_a_whole_are_no_change(laps: int, run_effect: float) -> None:
    wrong = covered = 0
    for _ in range(250):
        found = change_of(*two_runs(laps, 11, 0.0, run_effect), 1e-6)
        assert found is not None
        wrong += found.likely(1.0) < LEVEL
        covered += found.low <= 0.0 <= found.high
    # 250 draws at 5 % and 95 %, with what so few of them leave open.
    assert wrong / 250 < 0.095
    assert covered / 250 > 0.90


def test_a_change_of_three_scatters_is_found() -> None:
    found = [change_of(*two_runs(6, 11, 3.0, 0.5), 1e-6) for _ in range(200)]
    assert np.mean([one is not None and one.likely(1.0) < level_of_look(1) for one in found]) > 0.72
    assert np.mean([one.change for one in found if one is not None]) == pytest.approx(3.0, abs=0.25)


def test_the_worst_of_a_dozen_gets_better_by_itself_and_that_is_expected() -> None:
    """Passages that are all alike: what is lost in the worst is luck, and most of it is foreseen."""
    luck, foreseen = [], []
    for _ in range(300):
        times = RANDOM.normal(size=(12, 8)) * 0.04 + RANDOM.normal(size=(12, 1)) * 0.02
        losses = np.median(times, axis=1)
        worst = int(np.argmax(losses))
        luck.append(losses[worst])
        foreseen.append(expected_luck(losses.tolist(), [passage_doubt(row) for row in times])[worst])
    assert np.mean(foreseen) == pytest.approx(np.mean(luck), rel=0.35)
    # Where losses are real, nearly nothing of them is luck.
    real = expected_luck([0.8, 0.02, 0.0, 0.4, 0.1, 0.0], [0.02] * 6)
    assert abs(real[0]) < 0.01
    assert expected_luck([0.1, 0.2], [0.1, 0.1]).tolist() == [0.0, 0.0]


def test_looks_share_one_level() -> None:
    assert sum(level_of_look(look) for look in range(1, 60)) == pytest.approx(LEVEL, abs=1e-9)
    assert level_of_look(1) > level_of_look(2) > level_of_look(3) > 0


def test_how_closely_a_figure_goes_with_time() -> None:
    time = RANDOM.normal(size=(10, 9))
    figure = 0.8 * time + 0.6 * RANDOM.normal(size=(10, 9))
    assert goes_with(list(figure), list(time)) == pytest.approx(0.8, abs=0.15)
    assert goes_with(list(-figure), list(time)) == pytest.approx(-0.8, abs=0.15)
    assert goes_with([np.full(9, np.nan)], [time[0]]) == 0.0
    assert goes_with([np.ones(9)], [time[0]]) == 0.0


# Whole eighths are added without rounding: a lap that lies just on the edge of being left out lies there after a shift.
EIGHTHS = st.integers(-8000, 8000).map(lambda eighths: eighths / 8)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(EIGHTHS, min_size=4, max_size=12),
    st.lists(EIGHTHS, min_size=4, max_size=12),
    EIGHTHS,
    st.floats(0.1, 20),
)
def test_a_change_moves_with_the_figure_and_its_unit(
    before: list[float], after: list[float], shift: float, factor: float
) -> None:
    plain = change_of(Pair.of(before, after), [], 0.5)
    moved = change_of(Pair.of(before, [value + shift for value in after]), [], 0.5)
    other = change_of(
        Pair.of([factor * value for value in before], [factor * value for value in after]), [], 0.5 * factor
    )
    assert plain is not None
    assert moved is not None
    assert other is not None
    assert moved.change == pytest.approx(plain.change + shift, abs=1e-6)
    assert moved.change_u == pytest.approx(plain.change_u, rel=1e-6, abs=1e-9)
    assert other.change == pytest.approx(factor * plain.change, rel=1e-6, abs=1e-6)
    assert plain.low <= plain.change <= plain.high
    assert plain.likely(1.0) + plain.likely(-1.0) == pytest.approx(1.0)


@given(st.lists(st.floats(-1e3, 1e3), min_size=0, max_size=3), st.lists(st.floats(-1e3, 1e3), min_size=0, max_size=9))
def test_too_few_laps_tell_nothing(before: list[float], after: list[float]) -> None:
    assert change_of(Pair.of(before, after), [], 0.5) is None
    assert Pair.of([None, float("nan")], after).before.size == 0
    assert size_of(np.array(before)) >= 0.0


def test_another_days_grip_is_no_change_where_a_driver_is_unsteady() -> None:
    """The road was quicker by one percent everywhere. Where laps scattered ten times as much nothing else changed."""
    rng = np.random.default_rng(21)
    wrong = 0
    for _ in range(100):
        times = rng.uniform(4.0, 16.0, 9)
        pairs = []
        for number, time in enumerate(times):
            scatter = 0.2 if number == 0 else 0.02
            before, after = (time * share + scatter * rng.standard_normal(7) for share in (1.0, 0.99))
            pairs.append(Pair.of(before, after))
        found = change_of(pairs[0], pairs[1:], 0.001, proportional=True)
        assert found is not None
        wrong += not found.low <= 0.0 <= found.high
        assert abs(found.whole + 0.01 * times[0]) < 0.05
    assert wrong <= 12
