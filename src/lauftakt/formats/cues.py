"""What one cue of a timed text track tells: figures by name, in the open ways in which they are written.

JSON objects (nested ones and lists of samples, too), lines of ``name: value unit`` or ``name=value``, rows of CSV,
place strings after ISO 6709, and the sentences RMC, GGA and VTG of NMEA 0183.
"""

import csv
import json
import math
import re
from collections.abc import Iterator
from typing import Any

from lauftakt.core.log.text import printable
from lauftakt.formats.nmea import Figures, sentence_of

MOST_NAMES = 600
MOST_DEEP = 6
_PAIR = re.compile(r"^\s*([^:=]{1,80}?)\s*[:=]\s*(.+?)\s*$")
_FIGURE = re.compile(r"^([-+]?\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?)\s*(\D.{0,30})?$")
_PLACE = re.compile(r"([-+]\d{1,2}(?:\.\d+)?)([-+]\d{1,3}(?:\.\d+)?)([-+]\d+(?:\.\d+)?)?(?:CRS\w+)?/")
_HEADED = re.compile(r"^(.*?)\s*[\[(]([^\[\]()]*)[\])]\s*$")
_MARKUP = re.compile(r"<[^<>]{0,200}>")
# What is taken of a sentence, and what it is called beside the other ways of writing a cue.
_IN_CUES = {
    "latitude": "latitude", "longitude": "longitude", "altitude": "altitude", "receiver speed": "speed",
    "heading": "course",
}  # fmt: skip


class Cues:
    """Reads the cues of one track one after the other; a first row of words is the header of the rows that follow."""

    def __init__(self) -> None:
        self._header: list[str] = []

    def read(self, text: str) -> list[Figures]:
        """The samples of one cue; empty where it tells no figures."""
        text = text.strip("\x00\ufeff \t\r\n")
        if not text:
            return []
        if text[0] in "{[":
            try:
                return [figures for item in _objects(json.loads(text)) if (figures := _flat(item))]
            except (ValueError, RecursionError):
                return []
        if text.startswith("$"):
            found: Figures = {}
            for line in text.splitlines():
                found |= _sentence(line.strip())
            return [found] if found else []
        return self._lines(_MARKUP.sub("", text))

    def _lines(self, text: str) -> list[Figures]:
        place = _PLACE.search(text)
        found: Figures = _placed(place) if place else {}
        rows: list[Figures] = []
        for line in (_PLACE.sub("", text) if place else text).splitlines():
            pairs = [m for part in re.split(r"[;|\t]|,(?!\d)", line) if (m := _PAIR.match(part))]
            for match in pairs:
                figure = _FIGURE.match(match[2])
                if figure:
                    name, unit = _headed(match[1])
                    found[name] = (float(figure[1].replace(",", ".")), unit or (figure[2] or "").strip())
            if not pairs and "," in line:
                rows += self._row(line)
        return rows or ([found] if found else [])

    def _row(self, line: str) -> list[Figures]:
        try:
            cells = [cell.strip() for cell in next(csv.reader([line]), [])]
        except csv.Error:
            return []
        values = [_FIGURE.match(cell) for cell in cells]
        if not any(values):
            self._header = cells[:MOST_NAMES]
            return []
        if len(cells) != len(self._header):
            return []
        found: Figures = {}
        for heading, value in zip(self._header, values, strict=True):
            if value:
                name, unit = _headed(heading)
                found[name] = (float(value[1].replace(",", ".")), unit or (value[2] or "").strip())
        return [found]


def _objects(data: Any) -> Iterator[Any]:
    """Samples: one object, or a list of them, by itself or as the only list of objects inside an object."""
    if isinstance(data, list):
        yield from (item for item in data if isinstance(item, dict))
    elif isinstance(data, dict):
        lists = [v for v in data.values() if isinstance(v, list) and v and all(isinstance(item, dict) for item in v)]
        yield from lists[0] if len(lists) == 1 else [data]


def _flat(data: dict[str, Any], before: str = "", deep: int = 0) -> Figures:
    found: Figures = {}
    for key, value in data.items():
        name, unit = _headed(f"{before}{key}")
        if isinstance(value, bool) or value is None:
            continue
        if isinstance(value, int | float):
            found[name] = (float(value), unit)
        elif isinstance(value, str) and (figure := _FIGURE.match(value.strip())):
            found[name] = (float(figure[1].replace(",", ".")), unit or (figure[2] or "").strip())
        elif isinstance(value, dict) and "value" in value and isinstance(value["value"], int | float):
            found[name] = (float(value["value"]), printable(str(value.get("unit", unit)))[:60])
        elif isinstance(value, dict) and deep < MOST_DEEP:
            found |= _flat(value, f"{key} ", deep + 1)
        if len(found) >= MOST_NAMES:
            break
    return {name: told for name, told in found.items() if math.isfinite(told[0])}


def _headed(text: str) -> tuple[str, str]:
    """Name and unit of ``name [unit]``."""
    text = printable(text).strip()
    match = _HEADED.match(text)
    return (match[1].strip()[:120] or "channel", match[2].strip()[:60]) if match else (text[:120] or "channel", "")


def _placed(match: re.Match[str]) -> Figures:
    """Degrees, degrees and metres of a place string after ISO 6709, annex H."""
    found = {"latitude": (float(match[1]), "deg"), "longitude": (float(match[2]), "deg")}
    if match[3]:
        found["altitude"] = (float(match[3]), "m")
    return found


def _sentence(line: str) -> Figures:
    """Figures of a sentence of NMEA 0183; none where its checksum is wrong or its fix is void."""
    try:
        said = sentence_of(line.removeprefix("$"))
    except (ValueError, IndexError):
        return {}
    figures = {} if said is None else said.figures
    return {_IN_CUES[name]: figure for name, figure in figures.items() if name in _IN_CUES}
