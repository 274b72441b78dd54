"""A logged speed that lies for a while: locked, spinning or frozen wheels, and a scale that changes with the tyres."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_dilation, median_filter, uniform_filter1d

from lauftakt.core.arrays import spans
from lauftakt.core.log.model import Warning
from lauftakt.core.log.slip import without_slip

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]
# Slower, positions say little about speed.
MOVING_MS = 8.0
# Slip of good driving stays below this; what differs by more is no measurement of the car's speed.
TOLERANCE_MS, TOLERANCE = 3.0, 0.12
# A poor receiver's own noise reaches so many of its usual sizes now and then.
NOISE, MOST_NOISE_MS = 6.0, 6.0
# A moment of noise is no lie.
LEAST_S = 0.12
# The wheel needs so long to be back.
AROUND_S = 0.15
# Positions less often than this follow no braking.
LEAST_HZ = 4.0
# A single position that lies so far from the course of its neighbours is a jump of the receiver.
JUMP_M = 4.0
# A channel that lies for more of the driving is not used at all.
MOST_LIES = 0.4
# A scale that changes by more, with so much driving before and after, is that of other tyres or another wheel.
STEP, STEP_S, STEP_WINDOW_S = 0.005, 120.0, 20.0


@dataclass(frozen=True)
class Reference:
    """What the speed is held against: (n,) s and m/s, where it is ``good``, over how long it averages."""

    time: Array
    speed: Array
    good: Bools
    window_s: float


@dataclass(frozen=True)
class Believed:
    """A speed as far as it is believed: (m,) m/s, and where it was ``guessed`` from the reference; ``useless`` where
    hardly any of it was measured."""

    speed: Array
    guessed: Bools
    warnings: tuple[Warning, ...]
    useless: bool = False


def without_jumps(x: Array, y: Array) -> Bools:
    """(n,) True for positions that lie on the course of their neighbours, whatever any speed says."""
    away = np.hypot(x - median_filter(x, 5, mode="nearest"), y - median_filter(y, 5, mode="nearest"))
    return np.asarray(away < JUMP_M)


def believed_speed(time: Array, speed: Array, reference: Reference) -> Believed:
    """A logged speed with what another measurement of the car's speed contradicts replaced by that one.

    A wheel that stands or spins while the car moves is no noise: such samples are left out whole (the idea of
    redescending estimators, Hampel et al., "Robust Statistics", 1986), the other measurement stands in at the wheel's
    own scale, and the smoother is told that nothing was measured there.

    Parameters
    ----------
    time, speed : (m,) s and m/s, as logged
    reference : the other measurement

    Returns
    -------
    See :class:`Believed`; with ``speed-lies``, ``speed-slips``, ``speed-useless`` or ``speed-step``.
    """
    nothing = Believed(speed, np.zeros(len(speed), dtype=bool), ())
    if len(time) < 50 or reference.good.sum() < 50:
        return nothing
    other = np.interp(time, reference.time, reference.speed)
    known = np.interp(time, reference.time, reference.good.astype(float)) > 0.99
    moving = known & (other > MOVING_MS)
    if moving.sum() < 200:
        return nothing
    scale = float(np.median(speed[moving] / other[moving]))
    if not 0.5 < scale < 2.0:
        return nothing  # another unit, or no speed of this car; others see to that
    step = float(np.median(np.diff(time)))
    width = max(1, round(reference.window_s / step))
    alike = uniform_filter1d(speed, width) if width > 1 else speed
    gap = alike - scale * other
    usual = 1.4826 * float(np.median(np.abs(gap[moving] - np.median(gap[moving]))))
    away = np.abs(gap) > np.maximum(max(TOLERANCE_MS, min(NOISE * usual, MOST_NOISE_MS)), TOLERANCE * other)
    lies = np.zeros(len(time), dtype=bool)
    # A car that turns round on the spot looks slower in its positions than it is, and one that stands, faster.
    for first, last in spans(away & moving):
        if time[last - 1] - time[first] >= LEAST_S:
            lies[first:last] = True
    if not lies.any():
        speed, told = without_slip(time, speed, other, moving, reference.window_s)
        return _stepped(time, speed, other, moving, nothing.guessed, told)
    lies = binary_dilation(lies, iterations=max(1, round(AROUND_S / step)))
    share = float((lies & moving).sum() / moving.sum())
    if share > MOST_LIES:
        said = f"The speed contradicts the positions for {100 * share:.0f} % of the driving; it is not used."
        return Believed(speed, lies, (Warning("speed-useless", said),), useless=True)
    speed, slips = without_slip(time, speed, other, moving & ~lies, reference.window_s)
    found = np.where(lies & known, scale * other, speed)
    blind = lies & ~known
    if blind.any():
        found[blind] = np.interp(time[blind], time[~blind], found[~blind])
    parts = spans(lies)
    seconds = float(lies.sum() * step)
    begin = float(time[parts[0][0]])
    said = (
        f"The speed was not believed {len(parts)} times, {seconds:.1f} s in all, first {begin:.0f} s into the log: "
        "wheels that lock, spin or stand still. The receiver stands in there."
    )
    return _stepped(time, found, other, moving & ~lies, lies, (Warning("speed-lies", said), *slips))


def _stepped(
    time: Array, speed: Array, other: Array, moving: Bools, guessed: Bools, warnings: tuple[Warning, ...]
) -> Believed:
    """The speed with one scale throughout, where it changed once: with other tyres, or another wheel."""
    number = np.floor((time - time[0]) / STEP_WINDOW_S).astype(int)
    own = np.bincount(number, speed * moving)
    real = np.bincount(number, other * moving)
    driven = np.bincount(number, moving.astype(float)) * float(np.median(np.diff(time)))
    use = np.flatnonzero(driven > 0.6 * STEP_WINDOW_S)
    least = round(STEP_S / STEP_WINDOW_S)
    if len(use) < 2 * least:
        return Believed(speed, guessed, warnings)
    ratio = own[use] / real[use]
    cuts = np.arange(least, len(use) - least + 1)
    left = [
        np.abs(ratio[:c] - np.median(ratio[:c])).sum() + np.abs(ratio[c:] - np.median(ratio[c:])).sum() for c in cuts
    ]
    cut = int(cuts[int(np.argmin(left))])
    before, after = float(np.median(ratio[:cut])), float(np.median(ratio[cut:]))
    noise = 1.4826 * float(np.median(np.abs(ratio - np.where(np.arange(len(use)) < cut, before, after))))
    if abs(after / before - 1.0) < max(STEP, 5.0 * noise / np.sqrt(min(cut, len(use) - cut)) / before):
        return Believed(speed, guessed, warnings)
    moment = time[0] + use[cut] * STEP_WINDOW_S
    told = (
        f"The scale of the speed changes by {100 * (after / before - 1.0):+.1f} % some {moment:.0f} s into the log, as "
        "with other tyres; that was taken out."
    )
    found = np.where(time >= moment, speed * before / after, speed)
    return Believed(found, guessed, (*warnings, Warning("speed-step", told)))
