"""Sentences about findings and laps: they name people and things, add up, and contradict nothing."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.comparison.delta import Loss
from lauftakt.core.findings.causes import Explanation
from lauftakt.core.findings.habits import Habit
from lauftakt.core.findings.lap_words import against_of, median_of, of_lap, of_reference
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.ranking import elsewhere, ranked, to_be_won
from lauftakt.core.findings.statement import Finding
from lauftakt.core.findings.words import Against, Quantity, does, metric, phrase, tell, why

EARLY = Evidence("early_brake", 0.45, 0.05, "brake_point_m", 2015.0, 2030.0)
LATE = Evidence("late_turn_in", 0.26, 0.05, "entry_width", -1.4, 0.0)
HALVARD = Against.driver("Halvard")
CODES = (
    "early_brake", "soft_brake", "slow_brake_rise", "early_release", "late_release", "interrupted_brake",
    "braked_too_late", "over_slow", "coasting", "late_throttle", "hesitant_throttle", "needless_lift", "wrong_gear",
    "early_turn_in", "late_turn_in", "unused_width", "understeer", "oversteer", "locked_wheel",
)  # fmt: skip


def a_finding(**changed: object) -> Finding:
    usual = {
        "run": 1, "driver": "Ines", "passage": "P3", "corner": "T4", "from_m": 1600.0, "to_m": 2000.0, "loss_s": 0.93,
        "loss_u_s": 0.02, "loss_to_lap_s": 0.9, "parts": {"entry": 0.7, "middle": 0.1, "exit": 0.1, "straight": 0.03},
        "cause": "early_brake", "second_cause": "late_turn_in", "seen_in": tuple(range(2, 11)), "clean": 9,
        "best_lap": 5, "best_loss_s": 0.8, "put_forward": True, "causes": (EARLY, LATE), "unexplained_s": 0.22,
    }  # fmt: skip
    return Finding(**{**usual, **changed})  # type: ignore[arg-type]


def test_a_finding_says_who_does_what_and_what_it_costs() -> None:
    said = metric(tell(a_finding(), "Halvard"))
    assert said == (
        "T4: Ines brakes 15 m earlier than Halvard (0.45 s) and turns in late, 1.4 m further outside before the "
        "corner (0.26 s): 0.71 s of the 0.93 s (± 0.04) here. Mostly in the entry. In all 9 laps about the same. "
        "0.22 s stays unexplained."
    )


def test_a_late_turn_in_is_said_by_its_place() -> None:
    placed = Evidence("late_turn_in", 0.2, 0.05, "turn_in_m", 1709.0, 1702.0)
    assert metric(does(placed, HALVARD)) == "turns in 7 m later than Halvard"


def test_one_habit_in_many_places_is_said_once_with_their_sum() -> None:
    first = a_finding()
    others = [a_finding(passage=f"P{n}", corner=f"T{n + 1}", loss_s=0.3) for n in (5, 6, 7, 8, 9)]
    other = a_finding(passage="P1", corner="T1", loss_s=0.6, cause="wrong_gear", causes=())
    told = ranked([first, other, *others], 1)
    forward = [f for f in told if f.put_forward]
    assert [f.corner for f in forward] == ["T4", "T1"]
    where = elsewhere(forward[0], told)
    assert len(where) == 5
    assert "The same in T6, T7, T8 and 2 more: 1.95 s a lap in all." in metric(tell(forward[0], "Halvard", where))
    assert metric(phrase(forward[0], where)) == "T4, T6, T7 and 3 more: brakes earlier, 1.95 s"
    assert metric(phrase(forward[1], elsewhere(forward[1], told))) == "T1: takes another gear, 0.60 s"


def test_what_costs_most_over_the_lap_comes_first() -> None:
    """A habit of 0.3 s in four corners is worth more than one slip of a line of 0.5 s."""
    brakes = (Evidence("early_brake", 0.3, 0.05, None, None, None),)
    many = [a_finding(passage=f"P{n}", corner=f"T{n}", loss_s=0.3, causes=brakes) for n in (1, 2, 3, 4)]
    others = [
        a_finding(passage=f"P{n}", corner=f"T{n}", loss_s=0.5 - n / 100, cause=cause, causes=())
        for n, cause in ((5, "wrong_gear"), (6, "coasting"), (7, "late_throttle"))
    ]
    forward = [f for f in ranked([*many, *others], 1) if f.put_forward]
    assert len(forward) == 3
    assert [f.cause for f in forward].count("early_brake") == 1
    assert "late_throttle" not in [f.cause for f in forward]


def test_nothing_that_nobody_can_explain_is_put_forward_for_a_little() -> None:
    told = ranked([a_finding(loss_s=0.05, cause="unclear", causes=()), a_finding(passage="P5", loss_s=0.2)], 1)
    assert [f.put_forward for f in told] == [True, False]


def test_what_is_to_be_won_is_never_less_than_what_is_told_of_it() -> None:
    """A price of 0.45 s where 0.3 s are lost is 0.3 s to be won: the rest is won back already."""
    many = [a_finding(passage=f"P{n}", corner=f"T{n}", loss_s=0.3, put_forward=n == 1) for n in (1, 2, 3)]
    told = metric(tell(many[0], "Halvard", elsewhere(many[0], many)))
    assert "The same in T2 and T3: 0.90 s a lap in all." in told
    assert to_be_won(many) == pytest.approx(0.9)


def test_a_price_that_may_as_well_be_nothing_is_no_fact() -> None:
    unsure = Evidence("late_turn_in", 0.75, 0.4, "turn_in_m", 1709.0, 1702.0)
    said = metric(why("Ines", (unsure,), 0.0, 0.8, 0.01, HALVARD))
    assert said == "Ines probably turns in 7 m later than Halvard: 0.75 s of the 0.80 s (± 0.02) here."
    # Beside one that is sure it is not told at all.
    both = metric(why("Ines", (unsure, replace(EARLY, cost_s=0.5)), 0.0, 0.8, 0.01, HALVARD))
    assert both.startswith("Ines brakes 15 m earlier than Halvard: 0.50 s of the 0.80 s")
    assert metric(phrase(a_finding(cause="late_turn_in", causes=(unsure,)))) == "T4: probably turns in late, 0.93 s"


def test_what_is_won_back_is_said() -> None:
    said = metric(why("Ines", (EARLY, LATE), 0.0, 0.5, 0.01, HALVARD))
    assert said.endswith("0.71 s, of which 0.21 s is won back; 0.50 s (± 0.02) are lost here.")


def test_a_difference_that_would_be_shown_as_nothing_is_not_told() -> None:
    same = Evidence("early_brake", 0.1, 0.02, "brake_point_m", 2030.2, 2030.4)
    assert metric(does(same, HALVARD)) == "brakes earlier than Halvard"


@pytest.mark.parametrize("code", CODES)
def test_every_cause_has_words_with_and_without_a_figure(code: str) -> None:
    for own, theirs in ((None, None), (3.0, 2.0), (2.0, 3.0), (0.0, 0.0)):
        figure = None if own is None else "throttle_pickup_m" if code == "late_throttle" else "coast_s"
        said = metric(does(Evidence(code, 0.2, 0.05, figure, own, theirs), HALVARD))
        assert said
        assert "{" not in said
        assert "None" not in said


def a_habit(losses: tuple[float, ...], losing: int) -> Habit:
    middle = sorted(losses)[len(losses) // 2]
    return Habit(losing, len(losses), 3, min(losses), middle, losses)


def test_a_lap_is_told_beside_its_drivers_other_laps() -> None:
    loss, told = Loss(0.5, 0.01), Explanation((EARLY,), 0.0, 0.05)
    always = a_habit((0.48, 0.5, 0.52, 0.49, 0.51), 5)
    assert metric(of_lap("Ines", loss, told, HALVARD, always)).endswith("About the same in all 5 laps of this run.")
    once = a_habit((0.0, 0.5, 0.01, 0.0, 0.02), 1)
    assert metric(of_lap("Ines", loss, told, HALVARD, once)).endswith(
        "Only in 1 of the 5 laps of this run, so not a habit."
    )
    level = metric(of_lap("Ines", Loss(0.01, 0.01), None, HALVARD, always))
    assert level.startswith("Ines is level with Halvard here (within ± 0.02 s).")
    assert "But Ines loses here in 5 of the 5 laps of this run, median 0.50 s." in level
    assert metric(of_lap("Ines", Loss(-0.2, 0.01), None, HALVARD, None)) == (
        "Ines gains 0.20 s (± 0.02) on Halvard here."
    )
    known = metric(of_lap("Ines", loss, told, HALVARD, None, {"brake_point_m": 5.0}))
    assert known.startswith("Ines brakes 15 m earlier than Halvard: ")
    unsure = metric(of_lap("Ines", loss, told, HALVARD, None, {"brake_point_m": 8.0}))
    assert unsure.startswith("Ines brakes earlier than Halvard: ")
    unclear = metric(of_lap("Ines", loss, None, HALVARD, None))
    assert unclear == "Ines loses 0.50 s (± 0.02) to Halvard here; nothing that was logged tells why."


def test_whether_the_reference_was_unusually_good() -> None:
    usual = a_habit((0.1, 0.11, 0.12, 0.09, 0.0), 4)
    assert (
        metric(of_reference("Halvard", 7, usual)) == " Lap 7 of Halvard is 0.10 s quicker here than Halvard usually is."
    )
    assert of_reference("Halvard", 7, a_habit((0.0, 0.01, -0.01, 0.0), 0)) == ()
    # Who scatters as much as that is not told to have been unusually good.
    assert of_reference("Halvard", 7, a_habit((0.05, 0.3, -0.3, 0.4, -0.2), 2)) == ()
    assert median_of([usual, a_habit((0.4, 0.5), 2)]) == pytest.approx(0.11)
    assert median_of([]) is None


def test_the_own_other_lap_is_called_by_its_number() -> None:
    assert against_of(3, 3, "Ines", 7).than == " than in lap 7"
    assert against_of(3, 4, "Halvard", 7).than == " than Halvard"


@settings(max_examples=150)
@given(
    st.lists(
        st.tuples(st.sampled_from(CODES), st.floats(-0.5, 2.0), st.floats(0.0, 0.5)), max_size=5,
        unique_by=lambda item: item[0],
    ),
    st.floats(0.03, 3.0),
    st.floats(-0.5, 1.0),
    st.text(min_size=1, max_size=20),
)  # fmt: skip
def test_costs_that_are_said_are_those_that_were_found(
    found: list[tuple[str, float, float]], loss: float, brought: float, name: str
) -> None:
    causes = tuple(Evidence(code, cost, u, None, None, None) for code, cost, u in found)
    said = why(name, causes, brought, loss, 0.01, HALVARD)
    figures = [part for part in said if isinstance(part, Quantity)]
    assert any(part.value == pytest.approx(loss) for part in figures)
    told = [part.value for part in figures if part.quantity == "time"]
    assert all(value >= 0 for value in told)
    assert name in "".join(part for part in said if isinstance(part, str))
    assert metric(said).endswith((".", "why."))
