"""What a loss is made of: the car as it showed itself, passages driven again, and prices that add up."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.car import SPEEDS, ShownCar, shown_car
from lauftakt.core.findings.causes import explain
from lauftakt.core.findings.deeds import STEP_M, course_of, effort_of
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender, clean_passages, drives, known_figures, passage_places
from lauftakt.core.findings.prices import prepared, price, shapley, subsets, unions, worth
from lauftakt.core.findings.rebuilding import ELEMENTS, rebuild
from lauftakt.core.findings.statement import Finding
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.windows import windows
from lauftakt.demo.circuits import CIRCUITS
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE, sketch_of
from lauftakt.demo.sensors import Sensors, record

# Kind of mistake in a corner, how much of it, and the name it must get; no two in neighbouring corners.
MISTAKES = {
    "T1": ("soft_brake", 0.3, "soft_brake"),
    "T4": ("late_throttle", 22.0, "late_throttle"),
    "T8": ("unused_width", 0.6, "unused_width"),
    "T10": ("wrong_gear", 1.0, "wrong_gear"),
}

# The same of what only steering and wheel speeds tell.
HANDLING = {
    "T3": ("braked_too_late", 11.0, "braked_too_late"),
    "T5": ("locked_wheel", 32.0, "locked_wheel"),
    "T8": ("understeer", 0.1, "understeer"),
    "T12": ("oversteer", 24.0, "oversteer"),
}


@pytest.fixture(scope="module")
def day() -> tuple[Layout, list[AnalysedRun]]:
    circuit = CIRCUITS["ellerholm"]()
    line = racing_line(circuit)
    base = Driver("reference", corner_level=0.97, brake_level=0.88, scatter=0.002, line_scatter_m=0.2)
    habits = tuple(Habit(corner, kind, amount) for corner, (kind, amount, _) in MISTAKES.items())
    handling = tuple(Habit(corner, kind, amount) for corner, (kind, amount, _) in HANDLING.items())
    drivers = [
        base, replace(base, name="twin"), replace(base, name="student", habits=habits),
        replace(base, name="slider", habits=handling),
    ]  # fmt: skip
    logs = []
    for number, driver in enumerate(drivers):
        motion = drive_run(circuit, COUPE, driver, timed_laps=7, seed=300 + number, line=line)
        logs.append(
            record(circuit, COUPE, motion, Sensors(wheels=True), seed=400 + number, meta={"driver": driver.name})
        )
    layout, _ = make_layout(logs, sketch_of(circuit))
    return layout, [analyse_run(log, layout) for log in logs]


@pytest.fixture(scope="module")
def car(day) -> ShownCar:
    found = shown_car([run.signals for run in day[1]])
    assert found is not None
    return found


@pytest.fixture(scope="module")
def found(day) -> list[Finding]:
    layout, runs = day
    contenders = [Contender(run, name, "coupé") for run, name in zip(runs, ("a", "b", "c", "d"), strict=True)]
    return find(contenders, 0, layout)[0]


def passage_of(layout: Layout, corner: str) -> str:
    circuit = CIRCUITS["ellerholm"]()
    place = dict(circuit.corners)[corner] * layout.length / circuit.length
    near = min(layout.corners, key=lambda c: abs(c.apex_m - place))
    return next(p.name for p in layout.passages if near.name in p.corners)


def test_the_car_shows_its_force_in_each_gear(car: ShownCar) -> None:
    """What is left of full throttle after rolling and air is what the simulator's car has."""
    seen = [gear for gear in car.force if gear > 0]
    assert len(seen) >= 3
    for gear in seen:
        low, high = car.ranges[gear]
        speed = np.linspace(low + 0.5, high - 0.5, 9)
        top = COUPE.gear_top_speeds[gear - 1]
        turns = np.minimum(1.0, speed / top)
        power = COUPE.power_w * np.minimum(1.0, 1.36 * turns - 0.36 * turns**2)
        net = power / np.maximum(speed, 0.32 * top) / COUPE.mass_kg - np.asarray(COUPE.resistance(speed))
        ours = np.interp(speed, SPEEDS, car.force[gear]) + car.closed(speed**2 / 2)
        assert np.median(np.abs(ours - net)) < 0.25, gear
    assert car.cornering == pytest.approx(COUPE.grip * 9.81, rel=0.08)
    assert 0.7 * COUPE.grip * 9.81 < car.braking < 1.1 * COUPE.grip * 9.81


def test_the_car_shows_itself_without_pedals(day, car: ShownCar) -> None:
    sides = [replace(run.signals, others={}, brake_role=None, throttle_inferred=True) for run in day[1]]
    blind = shown_car(sides)
    assert blind is not None
    assert set(blind.force) == {0}
    speed = np.array([25.0, 35.0, 45.0])
    ours, known = (np.interp(speed, SPEEDS, one.force[0]) for one in (blind, car))
    assert ours == pytest.approx(known, rel=0.25)
    assert shown_car([]) is None


def test_every_mistake_gets_its_name(day, found: list[Finding]) -> None:
    layout, _ = day
    for driver, mistakes in (("c", MISTAKES), ("d", HANDLING)):
        for corner, (_, _, name) in mistakes.items():
            finding = next(f for f in found if f.driver == driver and f.passage == passage_of(layout, corner))
            assert name in (finding.cause, finding.second_cause), (corner, finding.causes)
    assert not [f for f in found if f.driver == "b"]


def test_what_depends_on_the_car_is_not_named_between_two(day, found: list[Finding]) -> None:
    """Gears of another car say nothing: what they cost stays unexplained, and the parts still add up."""
    layout, runs = day
    corner = next(corner for corner, (_, _, name) in MISTAKES.items() if name == "wrong_gear")
    passage = passage_of(layout, corner)
    cars = [Contender(runs[0], "a", "coupé"), Contender(runs[2], "c", "another")]
    which = next(i for i, one in enumerate(layout.passages) if one.name == passage)
    told = next(f for f in find(cars, 0, layout, only=which)[0] if f.driver == "c")
    same = next(f for f in found if f.driver == "c" and f.passage == passage)
    assert "wrong_gear" in [one.cause for one in same.causes]
    assert "wrong_gear" not in [one.cause for one in told.causes]
    assert told.unexplained_s > same.unexplained_s
    assert sum(one.cost_s for one in told.causes) + told.brought_in_s + told.unexplained_s == pytest.approx(told.loss_s)


def test_costs_add_up_to_the_loss(found: list[Finding]) -> None:
    assert found
    for finding in found:
        total = sum(one.cost_s for one in finding.causes) + finding.brought_in_s + finding.unexplained_s
        assert total == pytest.approx(finding.loss_s, abs=1e-9)
        assert [one.cost_s for one in finding.causes] == sorted((one.cost_s for one in finding.causes), reverse=True)
        assert abs(finding.unexplained_s) < 0.35 * finding.loss_s + 0.02
        assert all(one.cost_u_s > 0 for one in finding.causes)


def test_prices_agree_with_the_passage_driven_again(day, found: list[Finding]) -> None:
    """The simulator drives the same laps without one of the mistakes: what that gains is what the cause costs."""
    layout, _ = day
    circuit = CIRCUITS["ellerholm"]()
    line = racing_line(circuit)
    base = Driver("reference", corner_level=0.97, brake_level=0.88, scatter=0.002, line_scatter_m=0.2)
    habits = tuple(Habit(corner, kind, amount) for corner, (kind, amount, _) in MISTAKES.items())
    with_all = replace(base, name="student", habits=habits)
    laps = np.diff(drive_run(circuit, COUPE, with_all, timed_laps=7, seed=302, line=line).crossings)
    for habit in habits:
        again = drive_run(circuit, COUPE, with_all, timed_laps=7, seed=302, line=line, without=(habit,))
        truth = float(np.median(laps - np.diff(again.crossings)))
        finding = next(f for f in found if f.driver == "c" and f.passage == passage_of(layout, habit.corner))
        name = MISTAKES[habit.corner][2]
        cost = next(one for one in finding.causes if one.cause == name)
        carried = finding.carried_s or 0.0
        assert cost.cost_s + max(carried, 0.0) == pytest.approx(truth, abs=0.45 * truth + 0.03), habit


def test_undisturbed_a_passage_comes_out_as_it_was_driven(day, car: ShownCar) -> None:
    layout, runs = day
    places = windows(layout)
    for position in range(len(layout.passages)):
        sides = [clean_passages(run, layout, position).numbers for run in (runs[2], runs[0])]
        own, theirs = drives(runs[2], sides[0], position), drives(runs[0], sides[1], position)
        both, _, _ = prepared(car, own, theirs, *passage_places(layout, position, places))
        seconds, energy = rebuild(both, np.zeros((1, len(ELEMENTS)), dtype=bool))
        side = both.courses[0]
        speed = np.sqrt(2 * side.energy)
        driven = (2 * side.steps / (speed[:, 1:] + speed[:, :-1])).sum(axis=1)
        assert seconds[0] == pytest.approx(driven, abs=0.03)
        assert np.median(np.abs(energy[0] - side.energy) / side.energy) < 0.02


def test_a_driver_against_himself_costs_nothing(day, car: ShownCar) -> None:
    layout, runs = day
    own = drives(runs[0], clean_passages(runs[0], layout, 2).numbers, 2)
    places = passage_places(layout, 2, windows(layout))
    both, prices = price(car, own, own, *places)
    assert all(abs(cost) < 1e-6 for cost in prices.cost.values())
    told = explain(both, prices, known_figures(runs[0], [1, 2], 2), known_figures(runs[0], [1, 2], 2), 0.0, "left")
    assert told.causes == ()
    assert told.main == ["unclear"]


def test_prices_that_leave_more_over_than_was_lost_explain_nothing(day, car: ShownCar) -> None:
    layout, runs = day
    sides = [drives(run, clean_passages(run, layout, 0).numbers, 0) for run in (runs[2], runs[0])]
    both, prices = price(car, *sides, *passage_places(layout, 0, windows(layout)))
    figures = [known_figures(run, [1, 2, 3], 0) for run in (runs[2], runs[0])]
    assert explain(both, prices, *figures, 0.4, "left").causes
    odd = replace(prices, cost={**prices.cost, "use": 5.0})
    # So little is lost that no mistake explains it, either.
    told = explain(both, odd, *figures, 0.02, "left")
    assert (told.causes, told.brought_in_s, told.unexplained_s) == ((), 0.0, 0.02)
    assert told.main == ["unclear"]


def test_exchanging_everything_brings_the_references_time(day, car: ShownCar) -> None:
    layout, runs = day
    losses, missing = [], []
    for position in range(len(layout.passages)):
        sides = [clean_passages(run, layout, position).numbers for run in (runs[2], runs[0])]
        pair_ = drives(runs[2], sides[0], position), drives(runs[0], sides[1], position)
        both, _, _ = prepared(car, *pair_, *passage_places(layout, position, windows(layout)))
        values = worth(both, unions(both))
        speeds = [np.sqrt(2 * c.energy[0]) for c in both.courses]
        driven = [float((2 * c.steps[0] / (v[1:] + v[:-1])).sum()) for c, v in zip(both.courses, speeds, strict=True)]
        losses.append(abs(driven[0] - driven[1]))
        missing.append(abs(driven[0] - driven[1] - sum(float(each[0]) for each in values.values())))
    assert sum(missing) < 0.25 * sum(losses)


@given(st.integers(1, 6), st.integers(0, 2**31))
def test_shares_add_up_and_who_does_nothing_gets_nothing(count: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    game = random.normal(size=(2**count, 2))
    shares = shapley(game, count)
    assert shares.sum(axis=0) == pytest.approx(game[-1] - game[0], abs=1e-9)
    members = subsets(count + 1)
    # A player who never changes anything, beside the others.
    wider = game[(members[:, :count] * 2 ** np.arange(count)).sum(axis=1)]
    assert np.abs(shapley(wider, count + 1)[count]).max() < 1e-12


@settings(deadline=None)
@given(
    st.floats(2.0, 30.0), st.integers(1, 8), st.integers(5, 60), st.integers(1, 20), st.floats(0.3, 3.0),
    st.booleans(),
)  # fmt: skip
def test_a_braking_put_together_takes_off_what_it_should(
    level: float, rise: int, held: int, release: int, more: float, dips: bool
) -> None:
    taken = np.concatenate([np.linspace(0.1, 1.0, rise), np.ones(held), np.linspace(0.95, 0.05, release)]) * level
    effort = effort_of(taken, dips)
    lost, length = course_of(effort, effort, effort, effort, more * taken.sum(), 400)
    assert (np.diff(lost) >= -1e-9).all()
    if length < 399:
        assert lost[-1] == pytest.approx(more * taken.sum(), rel=1e-6)
    same, nodes = course_of(effort, effort, effort, effort, float(taken.sum()), len(taken) + 1)
    assert nodes == pytest.approx(len(taken), abs=0.5)
    assert same[-1] == pytest.approx(taken.sum(), rel=1e-6)
    assert STEP_M > 0
