"""A table of columns, wherever it comes from, as a log."""

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from lauftakt.core.log.model import RawChannel, RawLog, Unusable, Warning
from lauftakt.core.log.repairs import tidy_clock
from lauftakt.formats.csv_shape import MOST_COLUMNS
from lauftakt.formats.figures import figures_of_text
from lauftakt.formats.interpreting import short
from lauftakt.formats.metadata import dated
from lauftakt.formats.time_column import find_time

Array = NDArray[np.float64]
LEAST_ROWS = 20


def check_columns(count: int) -> None:
    """Refuse a table that is none, or has too many columns.

    Raises
    ------
    Unusable
        ``columns``
    """
    if count > MOST_COLUMNS:
        raise Unusable("columns", f"The file has {count} columns; at most {MOST_COLUMNS} can be read.")
    if count < 2:
        raise Unusable("columns", "The file has no table of columns: a log needs a time and at least one channel.")


def log_of_table(
    table: pa.Table, names: list[str], units: list[str], meta: dict[str, str], warnings: list[Warning]
) -> RawLog:
    """The log that a table holds.

    Parameters
    ----------
    table : of figures, text or timestamps; one row a sample, null where a channel was not sampled
    names, units : of its columns
    meta, warnings : what is known already

    Raises
    ------
    Unusable
        ``no-rows``, ``no-time``, ``clock``
    """
    if table.num_rows < LEAST_ROWS:
        raise Unusable("no-rows", f"The file holds only {table.num_rows} rows of figures, too few for a lap.")
    found = find_time(names, units, table.column)
    warnings = [*warnings, *found.warnings]
    if found.moment is not None:
        meta.setdefault("date", found.moment)
    keep, time, repaired = tidy_clock(found.seconds, 1)
    warnings += repaired
    channels = []
    for index, name in enumerate(names):
        if index in (found.index, found.date):
            continue
        values = figures_of(table.column(index))
        if values is None:
            warnings.append(Warning("channel-text", f"{short(name)} holds text and was left out."))
            continue
        values = values[keep]
        there = np.isfinite(values)
        if not there.any():
            warnings.append(Warning("channel-empty", f"{short(name)} holds no values."))
            continue
        channels.append(RawChannel(name, units[index], time[there], values[there]))
    return RawLog(tuple(channels), dated(meta), tuple(warnings))


def figures_of(column: pa.ChunkedArray) -> Array | None:
    """A column's figures, NaN where it holds none; None where it is words."""
    try:
        kind = column.type
        if pa.types.is_dictionary(kind):
            column = column.cast(kind.value_type)
            kind = column.type
        if pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind):
            return figures_of_text(column.cast(pa.string()))
        if pa.types.is_boolean(kind):
            column = column.cast(pa.int8())
        elif not (pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)):
            return None
        values = column.cast(pa.float64(), safe=False)
        return np.asarray(values.fill_null(np.nan).to_numpy(), dtype=np.float64)
    except (pa.ArrowException, NotImplementedError):
        return None  # a kind of column that holds no figures, however it is nested


def log_of_points(
    clock: Array, values: dict[str, tuple[str, Array]], meta: dict[str, str], warnings: list[Warning]
) -> RawLog:
    """The log of a track's points.

    Parameters
    ----------
    clock : (n,) s
    values : by channel its unit and (n,) figures, NaN where there is none
    meta, warnings : what is known already

    Raises
    ------
    Unusable
        ``clock``
    """
    keep, time, repaired = tidy_clock(clock)
    warnings = [*repaired, *warnings]
    channels, left_out = [], 0
    for name, (unit, own) in values.items():
        own = own[keep]
        there = np.isfinite(own)
        if there.any():
            channels.append(RawChannel(name, unit, time[there], own[there]))
        else:
            left_out += 1
    if left_out:
        text = f"{left_out} further values of the track hold no figures and were left out."
        warnings.append(Warning("channel-empty", text))
    return RawLog(tuple(channels), dated(meta), tuple(warnings))
