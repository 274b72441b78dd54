"""Parts of laps where another car was probably in the way."""

import numpy as np
from scipy.ndimage import uniform_filter1d

from lauftakt.core.arrays import spans
from lauftakt.core.technique.signals import Signals

# Slower than the driver's own median by 3.5 %; own scatter of speed is a third of it.
SLOWER = 0.965
# Less lost than this is a small mistake.
LEAST_HELD_S = 0.25
# Shorter is a missed apex, not a car in front.
LEAST_HELD_M = 100.0
# A car in front lets one close up and drop back.
JOIN_M = 60.0
# Slow like that in more laps is the driver's own way.
RARE = 0.34


def held_up(signals: Signals, rows: list[int], length: float) -> dict[int, tuple[tuple[float, float], ...]]:
    """Parts of laps where another car was probably in the way.

    A part counts where this lap is more than 3.5 % slower than the driver's own median for at least 100 m, loses a
    quarter of a second, is slow like that in at most a third of the laps, and lifts where the driver otherwise stays at
    full throttle (or, in between, is slower before the braking has even begun). A mistake is none of that: after it the
    throttle is full again while the speed is still low.

    Parameters
    ----------
    signals : of the run
    rows : the rows that count
    length : of the lap, m

    Returns
    -------
    (from, to) in metres by row; only rows that were held up.
    """
    if len(rows) < 3:
        return {}
    inside = (signals.places >= 0) & (signals.places <= length)
    s = signals.places[inside]
    speed, time = signals.speed[rows][:, inside], signals.time[rows][:, inside]
    throttle = signals.throttle[rows][:, inside]
    usual = np.median(speed, axis=0)
    usual_time = np.gradient(np.median(time, axis=0), s)
    flat = np.median(throttle, axis=0) > 0.93
    slow = uniform_filter1d(speed, 9, axis=1) < SLOWER * usual
    found: dict[int, tuple[tuple[float, float], ...]] = {}
    often = slow.mean(axis=0) > RARE
    for position, row in enumerate(rows):
        own = slow[position] & ~often
        joined: list[list[int]] = []
        for a, b in spans(own):
            if joined and s[a] - s[joined[-1][1] - 1] < JOIN_M:
                joined[-1][1] = b
            else:
                joined.append([a, b])
        parts = []
        rate = np.gradient(time[position], s) - usual_time
        for a, b in joined:
            if s[b - 1] - s[a] < LEAST_HELD_M or float(np.sum(rate[a:b] * np.gradient(s)[a:b])) < LEAST_HELD_S:
                continue
            # Traffic slows where one would otherwise be flat; look also at the 40 m before, where the lift begins.
            look = slice(max(a - 40, 0), b)
            open_road = flat[look]
            lifted = throttle[position, look][open_road] < 0.85
            if open_road.sum() >= 20 and lifted.sum() >= max(20, 0.3 * open_road.sum()):
                parts.append((float(s[a]), float(s[b - 1])))
        if parts:
            found[row] = tuple(parts)
    return found
