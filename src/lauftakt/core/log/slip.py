"""Slip that goes with the force: a driven wheel turns faster than the road under the throttle, a braked one slower."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.constants import g as GRAVITY
from scipy.ndimage import uniform_filter1d

from lauftakt.core.log.model import Warning

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]
# Changes of speed are taken over so long, and looked at once in every such time: nearer ones say nothing more.
OVER_S = 1.0
# Fewer looks tell nothing.
LEAST_LOOKS = 60
# Tyres slip by less for each g before they lock or spin; by so many standard deviations it must be more than chance,
MOST, SURE = 0.3, 5.0
# and at half a g be worth more than a wheel's scale is known to.
LEAST = 0.004
# Weights of Huber's estimator, in robust standard deviations (Huber, "Robust Statistics", 1981).
HUBER, ROUNDS = 1.5, 6


@dataclass(frozen=True)
class Slip:
    """Share of the speed by which a wheel turns faster than the road, for each g of driving and of braking."""

    driving: float
    braking: float

    def at(self, acceleration: Array) -> Array:
        """(n,) share at accelerations, m/s^2."""
        share = self.driving * np.maximum(acceleration, 0.0) + self.braking * np.minimum(acceleration, 0.0)
        return np.asarray(share / GRAVITY)


def slip_of(time: Array, speed: Array, other: Array, good: Bools, window_s: float = 0.0) -> Slip:
    """How much a wheel slips for each g, from its speed and another measurement of the car's.

    In the tyre's linear range slip is proportional to the force (Pacejka, "Tire and Vehicle Dynamics", 2012, chapter
    1), and the force to the acceleration. The ratio of both speeds is regressed on it, driving and braking apart, along
    with the scale, and with what a delay between both would do, acceleration over speed. A slip that is not beyond
    chance, or too small to matter, is none.

    Parameters
    ----------
    time, speed : (n,) s and m/s, as logged
    other : (n,) m/s, what it is held against
    good : (n,) where both are measured and the car moves
    window_s : over how long the other measurement averages, s

    Returns
    -------
    See :class:`Slip`.
    """
    step = float(np.median(np.diff(time)))
    many = max(1, round(OVER_S / step))
    alike = uniform_filter1d(speed, max(1, round(window_s / step)))
    gained = acceleration(time, alike)
    own, base = uniform_filter1d(alike, many), uniform_filter1d(other, many)
    parts = [uniform_filter1d(alike * part / GRAVITY, many) for part in (np.maximum(gained, 0), np.minimum(gained, 0))]
    late = uniform_filter1d(gained, many)
    whole = uniform_filter1d(good.astype(float), many) > 0.999
    looks = np.flatnonzero(whole)[::many]
    if len(looks) < LEAST_LOOKS:
        return Slip(0.0, 0.0)
    ratio = own[looks] / base[looks]
    middle = float(np.median(ratio))
    columns = [np.ones(len(looks)), *(part[looks] / own[looks] for part in parts), late[looks] / own[looks]]
    design = np.column_stack(columns)
    weight = np.ones(len(looks))
    found, spread = np.zeros(4), 0.0
    for _ in range(ROUNDS):
        root = np.sqrt(weight)[:, None]
        found = np.linalg.lstsq(design * root, (ratio / middle) * root[:, 0], rcond=None)[0]
        left = ratio / middle - design @ found
        spread = max(1.4826 * float(np.median(np.abs(left))), 1e-5)
        weight = np.minimum(1.0, HUBER * spread / np.maximum(np.abs(left), 1e-12))
    covariance = spread**2 * np.linalg.pinv(design.T @ (design * weight[:, None]))
    values = []
    for at in (1, 2):
        value, doubt = float(found[at] / found[0]), float(np.sqrt(max(covariance[at, at], 1e-18)))
        values.append(value if SURE * doubt < abs(value) < MOST and abs(value) / 2 > LEAST else 0.0)
    return Slip(*values)


def acceleration(time: Array, speed: Array) -> Array:
    """(n,) m/s^2 over a quarter of a second."""
    step = float(np.median(np.diff(time)))
    return np.asarray(uniform_filter1d(np.gradient(speed, time), max(1, round(0.25 / step))))


def without_slip(
    time: Array, speed: Array, other: Array, good: Bools, window_s: float = 0.0
) -> tuple[Array, tuple[Warning, ...]]:
    """A wheel's speed as the car's, and what to say of it.

    Parameters
    ----------
    time, speed, other, good, window_s : see :func:`slip_of`

    Returns
    -------
    (n,) m/s, and ``speed-slips`` where the wheel does.
    """
    slip = slip_of(time, speed, other, good, window_s)
    if not slip.driving and not slip.braking:
        return speed, ()
    told = [
        f"{100 * share:+.1f} % for each g of {way}"
        for share, way in ((slip.driving, "driving"), (-slip.braking, "braking"))
        if share
    ]
    said = f"The wheels whose speed was logged slip by {' and '.join(told)}; that was taken out."
    return speed / (1.0 + slip.at(acceleration(time, speed))), (Warning("speed-slips", said),)
