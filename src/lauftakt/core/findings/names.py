"""What a costly part of the driving is called: by the element that costs, by deeds and by figures."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from statistics import fmean, median

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.findings.deeds import STEP_M
from lauftakt.core.findings.rebuilding import FLAT, Pair, Stage
from lauftakt.core.technique.figures import Figures

Array = NDArray[np.float64]
# A wheel that stands, and a slide that is held, for so long explain a braking or a way out, s.
LOCKED_S, SLID_S = 0.1, 0.12
# Where two lines are compared, beside where the reference's is tightest: on the way in and there, as shares of the
# radius and at most so many metres.
ENTRY, MOST_ENTRY_M, APEX, MOST_APEX_M = (0.6, 0.17), 50.0, 0.1, 8.0
# Positions of a run may be off together by some decimetres: a line that lies so near to the other, m, is no other.
LEAST_APART_M = 0.35
# A line that is further outside at the apex was turned in late if it is so before it, too, by this share, and if the
# middle of what it is outside by lies before the apex by this share of the way in; early if it lies behind it.
OUTSIDE_BEFORE, MIDDLE_OFF = 0.15, 0.08
# Where before and behind the apex it is looked for that, as shares of the way in.
AROUND = ((-1.6, -0.2), (0.2, 1.3))
# Who is further inside on either side of the apex by such a share of what he is further outside there leaves width.
NARROW = 0.3
# A braking that ends earlier by so many times what it begins earlier, and by so many metres, was not moved as a whole.
MOVED, LEAST_MOVED_M = 2.0, 6.0
# Who rolls so much longer, s, was off the brake.
ROLLED_S = 0.2
# More wheel by such a share for the same curvature is more than another speed asks for: the front slides.
PUSHED = 0.08
# A braking that begins and ends later by so much, m, was too late where it gains nothing.
LATE_M = 3.0
# What tells of a late throttle.
THROTTLE = ("full_throttle_m", "throttle_pickup_m")
# At least such a share of what a late braking costs is paid in the middle and on the way out.
PAID = 0.35
# Share of the laps in which a lift, or a brake that was taken again, must be seen to be a habit.
MOSTLY = 0.5


@dataclass(frozen=True)
class Evidence:
    """One cause with what it costs and what it rests on: figures of driver and reference.

    Attributes
    ----------
    cause : code
    cost_s, cost_u_s : s, negative where the driver is better, and its standard deviation
    figure : name of the figure, ``own`` and ``theirs`` its values, SI; None where there is none to tell
    elements : of :data:`lauftakt.core.findings.rebuilding.ELEMENTS`, whose exchange was priced
    """

    cause: str
    cost_s: float
    cost_u_s: float
    figure: str | None
    own: float | None
    theirs: float | None
    elements: tuple[str, ...] = ()


# Which way a figure must differ for a cause that costs time: what says otherwise is not told with it.
_SAYS = {
    "early_brake": -1.0, "braked_too_late": 1.0, "early_release": -1.0, "late_release": 1.0, "slow_brake_rise": 1.0,
    "over_slow": -1.0, "coasting": 1.0, "late_throttle": 1.0, "needless_lift": -1.0, "locked_wheel": 1.0,
    "oversteer": 1.0, "understeer": 1.0, "late_turn_in": 1.0,
}  # fmt: skip


@dataclass(frozen=True)
class Case:
    """An element that costs (or wins) time, to be named: in which corner's part, and what figures say there.

    ``costs`` are the seconds of all elements of the passage, ``cost`` those of the one to be named. What depends on the
    car (brake rise, gear, how far a wheel is turned) has no name where it is not the same.
    """

    both: Pair
    stage: Stage
    row: int
    own: Sequence[Figures]
    theirs: Sequence[Figures]
    direction: str
    costs: Mapping[str, float]
    cost: float = 0.0
    same_car: bool = True

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

    def means(self, figure: str) -> tuple[float, float]:
        """Means of a count over the driver's and the reference's laps."""
        own, theirs = (
            fmean([getattr(one, figure) for one in side]) if side else 0.0 for side in (self.own, self.theirs)
        )
        return own, theirs

    def mean_more(self, figure: str) -> float:
        own, theirs = self.means(figure)
        return own - theirs

    def apart(self, figure: str) -> float | None:
        """By how much a figure is greater for the driver; None where it is not known of both."""
        a, b = self.median(figure)
        return None if a is None or b is None else a - b

    def sooner(self, field: str, figure: str) -> float:
        """By how much the driver does something earlier, m, as deeds and figures agree; negative where later, 0 where
        they say different things."""
        deed, seen = -self.later(field), self.apart(figure)
        if seen is None:
            return deed
        return 0.0 if deed * -seen < 0 else float(np.sign(deed) * min(abs(deed), abs(seen)))

    def later(self, field: str) -> float:
        """By how much the driver does something later than the reference, beside where both lines are tightest, m."""
        own, theirs = (float(getattr(side, field)[self.row] - side.tightest[self.row]) for side in self.stage.sides)
        return (own - theirs) * STEP_M


# What costs time and cannot be told by a name: it stays unexplained.
_NOTHING = Evidence("", 0.0, 0.0, None, None, None)


def _place(case: Case) -> Evidence:
    stood = locked(case)
    if stood is not None:
        return stood
    begin, end = case.sooner("begin", "brake_point_m"), case.sooner("end", "brake_release_m")
    if case.more("coast_s") > ROLLED_S:
        # A last touch of the brake at the very end hides where it was let off, but not that the car rolls.
        end = max(end, -case.later("end"))
    if case.cost > 0 and end > max(MOVED * begin, LEAST_MOVED_M):
        return case.told("early_release", "brake_release_m")
    if case.cost > 0 and begin < 0.0 and end <= 0.0:
        return case.told("braked_too_late", "brake_point_m")
    return case.told("early_brake", "brake_point_m")


def _moved(case: Case) -> bool:
    """Whether the whole braking lies earlier: what is then missing at its end follows from where it began."""
    begin, end = case.sooner("begin", "brake_point_m"), case.sooner("end", "brake_release_m")
    return case.cost > 0 and begin > LEAST_MOVED_M and end < MOVED * begin


def locked(case: Case) -> Evidence | None:
    """A wheel that stood is why the brake took off less."""
    found = case.cost > 0 and case.more("locked_s") > LOCKED_S
    return case.told("locked_wheel", "locked_s") if found else None


def slid(case: Case) -> Evidence | None:
    """A slide that was caught is why the car was slow or the throttle let off."""
    found = case.cost > 0 and case.more("countersteer_s") > SLID_S
    return case.told("oversteer", "countersteer_s") if found else None


def pushed(case: Case) -> Evidence | None:
    """More wheel for the same bend: the front slides, which is why the car is slow, or carried outwards."""
    own, theirs = case.median("steering_demand") if case.same_car else (None, None)
    if case.cost > 0 and own is not None and theirs is not None and own > (1.0 + PUSHED) * theirs > 0.0:
        return case.told("understeer", "steering_demand")
    return None


def _level(case: Case) -> Evidence:
    stood = locked(case)
    if stood is not None:
        return stood
    efforts = [side.effort[case.row] for side in case.stage.sides]
    if efforts[0] is None or efforts[1] is None:
        return case.told("soft_brake", "mean_braking")
    return Evidence("soft_brake", 0.0, 0.0, "brake_level", efforts[0].level / STEP_M, efforts[1].level / STEP_M)


def _rise(case: Case) -> Evidence:
    if not case.same_car:
        return _NOTHING
    return locked(case) or case.told("slow_brake_rise", "brake_rise_s")


def _dips(case: Case) -> Evidence:
    stood = locked(case)
    if stood is not None:
        return stood
    again = max(case.mean_more("brake_applications"), case.mean_more("brake_dips"))
    if _moved(case) and again < MOSTLY:
        return case.told("early_brake", "brake_point_m")
    return case.told("interrupted_brake", "brake_applications")


def _release(case: Case) -> Evidence:
    if _moved(case):
        return case.told("early_brake", "brake_point_m")
    cause = "late_release" if case.later("end") > 0.0 else "early_release"
    return case.told(cause, "brake_release_m")


def _use(case: Case) -> Evidence:
    caught = slid(case)
    if caught is not None:
        return caught
    carried = pushed(case)
    if carried is not None:
        return carried
    if _stayed(case, "min_speed_m"):
        return case.told("late_release", "brake_release_m")
    return case.told("over_slow", "min_speed")


def _stayed(case: Case, follows: str) -> bool:
    """Whether a brake was begun alike, let off later, and something else came later for it and by no more."""
    begin, end, late = (case.apart(name) for name in ("brake_point_m", "brake_release_m", follows))
    if begin is None or end is None or late is None:
        return False
    return case.cost > 0 and abs(begin) < LATE_M and end > LEAST_MOVED_M and LEAST_MOVED_M < late < end + LATE_M


def _throttle(case: Case) -> Evidence:
    caught = slid(case)
    if caught is not None:
        return caught
    here = slice(case.stage.first, case.stage.last)
    if case.both.courses[1].pedal[case.row, here].min() > FLAT and not case.stage.sides[1].there[case.row]:
        return case.told("needless_lift", "lowest_throttle")
    if _stayed(case, "throttle_pickup_m"):
        return case.told("late_release", "brake_release_m")
    if case.mean_more("throttle_lifts") > MOSTLY:
        return Evidence("hesitant_throttle", 0.0, 0.0, "throttle_lifts", *case.means("throttle_lifts"))
    figures = [case.told("late_throttle", name) for name in THROTTLE]
    later = max(figures, key=lambda one: (one.own or 0.0) - (one.theirs or 0.0) if one.figure else -np.inf)
    if later.own is not None and later.theirs is not None and later.own > later.theirs:
        return later
    less = replace(case.told("needless_lift", "exit_throttle"), cause="late_throttle")
    places = [place for name in THROTTLE if (place := case.apart(name)) is not None]
    if case.cost > 0 and less.figure is None and places and max(places) < 0.0:
        # Picked up earlier, full earlier, and no less of it: it was not late, whatever it costs.
        return _NOTHING
    return less


def _rolling(case: Case) -> Evidence:
    return case.told("coasting", "coast_s")


def _gear(case: Case) -> Evidence:
    if not case.same_car:
        return _NOTHING
    # Where both are on the throttle and most often in another gear.
    gears = [side.gear[case.row, case.stage.first : case.stage.last + 1] for side in case.both.courses]
    differs = gears[0] != gears[1]
    if not differs.any():
        return case.told("wrong_gear", "gear")
    own, theirs = (float(np.median(gear[differs])) for gear in gears)
    return Evidence("wrong_gear", 0.0, 0.0, "gear", own, theirs)


def _line(case: Case) -> Evidence:
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
    if max(abs(before), abs(there)) < LEAST_APART_M:
        return _NOTHING
    if there < 0.0 and pushed(case):
        return case.told("understeer", "steering_demand")
    if there < 0.0 and abs(there) >= abs(before):
        return _outside(inside, middle, far, before, there)
    return Evidence("early_turn_in" if before > 0 else "late_turn_in", 0.0, 0.0, "entry_width", before, 0.0)


def _outside(inside: Array, middle: int, far: float, before: float, there: float) -> Evidence:
    """What a line is called that is further outside at the apex.

    Who turns in late is so most before it, and who turns in early most behind it, after having been further inside; who
    does not use the width is further inside on both sides.
    """

    def part(a: float, b: float) -> tuple[int, int]:
        return max(middle + round(a * far / STEP_M), 0), max(middle + round(b * far / STEP_M) + 1, 1)

    a, b = part(-1.0, 1.0)
    out = np.clip(-inside[a:b], 0.0, None)
    centre = float((np.arange(a, a + len(out)) * out).sum() / out.sum() - middle) * STEP_M
    ahead, behind = (float(np.nanmax(inside[slice(*part(*ends))], initial=0.0)) for ends in AROUND)
    narrow = NARROW * float(out.max())
    if behind < narrow and centre < -MIDDLE_OFF * far and before < OUTSIDE_BEFORE * there:
        return Evidence("late_turn_in", 0.0, 0.0, "entry_width", min(before, there), 0.0)
    if behind < narrow < ahead and centre > MIDDLE_OFF * far:
        return Evidence("early_turn_in", 0.0, 0.0, "entry_width", ahead, 0.0)
    return Evidence("unused_width", 0.0, 0.0, "apex_width", -there, 0.0)


def same_deeds(case: Case) -> dict[str, str]:
    """Elements in which both do the same at the same places, although their exchange has a price, and what they follow
    from: another brake or throttle at the same places from the speed in the middle, or from the gear that is in."""
    found: dict[str, str] = {}
    if "use" in case.costs and abs(case.later("begin")) < LATE_M and abs(case.later("end")) < LATE_M:
        found |= {name: "use" for name in ("place", "release") if name in case.costs}
    places = [place for name in THROTTLE if (place := case.apart(name)) is not None]
    if "throttle" not in case.costs or len(places) < len(THROTTLE) or abs(case.mean_more("throttle_lifts")) >= MOSTLY:
        return found
    gear, use = (case.costs.get(name, 0.0) for name in ("gear", "use"))
    if gear > 0.0 and case.costs["throttle"] > 0.0 and max(places) < LATE_M:
        found["throttle"] = "gear"
    elif use * case.costs["throttle"] < 0.0 and max(map(abs, places)) < LATE_M:
        found["throttle"] = "use"
    return found


def braked_too_late(case: Case) -> tuple[str, ...]:
    """Elements whose costs follow from a braking that was begun too late, if it was: what that wins on the way in is
    paid for with the line, the speed in the middle or the throttle."""
    point, begin = case.apart("brake_point_m"), case.later("begin")
    if point is None or point < LATE_M or begin < -LATE_M:
        return ()
    follows = {name: case.costs.get(name, 0.0) for name in ("line", "use", "throttle", "release", "rolling")}
    follows = {name: cost for name, cost in follows.items() if cost > 0.0}
    whole = sum(follows.values()) + case.costs.get("place", 0.0)
    # What is nothing but another line is no braking.
    if whole <= 0.0 or sum(follows.values()) - follows.get("line", 0.0) < PAID * sum(follows.values()):
        return ()
    return ("place", *follows)


NAMES: dict[str, Callable[[Case], Evidence]] = {
    "place": _place, "level": _level, "rise": _rise, "dips": _dips, "release": _release, "use": _use,
    "throttle": _throttle, "rolling": _rolling, "gear": _gear, "line": _line,
}  # fmt: skip
