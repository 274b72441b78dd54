"""Turn-in and the work of the wheel."""

from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid
from scipy.ndimage import uniform_filter1d

from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.throttle import reaches
from lauftakt.core.technique.windows import Window

Array = NDArray[np.float64]
# A wheel's angle is smoothed over so many samples before its rate is taken.
RATE_M = 5
# Where the path bends by so much of its most is the middle of a corner.
MIDDLE = 0.85


def steering_figures(signals: Signals, row: int, s: Array, clock: Array, first: int, window: Window) -> dict[str, Any]:
    """Turn-in place and, where the wheel is logged, what the hands do: fields of the corner's figures."""
    steering = signals.others.get("steering")
    part = slice(first, first + len(s))
    turning = signals.aside[row, part] if steering is None else steering[row, part]
    inside = (s >= window.entry - 5.0) & (s <= window.exit + 5.0)
    nothing: dict[str, Any] = dict.fromkeys(
        ("turn_in_m", "steering_reversals", "steering_rate", "steering_demand", "countersteer_s")
    )
    if inside.sum() < 5:
        return nothing
    bend = signals.aside[row, part]
    wanted = float(np.sign(bend[inside][np.argmax(np.abs(bend[inside]))]))
    side = np.sign(np.dot(turning[inside], bend[inside])) * wanted if steering is not None else wanted
    own = turning * side
    most = float(np.percentile(own[inside], 95))
    if most <= 0:
        return nothing
    turn_in = _turn_in(signals, row, window, wanted)
    begin = int(np.searchsorted(s, turn_in)) if turn_in is not None else int(np.flatnonzero(inside)[0])
    if steering is None:
        return {**nothing, "turn_in_m": turn_in}
    end = max(int(np.flatnonzero(inside)[-1]), begin)
    wheel = own[begin : end + 1]
    reversals = 0
    if len(wheel) > 6:
        smooth = np.convolve(wheel, np.ones(3) / 3, mode="same")
        reversals = len(scipy.signal.find_peaks(-smooth[2:-2], prominence=0.2 * most)[0])
    against = (wheel < -0.1 * most) & (bend[begin : end + 1] * wanted > 0.4 * np.abs(bend[inside]).max())
    whole = slice(begin, end + 1)
    counter = float(np.gradient(clock[whole])[against].sum()) if len(wheel) > 2 else 0.0
    return {
        "turn_in_m": turn_in,
        "steering_reversals": reversals,
        "steering_rate": _rate(own[inside], clock[inside]),
        "steering_demand": _demand(own[inside], wanted * bend[inside], signals.speed[row, part][inside]),
        "countersteer_s": counter,
    }


def _rate(wheel: Array, clock: Array) -> float:
    """How fast the wheel is turned where it is turned fastest, rad/s: the 95th percentile over the corner."""
    smooth = uniform_filter1d(wheel, min(RATE_M, len(wheel)), mode="nearest")
    return float(np.percentile(np.abs(np.gradient(smooth, clock)), 95))


def _demand(wheel: Array, bend: Array, speed: Array) -> float | None:
    """How far the wheel is turned for the way that is driven, rad m: its angle over the curvature in the middle of the
    corner. Who asks for more than the front tyres have needs more of it (Milliken and Milliken, "Race Car Vehicle
    Dynamics", 1995, chapter 5)."""
    curvature = bend / np.maximum(speed, 3.0) ** 2
    middle = curvature > MIDDLE * float(curvature.max())
    return float(np.median(wheel[middle] / curvature[middle])) if middle.any() and curvature.max() > 0 else None


def _turn_in(signals: Signals, row: int, window: Window, side: float) -> float | None:
    """Where the path begins to turn.

    The heading gained grows with the square of the way after the wheel is turned: the line through the square roots at
    6 and 20 % of the corner's whole turn, extended to zero. A single value of a noisy curvature would not do.
    """
    inside = (signals.places >= window.entry - 40.0) & (signals.places <= window.exit)
    inside &= np.isfinite(signals.time[row])
    if inside.sum() < 10:
        return None
    place = signals.places[inside]
    bend = side * signals.aside[row, inside] / np.maximum(signals.speed[row, inside], 3.0) ** 2
    turned = cumulative_trapezoid(bend, place, initial=0.0)
    turned -= np.minimum.accumulate(turned[::-1])[::-1].min()
    whole = float(turned[-1] - turned.min())
    if whole < 0.1:
        return None
    lowest = int(np.argmin(turned[: max(int(np.argmax(turned > 0.5 * turned[-1])), 1)]))
    gained = (turned[lowest:] - turned[lowest]) / max(float(turned[-1] - turned[lowest]), 1e-6)
    ends = []
    for share in (0.06, 0.2):
        index = int(np.argmax(gained >= share))
        if index == 0:
            return None
        ends.append(reaches(gained, place[lowest:], index, share))
    roots = np.sqrt([0.06, 0.2])
    return float(max(ends[0] - (ends[1] - ends[0]) * roots[0] / (roots[1] - roots[0]), place[0]))
