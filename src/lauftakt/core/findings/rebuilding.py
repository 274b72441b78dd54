"""A passage driven again with some of what a driver does taken from somebody else, by what the car can do."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.comparison.car import SPEEDS, ShownCar
from lauftakt.core.findings.deeds import Braking, Course, brakings, course_of, forces

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]
Ints = NDArray[np.int64]

# What can be exchanged: where braking ends beside the tightest part; its usual force, its rise, what is let off in
# between, and how it is let off; the share of grip used at the tightest part; the throttle; rolling on neither pedal;
# the gear; the driven line; and the speed that was brought in.
ELEMENTS = (
    "place", "level", "rise", "dips", "release", "use", "throttle", "rolling", "gear", "line", "brought_in",
)  # fmt: skip
PLACE, LEVEL, RISE, DIPS, RELEASE, USE, THROTTLE, ROLLING, GEAR, LINE, BROUGHT = range(len(ELEMENTS))
BRAKE = (PLACE, LEVEL, RISE, DIPS, RELEASE)

# A throttle that is this far open was picked up; one that never falls below that was never let off.
PICKED_UP, FLAT = 0.3, 0.85
# More than what both have shown is not asked of the tyres on the way out.
BEYOND = 1.01
# Share of the force at hand that a driver can use; beyond it is noise, and stays with whoever drove it.
LEAST_SHARE, MOST_SHARE = -0.2, 1.1
# An acceleration is smoothed over so many nodes: what a foot does shows so much earlier.
SMOOTHED = 6
# Energy that is gained once the throttle was picked up, as a share.
GAINED = 0.02
# Whose force, rise, dips and release: so many choices.
CHOICES = 16
# A corner's part is not shorter, nodes.
LEAST_NODES = 8
# Rounds in which the beginning of the braking and the speed there are brought together.
ROUNDS = 4
# What is not explained of a braking is no more than this.
LEAST_SHAPE = 0.7
# No car of this trade goes through a corner slower, m^2/s^2.
LEAST_ENERGY = 2.0
# Holding the speed and a little more is always possible, m/s^2.
LEAST_ROOM = 0.05


@dataclass(frozen=True)
class Stage:
    """One corner of a passage.

    Attributes
    ----------
    first, last : nodes from where to where
    sides : how both brake for it
    lost, length : (16, r, n) and (16, r) energy taken off after each node and how many nodes that lasts, for every
        choice of whose force, rise, dips and release it is (bits in this order)
    trail : (2, r) nodes of usual force that are missing while the brake is let off
    shape : (2, r, n) energy under braking as a share of what these explain, by nodes before the end (reversed)
    """

    first: int
    last: int
    sides: tuple[Braking, Braking]
    lost: Array
    length: Array
    trail: Array
    shape: Array


@dataclass(frozen=True)
class Pair:
    """A passage as a driver (0) and the reference (1) drive it, with all that rebuilding needs.

    ``share`` is (2, r, n - 1), the part of the force at hand that was used, ``before`` the same as if nobody had
    braked, ``rest`` (r, n - 1) what of the driver's own acceleration no share explains, m/s^2.
    """

    car: ShownCar
    courses: tuple[Course, Course]
    stages: tuple[Stage, ...]
    tables: Array
    gears: Ints
    share: Array
    before: Array
    rest: Array
    rolls: Bools

    def only(self, row: int) -> "Pair":
        """The same with one variant alone."""
        one = slice(row, row + 1)
        stages = [
            replace(
                stage, sides=(stage.sides[0].only(row), stage.sides[1].only(row)), lost=stage.lost[:, one],
                length=stage.length[:, one], trail=stage.trail[:, one], shape=stage.shape[:, one],
            ) for stage in self.stages
        ]  # fmt: skip
        return replace(
            self, courses=(self.courses[0].only(row), self.courses[1].only(row)), stages=tuple(stages),
            gears=self.gears[:, one], share=self.share[:, one], before=self.before[:, one], rest=self.rest[:, one],
            rolls=self.rolls[one],
        )  # fmt: skip

    @property
    def variants(self) -> int:
        return len(self.courses[0].energy)


def pair(car: ShownCar, own: Course, theirs: Course, apexes: Sequence[int]) -> Pair:
    """Two courses through a passage, made ready for exchange.

    Parameters
    ----------
    car : what both are driven with
    own, theirs : with equally many variants and nodes
    apexes : nodes of the passage's corners, rising
    """
    both = (own, theirs)
    stages, first = [], 0
    for last in _borders(own, theirs, apexes):
        sides = brakings(own, theirs, car, first, last)
        stages.append(_stage(first, last, sides, own.energy.shape[1]))
        first = last
    gears = np.array([own.gear, theirs.gear])
    known = np.union1d(gears, [0])
    tables = car.table([int(gear) for gear in known])
    gears = np.searchsorted(known, gears)
    share, rest = np.zeros((2, *own.steps.shape)), np.zeros((2, *own.steps.shape))
    before = np.zeros_like(share)
    index = np.arange(share.shape[2])
    for which, side in enumerate(both):
        for stage in stages:
            part, braked = slice(stage.first, stage.last), stage.sides[which]
            e, bend = side.energy[:, :-1][:, part], side.curvature[:, :-1][:, part]
            a = np.diff(side.energy, axis=1)[:, part] / side.steps[:, part]
            closed = car.closed(e, 2 * e * bend)
            force = forces(car, e, gears[which][:, :-1][:, part], tables)
            room = _room(car, e, bend, braked.most[:, None], closed, force)
            share[which][:, part] = np.clip((a - closed) / room, LEAST_SHARE, MOST_SHARE)
            rest[which][:, part] = a - closed - share[which][:, part] * room
            lift = np.maximum(braked.begin - SMOOTHED, stage.first).astype(np.int64)
            held = np.take_along_axis(share[which], lift[:, None], axis=1)
            braking_now = (index >= braked.begin[:, None]) & (index < stage.last)
            before[which][:, part] = np.where(braking_now, held, share[which])[:, part]
            rest[which] = np.where(braking_now & (index < braked.end[:, None]), 0.0, rest[which])
    made = Pair(car, both, tuple(stages), tables, gears, share, before, rest, _rolls(own, theirs, stages))
    return replace(made, stages=tuple(replace(stage, shape=_shapes(made, stage)) for stage in stages))


def _shapes(both: Pair, stage: Stage) -> Array:
    """What of both brakings is not explained, so that undisturbed both come out as they were driven."""
    found = np.ones_like(stage.shape)
    for which, side in enumerate(stage.sides):
        rows = _Rows.of(both, np.full((1, len(ELEMENTS)), which == 1), keep_rest=True)
        measured = both.courses[which].energy
        rows.energy[:, stage.first] = measured[:, stage.first]
        free = np.where(np.arange(measured.shape[1]) <= side.begin[:, None], measured, rows.free(stage))
        slowed, begin, end, _ = _slowed(rows, stage, free)
        for row in np.flatnonzero(side.there):
            inside = np.arange(max(int(np.ceil(begin[row])), stage.first), min(int(end[row]), stage.last) + 1)
            share = np.clip(measured[row, inside] / slowed[row, inside - stage.first], LEAST_SHAPE, 1 / LEAST_SHAPE)
            found[which, row, : len(inside)] = share[::-1]
    return found


def _stage(first: int, last: int, sides: tuple[Braking, Braking], nodes: int) -> Stage:
    count = len(sides[0].begin)
    lost, length, trail = np.zeros((CHOICES, count, nodes)), np.ones((CHOICES, count)), np.zeros((2, count))
    for row in range(count):
        efforts = [side.effort[row] for side in sides]
        for which, effort in enumerate(efforts):
            trail[which, row] = 0.0 if effort is None else effort.trail
        for choice in range(CHOICES):
            chosen = [efforts[(choice >> bit) & 1] for bit in range(4)]
            # Where one does not brake there is nothing to mix.
            mixed = chosen if all(efforts) else [efforts[choice == CHOICES - 1] or efforts[0] or efforts[1]] * 4
            level, rise, dips, release = mixed
            if level is None or rise is None or dips is None or release is None:
                continue
            whole = float(np.mean([side.lost[row] for side in sides if side.effort[row] is not None]))
            lost[choice, row], length[choice, row] = course_of(level, rise, dips, release, whole, nodes)
    return Stage(first, last, sides, lost, length, trail, np.ones((2, count, nodes)))


def _borders(own: Course, theirs: Course, apexes: Sequence[int]) -> list[int]:
    """Node at which each corner's part ends: where both together are fastest between two apexes."""
    energy = own.energy[0] + theirs.energy[0]
    last = len(energy) - 1
    found: list[int] = []
    for a, b in pairwise(apexes):
        at = a + int(np.argmax(energy[a : b + 1]))
        if at - (found[-1] if found else 0) >= LEAST_NODES and last - at >= LEAST_NODES:
            found.append(at)
    return [*found, last]


def _rolls(own: Course, theirs: Course, stages: Sequence[Stage]) -> Bools:
    """(r, n - 1) where the driver rolls on neither pedal on the way to the brake or before the throttle is picked up.

    What comes once it was picked up is the throttle's, and so is a lift where the reference stays flat.
    """
    neither = own.rolls[:, :-1] > 0.5
    found = np.zeros_like(neither)
    for row, rolls in enumerate(neither):
        for stage in stages:
            braked, other = stage.sides
            if theirs.pedal[row, stage.first : stage.last].min() > FLAT and not other.there[row]:
                continue
            energy = own.energy[row]
            middle = int(braked.tightest[row])
            begin, release = (int(v[row]) if braked.there[row] else middle for v in (braked.begin, braked.end))
            # Backwards from the brake to where the throttle was last open.
            opened = np.flatnonzero(own.pedal[row, stage.first : begin] > PICKED_UP)
            a = stage.first + (int(opened[-1]) + 1 if len(opened) else 0)
            found[row, a:begin] = rolls[a:begin]
            # On from it as long as the car has not begun to gain speed.
            after = energy[release : stage.last]
            gained = np.flatnonzero(after > (1 + GAINED) * np.minimum.accumulate(after))
            b = release + (int(gained[0]) if len(gained) else len(after))
            found[row, release:b] = rolls[release:b]
    return found


def _room(car: ShownCar, energy: Array, bend: Array, grip: Array, closed: Array, force: Array) -> Array:
    """Force at hand, m/s^2: the engine's, or what tyres leave beside cornering (friction ellipse); holding the speed is
    always possible."""
    used = np.minimum(2 * energy * bend / np.maximum(grip, 0.5), 1.0)
    return np.maximum(np.minimum(force, car.traction * np.sqrt(1.0 - used**2) - closed), LEAST_ROOM)


def _at(values: Array, place: Array) -> Array:
    """(b,) values between the columns of (b, n)."""
    place = np.clip(place, 0.0, values.shape[1] - 1.0)
    low = np.minimum(place.astype(np.int64), values.shape[1] - 2)
    row = np.arange(len(values))
    share = place - low
    return np.asarray(values[row, low] * (1 - share) + values[row, low + 1] * share)


@dataclass
class _Rows:
    """Drives of a passage, one a row: from whom each has what. ``take`` is (b, elements), ``variant`` (b,)."""

    both: Pair
    take: Ints
    variant: Ints
    energy: Array
    steps: Array
    bend: Array
    owner: Ints
    share: Array
    before: Array
    gear: Ints
    rest: Array

    @classmethod
    def of(cls, both: Pair, swaps: Bools, keep_rest: bool = True) -> "_Rows":
        take = np.repeat(swaps.astype(np.int64), both.variants, axis=0)
        variant = np.tile(np.arange(both.variants), len(swaps))
        steps, bend, energy = (
            np.array([getattr(side, name) for side in both.courses]) for name in ("steps", "curvature", "energy")
        )
        rolls = both.rolls[variant]
        owner = np.where(rolls, take[:, ROLLING, None], take[:, THROTTLE, None])
        made = energy[take[:, BROUGHT], variant]
        share, before = (np.where(owner == 1, of[1][variant], of[0][variant]) for of in (both.share, both.before))
        rest = np.where(owner == 1, both.rest[1][variant], both.rest[0][variant])
        return cls(
            both, take, variant, made, steps[take[:, LINE], variant], bend[take[:, LINE], variant], owner, share,
            before, both.gears[take[:, GEAR], variant], rest if keep_rest else np.zeros_like(rest),
        )  # fmt: skip

    def side(self, stage: Stage, name: str, element: int) -> Array:
        """A field of the stage's braking, from whoever the element was taken from."""
        return np.asarray(np.array([getattr(side, name) for side in stage.sides])[self.take[:, element], self.variant])

    def free(self, stage: Stage) -> Array:
        """(b, n) energy over a stage as if nobody braked."""
        energy = self.energy.copy()
        begin = stage.sides[0].begin[self.variant, None]
        rest = np.where(np.arange(self.rest.shape[1]) < begin, self.rest, 0.0)
        # Nobody brakes beyond the tightest part and the latest release that can be put together.
        tightest = max(float(side.tightest.max()) for side in stage.sides)
        early = min(float(side.early.min()) for side in stage.sides)
        latest = max(tightest, tightest - early + float(stage.trail.max()), *(float(s.end.max()) for s in stage.sides))
        until = int(latest) + SMOOTHED
        self.forward(stage, energy, self.before, rest, None, None, None, min(until, stage.last))
        return energy

    def forward(
        self, stage: Stage, energy: Array, share: Array, rest: Array, most: Array | None, go: Ints | None,
        released: Array | None, until: int,
    ) -> None:  # fmt: skip
        """Drive on to a node: from node ``go`` on, holding the speed until ``released``, never beyond what a lateral
        acceleration of ``most`` allows."""
        car, tables = self.both.car, self.both.tables
        grip = self.side(stage, "most", USE) if most is not None else np.full(len(energy), car.cornering)
        grip = np.maximum(grip, 0.5)
        begin = stage.first if go is None else int(go.min())
        here = slice(begin, until)
        # Columns are driven one after another: turned, so that each lies in one piece.
        bend, steps, push, extra = (np.ascontiguousarray(v[:, here].T) for v in (self.bend, self.steps, share, rest))
        flat, offset = tables.ravel(), np.ascontiguousarray(self.gear[:, here].T) * tables.shape[1]
        limit = None
        if most is not None:
            line = np.array([side.energy for side in self.both.courses])[self.take[:, LINE], self.variant]
            after = slice(begin + 1, until + 1)
            limit = np.maximum(most[:, None] / (2 * self.bend[:, after]), line[:, after]).T
        last, step = tables.shape[1] - 1.001, SPEEDS[1] - SPEEDS[0]
        for k in range(until - begin):
            i, e = begin + k, energy[:, begin + k]
            aside = 2 * e * bend[k]
            closed = -(car.rolling + 2.0 * car.drag * e + car.scrub * aside**2)
            # Force at hand: the engine's, or what tyres leave beside cornering; see _room.
            at = np.minimum(np.sqrt(2 * e) / step, last)
            index = at.astype(np.int64)
            place, between = offset[k] + index, at - index
            force = flat[place] * (1 - between) + flat[place + 1] * between
            used = np.minimum(aside / grip, 1.0)
            room = np.maximum(np.minimum(force, car.traction * np.sqrt(1.0 - used**2) - closed), LEAST_ROOM)
            a = closed + push[k] * room + extra[k]
            if released is not None:
                a = np.where(i < released, 0.0, a)
            following = np.maximum(e + a * steps[k], LEAST_ENERGY)
            if limit is not None:
                following = np.minimum(following, limit[k])
            energy[:, i + 1] = following if go is None else np.where(i >= go, following, energy[:, i + 1])


def _along(values: Array, at: Array) -> Array:
    """(b, m) values of (b, n) between its columns, at (b, m) places."""
    at = np.clip(at, 0.0, values.shape[1] - 1.0)
    index = np.minimum(at.astype(np.int64), values.shape[1] - 2)
    share, row = at - index, np.arange(len(values))[:, None]
    return np.asarray(values[row, index] * (1 - share) + values[row, index + 1] * share)


def rebuild(both: Pair, swaps: Bools) -> tuple[Array, Array]:
    """The passage with elements exchanged.

    Parameters
    ----------
    both : the passage as both drive it
    swaps : (b, elements) which are taken from the reference; every variant is driven with each row

    Returns
    -------
    seconds, energy : (b, r) and (b, r, n)
    """
    rows = _Rows.of(both, swaps)
    for stage in both.stages:
        _through(rows, stage)
    speed = np.sqrt(2 * rows.energy)
    seconds = (2 * rows.steps / (speed[:, 1:] + speed[:, :-1])).sum(axis=1)
    return seconds.reshape(len(swaps), -1), rows.energy.reshape(len(swaps), both.variants, -1)


def _slowed(rows: _Rows, stage: Stage, free: Array) -> tuple[Array, Array, Array, Array]:
    """(b, m) energy over a stage under braking, where it begins and ends, and the place that is tightest."""
    sides, variant, take = stage.sides, rows.variant, rows.take
    both = (sides[0].there & sides[1].there)[variant]
    choice = take[:, LEVEL] + 2 * take[:, RISE] + 4 * take[:, DIPS] + 8 * take[:, RELEASE]
    # Who brakes alone is not early beside somebody who does not: it all belongs to how the brake is let off.
    choice = np.where(both, choice, np.where(take[:, RELEASE] == 1, CHOICES - 1, 0))
    early = np.array([side.early for side in sides])[np.where(both, take[:, PLACE], take[:, RELEASE]), variant]
    tightest = rows.side(stage, "tightest", LINE)
    floor = rows.side(stage, "grip", USE) / (2 * rows.side(stage, "bend", LINE))
    tail = rows.side(stage, "tail", RELEASE)
    lost, length = stage.lost[choice, variant], stage.length[choice, variant]
    end = np.clip(tightest - early + stage.trail[take[:, RELEASE], variant], stage.first + 1, stage.last)
    stop = np.maximum(tail[:, 0] * floor, LEAST_ENERGY)
    whole = np.maximum(_at(lost, length), 1e-6)
    # Where it must begin depends on the speed there, which hardly changes from node to node.
    begin = end - length
    for _ in range(ROUNDS):
        begin = np.clip(end - (_at(free, begin) - stop) / whole * length, stage.first, end - 0.5)
    taken = np.maximum(_at(free, begin) - stop, 0.0)
    index = np.arange(stage.first, stage.last + 1)[None, :]
    part = _along(lost, (index - begin[:, None]) * (length / (end - begin))[:, None]) / whole[:, None]
    braked = _at(free, begin)[:, None] - taken[:, None] * np.minimum(part, 1.0)
    after = floor[:, None] * _along(tail, index - end[:, None])
    shape = np.where(index > begin[:, None], _along(stage.shape[take[:, RELEASE], variant], end[:, None] - index), 1.0)
    return np.where(index <= end[:, None], braked * shape, after), begin, end, tightest


def _through(rows: _Rows, stage: Stage) -> None:
    """One corner's part, written into the rows' energy."""
    sides, variant, take = stage.sides, rows.variant, rows.take
    brakes = rows.side(stage, "there", RELEASE).astype(bool)
    free = rows.free(stage)
    slowed, begin, end, tightest = _slowed(rows, stage, free)
    here = slice(stage.first, stage.last + 1)
    use = (np.arange(stage.first, stage.last + 1) > begin[:, None]) & brakes[:, None]
    rows.energy[:, here] = np.where(use, np.maximum(np.minimum(slowed, free[:, here]), LEAST_ENERGY), free[:, here])
    # The throttle rules from the tightest part on, or where its owner is off the brake.
    go = np.ceil(np.maximum(tightest, end)).astype(np.int64)
    go = np.where(brakes, np.clip(go, stage.first, stage.last), stage.first)
    released = np.array([side.end for side in sides])[take[:, THROTTLE], variant]
    share = np.where(brakes[:, None] | (np.arange(rows.share.shape[1]) >= released[:, None]), rows.share, rows.before)
    most = BEYOND * np.maximum(sides[0].most, sides[1].most)[variant]
    rows.forward(stage, rows.energy, share, rows.rest, most, go, np.where(brakes, released, 0.0), stage.last)
