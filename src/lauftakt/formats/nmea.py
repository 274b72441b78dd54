"""Sentences of NMEA 0183 as receivers write them: RMC, GGA, VTG and GSA of any talker."""

import re
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np

from lauftakt.core.log.model import RawLog, Unusable, Warning
from lauftakt.formats.clock import DAY_S
from lauftakt.formats.csv_in import lines_of
from lauftakt.formats.tabled import LEAST_ROWS, log_of_points

MOST_BYTES = 400_000_000
# A figure with the unit in which it is written.
Figures = dict[str, tuple[float, str]]
# $, talker, sentence, fields, checksum.
SENTENCE = re.compile(rb"\$([A-Z]{2}(?:RMC|GGA|VTG|GSA),[^*\r\n$]*(?:\*[0-9A-Fa-f]{2})?)")
_KNOT = 1852.0 / 3600.0
_FACTORS = {"kn": ("m/s", _KNOT), "km/h": ("m/s", 1 / 3.6)}
_HALF_DAY_S = 43_200.0


@dataclass(frozen=True)
class Sentence:
    """What one sentence says: the seconds of its day and the day, where it names them, and figures; none where it has
    no fix."""

    at_s: float | None
    day: date | None
    figures: Figures


def sentence_of(text: str) -> Sentence | None:
    """A sentence without the sign that it begins with; None where it is of another kind.

    Raises
    ------
    ValueError, IndexError
        where its checksum is wrong or its fields are damaged.
    """
    body, _, told = text.partition("*")
    if told and _checksum(body.encode()) != int(told[:2], 16):
        raise ValueError("another checksum")
    cells = body.split(",")
    kind, cells = cells[0][-3:], cells[1:]
    figures: Figures = {}
    if kind == "RMC":
        if cells[1] == "A":
            figures |= _place(cells[2:6]) | _figure("receiver speed", cells[6], "kn")
            figures |= _figure("heading", cells[7], "deg") if len(cells) > 7 else {}
        return Sentence(_time(cells[0]), _day(cells[8]) if len(cells) > 8 else None, figures)
    if kind == "GGA":
        if cells[5] not in ("", "0"):
            figures |= _place(cells[1:5]) | _figure("satellites", cells[6], "1") | _figure("hdop", cells[7], "1")
            figures |= _figure("altitude", cells[8], "m")
        return Sentence(_time(cells[0]), None, figures)
    if kind == "VTG":
        speed = _figure("receiver speed", cells[4], "kn") or _figure("receiver speed", cells[6], "km/h")
        return Sentence(None, None, _figure("heading", cells[0], "deg") | speed)
    if kind == "GSA":
        return Sentence(None, None, _figure("pdop", cells[14], "1"))
    return None


def _figure(name: str, cell: str, unit: str) -> Figures:
    return {name: (float(cell), unit)} if cell else {}


def _time(cell: str) -> float | None:
    return int(cell[0:2]) * 3600.0 + int(cell[2:4]) * 60.0 + float(cell[4:]) if cell else None


def _day(cell: str) -> date | None:
    if len(cell) != 6:
        return None
    day, month, year = (int(cell[i : i + 2]) for i in (0, 2, 4))
    return date(2000 + year if year < 80 else 1900 + year, month, day)


def _place(cells: list[str]) -> Figures:
    """Latitude and longitude from ``ddmm.mmmm,N,dddmm.mmmm,E``."""
    north, of_equator, east, of_greenwich = cells
    if not north or not east:
        return {}
    latitude = int(north[:2]) + float(north[2:]) / 60
    longitude = int(east[:3]) + float(east[3:]) / 60
    return {
        "latitude": (-latitude if of_equator == "S" else latitude, "deg"),
        "longitude": (-longitude if of_greenwich == "W" else longitude, "deg"),
    }


def is_nmea(head: bytes) -> bool:
    """Whether a file begins with sentences, after whatever stands before them."""
    lines = [line for line in head.splitlines()[:60] if line.strip()]
    return sum(bool(SENTENCE.search(line)) for line in lines) >= 2


def read_nmea(path: Path) -> RawLog:
    """Read one log of sentences. Each moment of the receiver's is one fix, whichever sentences tell of it.

    Raises
    ------
    Unusable
        ``file-large``, ``no-rows``, ``clock``
    """
    if path.stat().st_size > MOST_BYTES:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB; hand it in as parts.")
    fixes = _Fixes()
    damaged: list[int] = []
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            for text in SENTENCE.findall(line):
                try:
                    found = sentence_of(text.decode("ascii", "replace"))
                except (ValueError, IndexError):
                    damaged.append(number)
                    continue
                if found is not None:
                    fixes.take(found)
    rows = [(at, row) for at, row in fixes.rows if "latitude" in row]
    if len(rows) < LEAST_ROWS:
        raise Unusable("no-rows", f"The file holds only {len(rows)} fixes of a receiver, too few for a lap.")
    clock = np.array([at for at, _ in rows])
    units = {name: unit for _, row in rows for name, (_, unit) in row.items()}
    nothing = (np.nan, "")
    values = {name: (unit, np.array([row.get(name, nothing)[0] for _, row in rows])) for name, unit in units.items()}
    meta = {} if fixes.day is None else {"date": _moment(fixes.day, rows[0][0] - fixes.day_at).isoformat()}
    warnings = []
    if damaged:
        count = f"{len(damaged)} sentences" if len(damaged) > 1 else "One sentence"
        were = "were" if len(damaged) > 1 else "was"
        text = f"{count} with a wrong checksum or damaged {were} left out: {lines_of(damaged)} of the file."
        warnings.append(Warning("rows-skipped", text))
    return log_of_points(clock, values, meta, warnings)


def _moment(day: date, after_midnight: float) -> datetime:
    return datetime(day.year, day.month, day.day, tzinfo=UTC) + timedelta(seconds=round(after_midnight, 3))


def _checksum(data: bytes) -> int:
    found = 0
    for byte in data:
        found ^= byte
    return found


class _Fixes:
    """Gathers what sentences say of the same moment: ``rows`` of seconds and figures. ``day`` is the first that is
    named, ``day_at`` the seconds at which it began on the clock of the rows, which goes on over midnight."""

    def __init__(self) -> None:
        self.rows: list[tuple[float, Figures]] = []
        self.day: date | None = None
        self.day_at = 0.0
        self._days = 0.0
        self._last: float | None = None

    def take(self, said: Sentence) -> None:
        """Add one sentence; one that names no moment belongs to the last that did."""
        if said.at_s is not None:
            if self._last is not None and said.at_s < self._last - _HALF_DAY_S:
                self._days += DAY_S
            self._last = said.at_s
            at = self._days + said.at_s
            if not self.rows or self.rows[-1][0] != at:
                self.rows.append((at, {}))
        if said.day is not None and self.day is None:
            self.day, self.day_at = said.day, self._days
        if self.rows:
            for name, (value, unit) in said.figures.items():
                unit, factor = _FACTORS.get(unit, (unit, 1.0))
                self.rows[-1][1].setdefault(name, (value * factor, unit))
