"""Where laps were driven: their lines on the ground between the limits, and the points of every corner on them."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from lauftakt.core.technique.figures import Figures
from lauftakt.store.lineup import Entry
from lauftakt.web import schemas
from lauftakt.web.access import curve_cache
from lauftakt.web.compare.streams import stream

Key = tuple[int, int]


def lines(entries: Mapping[int, Entry], laps: Sequence[Key]) -> bytes:
    """Lines of laps, the centre line and the limits as an Arrow stream, metres east and north of the start line."""
    layout = entries[laps[0][0]].layout
    grid = layout.grid()
    columns: dict[str, NDArray[Any]] = {"s": grid}

    def lay(name: str, across: NDArray[np.float64]) -> None:
        x, y = layout.centre.beside(grid, across)
        columns[f"{name}|x"], columns[f"{name}|y"] = x.astype(np.float32), y.astype(np.float32)

    lay("centre", np.zeros(len(grid)))
    for name, limit in (("left", layout.left_limit), ("right", layout.right_limit)):
        if limit is not None:
            lay(name, limit)
    for run, number in laps:
        offset = entries[run].on_grid(number, "offset")
        # Where nobody knows the line there is none to draw.
        if offset is not None and np.isfinite(offset).any():
            lay(entries[run].name(number), offset)
    return stream(columns)


def points(session: Session, entries: Mapping[int, Entry], laps: Sequence[Key]) -> schemas.PointsOut:
    """What laps did where, in every corner."""
    found = []
    for run, number in laps:
        entry = entries[run]
        technique = curve_cache().analysed(session, entry).technique
        rows = technique[number] if technique is not None else ()
        corners = zip(entry.layout.corners, rows, strict=False)
        told = [_of_corner(corner.name, row) for corner, row in corners if row is not None]
        found.append(schemas.LapPoints(lap=entry.name(number), corners=told))
    return schemas.PointsOut(laps=found)


def _of_corner(name: str, row: Figures) -> schemas.CornerPoints:
    return schemas.CornerPoints(
        corner=name,
        brake_m=row.brake_point_m,
        turn_in_m=row.turn_in_m,
        slowest_m=row.min_speed_m,
        throttle_m=row.throttle_pickup_m,
        offset_turn_in=row.offset_turn_in,
        offset_apex=row.offset_apex,
        offset_exit=row.offset_exit,
    )
