"""Times as figures: seconds and their parts, counts since 1970, days of a spreadsheet, clock times in one figure."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.evidence.tokens import tokens_of
from lauftakt.core.log.model import Warning
from lauftakt.core.log.units import readings
from lauftakt.formats.clock import DAY_S, EARLIEST, LATEST, moment_of, moment_of_epoch, over_midnight

Array = NDArray[np.float64]

# Days that a spreadsheet counts from the end of 1899, for dates from 1982 to 2119.
FIRST_DAY, LAST_DAY = 30_000.0, 80_000.0
SPREADSHEET_S = -25_569 * DAY_S
# A sample every five seconds makes no lap: such figures are thousandths or less.
SLOWEST_S = 5.0
# Faster than any logger: such figures are parts of a day.
FASTEST_S = 2e-5
_PARTS = {"ms": 1e-3, "msec": 1e-3, "millis": 1e-3, "milliseconds": 1e-3, "us": 1e-6, "usec": 1e-6, "ns": 1e-9}


@dataclass(frozen=True)
class Counted:
    """``seconds`` (n,) that rise, and the first ``moment`` as ISO 8601 where the figures name a day."""

    seconds: Array
    moment: str | None = None
    warnings: tuple[Warning, ...] = ()


def seconds_of_figures(values: Array, name: str, unit: str) -> Counted:
    """What a time column of figures counts.

    Parameters
    ----------
    values : (n,) as written, NaN where blank
    name, unit : the column's

    Returns
    -------
    Seconds; where the unit says nothing the size and the steps of the figures tell what they are.
    """
    values = np.where(np.isfinite(values), values, np.nan)
    known = values[np.isfinite(values)]
    if len(known) < 2:
        return Counted(values)
    steps = np.abs(np.diff(known))
    first, step = float(known[0]), float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
    factor, told = _factor(name, unit)
    if factor is not None:
        moment = moment_of_epoch(first * factor)
        since = (values - first) * factor if moment else values * factor
        return Counted(over_midnight(since), moment, told)
    if FIRST_DAY < first < LAST_DAY and 0 < step < SLOWEST_S / DAY_S:
        return Counted((values - first) * DAY_S, moment_of(first * DAY_S + SPREADSHEET_S), told)
    if known.min() >= 0 and known.max() <= 1.0 and 0 < step < FASTEST_S:
        return Counted(over_midnight(values * DAY_S), None, told)
    for part in (1.0, 1e-3, 1e-6, 1e-9):
        if EARLIEST < first * part < LATEST:
            return Counted((values - first) * part, moment_of_epoch(first * part), told)
    joined = _clock_in_one_figure(values, known)
    if joined is not None:
        return Counted(over_midnight(joined), None, told)
    for part in (1.0, 1e-3, 1e-6, 1e-9):
        if step * part < SLOWEST_S:
            return Counted(over_midnight(values * part), None, told)
    return Counted(values, None, told)


def _factor(name: str, unit: str) -> tuple[float | None, tuple[Warning, ...]]:
    """Seconds in one of a column's figures, by its unit or by its name (time_ms); None where neither says it."""
    if unit.strip():
        found = next((r for r in readings(unit) if r.quantity == "time"), None)
        if found is not None:
            return found.factor, ()
        if all(r.quantity in ("share", "count") for r in readings(unit)) and readings(unit):
            return None, ()
        message = f"The time's unit “{unit[:30]}” is not known; what its figures count was taken from their size."
        return None, (Warning("unit-unknown", message),)
    return next((_PARTS[t.word] for t in tokens_of(name)[1:] if t.word in _PARTS), None), ()


def _clock_in_one_figure(values: Array, known: Array) -> Array | None:
    """Seconds of the day from figures that are hours, minutes and seconds in a row, hhmmss.sss; None where they are
    not: sixty never occurs in them, and whole minutes are stepped over."""
    minutes, seconds = known // 100 % 100, known % 100
    over = np.diff(known)
    if known.min() < 0 or known.max() >= 240_000 or np.any(minutes >= 60) or np.any(seconds >= 60):
        return None
    if not np.any((over > 39.0) & (over < 42.0)) or known.max() - known.min() < 60:
        return None
    return np.asarray(values // 10_000 * 3600.0 + values // 100 % 100 * 60.0 + values % 100)
