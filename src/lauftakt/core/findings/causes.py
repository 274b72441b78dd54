"""Why time is lost in a passage: what each part of the driving costs, by its name.

Codes: ``early_brake``, ``soft_brake``, ``slow_brake_rise``, ``early_release``, ``late_release``, ``interrupted_brake``,
``braked_too_late``, ``over_slow``, ``coasting``, ``late_throttle``, ``hesitant_throttle``, ``needless_lift``,
``wrong_gear``, ``early_turn_in``, ``late_turn_in``, ``unused_width``, ``understeer``, ``oversteer``,
``locked_wheel``, ``car_or_conditions``, ``unclear``.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lauftakt.core.findings.names import NAMES, Case, Evidence, braked_too_late, same_deeds
from lauftakt.core.findings.prices import Prices
from lauftakt.core.findings.rebuilding import Pair, Stage
from lauftakt.core.findings.synthesis.fitting import synthesise
from lauftakt.core.findings.synthesis.mistakes import Tried
from lauftakt.core.findings.synthesis.naming import explained
from lauftakt.core.technique.figures import Figures

# Less than a hundredth of a second is nothing that anybody can work on; it stays with what is not explained.
LEAST_S = 0.01
# Share of a price that rebuilding gets wrong: its scatter against passages driven again in the simulator.
MODEL = 0.4
# What prices leave over is never so little that it could not be chance, s.
LEAST_REST_S = 0.1
# Where a braking ends, and how: told apart so badly that what one wins and the other loses is neither's.
ENDS = ("place", "release")
# A cause is told as one of two when it is beyond its own doubt, so many standard deviations.
CLEAR = 1.0


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
    row: int = 0, least_u_s: float = 0.0, same_car: bool = True, tried: Tried | None = None,
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
    same_car : whether both drove the same car; what depends on it is not named between two
    tried : mistakes that are tried in this passage, where they are at hand for many laps beside one reference

    Notes
    -----
    Mistakes are put into the reference's passage, and those that make what was seen are named (see
    :mod:`lauftakt.core.findings.synthesis`). Where none do, a name follows from the element whose exchange gains time;
    what is nearer to the words of a coach (which way a turn-in differs, whether a throttle was let off again) from the
    deeds and figures. No cost follows from a figure.
    """
    case = Case(both, _where_lost(both, row), row, own, theirs, direction, _settled(prices.cost), same_car=same_car)
    exchanged = _by_exchange(case, prices, loss_s, row, least_u_s)
    # Where less grip costs time everywhere, no mistake of this corner makes all of what was seen.
    if loss_s <= 0.0 or prices.everywhere_s > 0.0:
        return exchanged
    pedals = not any(figures.inferred for figures in (*own, *theirs))
    found = synthesise(both, pedals, row, prices.scatter, tried)
    told = explained(found, replace(case, cost=loss_s), exchanged.main, loss_s, least_u_s)
    if told is None:
        return exchanged
    causes = tuple(one for one in told[0] if abs(one.cost_s) >= LEAST_S)
    return Explanation(causes, told[1], loss_s - told[1] - sum(one.cost_s for one in causes))


def _by_exchange(case: Case, prices: Prices, loss_s: float, row: int, least_u_s: float) -> Explanation:
    """Names for the elements whose exchange has a price: where no mistakes explain the passage, the driver is quicker,
    or several explain it alike."""
    costs = dict(case.costs)
    same = same_deeds(case)
    for name, instead in same.items():
        costs[instead] += costs.pop(name)
    case = replace(case, costs=costs)
    late = braked_too_late(case)
    found: dict[str, Evidence] = {}
    for element, cost in costs.items():
        if element == "brought_in" or abs(cost) < LEAST_S:
            continue
        if element in late:
            named = case.told("braked_too_late", "brake_point_m")
        else:
            named = NAMES[element](replace(case, cost=cost))
        if not named.cause:
            continue
        u = float(np.hypot(max(prices.u[element], least_u_s), MODEL * abs(cost)))
        before = found.get(named.cause)
        elements = _swapped(element, same, costs, prices.cost)
        if before is not None:
            named, elements = before, (*before.elements, element)
            cost, u = before.cost_s + cost, float(np.hypot(before.cost_u_s, u))
        found[named.cause] = replace(named, cost_s=cost, cost_u_s=u, elements=elements)
    causes = tuple(sorted((c for c in found.values() if abs(c.cost_s) >= LEAST_S), key=lambda c: -c.cost_s))
    brought = prices.cost.get("brought_in", 0.0)
    rest = loss_s - brought - sum(c.cost_s for c in causes)
    if abs(rest) > max(abs(loss_s), LEAST_REST_S):
        # Prices that leave more over than there is to explain explain nothing.
        return Explanation((), 0.0, loss_s)
    return Explanation(causes, brought, rest)


def _settled(cost: Mapping[str, float]) -> dict[str, float]:
    """Costs in which place and release of the brake do not stand against each other."""
    found = dict(cost)
    place, release = (found.get(name, 0.0) for name in ENDS)
    if place * release < 0.0:
        found["place"], found["release"] = (
            (place + release, 0.0) if abs(place) > abs(release) else (0.0, place + release)
        )  # fmt: skip
    return found


def _swapped(
    element: str, same: Mapping[str, str], costs: Mapping[str, float], before: Mapping[str, float]
) -> tuple[str, ...]:
    """Elements whose exchange the cost of one stands for."""
    joined = tuple(name for name, instead in same.items() if instead == element)
    if joined:
        return (element, *joined)
    return ENDS if element in ENDS and costs[element] != before[element] else (element,)


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
