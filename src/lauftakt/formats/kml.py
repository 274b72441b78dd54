"""Tracks of KML (OGC KML 2.3, and the extension that came before it): moments and coordinates in turn."""

from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import ParseError, parse
from numpy.typing import NDArray

from lauftakt.core.log.model import RawLog, Unusable
from lauftakt.formats.metadata import add_metadata
from lauftakt.formats.tabled import LEAST_ROWS, log_of_points

Array = NDArray[np.float64]
MOST_BYTES = 400_000_000
Point = tuple[datetime, float, float, float]


def read_kml(path: Path) -> RawLog:
    """Read the tracks of a KML file, and points with a time each, as one log.

    Raises
    ------
    Unusable
        ``file-large``, ``kml``, ``no-time``, ``no-rows``, ``clock``
    """
    if path.stat().st_size > MOST_BYTES:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB; hand it in as parts.")
    try:
        root = parse(path).getroot()
    except DefusedXmlException as error:
        raise Unusable("kml", "The file defines XML entities, which a track does not need; it was not read.") from error
    except (ParseError, ValueError, LookupError) as error:
        raise Unusable("kml", "The file is not a whole KML file; export it again.") from error
    points: list[Point] = []
    further: list[dict[str, float]] = []
    for track in _all(root, "Track"):
        own, said = _track(track)
        points += own
        further += said
    for place in _all(root, "Placemark"):
        own = _stamped(place)
        points += own
        further += [{}] * len(own)
    if len(points) < LEAST_ROWS:
        if _all(root, "LineString"):
            raise Unusable(
                "no-time",
                "The file holds a line without times, so nothing can be said about speed. Export the track with its "
                "times: KML with a track, GPX, or CSV.",
            )
        raise Unusable("no-rows", f"The file holds only {len(points)} track points, too few for a lap.")
    first = points[0][0]
    clock = np.array([_since(point[0], first) for point in points])
    values: dict[str, tuple[str, Array]] = {
        "latitude": ("deg", np.array([point[1] for point in points])),
        "longitude": ("deg", np.array([point[2] for point in points])),
    }
    heights = np.array([point[3] for point in points])
    if np.isfinite(heights).any() and np.any(heights != 0):
        values["altitude"] = ("m", heights)
    for name in dict.fromkeys(key for said in further for key in said):
        values.setdefault(name[:120], ("", np.array([said.get(name, np.nan) for said in further])))
    meta: dict[str, str] = {"date": first.isoformat()}
    for name in _all(root, "name")[:1]:
        add_metadata(meta, "event", name.text or "")
    for data in _all(root, "Data"):
        add_metadata(meta, data.get("name", ""), "".join(data.itertext()).strip())
    return log_of_points(clock, values, meta, [])


def _since(moment: datetime, first: datetime) -> float:
    if (moment.tzinfo is None) != (first.tzinfo is None):
        return float("nan")
    return (moment - first).total_seconds()


def _local(element: Any) -> str:
    return element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""


def _all(element: Any, name: str) -> list[Any]:
    return [inner for inner in element.iter() if _local(inner) == name]


def _track(track: Any) -> tuple[list[Point], list[dict[str, float]]]:
    """The points of one track, and what its arrays say beside each."""
    moments = [_moment(item.text) for item in track if _local(item) == "when"]
    places = [_figures((item.text or "").replace(",", " ").split()) for item in track if _local(item) == "coord"]
    arrays = {
        array.get("name", ""): [(item.text or "") for item in array if _local(item) == "value"]
        for array in _all(track, "SimpleArrayData")
    }
    points, further = [], []
    for index, (moment, place) in enumerate(zip(moments, places, strict=False)):
        if moment is None or len(place) < 2:
            continue
        points.append((moment, place[1], place[0], place[2] if len(place) > 2 else float("nan")))
        here = {name: _figures(values[index : index + 1]) for name, values in arrays.items()}
        further.append({name: own[0] for name, own in here.items() if own})
    return points, further


def _stamped(place: Any) -> list[Point]:
    """A place with its moment."""
    moment = next((_moment(item.text) for stamp in _all(place, "TimeStamp") for item in _all(stamp, "when")), None)
    point = next(iter(_all(place, "Point")), None)
    if moment is None or point is None:
        return []
    text = next((item.text or "" for item in _all(point, "coordinates")), "")
    found = _figures(text.strip().split(","))
    return [(moment, found[1], found[0], found[2] if len(found) > 2 else float("nan"))] if len(found) > 1 else []


def _moment(text: str | None) -> datetime | None:
    try:
        return datetime.fromisoformat((text or "").strip())
    except ValueError:
        return None


def _figures(texts: list[str]) -> list[float]:
    try:
        return [float(text) for text in texts]
    except ValueError:
        return []
