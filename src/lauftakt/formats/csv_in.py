"""Reads CSV logs of every dialect: delimiters, decimal signs, encodings, headers, units, times as text or figures."""

import io
import re
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv
from numpy.typing import NDArray

from lauftakt.core.log.model import RawChannel, RawLog, Unusable, Warning
from lauftakt.core.log.repairs import tidy_clock
from lauftakt.formats.clock import moment_of_epoch, seconds_of_text
from lauftakt.formats.csv_shape import Shape, find_shape, is_number
from lauftakt.formats.interpreting import short
from lauftakt.formats.units import UnknownUnit, convert

Array = NDArray[np.float64]

MOST_BYTES = 1_500_000_000
LEAST_ROWS = 20
_NULLS = ["", "nan", "NaN", "NAN", "null", "NULL", "-", "n/a", "N/A", " "]
_TIME_NAMES = {
    "time", "t", "timestamp", "elapsed", "elapsedtime", "logtime", "seconds", "zeit", "temps", "utctime", "utc",
    "datetime", "clock", "timestamps", "gpstime", "runtime", "timeofday",
}  # fmt: skip


def read_csv(path: Path) -> RawLog:
    """Read one log.

    Parameters
    ----------
    path : of a file that need not be trusted

    Returns
    -------
    The log as written, with warnings for what was left out or assumed.

    Raises
    ------
    Unusable
        ``file-empty``, ``file-binary``, ``file-large``, ``columns``, ``no-time``, ``clock``, ``no-rows``: one sentence
        that says what is wrong and what to do.
    """
    if path.stat().st_size > MOST_BYTES:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB; hand it in as parts.")
    shape = find_shape(path)
    time_index = time_column(shape.names)
    table, warnings = _rows(path, shape)
    if table.num_rows < LEAST_ROWS:
        raise Unusable("no-rows", f"The file holds only {table.num_rows} rows of figures, too few for a lap.")
    meta = dict(shape.meta)
    clock = _clock(table.column(time_index), shape.units[time_index], meta, warnings)
    keep, time, repaired = tidy_clock(clock)
    warnings += repaired
    channels: list[RawChannel] = []
    for index, name in enumerate(shape.names):
        if index == time_index:
            continue
        channel, warning = _channel(name, shape.units[index], time, table.column(index), keep)
        if channel is not None:
            channels.append(channel)
        if warning is not None:
            warnings.append(warning)
    return RawLog(tuple(channels), meta, (*shape.warnings, *warnings))


def time_column(names: list[str]) -> int:
    """Which of the columns is the time.

    Raises
    ------
    Unusable
        ``no-time``
    """
    plain = [re.sub(r"[^a-z]", "", name.lower()) for name in names]
    for index, name in enumerate(plain):
        if name in _TIME_NAMES:
            return index
    for index, name in enumerate(plain):
        if name.startswith(("time", "elapsed", "zeit")) and "lap" not in name:
            return index
    found = ", ".join(short(name) for name in names[:6])
    raise Unusable("no-time", f"No time column was found among {found}; name one “time [s]”.")


def _clock(column: pa.ChunkedArray, unit: str, meta: dict[str, str], warnings: list[Warning]) -> Array:
    """The time column in seconds; what it says of the day goes into ``meta``."""
    if pa.types.is_string(column.type):
        found = seconds_of_text(column, warnings)
        if found is None:
            raise Unusable("clock", "The time column holds text that cannot be read as a time.")
        clock, moment = found
        if moment:
            meta.setdefault("date", moment)
        return clock
    clock = np.asarray(column.to_numpy(zero_copy_only=False), dtype=np.float64)
    try:
        clock = convert(clock, unit or "s", "s")
    except UnknownUnit:
        warnings.append(Warning("unit-unknown", f"The time's unit {short(unit)} is not known; taken as seconds."))
    finite = clock[np.isfinite(clock)]
    if len(finite):
        # Milliseconds and microseconds since 1970 need no unit to be recognised.
        for factor in (1.0, 1e-3, 1e-6):
            moment = moment_of_epoch(float(finite[0]) * factor)
            if moment is not None:
                meta.setdefault("date", moment)
                return (clock - finite[0]) * factor
    return clock


def _rows(path: Path, shape: Shape) -> tuple[pa.Table, list[Warning]]:
    """All columns as float64; columns of text come as text."""
    warnings: list[Warning] = []
    skipped = 0

    def skip(_row: pacsv.InvalidRow) -> str:
        nonlocal skipped
        skipped += 1
        return "skip"

    keys = [str(i) for i in range(len(shape.names) + shape.extra)]
    # The header row is skipped, and the units row with it; comment lines before it, too.
    skip_rows = shape.header_line + 1 + (1 if shape.units_row else 0)
    types = {key: pa.string() if _holds_text(shape, int(key)) else pa.float64() for key in keys}
    attempts = 0
    while True:
        skipped = 0
        try:
            table = pacsv.read_csv(
                _source(path, shape),
                read_options=pacsv.ReadOptions(
                    use_threads=False, skip_rows=skip_rows, column_names=keys, encoding="utf8", block_size=1 << 22
                ),
                parse_options=pacsv.ParseOptions(delimiter=shape.delimiter, invalid_row_handler=skip),
                convert_options=pacsv.ConvertOptions(
                    column_types=types, null_values=_NULLS, strings_can_be_null=True, decimal_point=shape.decimal
                ),
            )
            break
        except pa.ArrowInvalid as error:
            match = re.search(r"CSV column #(\d+)", str(error))
            if match is None or match[1] not in types or types[match[1]] == pa.string():
                raise Unusable(
                    "no-rows", "The table in the file cannot be read: its rows do not fit its header."
                ) from error
            types[match[1]] = pa.string()
            attempts += 1
            if attempts > 8:  # many columns of text that begin like figures: read all as text, once
                types = dict.fromkeys(keys, pa.string())
    if skipped:
        warnings.append(Warning("rows-skipped", f"{skipped} rows with too many or too few columns were left out."))
    return table, warnings


def _holds_text(shape: Shape, index: int) -> bool:
    cells = [row[index].strip() for row in shape.samples if index < len(row)]
    filled = [cell for cell in cells if cell and cell not in _NULLS]
    return bool(filled) and not any(is_number(cell) or cell.lower().lstrip("+-") == "inf" for cell in filled)


def _source(path: Path, shape: Shape) -> Path | io.BytesIO:
    if shape.encoding == "utf-8":
        return path
    return io.BytesIO(path.read_bytes().decode(shape.encoding, errors="replace").encode("utf-8"))


def _channel(
    name: str, unit: str, time: Array, column: pa.ChunkedArray, keep: NDArray[np.bool_]
) -> tuple[RawChannel | None, Warning | None]:
    if pa.types.is_string(column.type):
        if column.null_count == len(column):
            return None, Warning("channel-empty", f"{short(name)} holds no values.")
        figures = _figures(column)
        if figures is None:
            return None, Warning("channel-text", f"{short(name)} holds text and was left out.")
        values = figures[keep]
    else:
        values = np.asarray(column.to_numpy(zero_copy_only=False), dtype=np.float64)[keep]
    there = np.isfinite(values)
    if not there.any():
        return None, Warning("channel-empty", f"{short(name)} holds no values.")
    if there.all():
        return RawChannel(name, unit, time, values), None
    return RawChannel(name, unit, time[there], values[there]), None


def _figures(column: pa.ChunkedArray) -> Array | None:
    """A column of text whose cells are mostly figures, the others NaN; None where they are not."""
    cells = column.to_pylist()
    some = [cell for cell in cells[:: max(1, len(cells) // 200)] if cell and cell.strip()]
    if not some or sum(is_number(cell) for cell in some) < 0.9 * len(some):
        return None
    found = np.full(len(cells), np.nan)
    for index, cell in enumerate(cells):
        if cell and is_number(cell):
            found[index] = float(cell.replace(",", "."))
    return found
