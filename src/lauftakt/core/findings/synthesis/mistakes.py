"""Mistakes that can be put into a plan, each in several sizes and in the ways in which drivers answer them."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.findings.rebuilding import Pair
from lauftakt.core.findings.synthesis.corners import Corner, corners_of
from lauftakt.core.findings.synthesis.driving import Change, Plan, plan_of, unchanged

Array = NDArray[np.float64]

# What is another line as it was driven; which kind of one is told from the line itself.
LINE = "line"
# Sizes: metres by which somebody is early or late, or which something lasts; shares of speed and of force.
METRES = (3.0, 5.0, 8.0, 11.0, 15.0, 20.0, 27.0, 36.0, 48.0, 64.0)
TURNED = METRES[1:7]
LATE = METRES[:7]
LIFTS = (15.0, 30.0, 50.0, 80.0)
RISES = (30.0, 55.0, 90.0)
SLOWER = (0.01, 0.02, 0.035, 0.055, 0.08)
SOFTER = (0.8, 0.7, 0.6, 0.5)
GEARS = (1, 2)
# Who begins to brake early and brakes more softly for it brakes early up to this share of the braking's length; beyond
# it he brakes softly.
STILL_EARLY = 0.2
# A throttle that only holds is so much of the force at hand; one that is let off brakes by its engine a little more
# than rolling; who drags the brake slows by so much, m/s^2.
HOLDS, LET_OFF, DRAGS = 0.06, -0.05, 2.5
# How far a corner's middle reaches, m (one standard deviation).
MIDDLE_M = 28.0
# A gear that is too high is noticed from so far before the slowest place to so far behind it, m.
GEAR_M = (-15.0, 115.0)
# A corner begins where its line reaches this share of its greatest curvature. Turning in late is made up for over this
# multiple of the delay, and the car is back on its line this many metres later.
BEGUN, MADE_UP, BACK_M = 0.25, 2.6, 70.0
# More of the grip that was shown than this is at the limit.
AT_LIMIT = 0.95
# Who hesitates has picked the throttle up for so long, m.
HESITATES_M = 14.0
# Who brakes too late is slower by this share so far behind the late end of the braking, over so many metres.
OVERSHOT, OVERSHOT_M, OVERSHOT_OVER_M = 0.03, 15.0, 10.0
# A line is smoothed over so many nodes before it bends: nobody turns the wheel quicker.
SMOOTH = 1.5


@dataclass(frozen=True)
class Mistake:
    """A change to a plan by its cause: in which stage of the passage, how large, and how its driver answers it."""

    cause: str
    stage: int
    size: float
    answer: str
    change: Change


Found = Iterator[tuple[str, float, str, Change]]


@dataclass(frozen=True)
class Tried:
    """A reference's plan for a passage with its corners, and the mistakes that are put into it, whoever made them."""

    plan: Plan
    corners: tuple[Corner, ...]
    mistakes: tuple[Mistake, ...]


def tried_in(both: Pair, row: int = 0) -> Tried:
    """What is tried in a passage, but for the lines that were driven.

    Parameters
    ----------
    both : the passage as driver and reference drive it
    row : which variant of the passage
    """
    plan = plan_of(both, 1, row)
    corners = tuple(corners_of(both, plan, row))
    found = [
        Mistake(cause, number, size, answer, change)
        for number, corner in enumerate(corners)
        for cause, size, answer, change in _of_corner(plan, corner, len(plan.tables) > 1)
    ]
    return Tried(plan, corners, tuple(found))


def mistakes(both: Pair, tried: Tried, row: int = 0) -> list[Mistake]:
    """Everything that is tried for one variant of a passage: what is in the plan, and the line that was driven."""
    driven = plan_of(both, 0, row)
    lines = [
        Mistake(LINE, number, 1.0, "", _limited(tried.plan, corner, driven.offset, driven.bend))
        for number, corner in enumerate(tried.corners)
    ]
    return [*lines, *tried.mistakes]


def _of_corner(plan: Plan, c: Corner, gears: bool) -> Found:
    if c.flat:
        for size in LIFTS:
            for where in (0.0, -0.5):
                yield "needless_lift", size, f"at {where:g}", _lifted(plan, c, size, where)
        return
    if c.end > c.begin:
        yield from _braking(plan, c)
    yield from _middle(plan, c)
    yield from _throttle(plan, c)
    if gears:
        for high in GEARS:
            yield "wrong_gear", float(high), "", _geared(plan, c, high)


def _braking(plan: Plan, c: Corner) -> Found:
    at = plan.places
    length, room = float(at[c.end] - at[c.begin]), float(at[c.begin] - at[c.free])
    for size in METRES:
        if size > room:
            break
        yield "early_brake", size, "holds the speed", _early(plan, c, size)
        yield "early_brake", size, "rolls on", _moved(plan, c, size)
        if size < STILL_EARLY * length:
            yield "early_brake", size, "brakes more softly", _stretched(plan, c, size)
        if size < length:
            yield "early_release", size, "", _without(plan, c, size, float(at[c.slow]))
            yield "interrupted_brake", size, "", _without(plan, c, size, float(at[c.begin] + at[c.end] + size) / 2)
        yield "coasting", size, "brakes later", _rolling(plan, c, size, 0.0)
        yield "coasting", size, "drives on and brakes later", _rolling(plan, c, size, 1.0)
        yield "coasting", size, "brakes as ever", _rolling(plan, c, size, None)
    for size in LATE:
        yield "braked_too_late", size, "", _too_late(plan, c, size)
    for force in SOFTER:
        yield "soft_brake", force, "", _stretched(plan, c, length * (1 / force - 1))
    for size in RISES:
        yield "slow_brake_rise", size, "", _risen_slowly(plan, c, size)


def _early(plan: Plan, c: Corner, size: float) -> Change:
    """Braked early, and the speed of the slow part held until it is reached."""
    at, change = plan.places, unchanged(plan)
    slow = at[c.slow]
    zone = (at >= at[c.begin] - size) & (at <= slow)
    change.most[zone] = np.interp(np.minimum(at[zone] + size, slow), at, plan.energy)
    change.brake[zone[:-1]] = 0.0
    change.share[plan.zone(at[c.end] - size, slow)] = 1.0
    return change


def _moved(plan: Plan, c: Corner, size: float) -> Change:
    """Braked early, with the same force for as long, and rolled on from there."""
    at, change = plan.places, unchanged(plan)
    change.brake[c.free :] = np.interp(at[c.free : -1] + size, at[:-1], plan.brake)
    change.share[plan.zone(at[c.begin] - size, max(at[c.slow], at[c.end]))] = 0.0
    return change


def _stretched(plan: Plan, c: Corner, size: float) -> Change:
    """Braked early and ended where it should, more softly by as much as that asks for."""
    at, change = plan.places, unchanged(plan)
    begin, end = at[c.begin], at[c.end]
    zone = (at >= begin - size) & (at <= end)
    length = end - begin
    change.most[zone] = np.interp(begin + (at[zone] - begin + size) * length / (length + size), at, plan.energy)
    change.brake[zone[:-1]] = 0.0
    here = plan.zone(begin - size, end)
    change.share[here] = np.maximum(change.share[here], 0.3)
    return change


def _without(plan: Plan, c: Corner, size: float, until: float) -> Change:
    """The brake off on the way to a place, and begun early enough to be as slow there as ever."""
    change, zone = unchanged(plan), plan.zone(until - size, until)
    change.ability[c.free : zone.stop] = c.able[c.free : zone.stop]
    change.ability[zone] = 0.0
    # Nobody brakes later for it than ever, however hard he could.
    change.most[c.begin : zone.stop + 1] = plan.energy[c.begin : zone.stop + 1]
    change.brake[c.free : zone.stop] = 0.0
    change.share[zone] = 0.0
    return change


def _risen_slowly(plan: Plan, c: Corner, size: float) -> Change:
    """The brake built up over some metres, and begun earlier by half of them."""
    change, begin = unchanged(plan), plan.places[c.begin]
    zone = plan.zone(begin - size / 2, begin + size / 2)
    change.ability[zone] = c.able[zone] * np.linspace(0.05, 1.0, zone.stop - zone.start)
    change.ability[c.free : zone.start] = 0.05 * c.able[c.free : zone.start]
    change.most[c.begin : zone.stop + 1] = plan.energy[c.begin : zone.stop + 1]
    change.brake[c.free : zone.stop] = 0.0
    return change


def _rolling(plan: Plan, c: Corner, size: float, then: float | None) -> Change:
    """Neither pedal for some metres before the usual brake point. The brake then comes on where it is needed, with the
    throttle at ``then`` until there; if that is None, at the usual place and with the usual force."""
    at, change = plan.places, unchanged(plan)
    change.share[plan.zone(at[c.begin] - size, at[c.begin])] = 0.0
    if then is not None:
        change.most[c.begin : c.end + 1] = plan.energy[c.begin : c.end + 1]
        change.brake[c.begin : c.end] = 0.0
        change.share[c.begin : c.end] = then
    return change


def _too_late(plan: Plan, c: Corner, size: float) -> Change:
    """Braked late as a whole, too fast on the way in, slower than need be afterwards, late on the throttle for it."""
    at, change = plan.places, unchanged(plan)
    late = at[c.slow] + size
    zone = (at >= at[c.begin]) & (at <= late)
    change.given[zone] = np.maximum(np.interp(at[zone] - size, at, plan.energy), plan.energy[zone])
    change.share[plan.zone(late, at[c.ready] + size / 2)] = HOLDS
    after = (at > late) & (at < late + OVERSHOT_M + 2.5 * OVERSHOT_OVER_M)
    dip = 1.0 - OVERSHOT * np.exp(-0.5 * ((at[after] - late - OVERSHOT_M) / OVERSHOT_OVER_M) ** 2)
    change.most[after] = plan.energy[after] * dip**2
    return change


def _middle(plan: Plan, c: Corner) -> Found:
    at = plan.places
    near = np.exp(-0.5 * ((at - at[c.middle]) / MIDDLE_M) ** 2)
    for slower in SLOWER:
        yield "over_slow", slower, "", _no_faster(plan, c, unchanged(plan), plan.energy * (1.0 - slower * near) ** 2)
    for size in TURNED:
        yield "late_turn_in", size, "", _turned_late(plan, c, size)
    for size in METRES:
        change, zone = unchanged(plan), plan.zone(at[c.middle], at[c.middle] + size)
        change.brake[zone] = np.maximum(change.brake[zone], DRAGS)
        change.share[zone] = 0.0
        yield "late_release", size, "", change


def _no_faster(plan: Plan, c: Corner, change: Change, most: Array) -> Change:
    """A change that also keeps to an energy in a corner, and brakes ahead for it."""
    change.most[c.part] = most[c.part]
    before = slice(c.begin, c.middle + 1)
    change.most[before] = np.minimum(most[before], plan.energy[before])
    change.ability[c.free : c.middle] = c.able[c.free : c.middle]
    change.brake[c.begin : max(c.middle, c.begin)] = 0.0
    here = slice(c.begin, max(c.middle, c.begin))
    change.share[here] = np.maximum(change.share[here], 0.0)
    return change


def _limited(plan: Plan, c: Corner, offset: Array, bend: Array) -> Change:
    """Another line in a corner, as fast as its grip allows where it is tighter, and no faster where it is wider."""
    change = unchanged(plan)
    change.offset[c.part] = offset[c.part]
    change.bend[c.part] = bend[c.part]
    aside = np.maximum(plan.energy * plan.bend, AT_LIMIT * plan.grip[c.first] / 2)
    return _no_faster(plan, c, change, np.where(change.bend > plan.bend, aside / change.bend, np.inf))


def _turned_late(plan: Plan, c: Corner, size: float) -> Change:
    """The wheel turned late and then further: the bend of the line moved along the way, most where the corner begins,
    and not at all once the car has turned as far as ever."""
    at, bend = plan.places, plan.bend
    tight = c.first + int(np.argmax(bend[c.part]))
    begun = tight
    while begun > c.first and bend[begun - 1] > BEGUN * bend[tight]:
        begun -= 1
    away, reach, gap = at - at[begun], MADE_UP * size, np.gradient(at)
    moved = at - size * np.where(np.abs(away) < reach, 0.5 + 0.5 * np.cos(np.pi * away / reach), 0.0)
    turned = np.interp(moved, at, bend) * np.gradient(moved, at) - bend
    carried = np.cumsum(np.cumsum(turned * gap) * gap)
    done = at[begun] + reach
    back = np.clip((at - max(done, at[tight])) / BACK_M, 0.0, 1.0)
    carried = np.where(at > done, np.interp(done, at, carried), carried) * (1.0 - back * back * (3.0 - 2.0 * back))
    smooth = gaussian_filter1d(carried, SMOOTH, mode="nearest")
    new = np.maximum(bend + np.gradient(np.gradient(smooth, at), at), 1e-4)
    return _limited(plan, c, plan.offset + c.left * carried, new)


def _throttle(plan: Plan, c: Corner) -> Found:
    at = plan.places
    for size in METRES:
        change = unchanged(plan)
        change.share[plan.zone(at[c.pickup], at[c.pickup] + size)] = HOLDS
        yield "late_throttle", size, "then as ever", change
        change, zone = unchanged(plan), slice(c.pickup, c.last)
        later = np.interp(at[:-1] - size, at[:-1], plan.share)
        change.share[zone] = np.minimum(later[zone], np.maximum(plan.share[zone], 0.0))
        yield "late_throttle", size, "moved", change
        change, zone = unchanged(plan), plan.zone(at[c.middle], at[c.ready] + size)
        change.share[zone] = 0.0
        change.brake[zone] = 0.0
        yield "coasting", size, "behind the corner", change
        change = unchanged(plan)
        change.share[plan.zone(at[c.ready] + HESITATES_M, at[c.ready] + HESITATES_M + size)] = LET_OFF
        yield "hesitant_throttle", size, "", change


def _lifted(plan: Plan, c: Corner, size: float, where: float) -> Change:
    """The throttle let off for some metres, about a place so many times as long behind the corner's middle."""
    change, middle = unchanged(plan), plan.places[c.middle] + where * size
    change.share[plan.zone(middle - size / 2, middle + size / 2)] = 0.0
    return change


def _geared(plan: Plan, c: Corner, high: int) -> Change:
    at, change = plan.places, unchanged(plan)
    zone = plan.zone(at[c.middle] + GEAR_M[0], at[c.middle] + GEAR_M[1])
    change.gear[zone] = np.minimum(change.gear[zone] + high, len(plan.tables) - 1)
    return change
