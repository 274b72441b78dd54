"""Layouts as GeoJSON: a FeatureCollection of lines and points with a property ``role``."""

import json
from dataclasses import dataclass
from typing import Any

from lauftakt.core.layout import Line
from lauftakt.core.log import Unusable


@dataclass(frozen=True)
class LayoutFile:
    """What a layout file says: the circuit's name and its start line."""

    name: str
    start: Line
    left_out: tuple[str, ...]


def read_layout(data: bytes, fallback_name: str) -> LayoutFile:
    """Read a layout file.

    Raises
    ------
    Unusable
        ``layout-file`` with a sentence that says what is missing.
    """
    try:
        found = json.loads(data.decode("utf-8-sig"))
        features = found["features"]
        assert isinstance(features, list)
    except (ValueError, KeyError, TypeError, AssertionError, RecursionError) as error:
        raise Unusable("layout-file", "The file is not a GeoJSON feature collection.") from error
    start: Line | None = None
    left_out: list[str] = []
    for feature in features:
        if not isinstance(feature, dict):
            continue
        properties = feature.get("properties") or {}
        role = properties.get("role") if isinstance(properties, dict) else None
        if role == "start":
            start = _line(feature)
        elif isinstance(role, str):
            left_out.append(role[:40])
    if start is None:
        raise Unusable("layout-file", "The layout file has no line with the role “start”.")
    name = found.get("name")
    return LayoutFile(
        str(name)[:120] if isinstance(name, str) and name.strip() else fallback_name, start, tuple(left_out)
    )


def _line(feature: dict[str, Any]) -> Line:
    try:
        (west, south), (east, north) = (
            (float(point[0]), float(point[1])) for point in feature["geometry"]["coordinates"]
        )
    except (KeyError, TypeError, ValueError, IndexError) as error:
        raise Unusable("layout-file", "The start line must be a line of two points, left end first.") from error
    if not all(abs(lat) <= 90 and abs(lon) <= 180 for lat, lon in ((south, west), (north, east))):
        raise Unusable("layout-file", "The start line's coordinates are not longitude and latitude in degrees.")
    return Line((south, west), (north, east))


def write_start(name: str, start: Line) -> bytes:
    """A layout file with nothing but the start line."""
    feature = {
        "type": "Feature",
        "properties": {"role": "start"},
        "geometry": {
            "type": "LineString",
            "coordinates": [[start.left[1], start.left[0]], [start.right[1], start.right[0]]],
        },
    }
    return json.dumps({"type": "FeatureCollection", "name": name, "features": [feature]}, indent=1).encode()
