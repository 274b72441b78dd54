"""Where what happens in a corner, in the drive that mistakes are put into."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.findings.rebuilding import FLAT, PICKED_UP, Pair, Stage
from lauftakt.core.findings.synthesis.driving import LEAST_LEFT, Plan

Array = NDArray[np.float64]
# The slow part of a corner is where energy is within so much of the least, and no longer than so much, m.
SLOW, LONGEST_M = 1.06, 80.0
# A corner whose slowest place is no slower than this share of its tightest is about the tightest.
HARDLY_SLOWER = 0.94
# A corner that is not braked for can be braked for so hard, m/s^2.
LEAST_BRAKING = 3.0
# The usual force of a braking is this percentile of it.
USUALLY = 75


@dataclass(frozen=True)
class Corner:
    """A corner of a plan.

    Attributes
    ----------
    first, last : nodes between which it lies
    free : node from which on somebody may prepare for it: where the corner before it lets the car go
    begin, end : of the braking, equal where there is none
    slow, middle, ready : nodes where the slow part begins, where it is slowest, and where speed is gained again
    pickup : where the throttle is picked up
    able : (n - 1,) what the brake takes off where it is used in full, m/s^2
    flat : whether the throttle is never let off
    left : 1 where it turns to the left, -1 to the right
    """

    first: int
    last: int
    free: int
    begin: int
    end: int
    slow: int
    middle: int
    ready: int
    pickup: int
    able: Array
    flat: bool
    left: float

    @property
    def part(self) -> slice:
        """Its nodes."""
        return slice(self.first, self.last + 1)


def corners_of(both: Pair, plan: Plan, row: int = 0) -> list[Corner]:
    """The corners of a passage in the reference's drive; ``row`` is the variant of the passage."""
    found: list[Corner] = []
    for stage in both.stages:
        found.append(_corner(both, plan, stage, found[-1].ready if found else 0, row))
    return found


def _corner(both: Pair, plan: Plan, stage: Stage, free: int, row: int) -> Corner:
    braking, energy, at = stage.sides[1], plan.energy, plan.places
    first, last = stage.first, stage.last
    brakes = braking.effort[row] is not None
    middle = first + int(np.argmin(energy[first : last + 1]))
    tightest = int(np.clip(round(float(braking.tightest[row])), first, last))
    if not brakes and energy[middle] > HARDLY_SLOWER * energy[tightest]:
        middle = tightest
    slow = ready = middle
    while slow > first and energy[slow - 1] < SLOW * energy[middle] and at[middle] - at[slow] < LONGEST_M:
        slow -= 1
    while ready < last and energy[ready + 1] < SLOW * energy[middle] and at[ready] - at[middle] < LONGEST_M:
        ready += 1
    begin, end = (int(braking.begin[row]), int(np.ceil(braking.end[row]))) if brakes else (slow, slow)
    opened = np.flatnonzero(both.courses[1].pedal[row, middle:last] > PICKED_UP)
    level = float(np.percentile(plan.brake[begin:end], USUALLY)) if end > begin else LEAST_BRAKING
    left = np.sqrt(np.maximum(1.0 - ((2 * energy * plan.bend)[:-1] / plan.grip) ** 2, LEAST_LEFT**2))
    way = both.courses[1]
    return Corner(
        first=first,
        last=last,
        free=min(free, begin),
        begin=begin,
        end=end,
        slow=min(slow, max(end, begin)),
        middle=middle,
        ready=ready,
        pickup=middle + int(opened[0]) if len(opened) else max(ready, middle),
        able=np.maximum(level, plan.brake / left),
        flat=not brakes and float(way.pedal[row, first:last].min()) > FLAT,
        left=float(np.sign((way.left[row] * way.curvature[row] ** 2)[first : last + 1].sum())) or 1.0,
    )
