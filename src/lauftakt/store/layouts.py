"""Layouts: rows <-> the core's Layout."""

from dataclasses import asdict

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.layout import Corner, Layout, LayoutSketch, Line, Passage
from lauftakt.core.plane import Plane
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
        centre=CentreLine(x=x, y=y, s=s, closed=places["closed"], finish_m=places.get("finish_m")),
        skew=places["skew"],
        corners=tuple(Corner(**corner) for corner in places["corners"]),
        passages=tuple(Passage(**{**p, "corners": tuple(p["corners"])}) for p in places["passages"]),
        splits_m=tuple(places["splits_m"]),
        split_skews=tuple(places.get("split_skews", ())),
        split_names=tuple(places.get("split_names", ())),
        finish=_line(places["finish"]) if places.get("finish") else None,
        finish_skew=places.get("finish_skew", 0.0),
        left_limit=_array(places.get("left_limit")),
        right_limit=_array(places.get("right_limit")),
        marks=tuple((name, place) for name, place in places.get("marks", ())),
    )


def _array(values: list[float] | None) -> NDArray[np.float64] | None:
    return None if values is None else np.array(values)


def _line(ends: list[list[float]]) -> Line:
    return Line((ends[0][0], ends[0][1]), (ends[1][0], ends[1][1]))


def sketch_of(row: LayoutRow) -> LayoutSketch:
    """What was drawn of a layout that waits for its first run."""
    drawn = row.places.get("sketch", {})
    return LayoutSketch(
        name=row.name,
        start=start_of(row),
        finish=_line(drawn["finish"]) if drawn.get("finish") else None,
        centre=tuple((p[0], p[1]) for p in drawn.get("centre", ())),
        left_limit=tuple((p[0], p[1]) for p in drawn.get("left_limit", ())),
        right_limit=tuple((p[0], p[1]) for p in drawn.get("right_limit", ())),
        splits=tuple((name, _line(ends)) for name, ends in drawn.get("splits", ())),
        corners=tuple((name, (p[0], p[1])) for name, p in drawn.get("corners", ())),
        marks=tuple((name, (p[0], p[1])) for name, p in drawn.get("marks", ())),
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
        "split_skews": list(layout.split_skews),
        "split_names": list(layout.split_names),
        "finish_m": layout.centre.finish_m,
        "finish": [layout.finish.left, layout.finish.right] if layout.finish else None,
        "finish_skew": layout.finish_skew,
        "left_limit": None if layout.left_limit is None else layout.left_limit.round(2).tolist(),
        "right_limit": None if layout.right_limit is None else layout.right_limit.round(2).tolist(),
        "marks": [list(mark) for mark in layout.marks],
    }


def add_sketch(session: Session, team_id: int, sketch: LayoutSketch) -> LayoutRow:
    """A drawn layout that waits for its first run."""
    start, drawn = sketch.start, asdict(sketch)
    assert start is not None
    for name in ("name", "start", "left_out"):
        del drawn[name]
    drawn["finish"] = [sketch.finish.left, sketch.finish.right] if sketch.finish else None
    drawn["splits"] = [[name, [line.left, line.right]] for name, line in sketch.splits]
    row = LayoutRow(
        team_id=team_id,
        name=sketch.name,
        latitude=(start.left[0] + start.right[0]) / 2,
        longitude=(start.left[1] + start.right[1]) / 2,
        start={"left": list(start.left), "right": list(start.right)},
        places={"sketch": drawn},
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
