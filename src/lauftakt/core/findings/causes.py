"""Why time is lost in a passage: what each part of the driving costs, by its name.

Codes: ``early_brake``, ``soft_brake``, ``slow_brake_rise``, ``early_release``, ``late_release``, ``interrupted_brake``,
``braked_too_late``, ``over_slow``, ``coasting``, ``late_throttle``, ``hesitant_throttle``, ``needless_lift``,
``wrong_gear``, ``early_turn_in``, ``late_turn_in``, ``unused_width``, ``oversteer``, ``locked_wheel``,
``car_or_conditions``, ``unclear``.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from statistics import fmean, median

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.findings.deeds import STEP_M
from lauftakt.core.findings.prices import Prices
from lauftakt.core.findings.rebuilding import FLAT, Pair, Stage
from lauftakt.core.technique.figures import Figures

Array = NDArray[np.float64]
# Less than a hundredth of a second is nothing that anybody can work on; it stays with what is not explained.
LEAST_S = 0.01
# Share of a price that rebuilding gets wrong: its scatter against passages driven again in the simulator.
MODEL = 0.4
# What prices leave over is never so little that it could not be chance, s.
LEAST_REST_S = 0.1
# A cause is told as one of two when it is beyond its own doubt, so many standard deviations.
CLEAR = 1.0
# A wheel that stands, and a slide that is held, for so long explain a braking or a way out, s.
LOCKED_S, SLID_S = 0.1, 0.12
# Where two lines are compared, beside where the reference's is tightest: on the way in and there, as shares of the
# radius and at most so many metres.
ENTRY, MOST_ENTRY_M, APEX, MOST_APEX_M = (0.6, 0.17), 50.0, 0.1, 8.0
# A line that lies so near to the other, m, tells of no turn-in unless it costs more than this, s.
LEAST_APART_M, LEAST_LINE_S = 0.4, 0.03
# A braking that ends earlier by so many times what it begins earlier, and by so many metres, was not moved as a whole.
MOVED, LEAST_MOVED_M = 2.0, 6.0
# Share of the laps in which a lift must be seen to be a habit.
MOSTLY = 0.5


@dataclass(frozen=True)
class Evidence:
    """One cause with what it costs and what it rests on: figures of driver and reference.

    Attributes
    ----------
    cause : code
    cost_s, cost_u_s : s, negative where the driver is better, and its standard deviation
    figure : name of the figure, ``own`` and ``theirs`` its values, SI; None where there is none to tell
    """

    cause: str
    cost_s: float
    cost_u_s: float
    figure: str | None
    own: float | None
    theirs: float | None


@dataclass(frozen=True)
class Explanation:
    """A loss in seconds: ``causes`` (largest first), ``brought_in_s`` and ``unexplained_s`` add up to it."""

    causes: tuple[Evidence, ...]
    brought_in_s: float
    unexplained_s: float

    @property
    def main(self) -> list[str]:
        """Codes of at most two causes that cost time beyond their doubt; ``unclear`` where there is none."""
        clear = [one.cause for one in self.causes if one.cost_s > max(LEAST_S, CLEAR * one.cost_u_s)]
        return clear[:2] or ["unclear"]


def explain(
    both: Pair, prices: Prices, own: Sequence[Figures], theirs: Sequence[Figures], loss_s: float, direction: str,
    row: int = 0, least_u_s: float = 0.0,
) -> Explanation:  # fmt: skip
    """Names for what the parts of a driver's doing cost.

    Parameters
    ----------
    both, prices : the passage as both drive it, and what each element costs
    own, theirs : figures of driver and reference in the corner where most is lost, over clean laps
    loss_s : what is lost in all
    direction : of that corner, ``left`` or ``right``
    row : which variant of the passage it is about
    least_u_s : standard deviation that a cost has at least, where there are too few laps to learn it from

    Notes
    -----
    A name follows from the element whose exchange gains time; what is nearer to the words of a coach (which way a
    turn-in differs, whether a throttle was let off again) from the deeds and figures. No cost follows from a figure.
    """
    stage = _where_lost(both, row)
    found: dict[str, Evidence] = {}
    for element, cost in prices.cost.items():
        if element == "brought_in" or abs(cost) < LEAST_S:
            continue
        named = _NAMES[element](_Case(both, stage, row, own, theirs, direction, cost))
        if not named.cause:
            continue
        u = float(np.hypot(max(prices.u[element], least_u_s), MODEL * abs(cost)))
        before = found.get(named.cause)
        if before is not None:
            named, cost, u = before, before.cost_s + cost, float(np.hypot(before.cost_u_s, u))
        named = replace(named, cost_s=cost, cost_u_s=u)
        found[named.cause] = named
    causes = tuple(sorted((c for c in found.values() if abs(c.cost_s) >= LEAST_S), key=lambda c: -c.cost_s))
    brought = prices.cost.get("brought_in", 0.0)
    rest = loss_s - brought - sum(c.cost_s for c in causes)
    if abs(rest) > max(abs(loss_s), LEAST_REST_S):
        # Prices that leave more over than there is to explain explain nothing.
        return Explanation((), 0.0, loss_s)
    return Explanation(causes, brought, rest)


def _where_lost(both: Pair, row: int) -> Stage:
    """The corner's part in which most is lost."""

    def lost(stage: Stage) -> float:
        here = slice(stage.first, stage.last)
        times = []
        for side in both.courses:
            speed = np.sqrt(2 * side.energy[row])
            times.append(float((2 * side.steps[row] / (speed[1:] + speed[:-1]))[here].sum()))
        return times[0] - times[1]

    return max(both.stages, key=lost)


# Which way a figure must differ for a cause that costs time: what says otherwise is not told with it.
_SAYS = {
    "early_brake": -1.0, "braked_too_late": 1.0, "early_release": -1.0, "late_release": 1.0, "slow_brake_rise": 1.0,
    "over_slow": -1.0, "coasting": 1.0, "late_throttle": 1.0, "needless_lift": -1.0, "locked_wheel": 1.0,
    "oversteer": 1.0,
}  # fmt: skip


@dataclass(frozen=True)
class _Case:
    """An element that costs time, to be named: in which corner's part, and what figures say there."""

    both: Pair
    stage: Stage
    row: int
    own: Sequence[Figures]
    theirs: Sequence[Figures]
    direction: str
    cost: float

    def told(self, cause: str, figure: str) -> Evidence:
        """A cause with the medians of a figure."""
        a, b = self.median(figure)
        says = _SAYS.get(cause, 0.0) * (1.0 if self.cost > 0 else -1.0)
        known = a is not None and b is not None and (a - b) * says >= 0.0
        return Evidence(cause, 0.0, 0.0, figure if known else None, a if known else None, b if known else None)

    def median(self, figure: str) -> tuple[float | None, float | None]:
        """Medians of a figure over the driver's and the reference's laps, None unless at least half of them have it."""
        found = []
        for side in (self.own, self.theirs):
            known = [float(value) for one in side if (value := getattr(one, figure)) is not None]
            found.append(median(known) if known and 2 * len(known) >= len(side) else None)
        return found[0], found[1]

    def more(self, figure: str) -> float:
        """By how much a figure is greater for the driver; what is not known counts as nothing."""
        a, b = self.median(figure)
        return (a or 0.0) - (b or 0.0)

    def later(self, field: str) -> float:
        """By how much the driver does something later than the reference, beside where both lines are tightest, m."""
        own, theirs = (float(getattr(side, field)[self.row] - side.tightest[self.row]) for side in self.stage.sides)
        return (own - theirs) * STEP_M


def _place(case: _Case) -> Evidence:
    begin, end = case.later("begin"), case.later("end")
    if case.cost > 0 and end < min(MOVED * begin, -LEAST_MOVED_M):
        return case.told("early_release", "brake_release_m")
    if case.cost > 0 and begin > 0.0:
        return case.told("braked_too_late", "brake_point_m")
    return case.told("early_brake", "brake_point_m")


def _level(case: _Case) -> Evidence:
    if case.more("locked_s") > LOCKED_S:
        return case.told("locked_wheel", "locked_s")
    efforts = [side.effort[case.row] for side in case.stage.sides]
    if efforts[0] is None or efforts[1] is None:
        return case.told("soft_brake", "mean_braking")
    return Evidence("soft_brake", 0.0, 0.0, "brake_level", efforts[0].level / STEP_M, efforts[1].level / STEP_M)


def _rise(case: _Case) -> Evidence:
    return case.told("slow_brake_rise", "brake_rise_s")


def _dips(case: _Case) -> Evidence:
    return case.told("interrupted_brake", "brake_applications")


def _release(case: _Case) -> Evidence:
    cause = "late_release" if case.later("end") > 0.0 else "early_release"
    return case.told(cause, "brake_release_m")


def _use(case: _Case) -> Evidence:
    if case.cost > 0 and case.more("countersteer_s") > SLID_S:
        return case.told("oversteer", "countersteer_s")
    return case.told("over_slow", "min_speed")


def _throttle(case: _Case) -> Evidence:
    here = slice(case.stage.first, case.stage.last)
    if case.both.courses[1].pedal[case.row, here].min() > FLAT and not case.stage.sides[1].there[case.row]:
        return case.told("needless_lift", "lowest_throttle")
    lifts = [fmean([one.throttle_lifts for one in side]) if side else 0.0 for side in (case.own, case.theirs)]
    if lifts[0] - lifts[1] > MOSTLY:
        return Evidence("hesitant_throttle", 0.0, 0.0, "throttle_lifts", lifts[0], lifts[1])
    figures = [case.told("late_throttle", name) for name in ("full_throttle_m", "throttle_pickup_m")]
    later = max(figures, key=lambda one: (one.own or 0.0) - (one.theirs or 0.0) if one.figure else -np.inf)
    if later.own is None or later.theirs is None or later.own <= later.theirs:
        return replace(case.told("needless_lift", "exit_throttle"), cause="late_throttle")
    return later


def _rolling(case: _Case) -> Evidence:
    return case.told("coasting", "coast_s")


def _gear(case: _Case) -> Evidence:
    # Where both are on the throttle and most often in another gear.
    gears = [side.gear[case.row, case.stage.first : case.stage.last + 1] for side in case.both.courses]
    differs = gears[0] != gears[1]
    if not differs.any():
        return case.told("wrong_gear", "gear")
    own, theirs = (float(np.median(gear[differs])) for gear in gears)
    return Evidence("wrong_gear", 0.0, 0.0, "gear", own, theirs)


def _line(case: _Case) -> Evidence:
    """Turned in earlier or later, or less of the width used.

    Who turns in later is further outside before the corner, who turns in earlier further inside; who leaves width
    unused is further outside where the line is tightest.
    """
    own, theirs = (side.offset[case.row] for side in case.both.courses)
    inside = (own - theirs) * (1.0 if case.direction == "left" else -1.0)
    middle = round(float(case.stage.sides[1].tightest[case.row]))
    radius = 1.0 / float(case.stage.sides[1].bend[case.row])
    far = min(ENTRY[0] * radius, MOST_ENTRY_M)
    about = max(min(APEX * radius, MOST_APEX_M), STEP_M)
    entry, apex = (
        inside[max(middle + round(a / STEP_M), 0) : max(middle + round(b / STEP_M), 0) + 1]
        for a, b in ((-far, -far * ENTRY[1] / ENTRY[0]), (-about, about))
    )
    if not (entry.size and apex.size and np.isfinite(entry).all() and np.isfinite(apex).all()):
        return Evidence("unused_width", 0.0, 0.0, None, None, None)
    before, there = float(entry.mean()), float(apex.mean())
    if max(abs(before), abs(there)) < LEAST_APART_M and abs(case.cost) < LEAST_LINE_S:
        return Evidence("", 0.0, 0.0, None, None, None)
    if there < 0.0 and abs(there) >= abs(before):
        return Evidence("unused_width", 0.0, 0.0, "apex_width", -there, 0.0)
    return Evidence("early_turn_in" if before > 0 else "late_turn_in", 0.0, 0.0, "entry_width", before, 0.0)


_NAMES: dict[str, Callable[[_Case], Evidence]] = {
    "place": _place, "level": _level, "rise": _rise, "dips": _dips, "release": _release, "use": _use,
    "throttle": _throttle, "rolling": _rolling, "gear": _gear, "line": _line,
}  # fmt: skip
