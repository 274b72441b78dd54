"""Which of a table's columns is the time, and its seconds: of several the one whose rate fits the rows."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from lauftakt.core.log.evidence.tokens import tokens_of
from lauftakt.core.log.model import Unusable, Warning
from lauftakt.formats.clock import DATE, moment_of, seconds_of_text
from lauftakt.formats.counted import seconds_of_figures
from lauftakt.formats.figures import figures_of_text
from lauftakt.formats.interpreting import short

Array = NDArray[np.float64]

# Words for the time of a sample, in the languages of the trade, and words that make it another time.
_TIME_WORDS = frozenset(
    ("time", "t", "timestamp", "timestamps", "elapsed", "seconds", "sec", "secs", "clock", "datetime", "utc", "epoch",
     "uptime", "runtime", "millis", "zeit", "zeitstempel", "uhrzeit", "sekunden", "temps", "horodatage", "heure",
     "chrono", "secondes", "tiempo", "hora", "segundos", "tempo", "ora", "orario", "secondi", "tijd", "tijdstip",
     "tijdstempel", "seconden", "zeitachse")
)  # fmt: skip
_DATE_WORDS = frozenset(("date", "datum", "fecha", "data", "day", "tag", "jour"))
_OTHER_TIMES = frozenset(
    ("lap", "laps", "runde", "runden", "tour", "tours", "vuelta", "giro", "ronde", "sector", "sektor", "secteur",
     "best", "beste", "last", "letzte", "delta", "gap", "diff", "injection", "ignition", "reaction", "split",
     "predicted",
     "remaining", "running", "session", "total", "left", "einspritz", "stint", "pit", "to")
)  # fmt: skip
# A name that says nothing, as an index without a name gets one.
_NAMELESS = ("column ", "unnamed", "__index", "index", "level_0")
# How much a first column without a name says that it is the time.
UNNAMED = 0.5
# Of the rows so many must rise.
RISING = 0.5


@dataclass(frozen=True)
class TimeColumn:
    """The ``index`` of the time column, that of a ``date`` column beside it, its ``seconds`` (n,) as they stand there,
    and the first ``moment`` as ISO 8601 where they name a day."""

    index: int
    date: int | None
    seconds: Array
    moment: str | None
    warnings: tuple[Warning, ...]


def find_time(names: Sequence[str], units: Sequence[str], column: Callable[[int], pa.ChunkedArray]) -> TimeColumn:
    """The time of a table's rows.

    Parameters
    ----------
    names, units : of all columns
    column : a column by index, of text, figures or timestamps

    Raises
    ------
    Unusable
        ``no-time`` where no column is a time, ``clock`` where one is called so and cannot be read.
    """
    tried: list[tuple[float, TimeColumn]] = []
    unread: str | None = None
    for index, name in enumerate(names):
        called = _called(name, index)
        if called <= 0:
            continue
        found = _read(index, name, units[index], column(index))
        if found is None:
            unread = unread or (name if called > UNNAMED else None)
            continue
        fit = _fit(found.seconds)
        if fit > RISING:
            tried.append((called + 4.0 * fit, found))
        elif called > UNNAMED:
            unread = unread or name
    if not tried:
        check_named(names)
        if unread is not None:
            raise Unusable(
                "clock",
                f"The time column {short(unread)} cannot be read as a time that goes on from row to row.",
            )
        raise _no_time(names)
    _, best = max(tried, key=lambda item: (item[0], -item[1].index))
    date = _date_beside(names, best, column)
    return best if date is None else date


def check_named(names: Sequence[str]) -> None:
    """Refuse a table none of whose columns can be the time by its name.

    Raises
    ------
    Unusable
        ``no-time``
    """
    if not any(_called(name, index) > 0 for index, name in enumerate(names)):
        raise _no_time(names)


def _no_time(names: Sequence[str]) -> Unusable:
    some = ", ".join(short(name) for name in names[:6])
    return Unusable("no-time", f"No time column was found among {some}; name one “time [s]”.")


def _called(name: str, index: int) -> float:
    """How much a name says that a column is the time; 0 where it is something else."""
    words = [token.word for token in tokens_of(name)]
    plain = "".join(words)
    if any(word in _OTHER_TIMES for word in words) or (plain.startswith(("laptime", "rundenzeit", "rondetijd"))):
        return 0.0
    if plain in _TIME_WORDS or any(word in _TIME_WORDS for word in words):
        return 2.0 if len(words) <= 2 else 1.5
    if any(word in _DATE_WORDS for word in words):
        return 1.0
    if plain.startswith(("time", "elapsed", "zeit", "timestamp")):
        return 1.5
    return UNNAMED if index == 0 and (name.lower().startswith(_NAMELESS) or not plain) else 0.0


def _fit(seconds: Array) -> float:
    """How well a clock fits the rows: the share of steps that rise; a clock that stands for many rows fits badly."""
    there = seconds[np.isfinite(seconds)]
    if len(there) < max(2, 0.3 * len(seconds)):
        return 0.0
    return float(np.mean(np.diff(there) > 0)) * len(there) / len(seconds)


def _read(index: int, name: str, unit: str, column: pa.ChunkedArray) -> TimeColumn | None:
    """A column as seconds; None where it is no time."""
    warnings: list[Warning] = []
    kind = column.type
    if pa.types.is_dictionary(kind):
        column = column.cast(kind.value_type)
        kind = column.type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind):
        text = seconds_of_text(column.cast(pa.string()), warnings)
        if text is not None:
            return TimeColumn(index, None, text[0], text[1], tuple(warnings))
        typed = figures_of_text(column.cast(pa.string()))
        if typed is None:
            return None
        found = seconds_of_figures(typed, name, unit)
        return TimeColumn(index, None, found.seconds, found.moment, found.warnings)
    if pa.types.is_timestamp(kind) or pa.types.is_time(kind) or pa.types.is_duration(kind):
        return _ticks(index, column)
    if pa.types.is_date(kind) or not (
        pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)
    ):
        return None
    values = np.asarray(column.cast(pa.float64(), safe=False).fill_null(np.nan).to_numpy(), dtype=np.float64)
    if name.lower().startswith(_NAMELESS) and not _told(values):
        return None
    found = seconds_of_figures(values, name, unit)
    return TimeColumn(index, None, found.seconds, found.moment, found.warnings)


def _told(values: Array) -> bool:
    """Whether figures without a name are more than the numbers of the rows."""
    known = values[np.isfinite(values)]
    return len(known) > 1 and not np.all(np.diff(known) == 1.0)


def _ticks(index: int, column: pa.ChunkedArray) -> TimeColumn:
    """Ticks counted from the first before they become floats: nanoseconds since 1970 need more than 53 bits."""

    kind = column.type
    steps = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}[kind.unit]
    whole = column.cast(pa.int64() if kind.bit_width == 64 else pa.int32()).cast(pa.int64())
    there = np.asarray(column.is_valid())
    ticks = np.asarray(whole.fill_null(0).to_numpy(), dtype=np.int64)
    first = ticks[there][0] if there.any() else 0
    clock = np.where(there, (ticks - first) * steps, np.nan)
    moment = moment_of(float(first) * steps, "Z" if kind.tz else "") if pa.types.is_timestamp(kind) else None
    return TimeColumn(index, None, clock, moment, ())


def _date_beside(names: Sequence[str], time: TimeColumn, column: Callable[[int], pa.ChunkedArray]) -> TimeColumn | None:
    """The time with the day that a column of dates beside it names; None where there is none, or the time has one."""
    if time.moment is not None:
        return None
    for index, name in enumerate(names):
        words = {token.word for token in tokens_of(name)}
        if index == time.index or not words & _DATE_WORDS:
            continue
        dates = column(index)
        if not (pa.types.is_string(dates.type) or pa.types.is_large_string(dates.type)):
            if not pa.types.is_integer(dates.type) and not pa.types.is_floating(dates.type):
                continue
            dates = pc.cast(pc.cast(dates, pa.int64(), safe=False), pa.string())
        first = next((text for text in dates.slice(0, 200).to_pylist() if text and DATE.match(text)), None)
        told = next((i for i in range(min(len(time.seconds), 1000)) if np.isfinite(time.seconds[i])), None)
        if first is None or told is None:
            continue
        day = seconds_of_text(pa.chunked_array([[f"{first.strip()} 00:00:00"]]), [])
        if day is None or day[1] is None or not 0 <= time.seconds[told] < 172_800:
            continue

        moment = moment_of(float(day[0][0]) + float(time.seconds[told]) % 86_400)
        return TimeColumn(time.index, index, time.seconds, moment, time.warnings)
    return None
