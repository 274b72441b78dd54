"""Which mistakes explain best what was seen in a passage."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.findings.rebuilding import Pair
from lauftakt.core.findings.synthesis.driving import Plan, at_hand, drive, seconds, unchanged
from lauftakt.core.findings.synthesis.mistakes import Mistake, Tried, mistakes, tried_in

Array = NDArray[np.float64]

# Standard deviations with which a synthesised drive meets a driven one: speed, m/s; shares of full throttle, and of
# laps in which the brake, and neither pedal, is used; gears; offset, m; curvature, as a share of the passage's most.
SPEED, PEDAL, BRAKED, ROLLED, GEARED, OFFSET, BENT = 0.2, 0.2, 0.3, 0.25, 0.5, 0.5, 0.07
# A foot is seen through accelerations that are smoothed over so many nodes.
SMOOTHED = 3.0
# Neighbouring nodes tell the same: so many metres are one independent value.
ALIKE_M = 10.0
# The brake counts as used from this share of the hardest braking on; who uses no brake and less than this share of the
# force at hand rolls.
BRAKES, ROLLS = 0.05, 0.03
# A mistake is fitted between its sizes by so much less or more of it.
LEAST, MOST = 0.6, 1.4
# No more mistakes are told of one passage; a further one must explain so much more, as a share of all that was seen and
# in units of chance (Akaike's criterion would ask for two).
AT_MOST, SHARE_MORE, CHANCE_MORE = 3, 0.05, 8.0
# What changes a passage's time by less, s, is nothing to be told.
LEAST_S = 0.004
# So many of the best candidates are fitted again with those that were chosen before.
AGAIN = 12


@dataclass(frozen=True)
class Fitted:
    """A mistake that was made: its cause, the stage of the passage, its size and how it is answered, and what it costs
    alone, s."""

    cause: str
    stage: int
    size: float
    answer: str
    seconds: float


@dataclass(frozen=True)
class Synthesis:
    """What explains a passage.

    Attributes
    ----------
    fitted : at most three mistakes, dearest first
    brought_in_s : what the speed at the passage's beginning costs, s
    left : share of what was seen that they do not explain
    instead : what could stand in the place of the dearest, each with how many times as much it leaves unexplained;
        nearest first
    """

    fitted: tuple[Fitted, ...]
    brought_in_s: float
    left: float
    instead: tuple[tuple[Fitted, float], ...] = ()


def synthesise(
    both: Pair, pedals: bool, row: int = 0, scatter: Array | None = None, tried: Tried | None = None
) -> Synthesis:  # fmt: skip
    """The smallest set of mistakes that explains how a driver differs from the reference in a passage.

    Parameters
    ----------
    both : the passage as both drive it
    pedals : whether both logged their pedals; without, they are told from accelerations, which say the same as speed
    row : which variant of the passage
    scatter : (n,) standard deviation of the difference in speed at each node, m/s; None where it is not known
    tried : what is tried in this passage, where it is at hand; all variants must have the same reference

    Notes
    -----
    Analysis by synthesis: each candidate is driven by the car as it showed itself, and what it predicts over the whole
    passage is compared with what was seen, in units of how well a drive is met. Candidates are added one by one and
    fitted together with those before (orthogonal matching pursuit; Pati, Rezaiifar and Krishnaprasad, Asilomar 1993)
    while a further one explains more than chance would (Akaike, IEEE Trans. Automatic Control 19, 1974).
    """
    one = both.only(row)
    known = tried or tried_in(one)
    plan, every = known.plan, mistakes(one, known)
    *driven, base = drive(plan, [*(each.change for each in every), unchanged(plan)], float(one.courses[0].energy[0, 0]))
    energy = np.array(driven)
    seen, predicted = _features(one, plan, base, energy, every, pedals, scatter)
    plain = float(seconds(base[None, :], plan.steps)[0])
    cost = seconds(energy, plan.steps) - plain
    chosen, amounts, left = _chosen(seen, predicted, cost, every)
    found = [_fitted(every[k], cost[k] * amount) for k, amount in zip(chosen, amounts, strict=True)]
    brought = plain - float(seconds(plan.energy[None, :], plan.steps)[0])
    order = sorted(range(len(found)), key=lambda k: -found[k].seconds)
    instead = _instead(seen, predicted, cost, every, chosen, amounts, order[0]) if found else ()
    return Synthesis(tuple(found[k] for k in order), brought, left, instead)


def _fitted(one: Mistake, cost: float) -> Fitted:
    return Fitted(one.cause, one.stage, one.size, one.answer, float(cost))


def _instead(
    seen: Array, predicted: Array, cost: Array, tried: Sequence[Mistake], chosen: Sequence[int], amounts: Array,
    dearest: int,
) -> tuple[tuple[Fitted, float], ...]:  # fmt: skip
    """What could stand in the place of the dearest of the chosen, the others left as they are: the best of each cause
    and stage, with what it leaves beside what the dearest leaves."""
    kept = [k for k in range(len(chosen)) if k != dearest]
    rest = seen - (amounts[kept] @ predicted[[chosen[k] for k in kept]] if kept else 0.0)
    own = np.maximum((predicted**2).sum(axis=1), 1e-9)
    amount = np.clip(predicted @ rest / own, LEAST, MOST)
    left = float(rest @ rest) - 2 * amount * (predicted @ rest) + amount**2 * own
    least = max(left[chosen[dearest]], 1e-9)
    found: dict[tuple[str, int], tuple[Fitted, float]] = {}
    taken = {(tried[chosen[k]].cause, tried[chosen[k]].stage) for k in range(len(chosen))}
    for k in np.argsort(left):
        one = tried[int(k)]
        if (one.cause, one.stage) not in taken and abs(cost[k]) > LEAST_S:
            found.setdefault((one.cause, one.stage), (_fitted(one, cost[k] * amount[k]), float(left[k] / least)))
    return tuple(found.values())


def _features(
    one: Pair, plan: Plan, base: Array, driven: Array, tried: Sequence[Mistake], pedals: bool, scatter: Array | None
) -> tuple[Array, Array]:
    """(m,) what was seen and (r, m) what each mistake predicts, both beside the reference and in units of how well a
    drive is met."""
    own, theirs = one.courses
    weight = np.sqrt(np.gradient(plan.places) / ALIKE_M)
    steps = weight[:-1]
    speed = np.hypot(SPEED, 0.0 if scatter is None else scatter)
    plain = np.sqrt(2 * base)
    seen = [(np.sqrt(2 * own.energy[0]) - plain) / speed * weight]
    predicted = [(np.sqrt(2 * driven) - plain) / speed * weight]
    bend = np.array([each.change.bend for each in tried])
    most = BENT * plan.bend.max()
    seen.append((own.curvature[0] - plan.bend) / most * weight)
    predicted.append((bend - plan.bend) / most * weight)
    gear = np.array([each.change.gear for each in tried])
    seen.append((one.gears[0, 0, :-1] - plan.gear) / GEARED * steps)
    predicted.append((gear - plan.gear) / GEARED * steps)
    if np.isfinite(own.offset[0]).all() and np.isfinite(plan.offset).all():
        # A run's positions may be off together by more than lines differ.
        apart = own.offset[0] - plan.offset
        lines = np.array([each.change.offset for each in tried]) - plan.offset
        seen.append((apart - apart.mean()) / OFFSET * weight)
        predicted.append((lines - lines.mean(axis=1, keepdims=True)) / OFFSET * weight)
    if pedals:
        used = _feet(plan, driven, bend, gear)
        ever = _feet(plan, base, plan.bend, plan.gear)
        logged = (
            np.clip(own.pedal[0], 0.0, 1.0) - np.clip(theirs.pedal[0], 0.0, 1.0), own.braked[0] - theirs.braked[0],
            own.rolls[0] - theirs.rolls[0],
        )  # fmt: skip
        for was, feet, before, u in zip(logged, used, ever, (PEDAL, BRAKED, ROLLED), strict=True):
            seen.append(gaussian_filter1d(was[:-1], SMOOTHED, mode="nearest") / u * steps)
            predicted.append(gaussian_filter1d(feet - before, SMOOTHED, axis=1, mode="nearest") / u * steps)
    return np.concatenate(seen), np.concatenate(predicted, axis=1)


def _feet(plan: Plan, energy: Array, bend: Array, gear: NDArray[np.int64]) -> tuple[Array, Array, Array]:
    """Share of full throttle, whether the brake is used, and whether neither is, at each step of some drives."""
    closed, room = at_hand(plan, energy[..., :-1], bend[..., :-1], gear)
    beyond = np.diff(energy, axis=-1) / plan.steps - closed
    share, braked = np.clip(beyond / room, 0.0, 1.0), -beyond > BRAKES * plan.car.braking
    return share, braked.astype(np.float64), (~braked & (share < ROLLS)).astype(np.float64)


def _chosen(seen: Array, predicted: Array, cost: Array, tried: Sequence[Mistake]) -> tuple[list[int], Array, float]:
    """Which of the tried explain best what was seen, by what amounts, and what share of it they leave."""
    whole = float(seen @ seen)
    chosen: list[int] = []
    left, amounts = whole, np.zeros(0)
    own = np.maximum((predicted**2).sum(axis=1), 1e-9)
    useful = np.abs(cost) > LEAST_S
    for _ in range(AT_MOST):
        free = useful & np.array(
            [(o.cause, o.stage) not in {(tried[k].cause, tried[k].stage) for k in chosen} for o in tried]
        )
        rest = seen - amounts @ predicted[chosen] if chosen else seen
        amount = np.clip(predicted @ rest / own, LEAST, MOST)
        gain = np.where(free, 2 * amount * (predicted @ rest) - amount**2 * own, -np.inf)
        best: tuple[float, int, Array] | None = None
        for k in np.argsort(-gain)[: AGAIN if chosen else 1]:
            if not np.isfinite(gain[k]):
                continue
            these = predicted[[*chosen, int(k)]]
            fitted = (
                np.clip(np.linalg.lstsq(these.T, seen, rcond=None)[0], LEAST, MOST) if chosen else amount[k : k + 1]
            )
            error = np.asarray(seen - fitted @ these)
            if best is None or float(error @ error) < best[0]:
                best = float(error @ error), int(k), fitted
        if best is None or left - best[0] < CHANCE_MORE + SHARE_MORE * whole:
            break
        left, amounts = best[0], best[2]
        chosen.append(best[1])
    return chosen, amounts, left / max(whole, 1e-9)
