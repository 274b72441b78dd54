"""Damaged rows of a CSV file: what can be mended is mended, what cannot is left out by its line number."""

import csv
import io
from pathlib import Path

from lauftakt.formats.csv_shape import Shape


def mend_rows(path: Path, shape: Shape) -> tuple[io.BytesIO, list[int]]:
    """The rows below the header, each with as many cells as the table has.

    Parameters
    ----------
    path, shape : of the file, and how it is written

    Returns
    -------
    The rows in UTF-8, and the numbers (from 1) of the lines that were left out: with a quotation mark that is never
    closed, with too few cells, or with more than blanks too many.
    """
    width = len(shape.names) + shape.extra
    text = io.StringIO(newline="")
    rows = csv.writer(text, delimiter=shape.delimiter, lineterminator="\n")
    damaged: list[int] = []
    with path.open(encoding=shape.encoding, errors="replace", newline="") as file:
        for number, line in enumerate(file, 1):
            if number <= shape.first_row or not line.strip():
                continue
            whole = line.endswith(("\n", "\r"))
            line = line.rstrip("\r\n")
            if line.strip() in shape.heads:
                continue  # the head once more, as where logs were put behind one another
            if line.count('"') % 2:
                damaged.append(number)
                continue
            try:
                cells = next(csv.reader([line], delimiter=shape.delimiter), [])
            except csv.Error:
                damaged.append(number)
                continue
            # A last line without its end was cut while it was written, wherever the cut fell.
            if len(cells) < width or (len(cells) > width and not whole) or any(cell.strip() for cell in cells[width:]):
                damaged.append(number)
                continue
            rows.writerow(cells[:width])
    return io.BytesIO(text.getvalue().encode("utf-8")), damaged
