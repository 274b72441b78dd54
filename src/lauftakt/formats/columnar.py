"""Parquet and Arrow files as logs, in and out: one column for each channel, units in the columns' metadata."""

import ast
import contextlib
from pathlib import Path

import pyarrow as pa
import pyarrow.ipc
import pyarrow.parquet as pq

from lauftakt.core.log.evidence.tokens import tokens_of
from lauftakt.core.log.model import Log, RawLog, Unusable, Warning
from lauftakt.core.log.units import readings
from lauftakt.formats.csv_out import grid_of
from lauftakt.formats.csv_shape import names_and_units
from lauftakt.formats.metadata import add_metadata
from lauftakt.formats.tabled import check_columns, log_of_table

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
        what = "Parquet" if kind == "parquet" else "Arrow (Feather)"
        raise Unusable("columnar", f"The {what} file is damaged or ends too early; export it again.") from error
    check_columns(table.num_columns)
    warnings: list[Warning] = []
    names, units = names_and_units(_plain_names(list(table.column_names)), [], warnings)
    for index, field in enumerate(table.schema):
        given = (field.metadata or {}).get(b"unit")
        if given:
            units[index] = given.decode("utf-8", "replace")[:60]
    meta: dict[str, str] = {}
    for key, value in (table.schema.metadata or {}).items():
        if len(value) < 2000:
            add_metadata(meta, key.decode("utf-8", "replace"), value.decode("utf-8", "replace"))
    return log_of_table(table, names, units, meta, warnings)


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


def _plain_names(names: list[str]) -> list[str]:
    """Names of one level: those of several levels are written as tuples, "('Engine', 'Speed', 'rpm')"; a unit that
    stands last comes behind the name in brackets."""
    found = []
    for name in names:
        parts: tuple[object, ...] = ()
        if name.startswith("(") and name.endswith(")"):
            with contextlib.suppress(ValueError, SyntaxError, MemoryError, RecursionError):
                told = ast.literal_eval(name)
                parts = told if isinstance(told, tuple) else ()
        words = [str(part).strip() for part in parts if str(part).strip()]
        if len(words) > 1 and readings(words[-1]) and not _is_word(words[-1]):
            name = f"{' '.join(words[:-1])} [{words[-1]}]"
        elif words:
            name = " ".join(words)
        found.append(name)
    return found


def _is_word(text: str) -> bool:
    """Whether a last level is rather a word of a name than a unit: "left", "speed"."""
    return len(text) > 3 and any(token.meanings and not token.units for token in tokens_of(text))


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
