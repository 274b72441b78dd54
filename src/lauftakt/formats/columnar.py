"""Parquet and Arrow files as logs, in and out: one column for each channel, units in the columns' metadata."""

from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.ipc
import pyarrow.parquet as pq
from numpy.typing import NDArray

from lauftakt.core.log.model import Log, RawChannel, RawLog, Unusable, Warning
from lauftakt.core.log.repairs import tidy_clock
from lauftakt.formats.clock import moment_of, moment_of_epoch, seconds_of_text
from lauftakt.formats.csv_in import time_column
from lauftakt.formats.csv_out import grid_of
from lauftakt.formats.csv_shape import MOST_COLUMNS, names_and_units
from lauftakt.formats.interpreting import short
from lauftakt.formats.metadata import add_metadata, dated
from lauftakt.formats.units import UnknownUnit, convert

Array = NDArray[np.float64]

MOST_CELLS = 400_000_000


def read_columnar(path: Path, kind: str) -> RawLog:
    """Read a Parquet or Arrow file.

    Parameters
    ----------
    path : need not be trusted
    kind : ``parquet`` or ``arrow`` (file or stream)

    Raises
    ------
    Unusable
        ``columnar``, ``columns``, ``file-large``, ``no-time``, ``no-rows``, ``clock``
    """
    try:
        table = _parquet(path) if kind == "parquet" else _arrow(path)
    except (pa.ArrowException, OSError, ValueError, KeyError, TypeError, NotImplementedError) as error:
        raise Unusable("columnar", "The file is damaged or ends too early; export it again.") from error
    if table.num_columns > MOST_COLUMNS:
        raise Unusable("columns", f"The file has {table.num_columns} columns; at most {MOST_COLUMNS} can be read.")
    if table.num_columns < 2:
        raise Unusable("columns", "The file has no table of columns: a log needs a time and at least one channel.")
    warnings: list[Warning] = []
    names, units = names_and_units(list(table.column_names), [], warnings)
    for index, field in enumerate(table.schema):
        given = (field.metadata or {}).get(b"unit")
        if given:
            units[index] = given.decode("utf-8", "replace")[:60]
    meta: dict[str, str] = {}
    for key, value in (table.schema.metadata or {}).items():
        if len(value) < 2000:
            add_metadata(meta, key.decode("utf-8", "replace"), value.decode("utf-8", "replace"))
    if table.num_rows < 20:
        raise Unusable("no-rows", f"The file holds only {table.num_rows} rows of figures, too few for a lap.")
    at = time_column(names)
    keep, time, repaired = tidy_clock(_clock(table.column(at), units[at], meta, warnings))
    warnings += repaired
    channels = []
    for index, name in enumerate(names):
        if index == at:
            continue
        values = _figures(table.column(index))
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


def _parquet(path: Path) -> pa.Table:
    with pq.ParquetFile(path) as file:
        _check_size(file.metadata.num_rows, file.metadata.num_columns)
        return file.read(use_threads=False)


def _arrow(path: Path) -> pa.Table:
    with pa.memory_map(str(path)) as source:
        if source.read(6) == b"ARROW1":
            source.seek(0)
            table = pa.ipc.open_file(source).read_all()
        else:
            source.seek(0)
            table = pa.ipc.open_stream(source).read_all()
        table.validate(full=True)
        _check_size(table.num_rows, table.num_columns)
        # A copy of its own: the file may be gone before the table is.
        return pa.table([column.combine_chunks() for column in table.columns], schema=table.schema)


def _check_size(rows: int, columns: int) -> None:
    if rows * columns > MOST_CELLS:
        raise Unusable("file-large", f"The table holds {rows} rows of {columns} columns; hand it in as parts.")


def _clock(column: pa.ChunkedArray, unit: str, meta: dict[str, str], warnings: list[Warning]) -> Array:
    kind = column.type
    if pa.types.is_dictionary(kind):
        column, kind = column.cast(kind.value_type), kind.value_type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        found = seconds_of_text(column.cast(pa.string()), warnings)
        if found is None:
            raise Unusable("clock", "The time column holds text that cannot be read as a time.")
        if found[1]:
            meta.setdefault("date", found[1])
        return found[0]
    if pa.types.is_timestamp(kind) or pa.types.is_time(kind) or pa.types.is_duration(kind):
        steps = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}[kind.unit]
        whole = column.cast(pa.int64() if kind.bit_width == 64 else pa.int32()).cast(pa.int64())
        there = np.asarray(column.is_valid())
        ticks = np.asarray(whole.fill_null(0).to_numpy(), dtype=np.int64)
        first = ticks[there][0] if there.any() else 0
        # Counted from the first tick before it becomes a float: nanoseconds since 1970 need more than 53 bits.
        clock = np.where(there, (ticks - first) * steps, np.nan)
        if pa.types.is_timestamp(kind):
            meta.setdefault("date", moment_of(float(first) * steps, "Z" if kind.tz else ""))
        return clock
    clock_values = _figures(column)
    if clock_values is None:
        raise Unusable("clock", "The time column holds something that is no time.")
    try:
        seconds = convert(clock_values, unit or "s", "s")
    except UnknownUnit:
        seconds = clock_values
    finite = seconds[np.isfinite(seconds)]
    moment = moment_of_epoch(float(finite[0])) if len(finite) else None
    if moment:
        meta.setdefault("date", moment)
    return seconds


def _figures(column: pa.ChunkedArray) -> Array | None:
    kind = column.type
    if pa.types.is_dictionary(kind):
        column, kind = column.cast(kind.value_type), kind.value_type
    if not (pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind) or pa.types.is_boolean(kind)):  # fmt: skip # noqa: E501
        return None
    if pa.types.is_boolean(kind):
        column = column.cast(pa.int8())
    values = column.cast(pa.float64(), safe=False)
    return np.asarray(values.fill_null(np.nan).to_numpy(), dtype=np.float64)


def write_columnar(log: Log, path: Path, kind: str = "parquet") -> None:
    """Write a log as Parquet or Arrow: canonical names and units, null where a channel was not sampled."""
    clock, columns = grid_of(log)
    fields = [pa.field("time", pa.float64(), metadata={"unit": "s"})]
    arrays = [pa.array(clock)]
    taken = {"time"}
    for column in columns:
        name, number = column.name, 2
        while name in taken:
            name, number = f"{column.name} ({number})", number + 1
        taken.add(name)
        fields.append(pa.field(name, pa.float64(), metadata={"unit": column.unit}))
        arrays.append(pa.array(column.values, from_pandas=True))
    table = pa.table(arrays, schema=pa.schema(fields, metadata=dict(log.meta)))
    if kind == "parquet":
        pq.write_table(table, path, compression="zstd")
    else:
        with pa.OSFile(str(path), "wb") as file, pa.ipc.new_file(file, table.schema) as writer:
            writer.write_table(table)
