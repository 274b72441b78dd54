"""Slow channels that a logger wrote at a faster clock, every value repeated until the next: back to their samples."""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
# Fewer changes do not tell a clock.
LEAST_CHANGES = 30
# Share of the changes that must lie on the slower clock.
REGULAR = 0.95
# Share of neighbouring steps: a channel that is merely slow changes at any distance.
OFTEN = 0.25
# A channel that changes at more of its steps than this holds nothing.
FRESH = 0.7
# Of the slower clock's ticks at least so many change something; pulses, minutes apart, run on no clock.
BUSY = 0.05


def held_samples(*values: Array) -> NDArray[np.intp] | None:
    """Indices of the true samples of a channel that holds each value until the next one.

    A held channel changes only at steps of a slower clock. The distance between changes is then always about a
    multiple of that clock's step, and often one step; a channel that is merely slow or coarse changes at any distance.

    Parameters
    ----------
    values : one or more arrays, (n,), of the same clock; several are sampled together (latitude and longitude)

    Returns
    -------
    (m,) indices, or None where the channel is not held.
    """
    changed = np.zeros(max(len(values[0]) - 1, 0), dtype=bool)
    for array in values:
        changed |= np.diff(array) != 0
    if not len(changed) or changed.mean() > FRESH:
        return None  # changes nearly everywhere: nothing is held
    at = np.flatnonzero(changed) + 1
    if len(at) < LEAST_CHANGES:
        return None
    steps = np.diff(at)
    step = float(np.median(steps[steps <= 1.5 * np.percentile(steps, 20)]))
    if step < 2:
        return None
    if len(at) < BUSY * (at[-1] - at[0]) / step or all(_two_levels(array) for array in values):
        return None
    multiples = np.maximum(np.round(steps / step), 1.0)
    off = np.abs(steps - multiples * step)
    if np.mean(off <= np.maximum(1.0, 0.1 * multiples)) < REGULAR or np.mean(multiples == 1) < OFTEN:
        return None
    # Where a true sample repeats the one before it nothing changes: those samples lie evenly in between.
    found = [np.zeros(1, dtype=np.intp), at]
    for index in np.flatnonzero(multiples > 1):
        count = multiples[index]
        found.append(at[index] + np.round(np.arange(1, count) * steps[index] / count).astype(np.intp))
    return np.unique(np.concatenate(found))


def _two_levels(values: Array) -> bool:
    """Whether a channel is only on or off: its edges are events, whatever their distance."""
    low, high = float(np.min(values)), float(np.max(values))
    return bool(np.all((values == low) | (values == high)))
