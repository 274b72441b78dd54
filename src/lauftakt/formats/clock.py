"""Times as text: ISO 8601, dates with points or slashes, bare clock times; all become seconds."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from lauftakt.core.log.model import Warning
from lauftakt.formats.days import day_order

Array = NDArray[np.float64]

_PATTERN = (
    r"^\s*(?:(?P<date>\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{4})[T ])?(?:(?P<h>\d{1,3}):)?(?P<m>\d{1,2}):"
    r"(?P<s>\d{1,2}(?:[.,]\d+)?)\s*(?P<z>Z|[+-]\d\d:?\d\d)?\s*$"
)
DAY_S = 86_400.0
EARLIEST, LATEST = 1e9, 4e9


def seconds_of_text(column: pa.ChunkedArray, warnings: list[Warning]) -> tuple[Array, str | None] | None:
    """Seconds that rise over midnight, and the first moment as ISO 8601 where the text names its day.

    Parameters
    ----------
    column : of text
    warnings : gets what had to be assumed about the dates

    Returns
    -------
    (n,) seconds, NaN where a cell holds no time, and the moment or None; None where hardly any cell does.
    """
    parts = pc.extract_regex(column.combine_chunks(), pattern=_PATTERN)
    there = np.asarray(pc.is_valid(parts))
    if len(there) == 0 or there.mean() < 0.5:
        return None

    def figures(name: str) -> Array:
        text = pc.replace_substring(pc.struct_field(parts, name), ",", ".")
        filled = pc.if_else(pc.equal(pc.fill_null(text, ""), ""), pa.scalar("0"), text)
        return np.asarray(pc.fill_null(pc.cast(filled, pa.float64()), np.nan), dtype=float)

    seconds = 3600 * figures("h") + 60 * figures("m") + figures("s")
    seconds[~there] = np.nan
    dates = pc.struct_field(parts, "date").to_pylist() if _dated(parts) else None
    if dates is None:
        # A clock that falls by half a day has passed midnight.
        known = np.flatnonzero(there)
        turns = np.cumsum(np.append(0, np.diff(seconds[known]) < -DAY_S / 2))
        seconds[known] += turns * DAY_S
        return seconds, None
    month_first, told = day_order(text for text in set(dates) if text)
    if told is not None:
        warnings.append(told)
    days = {text: _day(text, month_first) for text in set(dates) if text}
    seconds = seconds + np.array([days.get(text or "", np.nan) for text in dates])
    first = seconds[np.isfinite(seconds)]
    if not len(first):
        return None
    zone = next((z for z in pc.struct_field(parts, "z").to_pylist() if z), "")
    return seconds, moment_of(float(first[0]), zone)


def _dated(parts: pa.StructArray) -> bool:
    dates = pc.struct_field(parts, "date")
    return bool(pc.any(pc.not_equal(pc.fill_null(dates, ""), "")).as_py())


def _day(text: str, month_first: bool) -> float:
    """Seconds from 1970 to a day's beginning; NaN for a day that is none."""
    try:
        if "-" in text:
            found = datetime.fromisoformat(text)
        else:
            day, month, year = (int(part) for part in text.replace("/", ".").split("."))
            if month_first:
                day, month = month, day
            found = datetime(year, month, day)
    except ValueError:
        return float("nan")
    return (found - datetime(1970, 1, 1)).total_seconds()


def moment_of(seconds: float, zone: str = "") -> str:
    """A wall clock's moment, seconds from 1970, as ISO 8601 with the offset that was given, if one was."""
    text = (datetime(1970, 1, 1) + timedelta(seconds=seconds)).isoformat(timespec="milliseconds")
    zone = "+00:00" if zone == "Z" else zone
    return text + (zone if len(zone) != 5 else f"{zone[:3]}:{zone[3:]}")


def moment_of_epoch(first: float) -> str | None:
    """The moment that a clock of seconds since 1970 names, None where it is no such clock."""
    if not EARLIEST < first < LATEST:
        return None
    return datetime.fromtimestamp(first, UTC).isoformat(timespec="milliseconds")
