"""What a driver does in a passage, told apart from what follows from it: the parts that can be exchanged."""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, uniform_filter1d

from lauftakt.core.arrays import spans
from lauftakt.core.comparison.car import SPEEDS, ShownCar
from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.throttle import pickup_level

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# Distance of the nodes at which a passage is rebuilt, m.
STEP_M = 2.0
# The same on the straight, which begins so far behind the last apex.
STRAIGHT_STEP_M, EXIT_M = 6.0, 90.0
# Curvature is smoothed over so much: shorter is noise.
CURVATURE_M = 3.0
# Slower than rolling and engine by so much is braking, as a share of the hardest braking and in m/s^2.
BRAKING, BRAKING_MS2 = 0.07, 0.9
# Two parts of a braking that are no further apart are one that was interrupted, m.
ONE_BRAKING_M = 30.0
# A braking that takes less than this share of the energy is none.
LEAST_BRAKING = 0.04
# The usual force of a braking is this percentile of it; from where it has risen, and what is missing where it is let
# off in between, as shares of it.
USUALLY, RISEN, DIPPED = 75, 0.85, 0.15
# Nodes of usual force that one driver must miss more than the other before it is an interruption.
INTERRUPTED = 2.0
# Where a line is tightest is known to so many metres: a bend is much the same for a while.
SAME_PLACE_M = 12.0
# Place of the effort among a braking's fields.
EFFORT = 2
# Nobody lives without some curvature: 1/m.
STRAIGHT = 1e-4
# The tightest curvature is that over so much of the way, m.
SLOW_PART_M = 8.0
# The tightest part lies so near to the lowest speed, m.
NEAR_M = 60.0
# Power of the share of the tightest curvature, by which places count for the middle of it.
PEAKED = 12


@dataclass(frozen=True)
class Course:
    """How a passage was driven on average over some laps, at the nodes of :func:`nodes_of`; rows are variants of it.

    Attributes
    ----------
    energy : (r, n) v^2 / 2 at the nodes, m^2/s^2
    steps : (r, n - 1) m of way driven between nodes
    curvature : (r, n) of the driven way, without sign, 1/m
    left : (r, n) 1 where the way bends to the left, -1 where it bends to the right
    offset : (r, n) of the driven way from the centre line, left positive, m; NaN where it is not known
    pedal : (r, n) share of full throttle
    rolls, braked : (r, n) share of the laps in which neither pedal, and in which the brake was used
    gear : (r, n) the usual gear, 0 where none is known
    """

    energy: Array
    steps: Array
    curvature: Array
    left: Array
    offset: Array
    pedal: Array
    rolls: Array
    braked: Array
    gear: Ints

    def only(self, row: int) -> "Course":
        """The same with one variant alone."""
        return Course(*(getattr(self, field.name)[row : row + 1] for field in fields(Course)))


def nodes_of(low: float, high: float, apexes: Sequence[float]) -> Array:
    """Places of the nodes of a passage: near each other up to the last corner's exit, further apart on the straight."""
    fine = max(apexes) + EXIT_M if apexes else high
    near = np.arange(low, min(fine, high) + 1e-6, STEP_M)
    return np.concatenate([near, np.arange(near[-1] + STRAIGHT_STEP_M, high + 1e-6, STRAIGHT_STEP_M)])


def nodes_at(nodes: Array, places: Sequence[float]) -> list[int]:
    """The nodes nearest to some places."""
    return [int(np.argmin(np.abs(nodes - place))) for place in places]


def course(signals: Signals, rows: Sequence[Sequence[int]], nodes: Array) -> Course:
    """How a passage was driven, averaged over laps.

    Parameters
    ----------
    signals : of the run
    rows : for each variant, the rows of the laps it is the mean of; the first is that of all
    nodes : (n,) places, metres from the start line of the lap; see :func:`nodes_of`
    """
    low, high = float(nodes[0]), float(nodes[-1])
    every = sorted({row for group in rows for row in group})
    first = int(np.searchsorted(signals.places, low - 20.0))
    last = int(np.searchsorted(signals.places, high + 20.0, side="right"))
    s = signals.places[first:last]

    def at(values: Array) -> Array:
        return np.array([np.interp(nodes, s, values[row, first:last]) for row in every])

    speed, clock = at(signals.speed), at(signals.time)
    smooth = gaussian_filter1d(signals.aside[:, first:last], CURVATURE_M, axis=1, mode="nearest")
    signed = np.array([np.interp(nodes, s, smooth[row]) for row in every])
    aside = np.abs(signed)
    braked, pedal = at(signals.brake) > signals.brake_on, at(signals.throttle)
    # Half of what counts as picked up: a throttle held at a twentieth is no rolling.
    rolls = ~braked & (pedal < pickup_level(signals) / 2)
    gears = signals.others.get("gear")
    gear = np.zeros((len(rows), len(nodes)), dtype=np.int64)
    if gears is not None:
        index = np.clip(np.searchsorted(signals.places, nodes), 0, len(signals.places) - 1)
        usual = [np.median(gears[np.array(group)][:, index], axis=0) for group in rows]
        gear = np.round(np.array(usual)).astype(np.int64)
    weight = np.array([[float(row in group) for row in every] for group in rows])
    weight /= weight.sum(axis=1, keepdims=True)
    energy = weight @ (speed**2 / 2)
    way = (speed[:, 1:] + speed[:, :-1]) / 2 * np.diff(clock, axis=1)
    return Course(
        energy=energy,
        steps=weight @ way,
        curvature=np.maximum(weight @ aside / (2 * energy), STRAIGHT),
        left=np.where(weight @ signed < 0.0, -1.0, 1.0),
        offset=weight @ at(signals.offset),
        pedal=weight @ pedal,
        rolls=weight @ rolls.astype(np.float64),
        braked=weight @ braked.astype(np.float64),
        gear=gear,
    )


def together(courses: Sequence[Course]) -> Course:
    """Courses through one passage as the variants of one."""
    return Course(*(np.concatenate([getattr(one, field.name) for one in courses]) for field in fields(Course)))


@dataclass(frozen=True)
class Effort:
    """How a brake is used once: what it takes off a node at its usual force, and the shares of that while it is built
    up, let off in between, and let off for good (one value a node)."""

    level: float
    rise: Array
    dips: Array
    dips_at: float
    release: Array

    @property
    def missing(self) -> float:
        """Nodes of usual force that are missing where the brake is let off in between."""
        return float((1.0 - self.dips).sum())

    @property
    def trail(self) -> float:
        """Nodes of usual force that are missing while the brake is let off for good."""
        return float((1.0 - self.release).sum())


@dataclass(frozen=True)
class Braking:
    """How a driver brakes for a corner; every field has one value (or row) for each variant.

    Attributes
    ----------
    begin, end : (r,) nodes at which the brake comes on and is off; equal where there is none
    effort : how it is used, None where there is no braking
    lost : (r,) energy taken off in all, m^2/s^2
    tail : (r, n) energy so many nodes after the end, as a share of that at the tightest part
    early : (r,) nodes from where braking would end if it were let off at once to the tightest part
    tightest : (r,) node at which the driven line is
    grip : (r,) lateral acceleration with the line's tightest curvature at the speed there, m/s^2
    bend : (r,) that curvature, 1/m
    most : (r,) highest lateral acceleration of the corner, m/s^2
    """

    begin: Array
    end: Array
    effort: tuple[Effort | None, ...]
    lost: Array
    tail: Array
    early: Array
    tightest: Array
    grip: Array
    bend: Array
    most: Array

    def only(self, row: int) -> "Braking":
        """The same with one variant alone."""
        return Braking(*(getattr(self, field.name)[row : row + 1] for field in fields(Braking)))

    @property
    def there(self) -> NDArray[np.bool_]:
        """(r,) whether there is any braking."""
        return np.array([own is not None for own in self.effort])


def brakings(own: Course, theirs: Course, car: ShownCar, first: int, last: int) -> tuple[Braking, Braking]:
    """How two drivers brake for a corner that lies between two nodes.

    Parameters
    ----------
    own, theirs : the passage
    car : what it is driven with
    first, last : nodes between which the corner and what leads to it lie

    Notes
    -----
    Where the reference lets the brake off in between like the driver, it is the corner that asks for it.
    """
    sides = [_side(way, car, first, last, True) for way in (own, theirs)]
    missing = [[effort.missing for effort in side.effort if effort is not None] for side in sides]
    if all(missing) and float(np.mean(missing[0])) - float(np.mean(missing[1])) < INTERRUPTED:
        sides = [_side(way, car, first, last, False) for way in (own, theirs)]
    return _beside(sides[0], sides[1])


def _beside(own: Braking, theirs: Braking) -> tuple[Braking, Braking]:
    """Both with the places where their lines are tightest brought nearer by what is no difference."""
    apart = own.tightest - theirs.tightest
    sure = np.sign(apart) * np.maximum(np.abs(apart) - SAME_PLACE_M / STEP_M, 0.0)
    nearer = (apart - sure) / 2
    return (
        replace(own, tightest=own.tightest - nearer, early=own.early - nearer),
        replace(theirs, tightest=theirs.tightest + nearer, early=theirs.early + nearer),
    )


def _side(way: Course, car: ShownCar, first: int, last: int, dips: bool) -> Braking:
    found = [_braking(way, row, car, first, last, dips) for row in range(len(way.energy))]
    columns: list[Any] = [
        column if k == EFFORT else np.array(column) for k, column in enumerate(zip(*found, strict=True))
    ]
    return Braking(*columns)


def _braking(
    way: Course, row: int, car: ShownCar, first: int, last: int, dips: bool
) -> tuple[float | Array | Effort | None, ...]:
    energy, steps = way.energy[row], way.steps[row]
    nodes = len(energy)
    rate = -np.diff(energy) / np.maximum(steps, 0.1)
    middle = (energy[1:] + energy[:-1]) / 2
    beyond = rate + car.closed(middle, 2 * middle * (way.curvature[row, 1:] + way.curvature[row, :-1]) / 2)
    slowest = first + int(np.argmin(energy[first : last + 1]))
    # Where the driven line is tightest is the line's own; how fast somebody is there is what he dares.
    width = 2 * round(SLOW_PART_M / STEP_M) + 1
    near = slice(max(first, slowest - round(NEAR_M / STEP_M)), min(last, slowest + round(NEAR_M / STEP_M)) + 1)
    tight = uniform_filter1d(way.curvature[row], width, mode="nearest")[near]
    most = float(uniform_filter1d(2 * energy * way.curvature[row], width, mode="nearest")[near].max())
    bend = float(tight.max())
    # In a long bend it is much the same for a while: its middle is what two drivers can be compared by.
    weight = (tight / bend) ** PEAKED
    centre = float((np.arange(near.start, near.stop) * weight).sum() / weight.sum())
    floor = float(np.interp(centre, np.arange(nodes), energy))
    grip = 2 * floor * bend
    least = max(BRAKING_MS2, BRAKING * car.braking)
    on = spans(beyond[first:slowest] > least)
    parts = [(first + a, first + b) for a, b in on if energy[first + a] - energy[first + b] > 0.01 * energy[first + a]]
    nothing = float(slowest)
    none = (nothing, nothing, None, 1.0, np.ones(nodes), 0.0, centre, grip, bend, most)
    if not parts:
        return none
    main = max(range(len(parts)), key=lambda k: energy[parts[k][0]] - energy[parts[k][1]])
    begin, release = parts[main]
    for a, b in reversed(parts[:main]):
        if (begin - b) * STEP_M <= ONE_BRAKING_M:
            begin = a
    for a, b in parts[main + 1 :]:
        if (a - release) * STEP_M <= ONE_BRAKING_M:
            release = b
    # A brake that is built up slowly begins long before it slows the car much.
    while begin > first and (way.braked[row, begin - 1] > 0.5 or beyond[begin - 1] > least / 2):
        begin -= 1
    if energy[begin] - energy[release] < LEAST_BRAKING * energy[begin]:
        return none
    taken = -np.diff(energy[begin : release + 1])
    effort = effort_of(taken, dips)
    tail = np.full(nodes, energy[-1] / floor)
    tail[: nodes - release] = energy[release:] / floor
    early = centre - release + effort.trail
    return (
        float(begin), float(release), effort, energy[begin] - energy[release], tail, early, centre, grip, bend, most,
    )  # fmt: skip


def effort_of(taken: Array, dips: bool) -> Effort:
    """How the brake was used, from the energy it took off at each node; with or without looking for dips in between."""
    level = float(np.percentile(taken, USUALLY))
    up = int(np.flatnonzero(taken >= RISEN * level)[0])
    # What is taken again later was let off in between.
    held = taken[up:]
    dipped = (np.maximum.accumulate(held[::-1])[::-1] - held > DIPPED * level) & dips
    whole = held[~dipped]
    down = int(np.flatnonzero(whole >= RISEN * level)[-1]) + 1
    level = float(whole[:down].mean())
    where = np.flatnonzero(dipped)
    return Effort(
        level=level,
        rise=np.clip(taken[:up] / level, 0.0, None),
        dips=np.clip(held[dipped] / level, 0.0, None),
        dips_at=min(float(where.mean() / max(down, 1)), 1.0) if len(where) else 0.5,
        release=np.clip(whole[down:] / level, 0.0, None),
    )


def course_of(
    level: Effort, rise: Effort, dips: Effort, release: Effort, lost: float, nodes: int
) -> tuple[Array, float]:
    """A braking put together from several: (nodes,) energy taken off after each node, and how many nodes it lasts.

    Parameters
    ----------
    level, rise, dips, release : from where to take what
    lost : energy that is taken off in all; the usual force lasts as long as that needs
    nodes : how many to give
    """
    shares = [rise.rise, dips.dips, release.release]
    plain = lost / level.level - sum(float(share.sum()) for share in shares)
    short = 1.0
    if plain < 0.0:
        # So little is to be taken off that not even rise and release are needed in full.
        short, plain = lost / level.level / max(sum(float(share.sum()) for share in shares), 1e-9), 0.0
    parts = [
        (np.ones(len(rise.rise)), rise.rise * short),
        (np.array([plain * dips.dips_at]), np.array([plain * dips.dips_at])),
        (np.ones(len(dips.dips)), dips.dips * short),
        (np.array([plain * (1 - dips.dips_at)]), np.array([plain * (1 - dips.dips_at)])),
        (np.ones(len(release.release)), release.release * short),
    ]
    place = np.concatenate([[0.0], *(p for p, _ in parts)]).cumsum()
    taken = np.concatenate([[0.0], *(e for _, e in parts)]).cumsum() * level.level
    return np.interp(np.arange(nodes), place, taken), float(place[-1])


def forces(car: ShownCar, energy: Array, gears: Ints, tables: Array) -> Array:
    """Full throttle's force, m/s^2, at energies and rows of ``tables``, both (b,)."""
    at = np.minimum(np.sqrt(2 * energy) / (SPEEDS[1] - SPEEDS[0]), len(SPEEDS) - 1.001)
    index = at.astype(np.int64)
    share = at - index
    return np.asarray(tables[gears, index] * (1 - share) + tables[gears, index + 1] * share)
