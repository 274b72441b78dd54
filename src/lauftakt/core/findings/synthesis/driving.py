"""The reference's passage as a plan that can be driven again with something changed."""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.comparison.car import SPEEDS, ShownCar
from lauftakt.core.findings.rebuilding import LEAST_ENERGY, LEAST_ROOM, Pair

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
# A tyre that corners at its limit still brakes with this share of its force: what was shown is no hard limit.
LEAST_LEFT = 0.1


@dataclass(frozen=True)
class Plan:
    """A passage as somebody drives it, at the nodes of a pair.

    Attributes
    ----------
    car : what it is driven with
    places : (n,) m from the passage's first node, along the driven way
    energy, bend, offset : (n,) v^2 / 2, m^2/s^2; curvature without sign, 1/m; offset from the centre line, left
        positive, m
    steps : (n - 1,) m between nodes
    share : (n - 1,) part of the force at hand that is used
    brake : (n - 1,) what the brake takes off, m/s^2
    rest : (n - 1,) acceleration that neither explains, m/s^2
    gear : (n - 1,) rows of ``tables``
    tables : (gears, k) full throttle's force over :data:`lauftakt.core.comparison.car.SPEEDS`, m/s^2
    grip : (n - 1,) most lateral acceleration of the corner, m/s^2
    """

    car: ShownCar
    places: Array
    energy: Array
    bend: Array
    offset: Array
    steps: Array
    share: Array
    brake: Array
    rest: Array
    gear: Ints
    tables: Array
    grip: Array

    def zone(self, low: float, high: float) -> slice:
        """The nodes between two places, but for the last."""
        last = len(self.places) - 1
        return slice(*(min(int(k), last) for k in np.searchsorted(self.places, [low, high])))


@dataclass(frozen=True)
class Change:
    """What is done otherwise in one drive; see :func:`unchanged` for what changes nothing.

    Attributes
    ----------
    share, brake : (n - 1,) what the pedals do, as in :class:`Plan`
    most : (n,) energy that is not exceeded, m^2/s^2
    ability : (n - 1,) what the brake can take off on the way to a place that asks for less, m/s^2; where it is infinite
        nobody brakes ahead for it
    given : (n,) energy that is kept to, NaN where there is none
    bend, offset, gear : another line and gear, as in :class:`Plan`
    """

    share: Array
    brake: Array
    most: Array
    ability: Array
    given: Array
    bend: Array
    offset: Array
    gear: Ints


def plan_of(both: Pair, side: int, row: int = 0) -> Plan:
    """One side of a pair as a plan.

    Parameters
    ----------
    both : a passage as two drivers drive it
    side : 0 the driver, 1 the reference
    row : which variant of the passage
    """
    way = both.courses[side]
    energy, bend, steps = way.energy[row], way.curvature[row], way.steps[row]
    share, brake = both.share[side, row].copy(), np.zeros(len(steps))
    grip = np.full(len(steps), both.car.cornering)
    for stage in both.stages:
        grip[stage.first : stage.last] = max(float(stage.sides[side].most[row]), 0.5)
    gear = both.gears[side, row, :-1]
    made = Plan(
        both.car, np.concatenate([[0.0], np.cumsum(steps)]), energy, bend, way.offset[row], steps, share, brake,
        brake, gear, both.tables, grip,
    )  # fmt: skip
    closed, room = at_hand(made, energy[:-1], bend[:-1], gear)
    beyond = np.diff(energy) / steps - closed
    for stage in both.stages:
        braking = stage.sides[side]
        if braking.effort[row] is None:
            continue
        part = slice(int(braking.begin[row]), int(np.ceil(braking.end[row])))
        share[part] = np.clip(beyond[part] / room[part], 0.0, None)
        brake[part] = np.maximum(-beyond[part], 0.0)
    return replace(made, share=share, brake=brake, rest=beyond - share * room + brake)


def unchanged(plan: Plan) -> Change:
    """A change that changes nothing."""
    n = len(plan.energy)
    return Change(
        share=plan.share.copy(), brake=plan.brake.copy(), most=np.full(n, np.inf), ability=np.full(n - 1, np.inf),
        given=np.full(n, np.nan), bend=plan.bend.copy(), offset=plan.offset.copy(), gear=plan.gear.copy(),
    )  # fmt: skip


def at_hand(plan: Plan, energy: Array, bend: Array, gear: Ints, grip: Array | None = None) -> tuple[Array, Array]:
    """What the car does with a closed throttle, and what full throttle adds to that, both m/s^2.

    Parameters
    ----------
    plan : whose car it is
    energy, bend, gear : of one shape, as in :class:`Plan`
    grip : of a shape that fits, m/s^2; None for the plan's at all its nodes
    """
    most = plan.grip if grip is None else grip
    aside = 2 * energy * bend
    closed = -(plan.car.rolling + 2.0 * plan.car.drag * energy + plan.car.scrub * aside**2)
    at = np.minimum(np.sqrt(2 * energy) / (SPEEDS[1] - SPEEDS[0]), plan.tables.shape[1] - 1.001)
    index = at.astype(np.int64)
    place, between = gear * plan.tables.shape[1] + index, at - index
    flat = plan.tables.ravel()
    force = flat[place] * (1 - between) + flat[place + 1] * between
    used = np.minimum(aside / most, 1.0)
    return closed, np.maximum(np.minimum(force, plan.car.traction * np.sqrt(1.0 - used**2) - closed), LEAST_ROOM)


def drive(plan: Plan, changes: Sequence[Change], entry: float) -> Array:
    """The passage driven with each of some changes.

    Parameters
    ----------
    plan : as the reference drives it
    changes : r of them
    entry : energy at the first node, m^2/s^2

    Returns
    -------
    (r, n) energy, m^2/s^2

    Notes
    -----
    A backward pass for what the brake must do ahead of a place that asks for it, then a forward pass (Brayshaw and
    Harrison, "A quasi steady state approach to race car lap simulation", Proc. IMechE D 219, 2005). What the
    reference's own drive leaves unexplained stays: with nothing changed the plan comes out as it was driven.
    """
    # Nodes are driven one after another: turned, so that the rows of each lie in one piece.
    turned = {
        each.name: np.ascontiguousarray(np.array([getattr(one, each.name) for one in changes]).T)
        for each in fields(Change)
        if each.name != "offset"
    }
    most = _braked_ahead(plan, turned["most"], turned["ability"], turned["bend"])
    share, brake, bend, gear, given = (turned[name] for name in ("share", "brake", "bend", "gear", "given"))
    kept = np.isfinite(given)
    energy = np.empty((len(plan.energy), len(changes)))
    energy[0] = entry
    for i, step in enumerate(plan.steps):
        closed, room = at_hand(plan, energy[i], bend[i], gear[i], plan.grip[i])
        following = energy[i] + step * (closed + share[i] * room - brake[i] + plan.rest[i])
        following = np.minimum(np.maximum(following, LEAST_ENERGY), most[i + 1])
        energy[i + 1] = np.where(kept[i + 1], given[i + 1], following)
    return energy.T


def _braked_ahead(plan: Plan, most: Array, ability: Array, bend: Array) -> Array:
    """(n, r) most energy at each node from which what comes can still be braked for."""
    found = most.copy()
    able = np.isfinite(ability)
    for i in range(len(plan.steps) - 1, -1, -1):
        e = found[i + 1]
        asked = able[i] & np.isfinite(e)
        if not asked.any():
            continue
        e = np.where(asked, e, plan.energy[i + 1])
        aside = 2 * e * bend[i]
        left = np.sqrt(np.maximum(1.0 - (aside / plan.grip[i]) ** 2, LEAST_LEFT**2))
        closed = plan.car.rolling + 2.0 * plan.car.drag * e + plan.car.scrub * aside**2
        reach = e + plan.steps[i] * (np.where(asked, ability[i], 0.0) * left + closed)
        found[i] = np.where(asked, np.minimum(found[i], reach), found[i])
    return found


def seconds(energy: Array, steps: Array) -> Array:
    """How long drives take, (r,) s, with (r, n) energy and (n - 1,) steps."""
    speed = np.sqrt(2 * energy)
    return np.asarray((2 * steps / (speed[:, 1:] + speed[:, :-1])).sum(axis=1))
