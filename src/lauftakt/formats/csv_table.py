"""Where the table of samples stands in a text, and which lines above it are its head: found by shape, over all of it.

A log has words before its samples, and often other tables: of laps, of settings. The samples are the widest and longest
body of figures; rows of names, groups, units and rates stand right above it.
"""

import csv
import re
from collections.abc import Sequence
from dataclasses import dataclass

from lauftakt.core.log.evidence.tokens import tokens_of
from lauftakt.core.log.units import readings

DELIMITERS = (",", ";", "\t", "|")
# So many lines are looked at; the beginning that is read (see csv_shape) rarely holds more.
MOST_LINES = 3000
FEW_LINES, TAIL = 120, 30
# Rows of a head that can stand above the samples: groups, names, descriptions, units, rates.
MOST_HEADS = 5
_NUMBER = re.compile(r"^\s*[-+]?(\d+([.,]\d*)?|[.,]\d+)(e[-+]?\d+)?\s*$", re.IGNORECASE)
CLOCK = re.compile(
    r"^\s*((\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{4})[T ])?"
    r"(\d{1,3}:)?\d{1,2}:\d{1,2}([.,]\d+)?\s*(Z|[+-]\d\d:?\d\d)?\s*$"
)
_NOTHING = {"", "nan", "null", "-", "n/a", "inf", "-inf", "+inf"}
_COMMENT = re.compile(r"""^\s*"?(#|//|%|')+""")
# What a row says of its columns beside names and units: how often, and of which kind they are.
_RATE = re.compile(r"^\s*\d+([.,]\d+)?\s*(k?hz|sps|ms|samples?/s)\s*$", re.IGNORECASE)
_KINDS = frozenset(
    ("float", "float32", "float64", "double", "single", "real", "int", "integer", "long", "short", "int8", "int16",
     "int32", "int64", "uint8", "uint16", "uint32", "byte", "bool", "boolean", "string", "text", "number", "decimal",
     "numeric", "analog", "analogue", "digital")
)  # fmt: skip
_LONGEST_UNIT = 12


@dataclass(frozen=True)
class Table:
    """A table in a text.

    Attributes
    ----------
    delimiter : what parts its cells
    head : number of its head's first line, from 0 (of its first row where it has no head)
    first : number of its first row of figures
    names, groups, units : cells of the head, empty where there is no such row; ``names`` and ``groups`` by columns
    rows : the first rows of figures, by cells
    heads : lines of the head as they stand, by which one that is repeated further down is known
    """

    delimiter: str
    head: int
    first: int
    names: list[str]
    groups: list[str]
    units: list[str]
    rows: list[list[str]]
    heads: tuple[str, ...]


def is_number(cell: str) -> bool:
    """Whether a cell holds a figure, with either decimal sign."""
    return bool(_NUMBER.match(cell))


def find_table(lines: Sequence[str]) -> Table | None:
    """The table of samples.

    Parameters
    ----------
    lines : of the beginning of a file; the table goes on where they end

    Returns
    -------
    None where no line holds figures beside one another, or words in columns.
    """
    lines = lines[:MOST_LINES]
    found = None
    if len(lines) > FEW_LINES + TAIL:
        # Mostly the table begins soon, and what stands at the end is of it: then the lines between need no look.
        found, end = _heaviest(lines[:FEW_LINES]), _heaviest(lines[-TAIL:])
        if found is None or end is None or (found[0].width, found[1]) != (end[0].width, end[1]):
            found = None
    found = found or _heaviest(lines)
    return _of_words(lines) if found is None else _with_head(lines, *found)


def _heaviest(lines: Sequence[str]) -> "tuple[Body, str] | None":
    """The body that holds most figures, by whichever delimiter."""
    bodies = [(body, delimiter) for delimiter in DELIMITERS for body in bodies_of(lines, delimiter)]
    return max(bodies, key=lambda item: item[0].weight, default=None)


@dataclass
class Body:
    """Rows of figures with the same width under the same line of words; ``weight`` counts cells that hold figures, less
    those that hold words, and says how well a delimiter fits."""

    first: int
    width: int
    rows: list[list[str]]
    weight: int = 0


def bodies_of(lines: Sequence[str], delimiter: str) -> list[Body]:
    """The bodies of figures in a text that is parted by a delimiter. One whose head is repeated on the way is one."""
    found: list[Body] = []
    by_head: dict[tuple[int, tuple[str, ...]], Body] = {}
    head_of: dict[int, tuple[str, ...]] = {}
    current: Body | None = None
    above: tuple[str, ...] = ()
    for index, line in enumerate(lines):
        if not line.strip():
            continue
        row = cells_of(line, delimiter)
        if not _is_figures(row) or len(row) < 2 or _COMMENT.match(line):
            if any(cell.strip() for cell in row) and not _COMMENT.match(line):
                current, above = None, tuple(row)
            continue
        if current is None or abs(len(row) - current.width) > max(1, current.width // 10):
            # Words on the way that are no head (a remark, a damaged row) make no other table of what follows.
            head = above if _is_head(list(above), len(row)) else head_of.get(len(row), ())
            head_of[len(row)] = head
            current = by_head.get((len(row), head))
            if current is None:
                current = by_head[(len(row), head)] = Body(index, len(row), [])
                found.append(current)
        current.rows.append(row)
        filled = [cell for cell in row if cell.strip()]
        figures = sum(_is_figure(cell) for cell in filled)
        current.weight += 2 * figures - len(filled)
    return [body for body in found if body.weight > 0]


def cells_of(line: str, delimiter: str) -> list[str]:
    """The cells of a line; none where it cannot be parted."""
    try:
        return next(csv.reader([line], delimiter=delimiter), [])
    except csv.Error:
        return []


def _is_figure(cell: str) -> bool:
    return is_number(cell) or bool(CLOCK.match(cell))


def _is_figures(row: list[str]) -> bool:
    filled = [cell for cell in row if cell.strip().lower() not in _NOTHING]
    return bool(filled) and sum(map(_is_figure, filled)) >= 0.5 * len(filled)


def _of_words(lines: Sequence[str]) -> Table | None:
    """A table without any row of figures, or prose: the reader says what is missing."""
    start = next((i for i, line in enumerate(lines) if line.strip() and not _COMMENT.match(line)), None)
    if start is None:
        return None
    delimiter = max(DELIMITERS, key=lambda sign: len(cells_of(lines[start], sign)))
    row = cells_of(lines[start], delimiter)
    rows = [own for line in lines[start + 1 :] if line.strip() and (own := cells_of(line, delimiter))]
    if len(row) < 2 or not rows:
        return None
    return Table(delimiter, start, start + 1, _ended(row), [], [], rows, (lines[start].strip(),))


def _with_head(lines: Sequence[str], body: Body, delimiter: str) -> Table:
    heads = _heads(lines, body, delimiter)
    names, groups, units = _sorted_out([row for _, row in heads])
    first, rows = body.first, body.rows
    if heads and len(rows) > 3 and _is_rates(rows):
        first, rows = first + 1, rows[1:]
        while first < len(lines) and not lines[first].strip():
            first += 1
    return Table(
        delimiter=delimiter,
        head=heads[0][0] if heads else body.first,
        first=first,
        names=_ended(names) if names else [""] * body.width,
        groups=groups,
        units=units,
        rows=rows,
        heads=tuple(lines[index].strip() for index, _ in heads),
    )


def _heads(lines: Sequence[str], body: Body, delimiter: str) -> list[tuple[int, list[str]]]:
    """The lines of the head from above, with their cells: as many as stand together right above the rows, after blank
    lines and comments; where there are none, comments with as many cells are it."""
    plain: list[tuple[int, list[str]]] = []
    commented: list[tuple[int, list[str]]] = []
    for index in range(body.first - 1, max(-1, body.first - 1 - 40), -1):
        line = lines[index]
        row = cells_of(line, delimiter)
        if not any(cell.strip() for cell in row):
            if plain:
                break
            continue
        # A sign for "number" alone in its cell is a name; before other words it makes the line a comment.
        if _COMMENT.match(line) and row[0].strip().strip('"') not in ("#", "%"):
            bare = cells_of(
                _COMMENT.sub("", line).strip().removesuffix('"') if len(row) < 2 else _bare(line), delimiter
            )
            if plain:
                break
            if _is_head(bare, body.width) and len(commented) < MOST_HEADS:
                commented.append((index, bare))
            continue
        if not _is_head(row, body.width) or len(plain) == MOST_HEADS:
            break
        plain.append((index, row))
    return (plain or commented)[::-1]


def _bare(line: str) -> str:
    """A comment's text; one that is a cell of its own is a line with its delimiters in it."""
    text = _COMMENT.sub("", line, count=1).strip()
    return text.removesuffix('"').replace('""', '"') if line.lstrip().startswith('"#') else text


def _is_head(row: list[str], width: int) -> bool:
    filled = [cell for cell in row if cell.strip()]
    return (
        (len(filled) >= 2 or (len(filled) == 1 and len(row) == 2 and not row[0].strip()))
        and abs(len(_ended(row)) - width) <= max(1, width // 10)
        and not any(is_number(cell) for cell in filled[: max(2, len(filled) // 2)])
        and not any(CLOCK.match(cell) for cell in filled)
    )


def _ended(row: list[str]) -> list[str]:
    """Without the one empty cell that a delimiter at the end of the line makes."""
    return row[:-1] if len(row) > 2 and not row[-1].strip() else row


def _sorted_out(rows: list[list[str]]) -> tuple[list[str], list[str], list[str]]:
    """Which rows of a head hold names, groups of names, and units."""
    units: list[str] = []
    named: list[list[str]] = []
    for row in rows:
        filled = [cell.strip() for cell in row if cell.strip()]
        if 2 * sum(bool(_RATE.match(cell)) or cell.lower() in _KINDS for cell in filled) > len(filled):
            continue
        if named and not units and is_units(row, _words(named[-1])):
            units = row
        else:
            named.append(row)
    if not named:
        return [], [], units
    # What is known of the trade counts, then how many columns a row tells apart; of two alike the upper one.
    best = max(range(len(named)), key=lambda i: (_words(named[i]) + 0.1 * len({c.strip() for c in named[i]}), -i))
    groups = named[best - 1] if best else []
    return named[best], groups, units


def is_units(row: list[str], words_above: int = 0) -> bool:
    """Whether a row under names holds units: short, and rather known as units than as words of the trade."""
    filled = [cell.strip().strip("[]()") for cell in row if cell.strip()]
    if not filled or any(_is_figure(cell) and cell != "1" for cell in filled):
        return False
    if any(len(cell) > _LONGEST_UNIT for cell in filled):
        return False
    known = sum(bool(readings(cell)) for cell in filled)
    return 2 * known >= len(filled) or (words_above > 0 and _words(row) < words_above)


def _words(row: list[str]) -> int:
    """How many cells hold a word of the trade that is no unit."""
    return sum(
        any(token.meanings and not token.units for token in tokens_of(cell)) for cell in row if len(cell.strip()) > 1
    )


def _is_rates(rows: list[list[str]]) -> bool:
    """Whether the first row of figures holds the columns' rates: whole, and the time would fall after it."""
    try:
        clock = [float(row[0].replace(",", ".")) for row in rows[:4]]
        rates = [float(cell.replace(",", ".")) for cell in rows[0] if cell.strip()]
    except (ValueError, IndexError):
        return False
    whole = all(1 <= rate <= 10_000 and rate == int(rate) for rate in rates)
    return whole and clock[0] > clock[1] and clock[1] < clock[2] < clock[3]
