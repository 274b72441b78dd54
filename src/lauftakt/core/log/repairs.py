"""Repairs before anything is computed: clocks that run backwards, fixes that froze or jumped."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.model import Unusable, Warning

Array = NDArray[np.float64]
# Longer than any race; times beyond it are in another unit.
LONGEST_S = 48 * 3600.0


def check_span(last_s: float) -> None:
    """Refuse a log that is longer than any run.

    Parameters
    ----------
    last_s : time of the last sample, seconds from the first

    Raises
    ------
    Unusable
        ``clock``
    """
    if not last_s < LONGEST_S:
        raise Unusable("clock", f"The times span {last_s / 86400:,.3g} days; is the unit of the time column right?")


def tidy_clock(time: Array) -> tuple[NDArray[np.bool_], Array, list[Warning]]:
    """Which samples to keep so that the clock rises strictly.

    Parameters
    ----------
    time : (n,) seconds, as logged

    Returns
    -------
    keep : (n,) samples that stay
    clock : their time, from the first one's 0
    warnings : ``clock-repaired`` (duplicates and backward steps left out), ``clock-gap`` (over 1 s and ten samples)

    Raises
    ------
    Unusable
        ``clock`` where fewer than half of the samples rise, or they span days.
    """
    warnings: list[Warning] = []
    finite = np.isfinite(time)
    # Counted from the first sample before anything is compared: steps too small for the difference do not count.
    since = time - (time[finite][0] if finite.any() else 0.0)
    highest = np.maximum.accumulate(np.where(finite, since, -np.inf))
    keep = finite.copy()
    keep[1:] &= since[1:] > highest[:-1]
    lost = int(len(time) - keep.sum())
    if keep.sum() < max(2, len(time) / 2):
        raise Unusable("clock", "The time column does not rise, so the samples cannot be put in order.")
    if lost:
        warnings.append(Warning("clock-repaired", f"{lost} samples were left out because their time did not rise."))
    clock = since[keep]
    check_span(float(clock[-1]))
    steps = np.diff(clock)
    if len(steps):
        gaps = steps > max(1.0, 10 * float(np.median(steps)))
        if gaps.any():
            warnings.append(
                Warning(
                    "clock-gap",
                    f"The log pauses {int(gaps.sum())} times, for {float(steps[gaps].sum()):.1f} s in all.",
                )
            )
    return keep, clock, warnings


def good_fixes(time: Array, x: Array, y: Array, speed: Array | None) -> tuple[NDArray[np.bool_], list[Warning]]:
    """Which position fixes can be believed.

    A fix is left out where it repeats the one before although the car moves (frozen) or where reaching it and leaving
    it would both need far more than the logged speed (a jump).

    Parameters
    ----------
    time, x, y : (n,) seconds and metres
    speed : (n,) m/s at the fixes, or None where only positions are logged

    Returns
    -------
    keep : (n,)
    warnings : ``position-frozen``, ``position-jump``, ``position-gap``
    """
    warnings: list[Warning] = []
    keep = np.ones(len(time), dtype=bool)
    step, dt = np.hypot(np.diff(x), np.diff(y)), np.diff(time)
    usual = np.median(dt)
    pace = step / dt if speed is None else (speed[1:] + speed[:-1]) / 2
    if speed is not None:
        frozen = np.append(False, (step < 1e-6) & (pace > 3.0))
        if frozen.any():
            keep &= ~frozen
            warnings.append(Warning("position-frozen", f"{int(frozen.sum())} positions repeat the one before."))
    reach = np.concatenate([[0.0], np.cumsum((90.0 if speed is None else 1.3 * pace + 4.0) * dt)])
    before = int(keep.sum())
    for _ in range(3):
        index = np.flatnonzero(keep)
        if len(index) < 4:
            break
        far = np.hypot(np.diff(x[index]), np.diff(y[index])) > np.diff(reach[index]) + 6.0
        single = np.flatnonzero(far[:-1] & far[1:]) + 1
        if not len(single):
            break
        keep[index[single]] = False
    jumped = before - int(keep.sum())
    if jumped:
        warnings.append(Warning("position-jump", f"{jumped} positions jump away for a moment and were left out."))
    gaps = dt > max(1.0, 5 * usual)
    if gaps.any():
        warnings.append(
            Warning("position-gap", f"Positions are missing {int(gaps.sum())} times, {float(dt[gaps].sum()):.1f} s.")
        )
    return keep, warnings
