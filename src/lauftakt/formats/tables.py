"""The one writer of CSV: text that somebody wrote never runs as a formula, numbers stay numbers."""

import re
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from typing import BinaryIO

import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv
from numpy.typing import NDArray

from lauftakt.core.log.text import printable

# A cell that begins so would be taken for a formula by a spreadsheet; the wide forms are taken for the plain ones
# where people type them.
FORMULA = ("=", "+", "-", "@", "\t", "\r", "＝", "＋", "－", "＠")
_QUOTED = ',;\t"'
# Set to another country, a spreadsheet parts the cells at semicolons, and quotes within such a cell are letters to it.
_AFTER_SEMICOLON = re.compile(f'(;[\\s"]*)(?=[{re.escape("".join(FORMULA))}])')
Array = NDArray[np.float64]
Cell = str | int | Decimal | None


def number(value: float | None, digits: int) -> Decimal | None:
    """A number with so many decimals; an empty cell where there is none."""
    return None if value is None else Decimal(f"{value:.{digits}f}")


def text_cell(text: str) -> str:
    """A cell of text on one line, guarded against running as a formula and quoted where it has to be."""
    text = printable(" ".join(text.split()))
    text = _AFTER_SEMICOLON.sub(r"\1'", text)
    return _quoted(f"'{text}" if text.startswith(FORMULA) else text)


def comment_line(key: str, value: str) -> str:
    """A comment line as one cell: cut at a delimiter, its rest could run as a formula."""
    return _quoted(printable(f"# {' '.join(key.split())}: {' '.join(value.split())}"))


def row_line(cells: Iterable[Cell]) -> str:
    """A row without its end."""
    line = ",".join(text_cell(cell) if isinstance(cell, str) else "" if cell is None else str(cell) for cell in cells)
    return line or '""'


def write_table(head: Iterable[str], rows: Iterable[Iterable[Cell]]) -> bytes:
    """A table as CSV (RFC 4180) in UTF-8 with a byte order mark, by which spreadsheets know it.

    Parameters
    ----------
    head : names of the columns, some of which people gave
    rows : text, whole numbers and :func:`number`
    """
    return "".join(f"{row_line(row)}\r\n" for row in (head, *rows)).encode("utf-8-sig")


def write_columns(file: BinaryIO, about: Mapping[str, str], head: Iterable[str], columns: Sequence[Array]) -> None:
    """Numbers by the column as CSV in UTF-8, as fast as Arrow writes them.

    Parameters
    ----------
    file : what is written to
    about : what the table is of, written as comment lines before it
    head : names of the columns, some of which people gave
    columns : (n,) each, rounded as they are to be read; NaN leaves the cell blank
    """
    for key, value in about.items():
        file.write(f"{comment_line(key, value)}\n".encode())
    file.write(f"{row_line(head)}\n".encode())
    table = pa.table({str(index): pa.array(column, from_pandas=True) for index, column in enumerate(columns)})
    pacsv.write_csv(table, file, pacsv.WriteOptions(include_header=False, quoting_style="none"))


def _quoted(text: str) -> str:
    return '"' + text.replace('"', '""') + '"' if any(mark in text for mark in _QUOTED) else text
