"""A driven path as GeoJSON: one line for a lap or a run, with its times and speeds beside the coordinates."""

import json
from pathlib import Path
from typing import Any

import numpy as np

from lauftakt.core.log.model import Log, Unusable


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
