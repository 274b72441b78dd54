"""What each part of a driver's doing costs in a passage: shares of a game between the parts."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import factorial

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.comparison.car import ShownCar
from lauftakt.core.findings.deeds import course, nodes_at, nodes_of
from lauftakt.core.findings.rebuilding import (
    BRAKE,
    BROUGHT,
    ELEMENTS,
    GEAR,
    LINE,
    ROLLING,
    THROTTLE,
    USE,
    Pair,
    pair,
    rebuild,
)
from lauftakt.core.technique.signals import Signals

Array = NDArray[np.float64]


# Laps of a driver are told apart in so many groups to learn how sure a price is.
GROUPS = 3
# Of fewer laps none is left out as unusual.
FEW = 4


@dataclass(frozen=True)
class Prices:
    """Seconds of each element by name, with their standard deviations, and (n,) by how much speeds differ by chance at
    each node, m/s, where that is known. ``everywhere_s`` is what less grip everywhere costs here; it is taken out."""

    cost: dict[str, float]
    u: dict[str, float]
    scatter: Array | None = None
    everywhere_s: float = 0.0


@dataclass(frozen=True)
class Drives:
    """Laps of one run through a passage: rows of its signals, with the times they took, s."""

    signals: Signals
    rows: tuple[int, ...]
    times: tuple[float, ...]

    def usual(self) -> list[int]:
        """Rows of the middle half by time: what the median of all stands for."""
        order = [self.rows[k] for k in np.argsort(self.times)]
        cut = len(order) // 4 if len(order) >= FEW else 0
        return order[cut : len(order) - cut]


def prepared(
    car: ShownCar, own: Drives, theirs: Drives, low: float, high: float, apexes: Sequence[float], variants: bool = True
) -> tuple[Pair, int, int]:
    """A passage as driver and reference usually drive it, with variants from which to learn how sure it is.

    Parameters
    ----------
    car : what both are driven with
    own, theirs : laps
    low, high : where the passage lies, and ``apexes`` its corners, metres from the start line of the lap
    variants : whether it is to be known how sure everything is

    Returns
    -------
    The pair, and how many variants leave out a group of the driver's laps, and of the reference's.
    """
    rows = own.usual(), theirs.usual()
    groups = [min(GROUPS, len(side)) if len(side) > 1 and variants else 0 for side in rows]
    chosen: list[tuple[list[int], list[int]]] = [(rows[0], rows[1])]
    for which, (side, count) in enumerate(zip(rows, groups, strict=True)):
        for group in range(count):
            left = [row for k, row in enumerate(side) if k % count != group]
            chosen.append((left, rows[1]) if which == 0 else (rows[0], left))
    places = nodes_of(low, high, apexes)
    courses = (
        course(own.signals, [a for a, _ in chosen], places),
        course(theirs.signals, [b for _, b in chosen], places),
    )
    return pair(car, *courses, nodes_at(places, apexes)), groups[0], groups[1]


def unions(both: Pair) -> list[tuple[int, ...]]:
    """What there is to exchange in a passage: elements that no driver of the two shows are left out."""
    found: list[tuple[int, ...]] = [(USE,), (THROTTLE,), (LINE,), (BROUGHT,)]
    if any(side.there.any() for stage in both.stages for side in stage.sides):
        found.append(BRAKE)
    if (both.courses[0].gear != both.courses[1].gear).any():
        found.append((GEAR,))
    if both.rolls.any():
        found.append((ROLLING,))
    return found


def subsets(count: int) -> NDArray[np.bool_]:
    """(2^count, count) every choice of elements."""
    return np.asarray((np.arange(2**count)[:, None] >> np.arange(count)) & 1 == 1)


def shapley(worth: Array, count: int) -> Array:
    """Shapley values of a game.

    Parameters
    ----------
    worth : (2^count, ...) of every subset, in the order of :func:`subsets`
    count : players

    Returns
    -------
    (count, ...)

    Notes
    -----
    Shapley, "A value for n-person games", Contributions to the Theory of Games II, 1953.
    """
    size = subsets(count).sum(axis=1)
    index = np.arange(2**count)
    found = []
    for player in range(count):
        without = index[(index >> player) & 1 == 0]
        weight = np.array([factorial(int(k)) * factorial(count - int(k) - 1) / factorial(count) for k in size[without]])
        found.append(np.tensordot(weight, worth[without | (1 << player)] - worth[without], axes=1))
    return np.array(found)


def price(
    car: ShownCar, own: Drives, theirs: Drives, low: float, high: float, apexes: Sequence[float]
) -> tuple[Pair, Prices]:
    """What each part of a driver's doing costs in a passage against a reference.

    Parameters
    ----------
    car, own, theirs, low, high, apexes : see :func:`prepared`

    Returns
    -------
    The passage as both drive it, and the seconds of each element with their standard deviations.

    Notes
    -----
    How sure a cost is follows from leaving out a group of laps at a time (Efron and Stein, "The jackknife estimate of
    variance", Annals of Statistics 9, 1981), of the driver's and of the reference's.
    """
    both, mine, other = prepared(car, own, theirs, low, high, apexes)
    chosen = unions(both)
    values = worth(both.only(0), chosen)
    varied = margins(both, chosen) if mine + other else {}
    u = {}
    for name in values:
        variance = 0.0
        for begin, count in ((1, mine), (1 + mine, other)):
            if count > 1:
                part = varied[name][begin : begin + count]
                # Of the middle half of the laps the median knows as much as the mean of all of them.
                variance += (count - 1) / count * float(((part - part.mean()) ** 2).sum())
        u[name] = float(variance**0.5)
    scatter = _scatter(both, mine, other) if mine > 1 or other > 1 else None
    return both, Prices({name: float(each[0]) for name, each in values.items()}, u, scatter)


def _scatter(both: Pair, mine: int, other: int) -> Array:
    """(n,) standard deviation of the difference in mean speed, by leaving out groups of laps."""
    variance = np.zeros(both.courses[0].energy.shape[1])
    for side, begin, count in ((0, 1, mine), (1, 1 + mine, other)):
        if count > 1:
            part = np.sqrt(2 * both.courses[side].energy[begin : begin + count])
            variance += (count - 1) / count * ((part - part.mean(axis=0)) ** 2).sum(axis=0)
    return np.sqrt(variance)


def brought_in(car: ShownCar, own: Drives, theirs: Drives, low: float, high: float, apexes: Sequence[float]) -> float:
    """What the speed at a passage's beginning costs in it, s, everything else as driven.

    Parameters
    ----------
    car, own, theirs, low, high, apexes : see :func:`prepared`
    """
    both, _, _ = prepared(car, own, theirs, low, high, apexes, variants=False)
    swaps = np.zeros((2, len(ELEMENTS)), dtype=bool)
    swaps[1, BROUGHT] = True
    seconds, _ = rebuild(both, swaps)
    return float(seconds[0, 0] - seconds[1, 0])


def worth(both: Pair, unions: Sequence[Sequence[int]]) -> dict[str, Array]:
    """Seconds that each element costs the driver, by every order of exchanging them, (r,) for each.

    Parameters
    ----------
    both : the passage as both drive it
    unions : elements that are exchanged together, one by one within; what is in none stays the driver's

    Notes
    -----
    Between unions Shapley's value, within one Owen's ("Values of games with a priori unions", Essays in Mathematical
    Economics and Game Theory, 1977): every order within it, before all others and after all others, which for a game
    that bends as little as this is the mean over all of them to a few milliseconds.
    """
    count = len(unions)
    outer = subsets(count)
    swaps = [_swaps(unions, own) for own in outer]
    inner: list[tuple[int, int, int]] = []
    for which, union in enumerate(unions):
        if len(union) < 2:
            continue
        for others in (False, True):
            inner.append((which, len(swaps), len(union)))
            base = _swaps(unions, np.full(count, others))
            for own in subsets(len(union)):
                row = base.copy()
                row[list(union)] = own
                swaps.append(row)
    seconds, _ = rebuild(both, np.array(swaps))
    values = shapley(-seconds[: len(outer)], count)
    by_variant: dict[str, Array] = {}
    for which, union in enumerate(unions):
        if len(union) == 1:
            by_variant[ELEMENTS[union[0]]] = values[which]
            continue
        parts = [
            shapley(-seconds[at : at + 2**size], size) for own, at, size in inner if own == which
        ]  # fmt: skip
        within = (parts[0] + parts[1]) / 2
        # Both orders together come close to the union's own value; what they leave is shared by no rule.
        for position, element in enumerate(union):
            by_variant[ELEMENTS[element]] = within[position] + (values[which] - within.sum(axis=0)) / len(union)
    return by_variant


def margins(both: Pair, unions: Sequence[Sequence[int]]) -> dict[str, Array]:
    """What each element costs on average when it is exchanged first and when last, (r,) for each: quick, and as good as
    :func:`worth` for how much it scatters."""
    elements = [element for union in unions for element in union]
    swaps = np.zeros((2 + 2 * len(elements), len(ELEMENTS)), dtype=bool)
    swaps[1, elements] = True
    for k, element in enumerate(elements):
        swaps[2 + 2 * k, element] = True
        swaps[3 + 2 * k, [other for other in elements if other != element]] = True
    seconds, _ = rebuild(both, swaps)
    return {
        ELEMENTS[element]: (seconds[0] - seconds[2 + 2 * k] + seconds[3 + 2 * k] - seconds[1]) / 2
        for k, element in enumerate(elements)
    }


def _swaps(unions: Sequence[Sequence[int]], exchanged: NDArray[np.bool_]) -> NDArray[np.bool_]:
    found = np.zeros(len(ELEMENTS), dtype=bool)
    for union, own in zip(unions, exchanged, strict=True):
        found[list(union)] = own
    return found
