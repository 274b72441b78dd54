"""Tables that leave for a spreadsheet: text that somebody wrote never runs as a formula, numbers stay numbers."""

import csv
import io
from collections.abc import Iterable
from decimal import Decimal

from lauftakt.core.log.text import printable

# A cell that begins so would be taken for a formula by a spreadsheet.
FORMULA = ("=", "+", "-", "@", "\t", "\r")
Cell = str | int | Decimal | None


def number(value: float | None, digits: int) -> Decimal | None:
    """A number with so many decimals; an empty cell where there is none."""
    return None if value is None else Decimal(f"{value:.{digits}f}")


def write_table(head: Iterable[str], rows: Iterable[Iterable[Cell]]) -> bytes:
    """A table as CSV (RFC 4180) in UTF-8 with a byte order mark, by which spreadsheets know it.

    Parameters
    ----------
    head : names of the columns, some of which people gave
    rows : text, whole numbers and :func:`number`
    """
    out = io.StringIO()
    table = csv.writer(out)
    for row in (head, *rows):
        table.writerow([_guarded(cell) for cell in row])
    return out.getvalue().encode("utf-8-sig")


def _guarded(cell: Cell) -> Cell:
    if not isinstance(cell, str):
        return cell
    text = printable(" ".join(cell.split()))
    return f"'{text}" if text.startswith(FORMULA) else text
