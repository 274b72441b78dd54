"""What a file says about its run, in whatever words: keys that loggers write, turned into ours."""

import csv
import re

from lauftakt.core.log.text import printable
from lauftakt.formats.days import day_order

META_KEYS = ("driver", "car", "circuit", "event", "date", "kind", "conditions", "tyres", "notes")
LONGEST = 200
_OTHERS = {
    "driver": ("drivername", "pilot", "racer", "fahrer", "rider", "user", "student"),
    "car": ("vehicle", "carname", "vehicleid", "fahrzeug", "auto", "vehiclename", "kart"),
    "circuit": ("track", "venue", "trackname", "circuitname", "strecke", "course", "location"),
    "event": ("eventname", "meeting", "veranstaltung"),
    "date": ("logdate", "datetime", "started", "start", "starttime", "recorded", "datum", "timestamp"),
    "time": ("logtime", "uhrzeit", "timeofday"),
    "kind": ("run", "runkind", "runtype"),
    "conditions": ("weather", "wetter", "condition"),
    "tyres": ("tires", "tyre", "tire", "reifen"),
    "notes": ("comment", "comments", "note", "bemerkung", "shortcomment"),
}
_KEY = {re.sub(r"[^a-z]", "", name): key for key, names in _OTHERS.items() for name in (key, *names)}
_SPLIT = re.compile(r"^\s*([^:=]{1,40}?)\s*[:=]\s*(.*)$")


def take_metadata(lines: list[str], delimiter: str) -> dict[str, str]:
    """Known keys from comment lines, ``key: value`` lines and rows of two cells; the first mention counts."""
    found: dict[str, str] = {}
    for line in lines:
        line = line.strip().lstrip("#/%").strip()
        if not line:
            continue
        pairs: list[tuple[str, str]] = []
        try:
            cells = [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter), [])]
        except csv.Error:
            cells = []
        if len(cells) >= 2:
            pairs.append((cells[0].rstrip(":="), next((cell for cell in cells[1:] if cell), "")))
        match = _SPLIT.match(line)
        if match:
            pairs.append((match[1].strip('"'), match[2].strip().rstrip(delimiter).strip('" ')))
        for key, value in pairs:
            add_metadata(found, key, value)
    return dated(found)


def add_metadata(found: dict[str, str], key: str, value: str) -> None:
    """Keep one key under our name, where it is known and new."""
    own = _KEY.get(re.sub(r"[^a-z]", "", key.lower()))
    clean = printable(value).strip()
    if own and clean and own not in found:
        found[own] = clean[:LONGEST]


def dated(found: dict[str, str]) -> dict[str, str]:
    """With date and time of day joined into one ISO 8601 text, where they can be read."""
    time = found.pop("time", "")
    date = found.get("date", "")
    match = re.match(r"^(\d{1,2}[./]\d{1,2}[./](\d{4}))(.*)$", date)
    if match:
        month_first, _ = day_order([match[1]])
        one, other = (int(part) for part in match[1].replace("/", ".").split(".")[:2])
        day, month = (other, one) if month_first else (one, other)
        date = f"{match[2]}-{month:02d}-{day:02d}{match[3]}"
    if date and time and re.match(r"^\d{1,2}:\d\d", time) and ":" not in date:
        hour, rest = time.split(":", 1)
        date = f"{date.strip()}T{int(hour):02d}:{rest}"
    if date:
        found["date"] = re.sub(r"^(\d{4}-\d\d-\d\d) +(?=\d)", r"\1T", date.strip())
    return found
