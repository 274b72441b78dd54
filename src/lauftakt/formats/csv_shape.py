"""How a CSV file is written, found from its beginning: encoding, delimiter, decimal sign, header, units, metadata."""

import re
from dataclasses import dataclass
from pathlib import Path

from lauftakt.core.log.model import Unusable, Warning
from lauftakt.core.log.text import printable
from lauftakt.formats.csv_table import find_table, is_number
from lauftakt.formats.metadata import take_metadata

HEAD_BYTES = 262_144
MOST_COLUMNS = 600
LONGEST_NAME = 120
_UNIT = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\])]*)[\])]\s*$")


@dataclass(frozen=True)
class Shape:
    """``first_row`` counts the lines before the first row of figures; ``samples`` are the first of these, by cells;
    ``extra`` the columns that only the rows have (a delimiter at their end); ``heads`` the lines of the head."""

    delimiter: str
    decimal: str
    encoding: str
    first_row: int
    names: list[str]
    units: list[str]
    samples: list[list[str]]
    extra: int
    heads: frozenset[str]
    meta: dict[str, str]
    warnings: list[Warning]


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
    table = find_table(lines)
    if table is None:
        raise Unusable(
            "columns", "The file has no table of columns. A log needs a header row and a line of figures per sample."
        )
    if len(table.names) > MOST_COLUMNS:
        raise Unusable("columns", f"The file has {len(table.names)} columns; at most {MOST_COLUMNS} can be read.")
    samples = [row for row in table.rows if any(cell.strip() for cell in row)][:40]
    if not samples:
        raise Unusable("columns", "The file has a header but no figures under it.")
    warnings: list[Warning] = []
    if not any(table.names):
        warnings.append(Warning("no-head", "The table has no header; its columns are known by their values alone."))
    names, units = names_and_units(_under_groups(table.groups, table.names), table.units, warnings)
    decimal = "."
    if any(re.match(r"^\s*[-+]?\d*,\d+(e[-+]?\d+)?\s*$", cell, re.IGNORECASE) for row in samples for cell in row):
        decimal = ","
    return Shape(
        delimiter=table.delimiter,
        decimal=decimal,
        encoding=encoding,
        first_row=table.first,
        names=names,
        units=units,
        samples=samples,
        extra=max(0, min(len(row) for row in samples) - len(names)),
        heads=frozenset(table.heads),
        meta=take_metadata(lines[: table.head], table.delimiter),
        warnings=warnings,
    )


def _under_groups(above: list[str], header: list[str]) -> list[str]:
    """The header with the names of its groups, where the row above merges several of its cells under one name."""
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
