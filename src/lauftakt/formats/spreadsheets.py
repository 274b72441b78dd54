"""Logs in spreadsheets (Office Open XML, OpenDocument): the sheet that holds the samples, with figures as typed."""

import csv
import tempfile
import zipfile
from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import python_calamine as calamine

from lauftakt.core.log.model import RawLog, Unusable, Warning
from lauftakt.formats.csv_in import read_csv
from lauftakt.formats.interpreting import short
from lauftakt.formats.tabled import LEAST_ROWS

MOST_BYTES = 200_000_000
MOST_UNPACKED = 2_000_000_000
_OPEN_DOCUMENT = b"application/vnd.oasis.opendocument.spreadsheet"


def is_spreadsheet(path: Path) -> bool:
    """Whether an archive is a spreadsheet."""
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
            if "mimetype" in names and archive.getinfo("mimetype").file_size < 200:
                return archive.read("mimetype").strip() == _OPEN_DOCUMENT
            return any(name.startswith("xl/") for name in names) and "[Content_Types].xml" in names
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, RuntimeError, KeyError):
        return False


def read_spreadsheet(path: Path) -> RawLog:
    """Read the sheet with most samples as one log; others are named.

    Raises
    ------
    Unusable
        ``file-large``, ``spreadsheet``, and whatever :func:`lauftakt.formats.csv_in.read_csv` says of the largest sheet
    """
    if path.stat().st_size > MOST_BYTES or _unpacked_bytes(path) > MOST_UNPACKED:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB; hand it in as parts.")
    try:
        book = _opened(path)
        sheets = [(name, book.get_sheet_by_name(name).to_python(skip_empty_area=False)) for name in book.sheet_names]
    except (calamine.CalamineError, OSError, ValueError) as error:
        raise Unusable("spreadsheet", "The spreadsheet is damaged, or locked by a password; save it again.") from error
    tables = [(name, rows) for name, rows in sheets if len(rows) >= LEAST_ROWS]
    if not tables:
        raise Unusable("no-rows", "No sheet of the spreadsheet holds enough rows of figures for a lap.")
    tables.sort(key=lambda item: -sum(map(len, item[1])))
    logs: list[tuple[str, RawLog]] = []
    refused: Unusable | None = None
    with tempfile.TemporaryDirectory(prefix="lauftakt-spreadsheet-") as folder:
        for name, rows in tables:
            plain = Path(folder) / "sheet.csv"
            _write(rows, plain)
            try:
                logs.append((name, read_csv(plain)))
            except Unusable as error:
                refused = refused or error
    if not logs:
        assert refused is not None
        raise refused
    logs.sort(key=lambda item: -sum(len(channel.time) for channel in item[1].channels))
    name, log = logs[0]
    warnings = list(log.warnings)
    if len(logs) > 1:
        others = ", ".join(short(other) for other, _ in logs[1:5])
        text = f"The sheet {short(name)} was read; {others} holds samples, too: hand it in as a file of its own."
        warnings.append(Warning("sheets-left-out", text))
    return RawLog(log.channels, log.meta, tuple(warnings))


def _opened(path: Path) -> Any:
    """The library has another word for a spreadsheet in the names of what opens one."""
    return getattr(calamine, next(name for name in calamine.__all__ if name.startswith("load_")))(str(path))


def _unpacked_bytes(path: Path) -> int:
    try:
        with zipfile.ZipFile(path) as archive:
            return sum(info.file_size for info in archive.infolist())
    except (zipfile.BadZipFile, OSError, ValueError):
        return 0


def _write(rows: Iterable[list[Any]], path: Path) -> None:
    with path.open("w", encoding="utf-8", newline="") as file:
        table = csv.writer(file, lineterminator="\n")
        for row in rows:
            cells = [_text(cell) for cell in row]
            if any(cells):
                table.writerow(cells)
            else:
                file.write("\n")


def _text(cell: Any) -> str:
    if isinstance(cell, bool):
        return str(int(cell))
    if isinstance(cell, float):
        return repr(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, datetime | date | time):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        return repr(cell.total_seconds())
    return " ".join(str(cell).split())
