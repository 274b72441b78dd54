"""Over days: days, cars and drivers told apart, records, steadiness, kinds of corner, courses of cues."""

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.debrief.alike import Setting, apart, differs, remark
from lauftakt.core.debrief.check import REACHED_PAID, Asked, check, losses_of
from lauftakt.core.debrief.family import holm
from lauftakt.core.debrief.target import proposals
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.pipeline import analyse_run
from lauftakt.core.run import AnalysedRun
from lauftakt.core.season.common import Common, Driven, common_of
from lauftakt.core.season.course import (
    BACK,
    DONE,
    GONE,
    OPEN,
    STAYS,
    UNCLEAR,
    WAITING,
    Look,
    course_of,
    reached_in,
    slipped_since,
)
from lauftakt.core.season.crest import LIGHT_MS2, lightness_of
from lauftakt.core.season.kinds import CREST, FAST, LINKED, ORDINARY, SLOW, kinds_of
from lauftakt.core.season.lying import DayRun, lying_of
from lauftakt.core.season.pace import Scattered, pace_of, scattered
from lauftakt.core.season.records import Timed, records_of
from lauftakt.core.season.steadier import LEVEL, STEADIER, WILDER, steadiness_of
from lauftakt.core.season.working import Asked as AskedCue
from lauftakt.core.season.working import working_of
from lauftakt.formats.reading import read_log
from tests.day import Day

INSTRUCTOR = 0


def season(
    rng: np.random.Generator, drivers: int = 6, days: int = 4, gains: Mapping[int, float] | None = None,
    miss: float = 0.2, other_car: float | None = None, scatter: float = 0.0035,
) -> tuple[list[Driven], np.ndarray]:  # fmt: skip
    """Runs of drivers on days of different grip; who gains does so evenly. Half of them change cars half way."""
    grip = rng.normal(0.0, 0.01, days)
    own = rng.normal(0.0, 0.02, drivers)
    runs = []
    for driver in range(drivers):
        for day in range(days):
            if driver != INSTRUCTOR and rng.random() < miss:
                continue
            car = int(other_car is not None and day >= days // 2 and driver % 2 == 1)
            value = own[driver] + grip[day] + (gains or {}).get(driver, 0.0) * day / (days - 1)
            value += car * (other_car or 0.0) + rng.normal(0.0, scatter) + rng.normal(0.0, 0.0015)
            pace = 100.0 * float(np.exp(value))
            runs.append(Driven(driver, day, car, day, pace, 0.0015 * pace))
    return runs, grip


def held(low: float, true: float, high: float) -> bool:
    return np.log1p(low) <= true <= np.log1p(high)


def test_who_improves_is_told_after_days_and_cars() -> None:
    rng = np.random.default_rng(5)
    inside: dict[str, list[bool]] = {"drivers": [], "days": [], "cars": []}
    falsely = found = 0
    for _ in range(120):
        runs, grip = season(rng, gains={1: -0.04}, other_car=-0.01, miss=0.1)
        told = common_of(runs, frozenset({INSTRUCTOR}))
        assert told is not None
        assert told.anchored == (INSTRUCTOR,)
        for driver, effect in told.drivers.items():
            own = [run.order for run in runs if run.driver == driver]
            share = (max(own) - min(own)) / 3
            inside["drivers"].append(held(effect.low, (-0.04 if driver == 1 else 0.0) * share, effect.high))
        sure = holm([effect.likely for effect in told.drivers.values()], 0.05)
        clear = {driver for driver, left in zip(told.drivers, sure, strict=True) if left is not None}
        falsely += bool(clear - {1})
        found += 1 in clear
        for day, effect in told.days.items():
            inside["days"].append(held(effect.low, grip[day] - grip[0], effect.high))
        for car, effect in told.cars.items():
            inside["cars"].append(held(effect.low, -0.01 if car == 1 else 0.01, effect.high))
    # Intervals of 95 %; of 120 schools hardly any hears of somebody who did not change. By one instructor and a run a
    # day four percent are found in most, 1.5 percent in few.
    for name, kept in inside.items():
        assert np.mean(kept) > 0.9, name
    assert falsely <= 10
    assert found > 60


def test_without_an_instructor_a_common_gain_is_not_told_from_grip() -> None:
    rng = np.random.default_rng(6)
    runs, _ = season(rng, gains=dict.fromkeys(range(6), -0.02), miss=0.0)
    told = common_of(runs)
    assert told is not None
    assert told.anchored == ()
    assert abs(np.mean([np.log1p(effect.share) for effect in told.drivers.values()])) < 1e-6
    # All gained; the days are said to have become quicker by it.
    assert told.days[3].share < -0.005
    one, _ = season(rng, gains={2: -0.04}, miss=0.0)
    alone = common_of(one)
    assert alone is not None
    assert min(alone.drivers, key=lambda driver: alone.drivers[driver].share) == 2


def test_what_nobody_shares_is_not_told() -> None:
    apart_days = [Driven("a", day, "x", day, 100.0, 0.1) for day in (0, 1)]
    apart_days += [Driven("b", day, "y", day, 104.0, 0.1) for day in (2, 3)]
    told = common_of(apart_days, frozenset({"a"}))
    assert told is not None
    # b's days hang together among themselves, and with nothing of a.
    assert set(told.days) == {1}
    assert told.cars == {}
    assert "b" not in told.drivers
    assert common_of([]) is None
    assert common_of(apart_days[:1]) is None
    # Somebody alone on two days: nothing can be said of them, nor of the days.
    single = common_of([Driven("a", day, "x", day, 100.0 - day, 0.1) for day in range(3)])
    assert single is not None
    assert single.drivers == {}


def test_an_exercise_is_told_by_those_who_did_not_do_it() -> None:
    rng = np.random.default_rng(7)
    kept = []
    for _ in range(60):
        runs, _ = season(rng, drivers=10, days=5, miss=0.1)
        told = common_of(
            [
                replace(run, tried=True, pace_s=run.pace_s * 0.985)
                if run.driver in (2, 3, 4) and run.order >= 3
                else run
                for run in runs
            ],
            frozenset({INSTRUCTOR}),
        )
        assert told is not None
        assert told.tried is not None
        kept.append(held(told.tried.low, float(np.log(0.985)), told.tried.high))
        assert 1 <= told.tried.by <= 3
    assert np.mean(kept) > 0.88
    everybody = common_of([replace(run, tried=run.order >= 3) for run in runs if run.driver != INSTRUCTOR])
    assert everybody is not None
    assert everybody.tried is None


@settings(max_examples=40, deadline=None)
@given(
    runs=st.lists(
        st.tuples(
            st.integers(0, 5), st.integers(0, 5), st.integers(0, 2), st.floats(60.0, 200.0), st.floats(0.01, 2.0)
        ),
        min_size=1, max_size=40,
    ),
    anchors=st.frozensets(st.integers(0, 5), max_size=3),
)  # fmt: skip
def test_any_season_gives_figures_or_nothing(
    runs: list[tuple[int, int, int, float, float]], anchors: frozenset[int]
) -> None:
    told = common_of([Driven(d, day, car, day, pace, doubt) for d, day, car, pace, doubt in runs], frozenset(anchors))
    if told is None:
        return
    for effect in (*told.days.values(), *told.cars.values(), *told.drivers.values()):
        assert np.isfinite([effect.share, effect.low, effect.high]).all()
        assert effect.low <= effect.share <= effect.high
        assert 0.0 <= effect.likely <= 1.0
    assert all(driver not in told.drivers for driver in told.anchored)


def test_the_scale_of_times_and_the_names_do_not_matter() -> None:
    runs, _ = season(np.random.default_rng(8))
    plain = common_of(runs, frozenset({INSTRUCTOR}))
    scaled = common_of(
        [replace(r, driver=f"d{r.driver}", pace_s=3 * r.pace_s, doubt_s=3 * r.doubt_s) for r in runs],
        frozenset({f"d{INSTRUCTOR}"}),
    )
    assert isinstance(plain, Common)
    assert isinstance(scaled, Common)
    for driver, effect in plain.drivers.items():
        assert scaled.drivers[f"d{driver}"].share == pytest.approx(effect.share, abs=1e-9)


def test_records_say_when_they_are_level() -> None:
    found = records_of(
        [
            Timed(1, 100.0, 0.01), Timed(2, 100.5, 0.01), Timed(3, 99.996, 0.01), Timed(4, 98.0, 0.01),
            Timed(5, 97.9, None),
        ]
    )  # fmt: skip
    assert [one.key for one in found] == [1, 3, 4, 5]
    assert (found[0].by_s, found[0].level) == (None, False)
    assert found[1].by_s == pytest.approx(0.004)
    assert found[1].level
    assert found[1].by_u_s == pytest.approx(0.01 * 2**0.5)
    assert not found[2].level
    # Nobody knows how well the last one is timed, so it is not said to be quicker.
    assert found[3].by_u_s is None
    assert found[3].level
    assert records_of([]) == []


def test_steadier_only_where_the_laps_can_carry_it() -> None:
    rng = np.random.default_rng(9)
    falsely = found = 0
    for _ in range(200):
        first, second, third = (scattered(rng.normal(20.0, size, 9)) for size in (0.2, 0.2, 0.02))
        assert first is not None
        assert second is not None
        assert third is not None
        same, less = steadiness_of(first, second), steadiness_of(first, third)
        falsely += same is not None and same.says != LEVEL
        found += less is not None and less.says == STEADIER
        assert same is None or same.low <= same.factor <= same.high
        more = steadiness_of(third, first)
        assert more is None or more.says in (WILDER, LEVEL)
    assert falsely <= 16
    assert found > 190
    few = scattered(np.array([20.0, 20.1]))
    assert few is not None
    assert steadiness_of(few, few) is None
    assert scattered(np.array([np.nan])) is None


def test_runs_of_another_car_or_weather_do_not_compare() -> None:
    here = Setting(1, "2026-05-01", 1, "red", "soft", None)
    assert apart(here, here) is None
    assert apart(here, replace(here, layout=2)) == "The run after it was driven on another circuit."
    assert "blue" in (apart(here, replace(here, car=2, car_name="blue")) or "")
    assert apart(here, replace(here, car=None)) is None
    assert apart(here, replace(here, conditions="damp")) == "Conditions differ: dry before, damp after."
    assert remark(here, replace(here, tyres="hard", day="2026-05-02")) == (
        "other tyres (hard instead of soft), another day"
    )
    assert differs(here, replace(here, car=2, conditions="wet")) == ("car", "conditions")
    assert replace(here, conditions="DAMP in places").grip == "damp"
    assert here.trim != replace(here, tyres="hard").trim


def test_a_cue_is_reached_kept_lost_and_back() -> None:
    def stages(*looks: tuple[str, bool | None], keep: bool = False) -> tuple[str, ...]:
        return course_of([Look(i, answer, slipped) for i, (answer, slipped) in enumerate(looks)], keep=keep).stages

    assert course_of([]).stage == WAITING
    assert stages(("no_change", None), ("moved", None)) == (OPEN, OPEN)
    assert stages(("cannot_judge", None)) == (UNCLEAR,)
    there = stages(
        ("reached", None), ("worse", False), ("no_change", True), ("no_change", None), ("reached_paid", None)
    )
    assert there == (DONE, STAYS, GONE, GONE, BACK)
    assert stages(("reached", None), ("cannot_judge", None), ("no_change", False)) == (DONE, DONE, STAYS)
    assert stages(("kept", None), ("lost", None), ("kept", None), keep=True) == (STAYS, GONE, BACK)
    assert stages(("cannot_judge", None), keep=True) == (UNCLEAR,)
    looks = [Look(1, "reached"), Look(2, "no_change", False), Look(3, "no_change", True), Look(4, "reached")]
    course = course_of(looks)
    assert (course.reached, course.lost, course.stage) == (1, 3, BACK)
    assert reached_in(looks[:2]) == 0
    assert reached_in(looks[:3]) is None
    assert reached_in(looks) == 3


def test_shares_of_cues_have_intervals() -> None:
    stages = ((DONE, True), (STAYS, False), (GONE, True), (OPEN, False), (WAITING, False), (UNCLEAR, False))
    cues = [AskedCue("brake", stage, paid) for stage, paid in stages]
    brake, gear = working_of([*cues, AskedCue("gear", DONE, False)])
    assert (brake.about, brake.given, brake.judged, brake.reached, brake.paid, brake.lost) == ("brake", 6, 4, 3, 2, 1)
    assert brake.share == 0.75
    assert brake.low is not None
    assert brake.high is not None
    assert 0.2 < brake.low < 0.75 < brake.high < 1.0
    assert gear.share is None


def test_where_a_school_loses_time(day: Day) -> None:
    names = [log.meta["driver"] for log in day.logs]
    paces = [pace_of(run, day.layout) for run in day.runs]
    kinds = kinds_of(day.layout, [p.slowest_ms for p in paces], [p.mean_ms for p in paces if p.mean_ms])
    assert kinds is not None
    assert set(kinds.of.values()) == {SLOW, ORDINARY, FAST, LINKED}
    hairpin = next(p.name for p in day.layout.passages if "T5" in p.corners)
    assert kinds.of[hairpin] == SLOW
    runs = [
        DayRun(name, "today", pace.best_s or 0.0, pace.passages, name != "Halvard")
        for name, pace in zip(names, paces, strict=True)
    ]
    by_kind, passages = lying_of(runs, kinds.of)
    assert sum(one.loss_s for one in by_kind) == pytest.approx(sum(one.loss_s for one in passages), abs=1e-6)
    for one in by_kind:
        assert one.low_s < one.loss_s < one.high_s
        assert one.students == 5
    # The truth: what the median laps are slower by.
    medians = {name: pace.lap.median_s for name, pace in zip(names, paces, strict=True) if pace.lap is not None}
    slower = np.mean([time - medians["Halvard"] for name, time in medians.items() if name != "Halvard"])
    assert sum(one.loss_s for one in by_kind) == pytest.approx(float(slower), abs=0.25)
    assert lying_of(runs[:3], kinds.of) == ([], [])
    assert kinds_of(day.layout, [], []) is None


def test_a_pace_tells_medians_and_their_doubt(day: Day) -> None:
    pace = pace_of(day.runs[0], day.layout)
    times = [lap.time_s for lap in day.runs[0].counting]
    assert pace.lap is not None
    assert pace.lap.median_s == pytest.approx(float(np.median(np.array(times, dtype=float))))
    assert pace.lap.doubt_s is not None
    assert 0.0 < pace.lap.doubt_s < 0.2
    assert pace.best_s == min(t for t in times if t is not None)
    assert set(pace.passages) == {p.name for p in day.layout.passages}
    whole = sum(side.median_s for side in pace.passages.values())
    assert whole == pytest.approx(pace.lap.median_s, abs=0.3)
    nothing = pace_of(replace(day.runs[0], laps=()), day.layout)
    assert (nothing.lap, nothing.best_s, nothing.passages) == (None, None, {})


@pytest.fixture(scope="module")
def over_days(day: Day, season_files: list[Path]) -> dict[str, list[AnalysedRun]]:
    """Runs of three days, by driver, in order."""
    found: dict[str, list[AnalysedRun]] = {}
    for path in season_files:
        log = read_log(path)
        found.setdefault(log.meta["driver"], []).append(analyse_run(log, day.layout))
    return found


def test_what_was_forgotten_is_told_and_what_comes_back(day: Day, over_days: dict[str, list[AnalysedRun]]) -> None:
    """The truth: told after the first day, done on the second, forgotten on the third, and back on the school's day."""
    base, first = over_days["Halvard"][0], over_days["Okan"][0]
    lost, _ = find([Contender(base, "Halvard", "car"), Contender(first, "Okan", "car")], 0, day.layout)
    finding = next(one for one in lost if one.corner == "T5" and one.passage is not None)
    asked = Asked(1, proposals(finding, first, day.layout, base)[0].target)
    assert asked.target.figure == "brake_point_m"
    losses = losses_of(first, day.layout, base)
    touched = frozenset({asked.target.passage})
    looks: list[Look] = []
    after = [*over_days["Okan"][1:], day.runs[day.of("Okan")]]
    for number, run in enumerate(after, 1):
        answer = check(first, run, day.layout, [asked], losses=losses, look=number).answers[0]
        since = reached_in(looks)
        slipped = None if since is None else slipped_since(after[since], run, day.layout, asked.target, touched, 1)
        looks.append(Look(number, answer.answer, slipped))
    assert looks[0].answer == REACHED_PAID
    assert course_of(looks).stages == (DONE, GONE, BACK)


def test_too_few_laps_tell_nothing_of_what_slipped(day: Day, over_days: dict[str, list[AnalysedRun]]) -> None:
    first, second = over_days["Okan"][:2]
    few = replace(second, laps=second.laps[:3])
    passage = next(p for p in day.layout.passages if "T5" in p.corners)
    told, _ = find([Contender(day.runs[0], "Halvard", "car"), Contender(first, "Okan", "car")], 0, day.layout)
    finding = next(one for one in told if one.corner == "T5")
    asked = proposals(finding, first, day.layout, day.runs[0])[0].target
    assert slipped_since(second, few, day.layout, asked, frozenset({passage.name}), 1) is None
    assert slipped_since(second, second, day.layout, asked, frozenset({passage.name}), 1) is False


def with_channel(run: AnalysedRun, role: str, values: np.ndarray) -> AnalysedRun:
    assert run.signals is not None
    return replace(run, signals=replace(run.signals, others={**run.signals.others, role: values}))


@pytest.mark.parametrize("gravity", [9.81, -9.81, 0.0])
def test_a_crest_is_seen_in_heights_and_in_what_the_car_feels(day: Day, gravity: float) -> None:
    run, layout = day.runs[0], day.layout
    signals = run.signals
    assert signals is not None
    rng, speed = np.random.default_rng(13), signals.speed
    crest = next(corner for corner in layout.corners if corner.name == "T9")
    dip = next(corner for corner in layout.corners if corner.name == "T4")
    away = {corner.name: (signals.places - corner.apex_m) / 60.0 for corner in (crest, dip)}
    # A hill of five metres and a hollow of as much over about two hundred metres.
    height = 5.0 * np.exp(-0.5 * away["T9"] ** 2) - 5.0 * np.exp(-0.5 * away["T4"] ** 2)
    bend = np.gradient(np.gradient(height, signals.places), signals.places)
    noisy = height + 0.15 * rng.standard_normal(speed.shape)
    felt = np.sign(gravity or 1.0) * (abs(gravity) + bend * speed**2 + 2.0 * rng.standard_normal(speed.shape))
    for role, values in (("altitude", noisy), ("vertical_acceleration", felt)):
        found = lightness_of(with_channel(run, role, values), layout)
        assert found["T9"] < LIGHT_MS2, (role, found)
        assert found["T4"] > 0.0, (role, found)
        assert all(value > LIGHT_MS2 for name, value in found.items() if name != "T9"), (role, found)
    pace = pace_of(with_channel(run, "vertical_acceleration", felt), layout)
    assert pace.mean_ms is not None
    kinds = kinds_of(layout, [pace.slowest_ms], [pace.mean_ms], [{"T9": 2 * LIGHT_MS2}])
    assert kinds is not None
    assert [name for name, kind in kinds.of.items() if kind == CREST] == [
        passage.name for passage in layout.passages if "T9" in passage.corners
    ]
    assert lightness_of(run, layout) == {}


def test_a_spread_needs_three_laps() -> None:
    one = scattered(np.array([10.0]))
    assert one == Scattered(10.0, None, None, None, None, 1)
