"""What stands in for pedals and gears that were not logged."""

import itertools

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

Array = NDArray[np.float64]
COAST_MS2 = 0.65  # rolling and a closed throttle
AIR_PER_M = 3.5e-4  # drag of an ordinary car divided by its mass
SCRUB_PER_MS2 = 0.006  # share of lateral acceleration squared that a cornering tyre takes off the speed
BRAKING_MS2 = 1.2  # beyond coasting: nothing but brakes


def driving_share(speed: Array, ahead: Array, aside: Array) -> Array:
    """Driving force as a share of the most this run shows at that speed, 0 to about 1."""
    force = ahead + AIR_PER_M * speed**2 + 0.15 + SCRUB_PER_MS2 * aside**2
    low, high = np.percentile(speed, [2, 99.5])
    edges = np.linspace(low, high, 13)
    middles, most = [], []
    for a, b in itertools.pairwise(edges):
        inside = force[(speed >= a) & (speed < b)]
        if len(inside) > 30:
            middles.append((a + b) / 2)
            most.append(np.percentile(inside, 92))
    if len(middles) < 3:
        return np.clip(force / max(float(np.percentile(force, 95)), 0.5), 0.0, 1.2)
    # Full power can only give less force at higher speed.
    envelope = np.maximum.accumulate(np.array(most)[::-1])[::-1]
    return np.clip(force / np.maximum(np.interp(speed, middles, envelope), 0.5), 0.0, 1.2)


def derived_gear(engine: Array, speed: Array) -> Array | None:
    """Gears from engine speed and road speed, or None where their ratio forms no steps.

    Parameters
    ----------
    engine : rad/s, any shape
    speed : m/s, same shape

    Notes
    -----
    Gears are the peaks of the histogram of the logarithm of the ratio; each sample takes the nearest one, the highest
    ratio being gear 1.
    """
    moving = (speed > 5.0) & (engine > 80.0)
    if moving.sum() < 200:
        return None
    ratio = np.log(engine[moving] / speed[moving])
    counts, edges = np.histogram(ratio, bins=np.arange(ratio.min() - 0.05, ratio.max() + 0.05, 0.02))
    smooth = gaussian_filter1d(counts.astype(float), 1.2)
    middle = (edges[:-1] + edges[1:]) / 2
    peaks = [
        i for i in range(1, len(smooth) - 1)
        if smooth[i] >= smooth[i - 1] and smooth[i] > smooth[i + 1] and smooth[i] > 0.015 * len(ratio)
    ]  # fmt: skip
    kept: list[int] = []
    for i in sorted(peaks, key=lambda i: -smooth[i]):
        if all(abs(middle[i] - middle[j]) > 0.1 for j in kept):
            kept.append(i)
    if not 2 <= len(kept) <= 8:
        return None
    ratios = np.sort(middle[kept])[::-1]
    own = np.log(np.maximum(engine, 1.0) / np.maximum(speed, 1.0))
    return np.asarray(1.0 + np.argmin(np.abs(own[..., None] - ratios), axis=-1))
