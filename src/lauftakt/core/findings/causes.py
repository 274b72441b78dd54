"""Why time is lost in a corner: what a driver does differently, weighed by what each difference can cost.

Codes: ``early_brake``, ``soft_brake``, ``slow_brake_rise``, ``early_release``, ``late_release``, ``interrupted_brake``,
``braked_too_late``, ``over_slow``, ``coasting``, ``late_throttle``, ``hesitant_throttle``, ``needless_lift``,
``wrong_gear``, ``early_turn_in``, ``late_turn_in``, ``unused_width``, ``slide_corrected``, ``locked_wheel``,
``car_or_conditions``, ``unclear``.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from statistics import fmean, median, stdev

from lauftakt.core.technique.figures import Figures

# Two runs' places differ by so much for reasons of the receiver alone (docs/numbers.md).
PLACE_M = 1.0
# The same for offsets.
OFFSET_M = 0.5
# Standard errors from which on a difference is one.
CLEAR = 2.0
# A cause that explains less of a loss is not named.
LEAST_SHARE = 0.12
# Nor one that explains less than a hundredth.
LEAST_S = 0.01
# Nor a second one that explains less than this share of the first.
SECOND = 0.3


@dataclass(frozen=True)
class Evidence:
    """One cause with what it rests on: the median figures of driver and reference, and the seconds it can explain."""

    cause: str
    figure: str
    own: float
    theirs: float
    explains_s: float


@dataclass(frozen=True)
class Difference:
    """Median of the driver minus that of the reference, and its standard error."""

    own: float
    theirs: float
    u: float

    @property
    def value(self) -> float:
        return self.own - self.theirs

    def beyond(self, least: float) -> bool:
        """Greater than ``least`` and clearly so."""
        return self.value > least and self.value > CLEAR * self.u

    def below(self, least: float) -> bool:
        """Less than ``-least`` and clearly so."""
        return -self.value > least and -self.value > CLEAR * self.u


def difference(
    own: Sequence[Figures], theirs: Sequence[Figures], of: Callable[[Figures], float | int | None], floor: float
) -> Difference | None:
    """Difference of a figure between two drivers, None unless at least half of both have it.

    Parameters
    ----------
    own, theirs : figures of several laps in one corner
    of : takes the figure
    floor : standard deviation that both runs' common errors leave in the difference
    """
    # A handful of numbers: the standard library is far quicker here than arrays.
    a = [float(v) for f in own if (v := of(f)) is not None]
    b = [float(v) for f in theirs if (v := of(f)) is not None]
    if not a or not b or 2 * len(a) < len(own) or 2 * len(b) < len(theirs):
        return None
    error = [1.25 * stdev(v) / len(v) ** 0.5 if len(v) > 1 else 0.0 for v in (a, b)]
    return Difference(median(a), median(b), float((error[0] ** 2 + error[1] ** 2 + floor**2) ** 0.5))


def judge(own: Sequence[Figures], theirs: Sequence[Figures], parts: dict[str, float], direction: str) -> list[Evidence]:
    """Causes of a loss in one corner, strongest first; empty where nothing explains it.

    Parameters
    ----------
    own, theirs : figures of driver and reference in that corner over clean laps
    parts : loss in entry, middle, exit and straight, s
    direction : of the corner, ``left`` or ``right``

    Notes
    -----
    A difference counts when it exceeds twice its standard error and a least size. What it can cost follows from the
    kinematics of a point mass: braking with a instead of b from v to w costs (v - w)^2 (1/a - 1/b) / 2v; rolling d
    metres at w instead of v costs d (1/w - 1/v); accelerating d metres later with a costs a speed of a d / v on all
    that follows. No cause may explain more than what is lost in the parts where it acts.
    """
    if not own or not theirs:
        return []
    total = sum(parts.values())
    entry, middle, exit_ = (max(parts[name], 0.0) for name in ("entry", "middle", "exit"))
    found = [
        *_brakes(own, theirs, parts),
        *_speeds(own, theirs, parts),
        *_pedal(own, theirs, parts),
        *steering_figures(own, theirs, parts, direction),
    ]
    caps = {
        "early_brake": entry + middle,
        "soft_brake": entry + middle,
        "slow_brake_rise": entry,
        "coasting": entry + middle + exit_,
    }
    capped = [
        Evidence(e.cause, e.figure, e.own, e.theirs, min(e.explains_s, caps.get(e.cause, max(total, 0.0)) + 0.01))
        for e in found
    ]
    strong = sorted(
        (e for e in capped if e.explains_s > max(LEAST_SHARE * total, LEAST_S)), key=lambda e: -e.explains_s
    )
    if not strong:
        return []
    return [e for e in strong if e.explains_s >= SECOND * strong[0].explains_s][:2]


def _brakes(own: Sequence[Figures], theirs: Sequence[Figures], parts: dict[str, float]) -> list[Evidence]:
    found: list[Evidence] = []
    entry, middle = max(parts["entry"], 0.0), max(parts["middle"], 0.0)
    after = max(parts["middle"], 0.0) + max(parts["exit"], 0.0) + max(parts["straight"], 0.0)
    point = difference(own, theirs, lambda f: f.brake_point_m, PLACE_M)
    lowest = difference(own, theirs, lambda f: f.min_speed, 0.05)
    force = difference(own, theirs, lambda f: f.mean_braking, 0.05)
    release = difference(own, theirs, lambda f: f.brake_release_m, PLACE_M)
    approach = _approach(theirs)
    assert lowest is not None
    slow = max(lowest.theirs, 3.0)
    early = 0.0 if point is None else -point.value
    if force is not None and approach is not None and approach > slow and min(force.own, force.theirs) > 0.5:
        inverse = 1 / force.own - 1 / force.theirs
        if force.below(0.05 * force.theirs):
            cost = (approach - slow) ** 2 * inverse / (2 * approach)
            found.append(Evidence("soft_brake", "mean_braking", force.own, force.theirs, cost))
        # What softer braking and a lower speed need anyway is not braking too early.
        early -= max((approach**2 - slow**2) / 2 * inverse, 0.0)
        if lowest.value < 0:
            early -= (slow**2 - lowest.own**2) / (2 * force.theirs)
    if point is not None and release is not None:
        # Braking that ends as much earlier as it began was moved as a whole.
        early = max(early, min(-point.value, -release.value))
    where = difference(own, theirs, lambda f: f.min_speed_m, PLACE_M)
    if where is not None and where.below(8.0) and point is not None and point.value < 1.0:
        early = max(early, -0.6 * where.value)  # slow long before the others are
    begun = point is not None and (point.below(2.0) or (where is not None and where.below(8.0) and point.value < 1.0))
    if point is not None and begun and approach is not None and early > 2.0:
        # Counted to the release: who brakes early and lets go early rolls at the lowest speed.
        cost = early * max(1 / slow - 1 / approach, 0.0)
        found.append(Evidence("early_brake", "brake_point_m", point.own, point.theirs, cost))
    if point is not None and point.beyond(2.5) and parts["entry"] < 0.25 * after:
        found.append(Evidence("braked_too_late", "brake_point_m", point.own, point.theirs, 0.7 * after))
    rise = difference(own, theirs, lambda f: f.brake_rise_s, 0.02)
    if rise is not None and rise.beyond(0.1) and approach is not None:
        cost = rise.value / 2 * (1 - slow / approach) * 0.6
        found.append(Evidence("slow_brake_rise", "brake_rise_s", rise.own, rise.theirs, cost))
    times = difference(own, theirs, lambda f: f.brake_applications, 0.0)
    dips = difference(own, theirs, lambda f: f.brake_dips, 0.0)
    if times is not None and dips is not None and times.value + dips.value >= 1.0 and _mostly(own, theirs):
        found.append(
            Evidence(
                "interrupted_brake", "brake_applications", times.own + dips.own, times.theirs + dips.theirs,
                0.7 * entry + 0.2 * middle,
            )
        )  # fmt: skip
    if release is not None and force is not None and point is not None:
        if release.beyond(6.0) and lowest.below(0.015 * slow) and point.value > -2.0:
            found.append(Evidence("late_release", "brake_release_m", release.own, release.theirs, 0.4 * middle))
        if release.below(6.0) and release.value < point.value - 5.0 and middle > 0.02:
            found.append(Evidence("early_release", "brake_release_m", release.own, release.theirs, 0.5 * middle))
    locked = difference(own, theirs, lambda f: f.locked_s, 0.0)
    if locked is not None and locked.value > 0.1:
        found.append(Evidence("locked_wheel", "locked_s", locked.own, locked.theirs, 0.9 * (entry + middle)))
    return found


def _mostly(own: Sequence[Figures], theirs: Sequence[Figures]) -> bool:
    """Whether most laps of the driver and few of the reference let the brake off in between."""
    share = [fmean([f.brake_applications + f.brake_dips > 1 for f in side]) for side in (own, theirs)]
    return share[0] > 0.6 and share[1] < 0.35


def _approach(theirs: Sequence[Figures]) -> float | None:
    """Speed at which the reference arrives at its brakes, m/s."""
    speeds = [f.approach_speed for f in theirs if f.approach_speed is not None]
    return median(speeds) if speeds else None


def _speeds(own: Sequence[Figures], theirs: Sequence[Figures], parts: dict[str, float]) -> list[Evidence]:
    found: list[Evidence] = []
    lowest = difference(own, theirs, lambda f: f.min_speed, 0.05)
    whole = max(sum(parts.values()), 0.0)
    if lowest is not None and lowest.below(max(0.012 * lowest.theirs, 0.2)):
        slow = min(0.5 * whole + max(parts["middle"], 0.0), whole)
        share = min(1.0, -lowest.value / lowest.theirs / 0.03)
        slowest = difference(own, theirs, lambda f: f.min_speed_m, PLACE_M)
        pickup = difference(own, theirs, lambda f: f.throttle_pickup_m, PLACE_M)
        release = difference(own, theirs, lambda f: f.brake_release_m, PLACE_M)
        if slowest is not None and pickup is not None and min(slowest.value, pickup.value) > 4.0:
            share *= 0.4  # still slowing down where the other accelerates: that is the throttle's fault
        if release is not None and release.below(5.0):
            share *= 0.6  # slow because everything came early
        found.append(Evidence("over_slow", "min_speed", lowest.own, lowest.theirs, slow * share))
    coast = difference(own, theirs, lambda f: f.roll_s, 0.03)
    slower = lowest is not None and lowest.below(0.01 * lowest.theirs)
    if coast is not None and coast.beyond(0.25):
        # Somebody who is too slow waits for the corner to end: rolling is then what follows, not what causes.
        share = 0.1 if slower else 0.2
        found.append(Evidence("coasting", "coast_s", coast.own, coast.theirs, share * coast.value))
    return found


def _pedal(own: Sequence[Figures], theirs: Sequence[Figures], parts: dict[str, float]) -> list[Evidence]:
    found: list[Evidence] = []
    exit_, straight = max(parts["exit"], 0.0), max(parts["straight"], 0.0)
    out = exit_ + straight
    whole = max(sum(parts.values()), 0.0)
    lowest = difference(own, theirs, lambda f: f.lowest_throttle, 0.0)
    flat = median([f.lowest_throttle for f in theirs]) > 0.9
    braked = median([f.brake_applications for f in own]) > 0
    if lowest is not None and flat and lowest.own < 0.85 and not braked:
        found.append(Evidence("needless_lift", "lowest_throttle", lowest.own, lowest.theirs, 0.95 * whole))
    lifts = [fmean([f.throttle_lifts for f in side]) for side in (own, theirs)]
    if not flat and lifts[0] - lifts[1] >= 0.6:
        found.append(Evidence("hesitant_throttle", "throttle_lifts", lifts[0], lifts[1], 0.9 * out))
    gear = difference(own, theirs, lambda f: f.gear, 0.0)
    slowed = difference(own, theirs, lambda f: f.min_speed, 0.05)
    natural = gear is not None and slowed is not None and gear.value < 0 and slowed.value < -0.005 * slowed.theirs
    if gear is not None and abs(gear.value) >= 1.0 and not natural:
        found.append(Evidence("wrong_gear", "gear", gear.own, gear.theirs, 0.85 * out))
    pickup = difference(own, theirs, lambda f: f.throttle_pickup_m, PLACE_M)
    full = difference(own, theirs, lambda f: f.full_throttle_m, PLACE_M)
    slowest = difference(own, theirs, lambda f: f.min_speed_m, PLACE_M)
    late = max((d for d in (pickup, full) if d is not None and d.beyond(4.0)), key=lambda d: d.value, default=None)
    if late is not None:
        share = min(1.0, late.value / 18.0)
        figure = "throttle_pickup_m" if late is pickup else "full_throttle_m"
        moved = 0.0 if slowest is None else max(slowest.value, 0.0)
        share *= 0.5 if moved > 0.8 * late.value else 1.0
        found.append(Evidence("late_throttle", figure, late.own, late.theirs, share * out))
    opened = difference(own, theirs, lambda f: f.exit_throttle, 0.01)
    if late is None and opened is not None and opened.below(0.06):
        share = min(1.0, -opened.value / 0.25)
        found.append(Evidence("late_throttle", "exit_throttle", opened.own, opened.theirs, 0.8 * share * out))
    return found


def steering_figures(
    own: Sequence[Figures], theirs: Sequence[Figures], parts: dict[str, float], direction: str
) -> list[Evidence]:
    found: list[Evidence] = []
    entry, middle, exit_ = (max(parts[name], 0.0) for name in ("entry", "middle", "exit"))
    turn = difference(own, theirs, lambda f: f.turn_in_m, PLACE_M)
    if turn is not None and abs(turn.value) > 4.0 and abs(turn.value) > CLEAR * turn.u:
        cause = "late_turn_in" if turn.value > 0 else "early_turn_in"
        share = min(1.0, abs(turn.value) / 10.0)
        found.append(Evidence(cause, "turn_in_m", turn.own, turn.theirs, share * 0.6 * (entry + middle + exit_)))
    inside = 1.0 if direction == "left" else -1.0
    for figure, of, lost in (
        ("offset_exit", lambda f: f.offset_exit, middle + exit_),
        ("offset_turn_in", lambda f: f.offset_turn_in, entry + middle),
    ):
        width = difference(own, theirs, of, OFFSET_M)
        if width is not None and width.value * inside > 1.0 and abs(width.value) > CLEAR * width.u:
            share = min(1.0, abs(width.value) / 3.0)
            found.append(Evidence("unused_width", figure, width.own, width.theirs, 0.4 * share * lost))
    against = difference(own, theirs, lambda f: f.countersteer_s, 0.02)
    reversals = difference(own, theirs, lambda f: f.steering_reversals, 0.0)
    if against is not None and against.beyond(0.12) and (reversals is None or reversals.value >= 0):
        found.append(Evidence("slide_corrected", "countersteer_s", against.own, against.theirs, 0.7 * (middle + exit_)))
    return found
