"""Repairs before anything is computed: clocks that run backwards, fixes that froze or jumped."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.model import Unusable, Warning

Array = NDArray[np.float64]
# Longer than any race; times beyond it are in another unit.
LONGEST_S = 48 * 3600.0
HOUR_S = 3600.0
# A clock that falls by more begins again.
RESTART_S = 5.0
FALLEN = 10


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


def tidy_clock(time: Array, first_row: int | None = None) -> tuple[NDArray[np.bool_], Array, list[Warning]]:
    """Which samples to keep so that the clock rises strictly.

    A clock that was set forward or back by an hour goes on as if it had not been. Where it begins again and goes on
    from there, only the longest part is kept: nothing tells how far the parts lie apart.

    Parameters
    ----------
    time : (n,) seconds, as logged
    first_row : number of the first sample's row in its file, for people to find what was left out

    Returns
    -------
    keep : (n,) samples that stay
    clock : their time, from the first one's 0
    warnings : ``clock-repaired`` (duplicates and backward steps left out), ``clock-set`` (an hour taken out),
        ``clock-restarted``, ``clock-gap`` (over 1 s and ten samples)

    Raises
    ------
    Unusable
        ``clock`` where fewer than half of the samples rise, or they span days.
    """
    warnings: list[Warning] = []
    finite = np.isfinite(time)
    # Counted from the first sample before anything is compared: steps too small for the difference do not count.
    since = time - (time[finite][0] if finite.any() else 0.0)
    since = _without_set_hours(since, finite, warnings)
    part = _longest_part(since, finite, first_row, warnings)
    usable = finite & part
    highest = np.maximum.accumulate(np.where(usable, since, -np.inf))
    keep = usable.copy()
    keep[1:] &= since[1:] > highest[:-1]
    lost = np.flatnonzero(part & ~keep)
    if keep.sum() < max(2, len(time) / 2 if part.all() else part.sum() / 2):
        falling = float(np.mean(np.diff(since[finite]) < 0)) if finite.sum() > 1 else 0.0
        if falling > 0.9:
            raise Unusable("clock", "The time runs backwards from row to row; sort the rows by their time.")
        raise Unusable("clock", "The time column does not rise, so the samples cannot be put in order.")
    if len(lost):
        where = "" if first_row is None else f" ({_rows(lost + first_row)})"
        warnings.append(
            Warning("clock-repaired", f"{len(lost)} samples were left out because their time did not rise{where}.")
        )
    clock = since[keep] - since[keep][0]
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


def _rows(numbers: NDArray[np.intp]) -> str:
    shown = ", ".join(str(number) for number in numbers[:5])
    return f"rows {shown}{f' and {len(numbers) - 5} more' if len(numbers) > 5 else ''}"


def _without_set_hours(since: Array, finite: NDArray[np.bool_], warnings: list[Warning]) -> Array:
    """A clock from which jumps of one hour are taken out, as summer time or a zone makes them."""
    known = np.flatnonzero(finite)
    steps = np.diff(since[known])
    if len(steps) < 2:
        return since
    usual = float(np.median(steps))
    set_by = np.where(np.abs(np.abs(steps - usual) - HOUR_S) < max(2.0, 3 * usual), np.sign(steps) * HOUR_S, 0.0)
    jumps = np.flatnonzero(set_by)
    if not 1 <= len(jumps) <= 2:
        return since
    found = since.copy()
    found[known[1:]] -= np.cumsum(set_by)
    forward = "forward" if set_by[jumps[0]] > 0 else "back"
    warnings.append(Warning("clock-set", f"The clock was set {forward} by an hour in the log; that was taken out."))
    return found


def _longest_part(
    since: Array, finite: NDArray[np.bool_], first_row: int | None, warnings: list[Warning]
) -> NDArray[np.bool_]:
    """Where the clock begins again and then goes on, the longest of the parts; all samples else."""
    known = np.flatnonzero(finite)
    falls = np.flatnonzero(np.diff(since[known]) < -RESTART_S) + 1
    # A single sample that fell is followed by one that goes on from before it.
    later = known[np.minimum(falls + FALLEN, len(known) - 1)]
    falls = falls[since[later] < since[known[falls - 1]]]
    edges = [0, *(int(fall) for fall in falls), len(known)]
    lengths = np.diff(edges)
    # A few samples out of order are no new beginning.
    if not len(falls) or np.sum(lengths > 0.1 * len(known)) < 2 or len(falls) > 20:
        return np.ones(len(since), dtype=bool)
    longest = int(np.argmax(lengths))
    part = np.zeros(len(since), dtype=bool)
    part[known[edges[longest] : edges[longest + 1]]] = True
    where = "" if first_row is None else f", first in row {known[falls[0]] + first_row}"
    warnings.append(
        Warning(
            "clock-restarted",
            f"The time begins again {len(falls)} times{where}; only the longest part, {int(part.sum())} samples, is "
            "used. Hand the parts in as files of their own to use them all.",
        )
    )
    return part


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
            stuck = int(frozen.sum())
            text = f"The receiver stood still for {stuck} positions while the car went on; its speed bridges them."
            warnings.append(Warning("position-frozen", text))
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
        text = f"The receiver jumped away {jumped} times for a moment; those positions were left out."
        warnings.append(Warning("position-jump", text))
    gaps = dt > max(1.0, 5 * usual)
    if gaps.any():
        lost = f"{int(gaps.sum())} times, {float(dt[gaps].sum()):.1f} s in all"
        warnings.append(Warning("position-gap", f"The receiver gave no positions {lost}; the speed bridges them."))
    return keep, warnings
