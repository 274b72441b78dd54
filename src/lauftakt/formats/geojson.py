"""Layouts as GeoJSON: a FeatureCollection of lines and points with a property ``role``."""

import json
from typing import Any

import numpy as np

from lauftakt.core.circuit.layout import Layout, LayoutSketch, Line
from lauftakt.core.log.model import Unusable
from lauftakt.core.log.text import one_line

Point = tuple[float, float]
LINES = ("start", "finish", "split", "centre", "left limit", "right limit", "pit lane")
EDGES = ("left limit", "right limit", "pit lane")
POINTS = ("corner", "mark")
MOST_POINTS = 200_000


def read_layout(data: bytes, fallback_name: str) -> LayoutSketch:
    """Read a layout file.

    Raises
    ------
    Unusable
        ``layout-file`` with a sentence that says what is missing or wrong.
    """
    found = _collection(data)
    features = found["features"]
    one: dict[str, Any] = {}
    first = ""
    splits: list[tuple[str, Line]] = []
    points: dict[str, list[tuple[str, Point]]] = {role: [] for role in POINTS}
    unknown: list[str] = []
    for feature in features:
        properties = feature.get("properties") if isinstance(feature, dict) else None
        if not isinstance(properties, dict):
            continue
        role = properties.get("role")
        if not isinstance(role, str):
            continue
        name = _name(properties.get("name"))
        if role in ("start", "finish"):
            one[role] = _line(feature, role)
            first = _name(properties.get("sector")) if role == "start" else first
        elif role == "split":
            splits.append((name or f"split {len(splits) + 1}", _line(feature, role)))
        elif role in LINES:
            one[role] = _path(feature, role)
        elif role in POINTS:
            points[role].append((name or f"{role} {len(points[role]) + 1}", _point(feature, role)))
        else:
            unknown.append(role[:40])
    if "start" not in one:
        raise Unusable("layout-file", "The layout file has no line with the role “start”.")
    return LayoutSketch(
        name=_name(found.get("name")) or fallback_name,
        start=one["start"],
        finish=one.get("finish"),
        centre=one.get("centre", ()),
        left_limit=one.get("left limit", ()),
        right_limit=one.get("right limit", ()),
        pit_lane=one.get("pit lane", ()),
        splits=tuple(splits),
        first_sector=first,
        corners=tuple(points["corner"]),
        marks=tuple(points["mark"]),
        left_out=tuple(unknown),
        reckoned=found.get("reckoned") is True,
    )


def read_edges(data: bytes) -> dict[str, tuple[Point, ...]]:
    """The edges of the road and the pit lane of a layout file, which needs no start line for that.

    Returns
    -------
    (latitude, longitude) of ``left limit``, ``right limit`` and ``pit lane``, as far as the file has them.

    Raises
    ------
    Unusable
        ``layout-file`` where it has none of them.
    """
    found: dict[str, tuple[Point, ...]] = {}
    for feature in _collection(data)["features"]:
        properties = feature.get("properties") if isinstance(feature, dict) else None
        role = properties.get("role") if isinstance(properties, dict) else None
        if role in EDGES:
            found[role] = _path(feature, role)
    if not found:
        raise Unusable("layout-file", "The file has no line with the role “left limit”, “right limit” or “pit lane”.")
    return found


def _collection(data: bytes) -> dict[str, Any]:
    try:
        found = json.loads(data.decode("utf-8-sig"))
        assert isinstance(found["features"], list)
    except (ValueError, KeyError, TypeError, AssertionError, RecursionError) as error:
        raise Unusable("layout-file", "The file is not a GeoJSON feature collection.") from error
    assert isinstance(found, dict)
    return found


def _name(value: object) -> str:
    return one_line(value, 120) if isinstance(value, str) else ""


def _degrees(point: Any, role: str) -> Point:
    try:
        longitude, latitude = float(point[0]), float(point[1])
    except (KeyError, TypeError, ValueError, IndexError) as error:
        raise Unusable("layout-file", f"The {role} holds something that is not a position.") from error
    if not (abs(latitude) <= 90 and abs(longitude) <= 180):  # also refuses NaN
        raise Unusable("layout-file", f"The {role}'s coordinates are not longitude and latitude in degrees.")
    return latitude, longitude


def _coordinates(feature: dict[str, Any], kind: str, role: str) -> Any:
    geometry = feature.get("geometry")
    if not isinstance(geometry, dict) or geometry.get("type") != kind:
        raise Unusable("layout-file", f"The {role} must be a {kind}.")
    return geometry.get("coordinates")


def _line(feature: dict[str, Any], role: str) -> Line:
    points = _path(feature, role)
    if points[0] == points[-1]:
        raise Unusable("layout-file", f"The {role} line must have two different ends, the left one first.")
    return Line(points[0], points[-1])


def _path(feature: dict[str, Any], role: str) -> tuple[Point, ...]:
    points = _coordinates(feature, "LineString", role)
    if not isinstance(points, list) or not 2 <= len(points) <= MOST_POINTS:
        raise Unusable("layout-file", f"The {role} must be a line of at least two points.")
    return tuple(_degrees(point, role) for point in points)


def _point(feature: dict[str, Any], role: str) -> Point:
    return _degrees(_coordinates(feature, "Point", role), role)


def write_start(name: str, start: Line) -> bytes:
    """A layout file with nothing but the start line."""
    return write_sketch(LayoutSketch(name=name, start=start))


def write_sketch(sketch: LayoutSketch) -> bytes:
    """A layout file (the inverse of :func:`read_layout`)."""
    if sketch.start is None:
        raise ValueError("A layout file needs a start line.")
    features = [_feature("start", None, [sketch.start.left, sketch.start.right])]
    if sketch.first_sector:
        features[0]["properties"]["sector"] = sketch.first_sector
    if sketch.finish is not None:
        features.append(_feature("finish", None, [sketch.finish.left, sketch.finish.right]))
    features += [_feature("split", name, [line.left, line.right]) for name, line in sketch.splits]
    for role, path in (
        ("centre", sketch.centre), ("left limit", sketch.left_limit), ("right limit", sketch.right_limit),
        ("pit lane", sketch.pit_lane),
    ):  # fmt: skip
        if path:
            features.append(_feature(role, None, list(path)))
    for role, named in (("corner", sketch.corners), ("mark", sketch.marks)):
        features += [_feature(role, name, [point]) for name, point in named]
    own = {"reckoned": True} if sketch.reckoned else {}
    return json.dumps(
        {"type": "FeatureCollection", "name": sketch.name, **own, "features": features}, indent=1
    ).encode()


def _feature(role: str, name: str | None, points: list[Point]) -> dict[str, Any]:
    coordinates = [[longitude, latitude] for latitude, longitude in points]
    single = role in POINTS
    return {
        "type": "Feature",
        "properties": {"role": role} if name is None else {"role": role, "name": name},
        "geometry": {
            "type": "Point" if single else "LineString",
            "coordinates": coordinates[0] if single else coordinates,
        },
    }


def centre_of(layout: Layout, every_m: float = 10.0) -> list[list[float]]:
    """The centre line from start to finish as [longitude, latitude] every few metres; a closed one ends where it
    began."""
    places = np.append(np.arange(0.0, layout.length - 1e-6, every_m), layout.length)
    x, y, _ = layout.centre.at(np.where(places >= layout.length, 0.0 if layout.centre.closed else places, places))
    latitude, longitude = layout.plane.to_degrees(x, y)
    return [[round(float(lon), 8), round(float(lat), 8)] for lat, lon in zip(latitude, longitude, strict=True)]
