"""Reads CSV logs: any common delimiter, decimal comma, comment lines, units in the header or in a row of their own."""

import csv
import io
import re
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv
from numpy.typing import NDArray

from lauftakt.core.log import Channel, Log, Unusable, Warning
from lauftakt.core.roles import ROLES, role_for_name
from lauftakt.core.tidy import tidy_clock
from lauftakt.formats.units import UnknownUnit, convert

Array = NDArray[np.float64]

MOST_COLUMNS = 600
MOST_BYTES = 1_500_000_000
LONGEST_NAME = 120
META_KEYS = ("driver", "car", "circuit", "event", "date", "kind")
_NULLS = ["", "nan", "NaN", "NAN", "null", "NULL", "-", "n/a", "N/A"]
_TIME_NAMES = {"time", "t", "timestamp", "elapsed", "elapsedtime", "logtime", "seconds"}
_UNIT = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\])]*)[\])]\s*$")


@dataclass(frozen=True)
class _Shape:
    """How a file is written, found from its beginning."""

    delimiter: str
    decimal: str
    encoding: str
    header_line: int
    names: list[str]
    units: list[str]
    units_row: bool
    meta: dict[str, str]


def read_csv(path: Path) -> Log:
    """Read one log.

    Parameters
    ----------
    path : of a file that need not be trusted

    Returns
    -------
    The log in SI units, with warnings for what was left out or assumed.

    Raises
    ------
    Unusable
        ``file-empty``, ``file-binary``, ``file-large``, ``columns``, ``no-time``, ``clock``, ``no-rows``: one sentence
        that says what is wrong and what to do.
    """
    shape = _shape(path)
    time_index = _time_column(shape)
    table, warnings = _table(path, shape)
    if table.num_rows < 20:
        raise Unusable("no-rows", f"The file holds only {table.num_rows} rows of figures, too few for a lap.")
    clock = _numbers(table.column(time_index))
    try:
        clock = convert(clock, shape.units[time_index] or "s", "s")
    except UnknownUnit:
        warnings.append(
            Warning(
                "unit-unknown", f"The time's unit {_short(shape.units[time_index])} is not known; taken as seconds."
            )
        )
    keep, time, repaired = tidy_clock(clock)
    warnings += repaired
    channels: list[Channel] = []
    for index, name in enumerate(shape.names):
        if index == time_index:
            continue
        channel, more = _channel(name, shape.units[index], time, table.column(index), keep)
        warnings += more
        if channel is not None:
            channels.append(channel)
    return Log(tuple(_settle_rivals(channels, warnings)), shape.meta, tuple(warnings))


def _short(text: str) -> str:
    text = " ".join(text.split())
    return f"“{text[:40]}…”" if len(text) > 41 else f"“{text}”"


def _shape(path: Path) -> _Shape:
    size = path.stat().st_size
    if size == 0:
        raise Unusable("file-empty", "The file is empty.")
    if size > MOST_BYTES:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB; hand it in as parts.")
    with path.open("rb") as file:
        head = file.read(262_144)
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        encoding = "utf-16"
    elif b"\x00" in head:
        raise Unusable("file-binary", "The file is not text. Export the log as CSV and hand that in.")
    else:
        encoding = "utf-8"
    cut = head[: head.rfind(b"\n") + 1] or head
    try:
        text = head.decode(encoding, errors="ignore") if encoding == "utf-16" else cut.decode("utf-8-sig")
    except UnicodeDecodeError:
        encoding = "cp1252"
        text = cut.decode(encoding, errors="replace")
    lines = text.splitlines()
    meta: dict[str, str] = {}
    start = next((i for i, line in enumerate(lines) if line.strip() and not line.strip().startswith("#")), len(lines))
    for line in lines[:start]:
        key, _, value = line.strip().lstrip("#").partition(":")
        if value.strip() and key.strip().lower() in META_KEYS:
            meta[key.strip().lower()] = value.strip()[:200]
    header = lines[start] if start < len(lines) else ""
    following = [line for line in lines[start + 1 : start + 40] if line.strip()]
    counts = {d: header.count(d) for d in (",", ";", "\t")}
    delimiter = max(counts, key=lambda d: counts[d])
    if not counts[delimiter] or not following:
        raise Unusable(
            "columns", "The file has no table of columns. A log needs a header row and a line of figures per sample."
        )
    decimal = "."
    if delimiter != "," and any(re.search(r"\d,\d", line) for line in following):
        decimal = ","
    cells = next(csv.reader([header], delimiter=delimiter))
    if len(cells) > MOST_COLUMNS:
        raise Unusable("columns", f"The file has {len(cells)} columns; at most {MOST_COLUMNS} can be read.")
    second = next(csv.reader([following[0]], delimiter=delimiter))
    units_row = len(second) == len(cells) and not any(_is_number(cell) for cell in second) and any(second)
    names, units = [], []
    for index, cell in enumerate(cells):
        match = _UNIT.match(cell.strip())
        name, unit = (match["name"], match["unit"]) if match else (cell.strip(), "")
        names.append(name.strip()[:LONGEST_NAME] or f"column {index + 1}")
        units.append((second[index].strip() if units_row and not unit else unit).strip())
    return _Shape(delimiter, decimal, encoding, start, names, units, units_row, meta)


def _is_number(cell: str) -> bool:
    return bool(re.match(r"^\s*[-+]?[\d.,]+(e[-+]?\d+)?\s*$", cell, re.IGNORECASE))


def _table(path: Path, shape: _Shape) -> tuple[pa.Table, list[Warning]]:
    """All columns as float64; columns of text come as text."""
    warnings: list[Warning] = []
    skipped = 0

    def skip(_row: pacsv.InvalidRow) -> str:
        nonlocal skipped
        skipped += 1
        return "skip"

    keys = [str(i) for i in range(len(shape.names))]
    types: dict[str, pa.DataType] = {key: pa.float64() for key in keys}
    # The header row is skipped, and the units row with it; comment lines before it, too.
    skip_rows = shape.header_line + 1 + (1 if shape.units_row else 0)
    for _attempt in range(len(keys) + 1):
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
            if match is None or types[match[1]] == pa.string():
                raise Unusable(
                    "no-rows", "The table in the file cannot be read: its rows do not fit its header."
                ) from error
            types[match[1]] = pa.string()
    if skipped:
        warnings.append(Warning("rows-skipped", f"{skipped} rows with too many or too few columns were left out."))
    return table, warnings


def _source(path: Path, shape: _Shape) -> Path | io.BytesIO:
    if shape.encoding == "utf-8":
        return path
    return io.BytesIO(path.read_bytes().decode(shape.encoding, errors="replace").encode("utf-8"))


def _time_column(shape: _Shape) -> int:
    for index, name in enumerate(shape.names):
        if re.sub(r"[^a-z]", "", name.lower()) in _TIME_NAMES:
            return index
    found = ", ".join(_short(name) for name in shape.names[:6])
    raise Unusable("no-time", f"No time column was found among {found}; name one “time [s]”.")


def _numbers(column: pa.ChunkedArray) -> Array:
    if pa.types.is_string(column.type):
        raise Unusable("clock", "The time column holds text that cannot be read as seconds.")
    return np.asarray(column.to_numpy(zero_copy_only=False), dtype=np.float64)


def _channel(
    name: str, unit: str, time: Array, column: pa.ChunkedArray, keep: NDArray[np.bool_]
) -> tuple[Channel | None, list[Warning]]:
    if pa.types.is_string(column.type):
        if column.null_count == len(column):
            return None, [Warning("channel-empty", f"{_short(name)} holds no values.")]
        return None, [Warning("channel-text", f"{_short(name)} holds text and was left out.")]
    values = np.asarray(column.to_numpy(zero_copy_only=False), dtype=np.float64)[keep]
    there = np.isfinite(values)
    if not there.any():
        return None, [Warning("channel-empty", f"{_short(name)} holds no values.")]
    clock = time
    if not there.all():
        values, clock = values[there], time[there]
    role = role_for_name(name)
    if role is None:
        return Channel(name, unit, None, clock, values, unit), []
    wanted = ROLES[role]
    given = unit or wanted.assumed
    try:
        return Channel(name, wanted.unit, role, clock, convert(values, given, wanted.unit), given), []
    except UnknownUnit:
        message = (
            f"{_short(name)} is in {_short(given)}, which does not fit {wanted.header}; it is kept without a role."
        )
        return Channel(name, unit, None, clock, values, unit), [Warning("unit-unfit", message)]


def _settle_rivals(channels: list[Channel], warnings: list[Warning]) -> list[Channel]:
    """Of several channels for one role the one with most samples keeps it."""
    best: dict[str, Channel] = {}
    for channel in channels:
        if channel.role and (channel.role not in best or len(channel.time) > len(best[channel.role].time)):
            best[channel.role] = channel
    settled = []
    for channel in channels:
        if channel.role and best[channel.role] is not channel:
            winner = best[channel.role]
            warnings.append(
                Warning(
                    "role-rival",
                    f"{_short(channel.name)} and {_short(winner.name)} both look like {ROLES[channel.role].header}; "
                    f"{_short(winner.name)} is used.",
                )
            )
            channel = replace(channel, role=None)
        settled.append(channel)
    return settled
