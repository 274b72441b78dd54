"""A driven path as GeoJSON, in and out: a line with its times beside the coordinates, or points with a time each."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from lauftakt.core.log.model import Log, RawLog, Unusable, Warning
from lauftakt.formats.csv_shape import names_and_units
from lauftakt.formats.json_in import column_of, load_json
from lauftakt.formats.metadata import add_metadata
from lauftakt.formats.tabled import LEAST_ROWS, check_columns, log_of_table

# What the times of a line are called, beside our own: in its properties, or in those that belong to its coordinates.
_TIMES = ("times_s", "times", "coordtimes", "time", "timestamps", "timestamp", "datetimes", "datetime")
_PLURALS = {"times_s": "time [s]", "speeds_kmh": "speed [km/h]", "speeds": "speed", "altitudes": "altitude"}
Row = dict[str, Any]


def read_track(path: Path) -> RawLog:
    """Read the lines and points of a GeoJSON file that have times, in their order, as one log.

    Raises
    ------
    Unusable
        ``json``, ``no-time``, ``no-rows``, ``clock``
    """
    whole = load_json(path)
    features = whole.get("features", [whole]) if isinstance(whole, dict) else None
    if not isinstance(features, list):
        raise Unusable("json", "The file is not whole GeoJSON; export it again.")
    meta: dict[str, str] = {}
    rows: list[Row] = []
    for feature in features:
        if isinstance(feature, dict):
            rows += _rows_of(feature, meta)
    if len(rows) < LEAST_ROWS:
        raise Unusable("no-time", "The file's lines and points have too few times, so nothing can be said about speed.")
    columns = {name: [row.get(name) for row in rows] for name in dict.fromkeys(key for row in rows for key in row)}
    check_columns(len(columns))
    warnings: list[Warning] = []
    names, units = names_and_units(list(columns), [], warnings)
    table = pa.table({str(index): column_of(values) for index, values in enumerate(columns.values())})
    return log_of_table(table, names, units, meta, warnings)


def _rows_of(feature: dict[str, Any], meta: dict[str, str]) -> Iterator[Row]:
    said = feature.get("properties")
    said = said if isinstance(said, dict) else {}
    geometry = feature.get("geometry", feature)
    places = geometry.get("coordinates") if isinstance(geometry, dict) else None
    if not isinstance(places, list) or not places:
        return
    kind = geometry.get("type")
    if kind == "Point":
        row = {_named(key): value for key, value in said.items() if not isinstance(value, dict | list)}
        if any(key.lower() in _TIMES for key in said):
            yield {**_place(places), **row}
        return
    if kind == "MultiLineString":
        parts: list[tuple[list[Any], int | None]] = [
            (line, index) for index, line in enumerate(places) if isinstance(line, list)
        ]
    elif kind == "LineString":
        parts = [(places, None)]
    else:
        return
    for key, value in said.items():
        if isinstance(value, str):
            add_metadata(meta, key, value)
    inner = said.get("coordinateProperties")
    beside = {**said, **inner} if isinstance(inner, dict) else said
    for line, part in parts:
        own = {key: _part(values, part) for key, values in beside.items()}
        lists = {key: values for key, values in own.items() if isinstance(values, list) and len(values) == len(line)}
        if not any(key.lower() in _TIMES for key in lists):
            continue
        for index, place in enumerate(line):
            yield {**_place(place), **{_named(key): values[index] for key, values in lists.items()}}


def _part(values: Any, part: int | None) -> Any:
    if part is None or not isinstance(values, list) or part >= len(values):
        return values
    return values[part]


def _named(key: str) -> str:
    low = key.lower()
    return _PLURALS.get(low, "time" if low in _TIMES else key)


def _place(place: Any) -> Row:
    if not isinstance(place, list) or not all(isinstance(value, int | float) for value in place):
        return {}
    return dict(zip(("longitude [deg]", "latitude [deg]", "altitude [m]"), place, strict=False))


def write_track(log: Log, path: Path) -> None:
    """Write the positions of a log; ``times_s`` and ``speeds_kmh`` of the feature belong to its coordinates in turn.

    Raises
    ------
    Unusable
        ``no-positions``
    """
    positions = log.positions()
    if positions is None:
        raise Unusable("no-positions", "The run has no positions, so it cannot be written as a line.")
    latitude, longitude = positions
    east = np.interp(latitude.time, longitude.time, longitude.values)
    speed = log.role("speed") or log.role("receiver_speed")
    properties: dict[str, Any] = {"role": "track", **log.meta, "times_s": latitude.time.round(4).tolist()}
    if speed is not None:
        properties["speeds_kmh"] = (3.6 * np.interp(latitude.time, speed.time, speed.values)).round(3).tolist()
    coordinates = np.column_stack([east, latitude.values]).round(8).tolist()
    feature = {
        "type": "Feature",
        "properties": properties,
        "geometry": {"type": "LineString", "coordinates": coordinates},
    }
    path.write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}), encoding="utf-8")
