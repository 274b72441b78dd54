"""The car as it showed itself: how it drives, rolls, brakes and corners, from all laps of a day."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_erosion

from lauftakt.core.technique.inferred import AIR_PER_M, COAST_MS2, SCRUB_PER_MS2
from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.throttle import full_level, pickup_level

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]

# Speeds at which the car's forces are kept, m/s.
SPEEDS = np.arange(0.0, 120.5, 0.5)
# What is known of rolling, air and tyres before anything was seen: an ordinary car, known to these standard deviations.
USUAL = np.array([COAST_MS2, AIR_PER_M, SCRUB_PER_MS2])
USUAL_U = np.array([0.35, 2.0e-4, 0.004])
# A pedal must have been there for so long on either side before the acceleration, which is smoothed, tells of it alone.
SETTLED_M = 10
# Neighbouring samples of a smoothed acceleration tell the same: so many metres are one independent value.
ALIKE_M = 12.0
# Scatter of an acceleration that is taken for granted, m/s^2: road and wind.
LEAST_SCATTER = 0.1
# Cornering harder than this share of the most the car showed, full throttle says more of tyres than of the engine.
STRAIGHT = 0.45
# Samples of a gear that make a curve of its own, and of speeds (m/s) that make it bend.
LEAST_SAMPLES, BENDS_OVER = 40, 8.0
# A limit is what is reached now and then and is no single spike.
LIMIT = 98.5
# Without a pedal the most force at a speed is what the best tenth of the samples show.
MOST = 92.0
LEAST_FORCE = 0.3


@dataclass(frozen=True)
class ShownCar:
    """What a car showed it can do, as accelerations of its own mass.

    Attributes
    ----------
    rolling, drag, scrub : m/s^2, 1/m and s^2/m: with closed throttle the car slows by rolling + drag v^2 + scrub a^2, a
        being the lateral acceleration; engine braking is part of ``rolling``
    closed_u : (3,) their standard deviations
    force : by gear, (k,) m/s^2 beyond closed throttle at full throttle, over :data:`SPEEDS`; 0 is whichever gear is in
    force_u : by gear, standard deviation of that, m/s^2
    ranges : by gear, the speeds between which full throttle was seen, m/s
    traction, braking, cornering : m/s^2, most acceleration beyond closed throttle, deceleration, lateral acceleration
    """

    rolling: float
    drag: float
    scrub: float
    closed_u: Array
    force: dict[int, Array]
    force_u: dict[int, float]
    ranges: dict[int, tuple[float, float]]
    traction: float
    braking: float
    cornering: float

    def closed(self, energy: Array, aside: Array | float = 0.0) -> Array:
        """Acceleration with closed throttle, m/s^2.

        Parameters
        ----------
        energy : v^2 / 2, any shape, m^2/s^2
        aside : lateral acceleration, m/s^2
        """
        return np.asarray(-(self.rolling + 2.0 * self.drag * energy + self.scrub * np.square(aside)))

    def table(self, gears: Sequence[int]) -> Array:
        """(gears, k) force at full throttle over :data:`SPEEDS`; a gear that was never seen has that of any gear."""
        return np.array([self.force.get(gear, self.force[0]) for gear in gears])


def shown_car(sides: Sequence[Signals]) -> ShownCar | None:
    """What a car showed in the runs of a day.

    Parameters
    ----------
    sides : signals of the runs that were driven with it

    Returns
    -------
    None where nothing was driven.

    Notes
    -----
    Closed throttle: linear least squares with a Gaussian prior about an ordinary car (Gelman et al., "Bayesian Data
    Analysis", section 14.8), reweighted for what does not fit (Huber 1964). Full throttle: for each gear a parabola
    over speed through the samples, bent only where enough speeds were seen; where no pedal is logged, the most force
    at each speed. Limits are high percentiles of what was driven: less where there was less grip.
    """
    parts = [_samples(side) for side in sides if len(side.numbers)]
    if not parts:
        return None
    speed, ahead, aside, coasting, full, gear, pedals = (np.concatenate(column) for column in zip(*parts, strict=True))
    if len(speed) < LEAST_SAMPLES:
        return None
    cornering = float(np.percentile(np.abs(aside), LIMIT))
    closed, closed_u = _closed(speed[coasting], ahead[coasting], aside[coasting])
    rolling, drag, scrub = closed
    force = ahead + rolling + drag * speed**2 + scrub * aside**2
    straight = np.abs(aside) < STRAIGHT * max(cornering, 1.0)
    most = _most(speed[straight], force[straight])
    found, found_u, ranges = {0: most}, {0: 0.5}, {0: (float(speed.min()), float(speed.max()))}
    flat = full & straight & pedals
    if flat.sum() >= LEAST_SAMPLES:
        found[0], found_u[0], ranges[0] = _whole(speed[flat], force[flat], most)
        for number in np.unique(gear[flat]):
            own = flat & (gear == number)
            if number > 0 and own.sum() >= LEAST_SAMPLES:
                found[int(number)], found_u[int(number)], ranges[int(number)] = _curve(speed[own], force[own])
    return ShownCar(
        rolling=float(rolling),
        drag=float(drag),
        scrub=float(scrub),
        closed_u=closed_u,
        force=found,
        force_u=found_u,
        ranges=ranges,
        traction=float(max(np.percentile(force, LIMIT), 1.0)),
        braking=float(max(np.percentile(-ahead, LIMIT), 1.0)),
        cornering=max(cornering, 1.0),
    )


def _samples(side: Signals) -> tuple[Array, ...]:
    """Speed, accelerations, whether the car only rolled, whether throttle was full, gear, and whether pedals are known:
    (n,) each, of all that was driven."""
    driven = np.isfinite(side.time) & np.isfinite(side.ahead) & (side.speed > 4.0)
    braked = side.brake > side.brake_on
    coasting = _held(~braked & (side.throttle < pickup_level(side)))
    full = _held(~braked & (side.throttle >= full_level(side)))
    known = np.full(side.time.shape, not side.throttle_inferred)
    coasting &= known & (side.brake_role is not None)
    gear = side.others.get("gear", np.zeros_like(side.speed))
    rows = (side.speed, side.ahead, side.aside, coasting, full, np.round(gear), known)
    return tuple(np.asarray(row)[driven] for row in rows)


def _held(there: Bools) -> Bools:
    return np.asarray(binary_erosion(there, np.ones((1, 2 * SETTLED_M + 1)), border_value=1))


def _closed(speed: Array, ahead: Array, aside: Array) -> tuple[Array, Array]:
    """Rolling, drag and scrub with their standard deviations."""
    rows = np.column_stack([np.ones_like(speed), speed**2, aside**2])
    value, scatter = USUAL.copy(), 0.4
    cov = np.diag(USUAL_U**2)
    for _ in range(6 if len(speed) else 0):
        rest = -ahead - rows @ value
        scatter = max(1.4826 * float(np.median(np.abs(rest))), LEAST_SCATTER)
        weight = np.minimum(1.0, 1.5 * scatter / np.maximum(np.abs(rest), 1e-9)) / (scatter**2 * ALIKE_M)
        cov = np.linalg.inv((rows * weight[:, None]).T @ rows + np.diag(USUAL_U**-2))
        value = cov @ ((rows * weight[:, None]).T @ -ahead + USUAL / USUAL_U**2)
        value = np.maximum(value, [0.05, 0.0, 0.0])
    return value, np.sqrt(np.diag(cov))


def _curve(speed: Array, force: Array) -> tuple[Array, float, tuple[float, float]]:
    """Force over :data:`SPEEDS` in one gear, its standard deviation, and the speeds it was seen at."""
    low, high = (float(v) for v in np.percentile(speed, [1, 99]))
    middle, half = (low + high) / 2, max((high - low) / 2, 1.0)
    x = (speed - middle) / half
    rows = np.column_stack([np.ones_like(x), x, x**2])
    # Where few speeds were seen the curve stays flat: a slope of a tenth, a bend of a twentieth of the force.
    level = float(np.median(force))
    prior = np.array([0.0, (0.1 * level) ** -2, (0.05 * level) ** -2]) if high - low < BENDS_OVER else np.zeros(3)
    value, scatter = np.array([level, 0.0, 0.0]), 0.5
    for _ in range(6):
        rest = force - rows @ value
        scatter = max(1.4826 * float(np.median(np.abs(rest))), LEAST_SCATTER)
        weight = np.minimum(1.0, 1.5 * scatter / np.maximum(np.abs(rest), 1e-9)) / (scatter**2 * ALIKE_M)
        value = np.linalg.solve(
            (rows * weight[:, None]).T @ rows + np.diag(prior + 1e-9), (rows * weight[:, None]).T @ force
        )
    # Beyond what was seen it goes on straight, and not far.
    at = (SPEEDS - middle) / half
    inside = np.clip(at, -1.0, 1.0)
    slope = value[1] + 2 * value[2] * inside
    found = value[0] + value[1] * inside + value[2] * inside**2 + slope * np.clip(at - inside, -1.0, 1.0)
    u = scatter / max(len(speed) / ALIKE_M, 1.0) ** 0.5
    return np.maximum(found, LEAST_FORCE), u, (low, high)


def _whole(speed: Array, force: Array, instead: Array) -> tuple[Array, float, tuple[float, float]]:
    """The same whichever gear is in: medians over speed, and beyond them what accelerations of the run showed."""
    low, high = (float(v) for v in np.percentile(speed, [0.5, 99.5]))
    edges = np.arange(low, high + 2.0, 2.0)
    which = np.digitize(speed, edges) - 1
    middles, medians = [], []
    for cell in range(len(edges) - 1):
        own = force[which == cell]
        if len(own) >= 5:
            middles.append((edges[cell] + edges[cell + 1]) / 2)
            medians.append(float(np.median(own)))
    if len(middles) < 3:
        return instead, 0.5, (low, high)
    # Constant power beyond the speeds that were seen: force falls with speed.
    found = np.interp(SPEEDS, middles, medians)
    found = np.where(middles[-1] < SPEEDS, medians[-1] * middles[-1] / np.maximum(SPEEDS, 1.0), found)
    found = np.where(middles[0] > SPEEDS, np.maximum(found, np.minimum(instead, 1.5 * found)), found)
    rest = force - np.interp(speed, SPEEDS, found)
    u = 1.4826 * float(np.median(np.abs(rest))) / max(len(speed) / ALIKE_M / max(len(middles), 1), 1.0) ** 0.5
    return np.maximum(found, LEAST_FORCE), u, (low, high)


def _most(speed: Array, force: Array) -> Array:
    """Most force at each speed, (k,), falling with it: full power gives less of it the faster the car is."""
    if len(speed) < LEAST_SAMPLES:
        return np.full(len(SPEEDS), 3.0)
    low, high = (float(v) for v in np.percentile(speed, [1, 99.8]))
    edges = np.linspace(low, high, 14)
    which = np.digitize(speed, edges) - 1
    middles, most = [], []
    for cell in range(len(edges) - 1):
        own = force[which == cell]
        if len(own) >= 20:
            middles.append((edges[cell] + edges[cell + 1]) / 2)
            most.append(float(np.percentile(own, MOST)))
    if len(middles) < 3:
        return np.full(len(SPEEDS), max(float(np.percentile(force, MOST)), 0.5))
    falling = np.maximum.accumulate(np.array(most)[::-1])[::-1]
    return np.asarray(np.maximum(np.interp(SPEEDS, middles, falling), 0.5))
