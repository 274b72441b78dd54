"""Times as text: ISO 8601, dates in the ways people write them, clock times; all become seconds."""

import re
from datetime import UTC, datetime, timedelta

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from dateutil import parser as dates
from numpy.typing import NDArray

from lauftakt.core.log.model import Warning
from lauftakt.formats.days import day_order

Array = NDArray[np.float64]

_DATE = (
    r"\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{8}|\d{1,2}[./-]\d{1,2}[./-]\d{2,4}|\d{1,2}[- .][A-Za-z]{3,9}[- .,]+\d{4}"
    r"|[A-Za-z]{3,9} \d{1,2},? \d{4}"
)
_PATTERN = (
    rf"^\s*(?:(?P<date>{_DATE})(?:[T_]| +|$))?(?:(?P<h>\d{{1,3}})[:h])?(?:(?P<m>\d{{1,2}})[:m](?P<s>\d{{1,2}}"
    r"(?:[.,]\d+)?|\d{1,2}:\d{1,3}))?\s*(?P<half>[AaPp]\.?[Mm]\.?)?\s*(?P<z>Z|UTC|GMT|[+-]\d\d:?\d\d)?\s*$"
)
DATE = re.compile(rf"^\s*({_DATE})\s*$")
DAY_S = 86_400.0
EARLIEST, LATEST = 1e9, 4e9


def seconds_of_text(column: pa.ChunkedArray, warnings: list[Warning]) -> tuple[Array, str | None] | None:
    """Seconds that rise over midnight and over a change of the zone's offset, and the first moment as ISO 8601 where
    the text names its day.

    Parameters
    ----------
    column : of text
    warnings : gets what had to be assumed about the dates

    Returns
    -------
    (n,) seconds, NaN where a cell holds no time, and the moment or None; None where hardly any cell does.
    """
    parts = pc.extract_regex(column.combine_chunks(), pattern=_PATTERN)
    timed = pc.fill_null(pc.not_equal(pc.struct_field(parts, "s"), ""), False)
    dated = pc.fill_null(pc.not_equal(pc.struct_field(parts, "date"), ""), False)
    there = np.asarray(pc.or_(timed, dated))
    if len(there) == 0 or there.mean() < 0.5 or not np.asarray(timed).any():
        return None
    seconds = 3600 * _figures(parts, "h") + 60 * _figures(parts, "m") + _seconds(parts) + _half_days(parts)
    seconds[~there] = np.nan
    zones = _zones(parts)
    if zones is not None:
        seconds = seconds - zones
    if not np.asarray(dated).any():
        return over_midnight(seconds), None
    texts = pc.struct_field(parts, "date").to_pylist()
    written = {text for text in texts if text}
    month_first, told = day_order(text for text in written if re.match(r"^\d{1,2}[./-]\d", text))
    if told is not None:
        warnings.append(told)
    days = {text: day_of(text, month_first) for text in written}
    seconds = seconds + np.array([days.get(text or "", np.nan) for text in texts])
    first = seconds[np.isfinite(seconds)]
    if not len(first):
        return None
    index = int(np.flatnonzero(np.isfinite(seconds))[0])
    zone = (pc.struct_field(parts, "z")[index].as_py() or "").replace("UTC", "Z").replace("GMT", "Z")
    return seconds, moment_of(float(first[0]) + (float(zones[index]) if zones is not None else 0.0), zone)


def over_midnight(seconds: Array) -> Array:
    """Seconds of the day that go on rising where a clock that falls by half a day has passed midnight."""
    known = np.flatnonzero(np.isfinite(seconds))
    found = seconds.copy()
    found[known] += np.cumsum(np.append(0, np.diff(seconds[known]) < -DAY_S / 2)) * DAY_S
    return found


def _text(parts: pa.StructArray, name: str) -> pa.Array:
    return pc.fill_null(pc.struct_field(parts, name), "")


def _figures(parts: pa.StructArray, name: str) -> Array:
    text = _text(parts, name)
    filled = pc.if_else(pc.equal(text, ""), pa.scalar("0"), text)
    return np.asarray(pc.cast(filled, pa.float64()), dtype=float)


def _seconds(parts: pa.StructArray) -> Array:
    """Seconds with their fraction behind a point, a comma, or, as milliseconds, a colon."""
    text = pc.replace_substring(_text(parts, "s"), ",", ".")
    behind = pc.if_else(pc.match_substring(text, ":"), text, pa.scalar("0:0"))
    thousandths = pc.fill_null(pc.cast(pc.replace_substring_regex(behind, r"^.*:", ""), pa.float64()), 0.0)
    whole = pc.replace_substring_regex(text, r":.*$", "")
    filled = pc.if_else(pc.equal(whole, ""), pa.scalar("0"), whole)
    return np.asarray(pc.cast(filled, pa.float64()), dtype=float) + np.asarray(thousandths, dtype=float) / 1000.0


def _half_days(parts: pa.StructArray) -> Array | float:
    half = pc.utf8_lower(_text(parts, "half"))
    if not pc.any(pc.not_equal(half, "")).as_py():
        return 0.0
    hours = _figures(parts, "h")
    after = np.asarray(pc.starts_with(half, "p"))
    return np.where(after & (hours < 12), DAY_S / 2, np.where(~after & (hours == 12), -DAY_S / 2, 0.0))


def _zones(parts: pa.StructArray) -> Array | None:
    """Offsets from UTC in seconds where they change inside the log; a zone that stays needs none."""
    told = _text(parts, "z")
    kinds = [zone for zone in pc.unique(told).to_pylist() if zone]
    if len(kinds) < 2:
        return None
    offset = {zone: _offset(zone) for zone in kinds}
    last, found = 0.0, np.zeros(len(told))
    for index, zone in enumerate(told.to_pylist()):
        last = offset.get(zone, last)
        found[index] = last
    return found


def _offset(zone: str) -> float:
    if zone[0] not in "+-":
        return 0.0
    size = 3600.0 * int(zone[1:3]) + 60.0 * int(zone[-2:])
    return -size if zone[0] == "-" else size


def day_of(text: str, month_first: bool) -> float:
    """Seconds from 1970 to a day's beginning; NaN for a day that is none."""
    try:
        if re.fullmatch(r"\d{8}", text):
            found = datetime.strptime(text, "%Y%m%d")
        else:
            year_first = re.match(r"^\d{4}", text) is not None
            found = dates.parse(text, dayfirst=not month_first and not year_first, yearfirst=year_first)
    except (ValueError, OverflowError):
        return float("nan")
    return (found.replace(tzinfo=None) - datetime(1970, 1, 1)).total_seconds() // DAY_S * DAY_S


def moment_of(seconds: float, zone: str = "") -> str:
    """A wall clock's moment, seconds from 1970, as ISO 8601 with the offset that was given, if one was."""
    text = (datetime(1970, 1, 1) + timedelta(milliseconds=round(1000 * seconds))).isoformat(timespec="milliseconds")
    zone = "+00:00" if zone == "Z" else zone
    return text + (zone if len(zone) != 5 else f"{zone[:3]}:{zone[3:]}")


def moment_of_epoch(first: float) -> str | None:
    """The moment that a clock of seconds since 1970 names, None where it is no such clock."""
    if not EARLIEST < first < LATEST:
        return None
    return datetime.fromtimestamp(first, UTC).isoformat(timespec="milliseconds")
