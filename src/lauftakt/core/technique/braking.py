"""One braking: where it begins and ends, how hard and in which shape."""

from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from lauftakt.core.arrays import spans
from lauftakt.core.technique.signals import Signals

Array = NDArray[np.float64]
# The contract: held for at least so long.
HELD_S = 0.2
# The contract: applications nearer than this are one.
JOINED_M = 25.0
# Who brakes longer before the window is braking for something else.
MOST_EARLY_M = 120.0
# Half of a usual pedal's rise, before the middle of a step in deceleration (simulator).
INFERRED_RISE_S = 0.11
# Share of the threshold down to which an inferred braking lasts: its end is a gentle one more often than not.
INFERRED_END = 0.35
# A brake is smoothed over so many samples of its grid, and moves by at least such a share of its peak, to be unsteady.
SMOOTH_M, NOISE = 3, 0.04


def braking_figures(signals: Signals, row: int, first: int, last: int, slowest: int) -> dict[str, Any]:
    """Everything about the braking for a corner."""
    nothing: dict[str, Any] = dict.fromkeys(
        (
            "approach_speed", "brake_point_m", "brake_release_m", "brake_peak", "brake_rise_s", "brake_shape",
            "mean_braking", "brake_steadiness",
        )
    )  # fmt: skip
    nothing.update(brake_applications=0, brake_dips=0)
    threshold, places = signals.brake_on, signals.places
    level, time = signals.brake[row], signals.time[row]
    # Who brakes before the window begins is still braking in it: the onset is looked for where it was.
    early = first
    if level[first] > threshold:
        while early > 0 and level[early] > threshold and places[first] - places[early] < MOST_EARLY_M:
            early -= 1
    part, s, clock = level[early:last], places[early:last], time[early:last]
    until = first - early + slowest
    spans = _applications(part, threshold, s, clock, inferred=signals.brake_role is None)
    spans = [(a, b) for a, b in spans if a <= until + 8]
    if not spans:
        return nothing
    on, off = spans[0][0], spans[-1][1]
    peak = float(part[on:off].max())
    pace = float(signals.speed[row, early + on])
    point = _onset(part, s, on, threshold, peak, pace, inferred=signals.brake_role is None)
    end = min(off, len(s) - 1)
    release = float(s[end])
    lasts = threshold if signals.brake_role is not None else INFERRED_END * threshold
    if end > 0 and part[end - 1] > lasts >= part[end]:
        release = float(s[end - 1] + (part[end - 1] - lasts) / (part[end - 1] - part[end]) * (s[end] - s[end - 1]))
    on_brakes = np.zeros(len(s), dtype=bool)
    for a, b in spans:
        on_brakes[a:b] = True
    steps, gained = np.gradient(clock), np.gradient(signals.speed[row, early:last])
    spent = float(steps[on_brakes].sum())
    main = max(spans, key=lambda span: float(part[span[0] : span[1]].max()))
    return {
        "approach_speed": float(np.interp(point, s, signals.speed[row, early:last])),
        "brake_point_m": point,
        "brake_release_m": release,
        "brake_peak": peak,
        "brake_rise_s": _rise(part, clock, on, peak),
        "brake_shape": _shape(part, clock, *main),
        "brake_applications": len(spans),
        "brake_dips": _dips(part[main[0] : main[1]], peak),
        "brake_steadiness": _steadiness(part[main[0] : main[1]]),
        "mean_braking": float(-gained[on_brakes].sum() / spent) if spent > 0.05 else None,
    }


def _applications(
    level: Array, threshold: float, s: Array, time: Array, *, inferred: bool = False
) -> list[tuple[int, int]]:
    """First and past-the-last index of every braking that is held; those less than 25 m apart are one.

    An inferred braking is one where it is clearly more than coasting, and lasts until it is hardly more.
    """
    whole = spans(level > (INFERRED_END * threshold if inferred else threshold))
    joined: list[tuple[int, int]] = []
    for a, b in whole:
        if level[a:b].max() <= threshold:
            continue
        if joined and s[a] - s[joined[-1][1] - 1] < JOINED_M:
            joined[-1] = (joined[-1][0], b)
        else:
            joined.append((a, b))
    return [(a, b) for a, b in joined if time[min(b, len(time) - 1)] - time[a] >= HELD_S]


def _onset(level: Array, s: Array, on: int, threshold: float, peak: float, pace: float, *, inferred: bool) -> float:
    """Where the rising flank, extended back to zero, begins."""
    if inferred:
        # A derivative smears the step: its middle stays where it was, and half a pedal's rise lies before that.
        half = on + int(np.argmax(level[on:] >= 0.5 * peak))
        a, b = max(half - 1, 0), half
        share = (0.5 * peak - level[a]) / max(level[b] - level[a], 1e-12)
        return float(s[a] + np.clip(share, 0.0, 1.0) * (s[b] - s[a]) - INFERRED_RISE_S * pace)
    if on == 0:
        return float(s[0])
    share = (threshold - level[on - 1]) / max(level[on] - level[on - 1], 1e-12)
    crossed = float(s[on - 1] + share * (s[on] - s[on - 1]))
    high = np.flatnonzero(level[on:] > 4 * threshold)
    if not len(high):
        return crossed
    later = on + int(high[0])
    share = (4 * threshold - level[later - 1]) / max(level[later] - level[later - 1], 1e-12)
    higher = float(s[later - 1] + share * (s[later] - s[later - 1]))
    # The line through 5 % and 20 % reaches zero a third of their distance before 5 %; a flat flank says little.
    return crossed - min((higher - crossed) / 3.0, 5.0)


def _rise(level: Array, time: Array, on: int, peak: float) -> float | None:
    """Seconds from 10 to 90 % of the peak."""
    above = level[on:] >= 0.9 * peak
    if not above.any():
        return None
    top = on + int(np.argmax(above))
    low = top
    while low > 0 and level[low] > 0.1 * peak:
        low -= 1

    def when(index: int, wanted: float) -> float:
        if index == 0 or level[index] == level[index - 1]:
            return float(time[index])
        share = np.clip((wanted - level[index - 1]) / (level[index] - level[index - 1]), 0.0, 1.0)
        return float(time[index - 1] + share * (time[index] - time[index - 1]))

    return max(when(top, 0.9 * peak) - when(min(low + 1, top), 0.1 * peak), 0.0)


def _shape(level: Array, time: Array, on: int, off: int) -> str:
    """Shape of one application: where its highest tenth begins and ends in its duration."""
    part, clock = level[on:off], time[on:off]
    whole = max(float(clock[-1] - clock[0]), 1e-6)
    high = np.flatnonzero(part >= 0.9 * part.max())
    begins = float(clock[high[0]] - clock[0]) / whole
    left = float(clock[-1] - clock[high[-1]])
    if begins > 0.5:
        return "slow_build"
    if left < min(0.12, 0.1 * whole):
        return "sudden_release"
    return "early_peak" if float(clock[high[-1]] - clock[0]) / whole < 0.5 else "even"


def _steadiness(level: Array) -> float:
    """1 less what is applied again after the peak, as a share of it: 1 for a brake that is only let off."""
    smooth = uniform_filter1d(level, min(SMOOTH_M, len(level)), mode="nearest")
    after = smooth[int(np.argmax(smooth)) :]
    # What moves by less than a sensor's noise is a steady foot.
    dead, at, again = NOISE * float(level.max()), float(after[0]), 0.0
    for value in after:
        if value < at:
            at = float(value)
        elif value > at + dead:
            again += float(value) - at
            at = float(value)
    return float(np.clip(1.0 - again / max(float(smooth.max()), 1e-12), 0.0, 1.0))


def _dips(level: Array, peak: float) -> int:
    """How often a quarter of the peak is let off and taken again."""
    if len(level) < 5:
        return 0
    return len(scipy.signal.find_peaks(-level, prominence=0.25 * peak)[0])
