"""Reads CSV logs of every dialect: delimiters, decimal signs, encodings, headers, units, times as text or figures."""

import contextlib
import io
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv
from numpy.typing import NDArray

from lauftakt.core.log.model import RawChannel, RawLog, Unusable, Warning
from lauftakt.core.log.repairs import tidy_clock
from lauftakt.formats.csv_rows import mend_rows
from lauftakt.formats.csv_shape import Shape, find_shape
from lauftakt.formats.csv_table import is_number
from lauftakt.formats.figures import figures_of_text
from lauftakt.formats.interpreting import short
from lauftakt.formats.time_column import check_named, find_time

Array = NDArray[np.float64]

MOST_BYTES = 1_500_000_000
LEAST_ROWS = 20
_NULLS = ["", "nan", "NaN", "NAN", "null", "NULL", "-", "n/a", "N/A", " "]


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
    check_named(shape.names)
    table, warnings = _rows(path, shape)
    if table.num_rows < LEAST_ROWS:
        raise Unusable("no-rows", f"The file holds only {table.num_rows} rows of figures, too few for a lap.")
    meta = dict(shape.meta)
    found = find_time(shape.names, shape.units, table.column)
    warnings += found.warnings
    if found.moment is not None:
        # A head that names the day alone leaves the hour to the rows.
        if "T" not in meta.get("date", "T"):
            meta.pop("date")
        meta.setdefault("date", found.moment)
    keep, time, repaired = tidy_clock(found.seconds, shape.first_row + 1)
    warnings += repaired
    channels: list[RawChannel] = []
    for index, name in enumerate(shape.names):
        if index in (found.index, found.date):
            continue
        channel, warning = _channel(name, shape, index, time, table.column(index), keep)
        if channel is not None:
            channels.append(channel)
        if warning is not None:
            warnings.append(warning)
    return RawLog(tuple(channels), meta, (*shape.warnings, *warnings))


def _rows(path: Path, shape: Shape) -> tuple[pa.Table, list[Warning]]:
    """All columns as float64; columns of text come as text."""
    damaged: list[int] = []
    blank = False

    def skip(row: pacsv.InvalidRow) -> str:
        nonlocal blank
        cells = row.text.split(shape.delimiter)
        more = row.actual_columns > row.expected_columns
        blank = blank or (more and not "".join(cells[row.expected_columns :]).strip())
        damaged.append(shape.first_row + (row.number or 0))
        return "skip"

    source, table = _source(path, shape), None
    with contextlib.suppress(pa.ArrowInvalid):
        table = _parsed(source, shape, shape.first_row, skip, strict=True)
    if table is None or blank:
        # Row by row: what is only too long with nothing in it is cut, what is damaged is left out and named.
        mended, damaged = mend_rows(path, shape)
        try:
            table = _parsed(mended, shape, 0, skip)
        except pa.ArrowInvalid as error:
            raise Unusable(
                "no-rows", "The table in the file cannot be read: its rows do not fit its header."
            ) from error
    if not damaged:
        return table, []
    count = f"{len(damaged)} rows" if len(damaged) > 1 else "One row"
    return table, [
        Warning(
            "rows-skipped",
            f"{count} with too many or too few cells, or a quotation mark that is never closed, "
            f"{'were' if len(damaged) > 1 else 'was'} left out: {lines_of(damaged)} of the file.",
        )
    ]


def lines_of(numbers: list[int]) -> str:
    """The first line numbers of many, as they stand in a sentence."""
    shown = [str(number) for number in sorted(numbers)[:5]]
    more = f" and {len(numbers) - 5} more" if len(numbers) > 5 else ""
    if not more and len(shown) > 1:
        return f"lines {', '.join(shown[:-1])} and {shown[-1]}"
    return f"line{'s' if len(shown) > 1 else ''} {', '.join(shown)}{more}"


def _parsed(
    source: Path | io.BytesIO,
    shape: Shape,
    skip_rows: int,
    skip: Callable[[pacsv.InvalidRow], str],
    *,
    strict: bool = False,
) -> pa.Table:
    """The rows, with all columns as float64 that can be; ``strict`` takes no text where the first rows are figures.

    Raises
    ------
    pyarrow.ArrowInvalid
        where the rows make no table.
    """
    keys = [str(i) for i in range(len(shape.names) + shape.extra)]
    types = {key: pa.string() if _holds_text(shape, int(key)) else pa.float64() for key in keys}
    attempts = 0
    while True:
        if isinstance(source, io.BytesIO):
            source.seek(0)
        try:
            return pacsv.read_csv(
                source,
                read_options=pacsv.ReadOptions(
                    use_threads=False, skip_rows=skip_rows, column_names=keys, encoding="utf8", block_size=1 << 22
                ),
                parse_options=pacsv.ParseOptions(delimiter=shape.delimiter, invalid_row_handler=skip),
                convert_options=pacsv.ConvertOptions(
                    column_types=types, null_values=_NULLS, strings_can_be_null=True, decimal_point=shape.decimal
                ),
            )
        except pa.ArrowInvalid as error:
            match = re.search(r"CSV column #(\d+)", str(error))
            if strict or match is None or match[1] not in types or types[match[1]] == pa.string():
                raise
            types[match[1]] = pa.string()
            attempts += 1
            if attempts > 8:  # many columns of text that begin like figures: read all as text, once
                types = dict.fromkeys(keys, pa.string())


def _holds_text(shape: Shape, index: int) -> bool:
    cells = [row[index].strip() for row in shape.samples if index < len(row)]
    filled = [cell for cell in cells if cell and cell not in _NULLS]
    return bool(filled) and not any(is_number(cell) or cell.lower().lstrip("+-") == "inf" for cell in filled)


def _source(path: Path, shape: Shape) -> Path | io.BytesIO:
    if shape.encoding == "utf-8":
        return path
    return io.BytesIO(path.read_bytes().decode(shape.encoding, errors="replace").encode("utf-8"))


def _channel(
    name: str, shape: Shape, index: int, time: Array, column: pa.ChunkedArray, keep: NDArray[np.bool_]
) -> tuple[RawChannel | None, Warning | None]:
    if pa.types.is_string(column.type):
        if column.null_count == len(column):
            return None, Warning("channel-empty", f"{short(name)} holds no values.")
        figures = figures_of_text(column, shape.decimal)
        if figures is None:
            return None, Warning("channel-text", f"{short(name)} holds text and was left out.")
        values = figures[keep]
    else:
        values = np.asarray(column.to_numpy(zero_copy_only=False), dtype=np.float64)[keep]
    there = np.isfinite(values)
    if not there.any():
        return None, Warning("channel-empty", f"{short(name)} holds no values.")
    unit = shape.units[index]
    if there.all():
        return RawChannel(name, unit, time, values), None
    return RawChannel(name, unit, time[there], values[there]), None
