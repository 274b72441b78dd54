"""What happens between two places: figures of one lap there, where time goes in it, which places are worth a look."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.laps.lap import LapTrace
from lauftakt.core.laps.times import time_at
from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.windows import Window

Array = NDArray[np.float64]

PARTS = ("entry", "middle", "exit", "straight")
# A loss rate that stands out by less is no heap of its own, s/m: a hundredth in 50 m.
SLOW_LOSS = 2e-4
# The loss rate is looked at over about so many metres: a corner's own ripples are no corners.
SMOOTH_M = 12.0
# Less is not worth a look, s.
WORTH_S = 0.03
# A stretch begins and ends where all but so much of its size has been lost.
EDGE = 0.02
# A loss that is sure began where its rate was this share of its highest, at most so many metres before; and so many
# metres before that the foot moved.
FAINT = 0.04
MOST_BACK_M = 80.0
LEAD_M = 8.0
EDGE_SMOOTH_M = 3.0


@dataclass(frozen=True)
class PartFigures:
    """One lap between two places: seconds; speeds at both ends, lowest, highest and mean, m/s; where it is slowest, m
    from the start line of the lap; hardest braking, and the mean while the brake is on, m/s^2, None where it is not."""

    time_s: float
    entry_speed: float
    min_speed: float
    min_speed_m: float
    max_speed: float
    exit_speed: float
    mean_speed: float
    peak_braking: float
    mean_braking: float | None


def part_figures(signals: Signals, row: int, low: float, high: float) -> PartFigures | None:
    """Figures of one lap between two places; None where it was not driven through.

    Parameters
    ----------
    signals : of the run
    row : which timed lap
    low, high : metres from the start line of the lap
    """
    places, time, speed = signals.places, signals.time[row], signals.speed[row]
    ends = np.array([low, high])
    if high - low < 1.0 or low < places[0] or high > places[-1] or not np.isfinite(np.interp(ends, places, time)).all():
        return None
    at = np.concatenate([[low], places[(places > low) & (places < high)], [high]])
    clock, own = np.interp(at, places, time), np.interp(at, places, speed)
    if not np.isfinite(clock).all():
        return None
    took = float(clock[-1] - clock[0])
    braked = -np.interp(at, places, signals.ahead[row])
    on = np.interp(at, places, signals.brake[row]) > signals.brake_on
    weights = np.gradient(clock)
    slowest = int(np.argmin(own))
    return PartFigures(
        time_s=took,
        entry_speed=float(own[0]),
        min_speed=float(own[slowest]),
        min_speed_m=float(at[slowest]),
        max_speed=float(own.max()),
        exit_speed=float(own[-1]),
        mean_speed=float((high - low) / max(took, 1e-9)),
        peak_braking=float(max(braked.max(), 0.0)),
        mean_braking=float(np.average(braked[on], weights=weights[on])) if on.any() else None,
    )


def part_edges(
    window: Window, release: float | None, pickup: float | None, low: float, high: float, shift: float = 0.0
) -> Array:
    """Where entry, middle, exit and straight of a corner begin and end, (5,) m, as the reference drives it: entry lasts
    to its brake release, middle to its throttle pick-up, exit to the corner's exit, straight to the end.

    Parameters
    ----------
    window : of the corner
    release, pickup : the reference's brake release and throttle pick-up, m; None where it does neither
    low, high : of the corner's part of the passage
    shift : by which the corner lies further on in the passage, m: a lap's length behind the line
    """
    released = (window.entry if release is None else release) + shift
    picked = (max(window.apex, released - shift) if pickup is None else pickup) + shift
    out = min(max(window.exit + shift, low), high)
    edges = np.maximum.accumulate(np.clip([low, released, picked, out, high], low, high))
    edges[1:4] = np.minimum(edges[1:4], out)
    return np.asarray(edges)


def lost_between(lap: LapTrace, reference: LapTrace, edges: Array) -> Array:
    """What a lap loses to another between neighbouring places, (p - 1,) s; NaN where one of them was not driven."""
    return np.diff(time_at(lap, edges)) - np.diff(time_at(reference, edges))


@dataclass(frozen=True)
class Stretch:
    """Where a lap loses, or gains: between two places of the lap, m, and how much, s."""

    from_m: float
    to_m: float
    loss_s: float


def telling_stretches(
    s: Array, delta: Array, sure_rate: Array, borders: Sequence[float], most: int = 6
) -> list[Stretch]:
    """Where a lap's difference to another begins and where it has grown to its whole size, the largest first.

    What is lost comes in heaps: a corner, and the straight that it feeds for as long as the loss goes on. Heaps are the
    peaks of the loss rate; those of one passage, whose corners depend on one another, are one, and between two lies the
    place where least is lost.

    Parameters
    ----------
    s, delta : (g,) m and s, at the layout's grid
    sure_rate : (g,) s/m, loss rate with what is inside its doubt taken out
    borders : m, where passages meet (:func:`lauftakt.core.comparison.joined.passage_edges`)
    most : how many

    Returns
    -------
    Stretches of ``WORTH_S`` at least, gains among them; those that lose do not overlap, nor those that gain.
    """
    found: list[Stretch] = []
    for sign in (1.0, -1.0):
        rate = np.maximum(sign * np.nan_to_num(sure_rate), 0.0)
        smooth = gaussian_filter1d(rate, SMOOTH_M)
        peaks, _ = scipy.signal.find_peaks(
            np.concatenate([[0.0], smooth, [0.0]]), height=SLOW_LOSS, prominence=SLOW_LOSS
        )
        heaps: list[list[int]] = []
        for peak in peaks - 1:
            passage = np.searchsorted(borders, s[peak], "right")
            if heaps and np.searchsorted(borders, s[heaps[-1][-1]], "right") == passage:
                heaps[-1].append(int(peak))
            else:
                heaps.append([int(peak)])
        ends = [a[-1] + int(np.argmin(smooth[a[-1] : b[0] + 1])) for a, b in pairwise(heaps)]
        for first, last in pairwise([0, *ends, len(s) - 1] if heaps else []):
            grown = np.cumsum(rate[first:last] * np.diff(s[first : last + 1]))
            inner = first + np.searchsorted(grown, np.array([EDGE, 1.0 - EDGE]) * grown[-1])
            begin = _where_it_began(s, sign * delta, int(inner[0]), first, float(smooth[first:last].max()))
            end = min(int(inner[1]) + 1, len(s) - 1)
            loss = float(delta[end] - delta[begin])
            if sign * loss >= WORTH_S:
                found.append(Stretch(float(s[begin]), float(s[end]), loss))
    return sorted(found, key=lambda one: -abs(one.loss_s))[:most]


def _where_it_began(s: Array, lost: Array, surely: int, least: int, peak: float) -> int:
    """Back from where a loss is sure to where it began, and a little further: the pedal moves before the speed does."""
    rate = gaussian_filter1d(np.gradient(lost, s), EDGE_SMOOTH_M)
    nearest = max(least, int(np.searchsorted(s, s[surely] - MOST_BACK_M)))
    idle = np.flatnonzero(rate[nearest:surely] < FAINT * peak)
    began = nearest + int(idle[-1]) if len(idle) else nearest
    return max(least, int(np.searchsorted(s, s[began] - LEAD_M)))


def to_median_of_others(times: Sequence[float], index: int) -> float | None:
    """How much longer a lap takes than the median of the others, s; None without two others, or where it was not driven
    through."""
    own = times[index]
    others = [time for k, time in enumerate(times) if k != index and np.isfinite(time)]
    if len(others) < 2 or not np.isfinite(own):
        return None
    return float(own - np.median(others))
