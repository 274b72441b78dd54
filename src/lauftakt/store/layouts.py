"""Layouts: rows <-> the core's Layout."""

from dataclasses import asdict

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.centre import CentreLine
from lauftakt.core.geo import Plane
from lauftakt.core.layout import Corner, Layout, Line, Passage
from lauftakt.store.blocks import pack, unpack
from lauftakt.store.database import mine
from lauftakt.store.models import LayoutRow


def to_layout(row: LayoutRow) -> Layout:
    """The core's layout of a row that has its geometry."""
    assert row.geometry is not None
    s, x, y = unpack(row.geometry).astype(float).reshape(3, -1)
    places = row.places
    return Layout(
        name=row.name,
        plane=Plane(row.latitude, row.longitude),
        start=start_of(row),
        centre=CentreLine(x=x, y=y, s=s, closed=places["closed"]),
        skew=places["skew"],
        corners=tuple(Corner(**corner) for corner in places["corners"]),
        passages=tuple(Passage(**{**p, "corners": tuple(p["corners"])}) for p in places["passages"]),
        splits_m=tuple(places["splits_m"]),
    )


def start_of(row: LayoutRow) -> Line:
    left, right = row.start["left"], row.start["right"]
    return Line((left[0], left[1]), (right[0], right[1]))


def fill_row(row: LayoutRow, layout: Layout) -> None:
    """Write a layout into its row."""
    row.name = layout.name
    row.latitude, row.longitude = layout.plane.latitude, layout.plane.longitude
    row.start = {"left": list(layout.start.left), "right": list(layout.start.right)}
    row.geometry = pack(np.concatenate([layout.centre.s, layout.centre.x, layout.centre.y]), "<f8")
    row.places = {
        "closed": layout.centre.closed,
        "skew": layout.skew,
        "length": layout.length,
        "corners": [asdict(corner) for corner in layout.corners],
        "passages": [asdict(passage) for passage in layout.passages],
        "splits_m": list(layout.splits_m),
    }


def add_start(session: Session, team_id: int, name: str, start: Line) -> LayoutRow:
    """A start line that waits for its first run."""
    row = LayoutRow(
        team_id=team_id,
        name=name,
        latitude=(start.left[0] + start.right[0]) / 2,
        longitude=(start.left[1] + start.right[1]) / 2,
        start={"left": list(start.left), "right": list(start.right)},
        places={},
        version=1,
    )
    session.add(row)
    session.flush()
    return row


def layouts_near(session: Session, team_id: int, latitude: float, longitude: float) -> list[LayoutRow]:
    """Layouts of a team whose start is within about 15 km, nearest first."""
    rows = session.scalars(mine(LayoutRow, team_id)).all()
    scale = float(np.cos(np.radians(latitude)))

    def away(row: LayoutRow) -> float:
        return float(np.hypot(row.latitude - latitude, (row.longitude - longitude) * scale)) * 111_000

    return sorted((row for row in rows if away(row) < 15_000), key=away)
