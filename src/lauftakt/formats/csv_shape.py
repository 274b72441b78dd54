"""How a CSV file is written, found from its beginning: encoding, delimiter, decimal sign, header, units, metadata."""

import csv
import re
from dataclasses import dataclass
from pathlib import Path

from lauftakt.core.log.model import Unusable, Warning
from lauftakt.core.log.text import printable
from lauftakt.formats.metadata import take_metadata

HEAD_BYTES = 262_144
MOST_COLUMNS = 600
MOST_LINES_BEFORE = 250
LONGEST_NAME = 120
DELIMITERS = (",", ";", "\t", "|")
_UNIT = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\])]*)[\])]\s*$")
_NUMBER = re.compile(r"^\s*[-+]?(\d+([.,]\d*)?|[.,]\d+)(e[-+]?\d+)?\s*$", re.IGNORECASE)
CLOCK = re.compile(
    r"^\s*((\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{4})[T ])?"
    r"(\d{1,3}:)?\d{1,2}:\d{1,2}([.,]\d+)?\s*(Z|[+-]\d\d:?\d\d)?\s*$"
)
_NOTHING = {"", "nan", "null", "-", "n/a", "inf", "-inf", "+inf"}


@dataclass(frozen=True)
class Shape:
    """``header_line`` counts lines from 0; ``samples`` are the first rows of figures, by cells; ``extra`` the columns
    that only the rows have (a delimiter at their end)."""

    delimiter: str
    decimal: str
    encoding: str
    header_line: int
    names: list[str]
    units: list[str]
    units_row: bool
    samples: list[list[str]]
    extra: int
    meta: dict[str, str]
    warnings: list[Warning]

    @property
    def first_row(self) -> int:
        """Lines before the first row of figures."""
        return self.header_line + 1 + (1 if self.units_row else 0)


def find_shape(path: Path) -> Shape:
    """How the file is written.

    Raises
    ------
    Unusable
        ``file-empty``, ``file-binary``, ``columns``
    """
    if path.stat().st_size == 0:
        raise Unusable("file-empty", "The file is empty.")
    encoding, text = _decoded(path)
    lines = text.splitlines()
    found = [shape for delimiter in DELIMITERS if (shape := _table(lines, delimiter)) is not None]
    if not found:
        raise Unusable(
            "columns", "The file has no table of columns. A log needs a header row and a line of figures per sample."
        )
    # The delimiter that cuts most columns out of the rows is the one that was meant.
    start, header, following, delimiter = max(found, key=lambda item: len(item[1]))
    if len(header) > MOST_COLUMNS:
        raise Unusable("columns", f"The file has {len(header)} columns; at most {MOST_COLUMNS} can be read.")
    units_row = _is_units(following[0], header) if following else False
    samples = [row for row in following[1 if units_row else 0 :] if any(cell.strip() for cell in row)][:40]
    if not samples:
        raise Unusable("columns", "The file has a header but no figures under it.")
    warnings: list[Warning] = []
    header = _under_groups(lines, start, header, delimiter)
    names, units = names_and_units(header, following[0] if units_row else [], warnings)
    decimal = "."
    if any(re.match(r"^\s*[-+]?\d*,\d+(e[-+]?\d+)?\s*$", cell, re.IGNORECASE) for row in samples for cell in row):
        decimal = ","
    return Shape(
        delimiter=delimiter,
        decimal=decimal,
        encoding=encoding,
        header_line=start,
        names=names,
        units=units,
        units_row=units_row,
        samples=samples,
        extra=max(0, min(len(row) for row in samples) - len(names)),
        meta=take_metadata(lines[:start], delimiter),
        warnings=warnings,
    )


def _under_groups(lines: list[str], start: int, header: list[str], delimiter: str) -> list[str]:
    """The header with the names of its groups, where the line above merges several of its cells under one name."""
    above = _cells(lines[start - 1], delimiter) if start > 0 and not _is_comment(lines[start - 1]) else []
    filled = [cell for cell in above if cell.strip()]
    cells = [cell.strip() for cell in header]
    if len(filled) < 2 or abs(len(above) - len(header)) > 1 or any(is_number(cell) for cell in filled):
        return header
    # A group's name stands over its first cell; cells of one name, or of none, show that it is needed.
    repeated = len({cell for cell in cells if cell}) < sum(bool(cell) for cell in cells)
    if not (repeated or "" in cells) or len(filled) >= len(cells):
        return header
    found, group = [], ""
    for index, cell in enumerate(cells):
        group = above[index].strip() if index < len(above) and above[index].strip() else group
        found.append(f"{group} {cell}".strip() if group.lower() != cell.lower() else cell)
    return found


def _decoded(path: Path) -> tuple[str, str]:
    """The encoding and the text of whole lines at the file's beginning."""
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES)
    whole = len(head) < HEAD_BYTES
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        encoding = "utf-16"
    elif _is_wide(head[0:400:2], head[1:400:2]):
        encoding = "utf-16-le"
    elif _is_wide(head[1:400:2], head[0:400:2]):
        encoding = "utf-16-be"
    elif b"\x00" in head:
        raise Unusable("file-binary", "The file is not text. Export the log as CSV and hand that in.")
    else:
        cut = head if whole else head[: head.rfind(b"\n") + 1] or head
        try:
            return "utf-8", cut.decode("utf-8-sig", errors="strict")
        except UnicodeDecodeError:
            return "cp1252", cut.decode("cp1252", errors="replace")
    text = head[: len(head) // 2 * 2].decode(encoding, errors="ignore")
    return encoding, text if whole else text[: text.rfind("\n") + 1]


def _is_wide(letters: bytes, between: bytes) -> bool:
    """Whether this is text of two bytes a letter without a mark at its beginning."""
    readable = sum(32 <= byte < 127 or byte in b"\r\n\t" for byte in letters)
    return len(between) > 1 and between.count(0) > 0.9 * len(between) and readable > 0.8 * len(letters)


def _cells(line: str, delimiter: str) -> list[str]:
    try:
        return next(csv.reader([line], delimiter=delimiter), [])
    except csv.Error:
        return []


def is_number(cell: str) -> bool:
    """Whether a cell holds a figure, with either decimal sign."""
    return bool(_NUMBER.match(cell))


def _is_figures(row: list[str]) -> bool:
    filled = [cell for cell in row if cell.strip().lower() not in _NOTHING]
    return bool(filled) and sum(is_number(c) or bool(CLOCK.match(c)) for c in filled) >= 0.5 * len(filled)


def _table(lines: list[str], delimiter: str) -> tuple[int, list[str], list[list[str]], str] | None:
    """Line of the header, its cells and the rows under it, if the text can be read with this delimiter.

    The header is the last line of words with about as many cells as the figures that follow; a row of units may lie
    between them. Lines before it are comments and metadata.
    """
    rows = [_cells(line, delimiter) if line.strip() else [] for line in lines[: MOST_LINES_BEFORE + 60]]
    first = next((i for i in range(len(rows)) if _begins_table(lines, rows, i)), None)
    if first is not None:
        above = [i for i in range(first) if lines[i].strip() and not _is_comment(lines[i])]
        width = len(rows[first])
        fitting = [i for i in above if _is_header(rows[i], width)]
        if not fitting:
            return None
        header = fitting[-1]
        if len(fitting) > 1 and fitting[-2] == fitting[-1] - 1 and _is_units(rows[header], rows[fitting[-2]]):
            header = fitting[-2]
        return header, _ended(rows[header]), [rows[i] for i in range(header + 1, len(rows)) if rows[i]], delimiter
    # No row of figures anywhere: a table of words, or prose; the reader says what is missing.
    start = next((i for i, line in enumerate(lines) if line.strip() and not _is_comment(line)), None)
    if start is None or len(rows) <= start or len(rows[start]) < 2:
        return None
    following = [row for row in rows[start + 1 :] if row]
    return (start, _ended(rows[start]), following, delimiter) if following else None


def _begins_table(lines: list[str], rows: list[list[str]], index: int) -> bool:
    row = rows[index]
    if len(row) < 2 or _is_comment(lines[index]) or not _is_figures(row):
        return False
    following = [r for r in rows[index + 1 : index + 8] if r]
    return not following or sum(abs(len(r) - len(row)) <= 1 for r in following) >= 0.5 * len(following)


def _is_comment(line: str) -> bool:
    return line.lstrip().removeprefix('"').startswith(("#", "//", "%", "'"))


def _is_header(row: list[str], width: int) -> bool:
    filled = [cell for cell in row if cell.strip()]
    return (
        (len(filled) >= 2 or (len(filled) == 1 and len(row) == 2 and not row[0].strip()))
        and abs(len(_ended(row)) - width) <= max(1, width // 10)
        and not any(is_number(cell) for cell in filled[: max(2, len(filled) // 2)])
    )


def _ended(row: list[str]) -> list[str]:
    """Without the one empty cell that a delimiter at the end of the line makes."""
    return row[:-1] if len(row) > 2 and not row[-1].strip() else row


def _is_units(row: list[str], header: list[str]) -> bool:
    filled = [cell.strip() for cell in row if cell.strip()]
    return (
        bool(filled)
        and abs(len(row) - len(header)) <= 1
        and not any(is_number(cell) or CLOCK.match(cell) for cell in filled)
        and all(len(cell) <= 12 for cell in filled)
    )


def names_and_units(header: list[str], units_row: list[str], warnings: list[Warning]) -> tuple[list[str], list[str]]:
    """Names that differ from one another, and units without their brackets."""
    names: list[str] = []
    units: list[str] = []
    taken: set[str] = set()
    repeated = 0
    for index, cell in enumerate(header):
        clean = printable(cell).strip()
        match = _UNIT.match(clean)
        name, unit = (match["name"], match["unit"]) if match else (clean, "")
        name = name.strip()[:LONGEST_NAME] or f"column {index + 1}"
        if not unit and index < len(units_row):
            unit = units_row[index].strip().strip("[]()")
        number, own = 2, name
        while own in taken:
            own, number = f"{name} ({number})", number + 1
        repeated += own != name
        taken.add(own)
        names.append(own)
        units.append(unit.strip()[:60])
    if repeated:
        warnings.append(Warning("name-repeated", f"{repeated} column names occur twice; the later ones were numbered."))
    return names, units
