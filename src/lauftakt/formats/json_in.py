"""Logs in JSON: one object a line, a list of objects, or lists that run side by side; tracks in GeoJSON with times."""

import json
import re
from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from lauftakt.core.log.model import RawLog, Unusable, Warning
from lauftakt.formats.csv_in import lines_of
from lauftakt.formats.csv_shape import MOST_COLUMNS, names_and_units
from lauftakt.formats.metadata import add_metadata
from lauftakt.formats.tabled import LEAST_ROWS, check_columns, log_of_table

MOST_BYTES = 200_000_000
_DEEPEST = 4
_TIMES = re.compile(rb'"(times?|times_s|coordTimes|timestamps?|datetimes?)"\s*:', re.IGNORECASE)
_FIGURES = re.compile(rb"\[\s*-?\d")
_RECORDS = re.compile(rb"\[\s*[{\[]")


def kind_of_json(path: Path) -> str:
    """``json`` of a log, ``track`` of a GeoJSON track with times, ``layout`` of anything else in JSON.

    Parameters
    ----------
    path : of a file that begins with a brace or bracket, not packed
    """
    if path.stat().st_size > MOST_BYTES:
        return "json"  # which says so
    with path.open("rb") as file:
        first = [line.strip() for line in islice((line for line in file if line.strip()), 2)]
    if len(first) == 2 and all(line.startswith(b"{") and line.endswith(b"}") for line in first):
        return "json"
    data = path.read_bytes()
    if b'"coordinates"' in data or b'"lauftakt-dialect"' in data:
        return "track" if _TIMES.search(data) and b'"lauftakt-dialect"' not in data else "layout"
    text = data.lstrip(b"\xef\xbb\xbf \t\r\n")
    return "json" if _RECORDS.search(text) or _FIGURES.search(text) else "layout"


def read_json(path: Path) -> RawLog:
    """Read one log.

    Raises
    ------
    Unusable
        ``file-large``, ``json``, ``columns``, ``no-rows``, ``no-time``, ``clock``
    """
    if path.stat().st_size > MOST_BYTES:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB; hand it in as parts.")
    warnings: list[Warning] = []
    meta: dict[str, str] = {}
    whole = load_json(path)
    columns = _of_records(_lines(path, warnings), meta) if whole is None else _of_document(whole, meta)
    check_columns(len(columns))
    names, units = names_and_units(list(columns), [], warnings)
    table = pa.table({str(index): column_of(values) for index, values in enumerate(columns.values())})
    return log_of_table(table, names, units, meta, warnings)


def load_json(path: Path) -> Any:
    """A file of one JSON document; None where it is not one.

    Raises
    ------
    Unusable
        ``json`` where it is nested too deeply.
    """
    try:
        return json.loads(path.read_bytes().decode("utf-8-sig"))
    except RecursionError as error:
        raise Unusable("json", "The file is nested too deeply to be a log.") from error
    except ValueError:
        return None


def _lines(path: Path, warnings: list[Warning]) -> Iterator[dict[str, Any]]:
    """The objects of a file that has one a line; lines that are damaged are left out and named."""
    damaged: list[int] = []
    read = 0
    with path.open(encoding="utf-8-sig", errors="replace") as file:
        for number, line in enumerate(file, 1):
            line = line.strip().rstrip(",")
            if not line or line in ("[", "]"):
                continue
            try:
                found = json.loads(line)
            except (ValueError, RecursionError):
                found = None
            if isinstance(found, dict):
                read += 1
                yield found
            else:
                damaged.append(number)
    if not read or len(damaged) > read:
        raise Unusable("json", "The file is not whole JSON, nor one object a line; export it again.")
    if damaged:
        count = f"{len(damaged)} lines" if len(damaged) > 1 else "One line"
        were = "were" if len(damaged) > 1 else "was"
        warnings.append(
            Warning("rows-skipped", f"{count} of damaged JSON {were} left out: {lines_of(damaged)} of the file.")
        )


def _of_records(records: Iterator[dict[str, Any]], meta: dict[str, str]) -> dict[str, list[Any]]:
    """Columns of objects that follow one another; what one says that holds no figures is about the run."""
    columns: dict[str, list[Any]] = {}
    count = 0
    for record in records:
        flat = dict(_flat(record))
        if not any(_is_figure(value) for value in flat.values()):
            for key, value in flat.items():
                add_metadata(meta, key, str(value))
            continue
        for key, value in flat.items():
            own = columns.get(key)
            if own is None:
                if len(columns) > MOST_COLUMNS:
                    continue
                own = columns[key] = []
            own.extend([None] * (count - len(own)))
            own.append(value)
        count += 1
    for key, values in list(columns.items()):
        values.extend([None] * (count - len(values)))
        text = _same_text(values)
        if text is not None and not _is_time(key):
            add_metadata(meta, key, text)
            del columns[key]
    return columns


def _same_text(values: list[Any]) -> str | None:
    """The text that a column holds throughout."""
    first = next((value for value in values if value is not None), None)
    same = isinstance(first, str) and all(value is None or value == first for value in values)
    return first if same else None


def _is_time(key: str) -> bool:
    return "time" in key.lower()


def _flat(value: dict[str, Any], before: str = "", depth: int = 0) -> Iterator[tuple[str, Any]]:
    for key, inner in value.items():
        name = f"{before} {key}" if before else key
        if isinstance(inner, int | float | str):
            yield name, inner
        elif isinstance(inner, dict):
            if depth < _DEEPEST:
                yield from _flat(inner, name, depth + 1)
        elif isinstance(inner, list):
            for index, item in enumerate(inner[:16], 1):
                if _is_figure(item):
                    yield f"{name} {index}", item


def _is_figure(value: Any) -> bool:
    return isinstance(value, int | float)


def _of_document(whole: Any, meta: dict[str, str]) -> dict[str, list[Any]]:
    """Columns of one document: where its longest list stands, of objects, of rows, or of figures side by side."""
    tables = list(_tables(whole, [], 0))
    if not tables:
        raise Unusable("columns", "The file holds no samples: a log in JSON is a list of objects, or lists of figures.")
    length, columns = max(tables, key=lambda item: item[0] * len(item[1]))
    if length < LEAST_ROWS:
        raise Unusable("no-rows", f"The file holds only {length} rows of figures, too few for a lap.")
    if isinstance(whole, dict):
        for key, value in _flat(whole):
            if isinstance(value, str):
                add_metadata(meta, key.split()[-1], value)
    for key, values in list(columns.items()):
        text = _same_text(values)
        if text is not None and not _is_time(key):
            add_metadata(meta, key, text)
            del columns[key]
    return columns


def _tables(value: Any, names: list[str], depth: int) -> Iterator[tuple[int, dict[str, list[Any]]]]:
    if depth > _DEEPEST:
        return
    if isinstance(value, list) and value:
        if all(isinstance(item, dict) for item in value):
            columns = _of_records(iter(value), {})
            if columns:
                yield max(len(own) for own in columns.values()), columns
        elif all(isinstance(item, list) and len(item) == len(value[0]) for item in value) and value[0]:
            width = len(value[0])
            head = names if len(names) == width else [f"column {index + 1}" for index in range(width)]
            if all(isinstance(cell, str) for cell in value[0]) and len(value) > 1:
                head, value = value[0], value[1:]
            yield len(value), {str(name): [row[index] for row in value] for index, name in enumerate(head)}
    elif isinstance(value, dict):
        beside: dict[int, dict[str, list[Any]]] = {}
        listed: list[str] = []
        for key, inner in value.items():
            if isinstance(inner, list) and inner and not any(isinstance(item, dict | list) for item in inner):
                if all(isinstance(item, str) for item in inner) and len(inner) <= MOST_COLUMNS:
                    listed = listed or inner
                beside.setdefault(len(inner), {})[key] = inner
        yield from ((length, columns) for length, columns in beside.items() if len(columns) > 1)
        for inner in value.values():
            if isinstance(inner, dict | list):
                yield from _tables(inner, listed, depth + 1)


def column_of(values: list[Any]) -> pa.Array:
    """A column of figures where all of them are, else of text; null where there is none."""
    if all(value is None or _is_figure(value) for value in values):
        figures = np.array([np.nan if value is None else float(value) for value in values], dtype=np.float64)
        return pa.array(figures, from_pandas=True)
    return pa.array([None if value is None or isinstance(value, dict | list) else str(value) for value in values])
