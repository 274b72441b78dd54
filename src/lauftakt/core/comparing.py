"""Comparison of laps with a reference: time delta, loss rate, loss by passage, each with its uncertainty."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import savgol_filter

from lauftakt.core.laps import LapTrace
from lauftakt.core.layout import Layout, Passage

Array = NDArray[np.float64]

RATE_WINDOW_M = 21


@dataclass(frozen=True)
class Loss:
    """Time lost in one part of the circuit: seconds, and one standard deviation; ``whole`` False where only the part
    before the start line could be compared because the next lap is not a timed one."""

    loss_s: float
    loss_u_s: float
    whole: bool = True


def time_delta(lap: LapTrace, reference: LapTrace) -> Array:
    """Time of a lap minus time of the reference at the same s, (g,) seconds; positive = slower."""
    return lap.time - reference.time


def loss_rate(delta: Array) -> Array:
    """Slope of the delta in seconds per metre, smoothed over about 20 m, on a 1 m grid.

    Local quadratic fits: Savitzky and Golay, Analytical Chemistry 36, 1964.

    Parameters
    ----------
    delta : (g,) s
    """
    if len(delta) <= RATE_WINDOW_M:
        return np.gradient(delta)
    return np.asarray(savgol_filter(delta, RATE_WINDOW_M, 2, deriv=1))


def draws_at(trace: LapTrace, s: float) -> Array:
    """Draws of the error of the lap's time at a place, (m,) seconds."""
    if not trace.draws.shape[1]:
        return np.zeros(0)
    index = int(np.clip(np.searchsorted(trace.draws_s, s), 1, len(trace.draws_s) - 1))
    share = (s - trace.draws_s[index - 1]) / (trace.draws_s[index] - trace.draws_s[index - 1])
    return np.asarray((1 - share) * trace.draws[index - 1] + share * trace.draws[index])


def delta_uncertainty(lap: LapTrace, reference: LapTrace, same_run: bool, s: Array, from_m: float = 0.0) -> Array:
    """Standard deviation of the delta at places ``s`` when it starts with 0 at ``from_m``.

    Two laps of one run share the speed's scale, the mean line and part of the slow position error, so their draws are
    subtracted; laps of different runs are independent.

    Parameters
    ----------
    lap, reference : traces with draws
    same_run : whether both are laps of one run
    s : (p,) m
    from_m : m

    Returns
    -------
    (p,) seconds
    """
    own = np.array([draws_at(lap, float(p)) for p in s]) - draws_at(lap, from_m)
    other = np.array([draws_at(reference, float(p)) for p in s]) - draws_at(reference, from_m)
    if not own.size or not other.size:
        return np.zeros(len(s))
    if same_run:
        return np.asarray(np.sqrt(np.mean((own - other) ** 2, axis=1)))
    return np.asarray(np.sqrt(np.mean(own**2, axis=1) + np.mean(other**2, axis=1)))


def part_loss(lap: LapTrace, reference: LapTrace, grid: Array, from_m: float, to_m: float, same_run: bool) -> Loss:
    """Loss between two places of one lap (``from_m`` < ``to_m``)."""
    delta = np.interp([from_m, to_m], grid, time_delta(lap, reference))
    u = delta_uncertainty(lap, reference, same_run, np.array([to_m]), from_m)
    return Loss(float(delta[1] - delta[0]), float(u[0]))


def passage_loss(
    laps: tuple[LapTrace, LapTrace | None],
    references: tuple[LapTrace, LapTrace | None],
    layout: Layout,
    passage: Passage,
    same_run: bool,
) -> Loss:
    """Loss in a passage, which belongs to the lap in which its first apex lies.

    Parameters
    ----------
    laps, references : the lap and the one after it in the same run (None where that is not a timed one), which a
        passage that crosses the start line runs into
    layout, passage : where
    same_run : whether lap and reference are of one run

    Returns
    -------
    The loss; of a passage that crosses the line only its part before it, where either next lap is missing.
    """
    grid = layout.grid()
    if passage.from_m < passage.to_m:
        return part_loss(laps[0], references[0], grid, passage.from_m, passage.to_m, same_run)
    head = part_loss(laps[0], references[0], grid, passage.from_m, layout.length, same_run)
    if laps[1] is None or references[1] is None:
        return Loss(head.loss_s, head.loss_u_s, whole=False)
    tail = part_loss(laps[1], references[1], grid, 0.0, passage.to_m, same_run)
    return Loss(head.loss_s + tail.loss_s, float(np.hypot(head.loss_u_s, tail.loss_u_s)))
