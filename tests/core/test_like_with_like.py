"""The one rule by which a day's reference is found, and what is compared with what."""

from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.comparison.reference import Standing, groups_of, reference_of
from lauftakt.core.debrief.alike import Setting, across, differences
from lauftakt.core.laps.conditions import conditions_in, conditions_of

STANDINGS = st.lists(
    st.builds(
        Standing,
        run=st.integers(1, 10_000),
        driver=st.integers(1, 6),
        best_s=st.floats(20.0, 200.0),
        conditions=st.sampled_from(["dry", "damp", "wet"]),
        instructor=st.booleans(),
        car=st.sampled_from([None, 1, 2]),
    ),
    unique_by=lambda run: run.run,
    max_size=12,
)


def test_an_instructor_goes_before_a_quicker_student() -> None:
    student, instructor = Standing(1, 1, 90.0), Standing(2, 2, 91.0, instructor=True)
    assert reference_of([student, instructor]) is instructor


def test_an_instructor_in_a_car_that_nobody_else_drives_is_no_measure() -> None:
    student, instructor = Standing(1, 1, 90.0, car=1), Standing(2, 2, 80.0, instructor=True, car=2)
    assert reference_of([student, instructor]) is instructor  # it is the quickest lap of the day all the same
    assert reference_of([student, Standing(2, 2, 91.0, instructor=True, car=2)]) is student
    assert reference_of([student, Standing(2, 2, 91.0, instructor=True)]) is not student


def test_the_quicker_of_two_instructors() -> None:
    runs = [Standing(1, 1, 95.0, instructor=True), Standing(2, 2, 94.0, instructor=True), Standing(3, 3, 90.0)]
    assert reference_of(runs) is runs[1]


@given(STANDINGS)
def test_every_run_is_compared_once_and_with_its_like(runs: list[Standing]) -> None:
    groups = groups_of(runs)
    assert sorted(run.run for group in groups for run in group.runs) == sorted(run.run for run in runs)
    for group in groups:
        assert group.reference in group.runs
        assert {run.conditions for run in group.runs} == {group.conditions}
        assert [run.best_s for run in group.runs] == sorted(run.best_s for run in group.runs)


@given(STANDINGS)
def test_by_own_bests_nobody_is_measured_against_anybody_else(runs: list[Standing]) -> None:
    for group in groups_of(runs, own_bests=True):
        assert {run.driver for run in group.runs} == {group.reference.driver}
        assert group.reference.best_s == min(run.best_s for run in group.runs)


def test_conditions_are_read_from_what_people_write() -> None:
    assert conditions_in("Wet") == "wet"
    assert conditions_in("rain test") == "wet"
    assert conditions_in("drying, damp") == "damp"
    assert conditions_in("dry") == "dry"
    assert conditions_in("sunny") is None
    assert conditions_of(None) == "dry"


def test_what_differs_besides_the_driving_comes_first() -> None:
    dry = Setting(1, "2026-05-16", 1, "Hatch 1", "soft", "dry")
    assert across(differences(dry, dry)) == ""
    wet = Setting(1, "2026-05-16", 2, "Hatch 2", None, "wet")
    assert across(differences(wet, dry)) == (
        "In the wet, against a lap in the dry, in another car (Hatch 2 against Hatch 1): "
    )
    assert differences(Setting(1, "2026-05-16", None, "", None, None), dry) == ()
