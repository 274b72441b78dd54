"""Layouts: rows <-> the core's Layout."""

from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session, undefer_group

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.layout import Corner, Layout, LayoutSketch, Line, Passage
from lauftakt.core.circuit.sketching import sketch_from
from lauftakt.core.plane import Plane
from lauftakt.store.blocks import pack, unpack
from lauftakt.store.damage import reading
from lauftakt.store.database import INCLUDE_REMOVED, mine, now
from lauftakt.store.models import Circuit, LayoutRow, LayoutVersion, MarkRow, SectorSet

NEAR_M = 15_000
MOST_KEPT = 40


class LayoutCache:
    """Layouts made last. A version and a sector set never change, so what was made of them is right for ever."""

    def __init__(self) -> None:
        self._layouts: OrderedDict[tuple[int, int | None], Layout] = OrderedDict()
        self._lock = Lock()

    def get(self, key: tuple[int, int | None]) -> Layout | None:
        with self._lock:
            if key in self._layouts:
                self._layouts.move_to_end(key)
            return self._layouts.get(key)

    def put(self, key: tuple[int, int | None], layout: Layout) -> None:
        with self._lock:
            self._layouts[key] = layout
            while len(self._layouts) > MOST_KEPT:
                self._layouts.popitem(last=False)


def load_layout(
    session: Session, version_id: int, sector_set_id: int | None, kept: LayoutCache | None = None
) -> Layout:
    """The core's layout of a version, cut by a sector set.

    Parameters
    ----------
    session : to read what is not kept
    version_id : of the layout's version; the caller has seen that it may be read
    sector_set_id : None for a layout without sectors of its own
    kept : layouts made before

    Returns
    -------
    The layout; its name is that at the time when it was made, since a layout may be renamed.
    """
    key = (version_id, sector_set_id)
    found = kept.get(key) if kept is not None else None
    if found is None:
        version = session.get_one(LayoutVersion, version_id, options=[undefer_group("drawing")], populate_existing=True)
        sectors = session.get(SectorSet, sector_set_id) if sector_set_id is not None else None
        found = to_layout(version, sectors, version.layout.name)
        if kept is not None:
            kept.put(key, found)
    return found


def to_layout(version: LayoutVersion, sectors: SectorSet | None, name: str) -> Layout:
    """The core's layout of rows."""
    with reading("layout"):
        s, x, y = unpack(version.geometry).astype(float).reshape(3, -1)
    places, splits = version.places, sectors.splits if sectors else {}
    return Layout(
        name=name,
        plane=Plane(version.latitude, version.longitude),
        start=line_of(version.start),
        centre=CentreLine(x=x, y=y, s=s, closed=places["closed"], finish_m=places.get("finish_m")),
        skew=places["skew"],
        corners=tuple(Corner(**corner) for corner in places["corners"]),
        passages=tuple(Passage(**{**p, "corners": tuple(p["corners"])}) for p in places["passages"]),
        **sectors_drawn(splits),
        finish=_line(places["finish"]) if places.get("finish") else None,
        finish_skew=places.get("finish_skew", 0.0),
        left_limit=_array(places.get("left_limit")),
        right_limit=_array(places.get("right_limit")),
        marks=tuple((name, place) for name, place in places.get("marks", ())),
        pit_lane=tuple((p[0], p[1]) for p in places.get("pit_lane", ())),
        reckoned=bool(places.get("reckoned")),
    )


def sectors_drawn(splits: Mapping[str, Any]) -> dict[str, Any]:
    """What the core's layout holds of sectors, of a set's column."""
    return {
        "splits_m": tuple(splits.get("m", ())),
        "split_skews": tuple(splits.get("skews", ())),
        "split_names": tuple(splits.get("names", ())),
        "first_sector": splits.get("first", ""),
    }


def _array(values: list[float] | None) -> NDArray[np.float64] | None:
    return None if values is None else np.array(values)


def _line(ends: list[list[float]]) -> Line:
    return Line((ends[0][0], ends[0][1]), (ends[1][0], ends[1][1]))


def line_of(start: dict[str, Any]) -> Line:
    left, right = start["left"], start["right"]
    return Line((left[0], left[1]), (right[0], right[1]))


def _ends(line: Line) -> dict[str, Any]:
    return {"left": list(line.left), "right": list(line.right)}


def sketch_of(row: LayoutRow) -> LayoutSketch:
    """What was drawn of a layout that waits for its first run."""
    drawn = row.sketch
    return LayoutSketch(
        name=row.name,
        start=line_of(drawn["start"]),
        finish=_line(drawn["finish"]) if drawn.get("finish") else None,
        centre=tuple((p[0], p[1]) for p in drawn.get("centre", ())),
        left_limit=tuple((p[0], p[1]) for p in drawn.get("left_limit", ())),
        right_limit=tuple((p[0], p[1]) for p in drawn.get("right_limit", ())),
        splits=tuple((name, _line(ends)) for name, ends in drawn.get("splits", ())),
        first_sector=drawn.get("first_sector", ""),
        corners=tuple((name, (p[0], p[1])) for name, p in drawn.get("corners", ())),
        marks=tuple((name, (p[0], p[1])) for name, p in drawn.get("marks", ())),
        pit_lane=tuple((p[0], p[1]) for p in drawn.get("pit_lane", ())),
        reckoned=bool(drawn.get("reckoned")),
    )


def circuit_named(session: Session, team_id: int, name: str) -> Circuit:
    """The team's circuit of a name, made where it is new."""
    row = session.scalar(mine(Circuit, team_id).where(Circuit.name == name), execution_options=INCLUDE_REMOVED)
    if row is not None and row.removed_at is not None:
        row.removed_at = None
        session.flush()
    if row is None:
        row = Circuit(team_id=team_id, name=name)
        session.add(row)
        session.flush()
    return row


def add_layout(session: Session, team_id: int, name: str, where: tuple[float, float], circuit: str) -> LayoutRow:
    """A way round a circuit, without any version yet; ``where`` are degrees."""
    row = LayoutRow(
        team_id=team_id,
        name=name,
        circuit_id=circuit_named(session, team_id, circuit).id,
        latitude=where[0],
        longitude=where[1],
        sketch={},
    )
    session.add(row)
    session.flush()
    return row


def add_version(
    session: Session,
    row: LayoutRow,
    layout: Layout,
    *,
    account_id: int | None = None,
    made_from: int | None = None,
    summary: str = "",
) -> LayoutVersion:
    """The next version of a layout, and from now on its present one; older ones stay what they are.

    Parameters
    ----------
    session, row, layout : the layout's row, and how it is from now on
    account_id, made_from, summary : who drew it, from which version by its number, and how in words
    """
    numbers = session.scalars(select(LayoutVersion.number).where(LayoutVersion.layout_id == row.id)).all()
    version = LayoutVersion(
        team_id=row.team_id,
        layout_id=row.id,
        number=max(numbers, default=0) + 1,
        latitude=layout.plane.latitude,
        longitude=layout.plane.longitude,
        length_m=layout.length,
        start=_ends(layout.start),
        geometry=pack(np.concatenate([layout.centre.s, layout.centre.x, layout.centre.y]), "<f8"),
        places={
            "closed": layout.centre.closed,
            "skew": layout.skew,
            "corners": [asdict(corner) for corner in layout.corners],
            "passages": [asdict(passage) for passage in layout.passages],
            "finish_m": layout.centre.finish_m,
            "finish": [layout.finish.left, layout.finish.right] if layout.finish else None,
            "finish_skew": layout.finish_skew,
            "left_limit": None if layout.left_limit is None else layout.left_limit.round(2).tolist(),
            "right_limit": None if layout.right_limit is None else layout.right_limit.round(2).tolist(),
            "marks": [list(mark) for mark in layout.marks],
            "pit_lane": [list(point) for point in layout.pit_lane],
            "reckoned": layout.reckoned,
        },
        account_id=account_id,
        made_from=made_from,
        summary=summary[:500],
        created_at=now(),
    )
    session.add(version)
    session.flush()
    if version.number == 1:
        session.add_all(_marks(row, layout))
    row.current_id, row.latitude, row.longitude = version.id, layout.plane.latitude, layout.plane.longitude
    session.flush()
    return version


def _marks(row: LayoutRow, layout: Layout) -> list[MarkRow]:
    """The marks that came with a drawing: where they were drawn, else on the line."""
    drawn = [(name, (point[0], point[1])) for name, point in (row.sketch or {}).get("marks", ())]
    if not drawn:
        drawn = list(sketch_from(layout, row.name).marks)
    return [
        MarkRow(team_id=row.team_id, layout_id=row.id, name=name[:120], side="", latitude=lat, longitude=lon)
        for name, (lat, lon) in drawn
    ]


def add_sector_set(session: Session, row: LayoutRow, layout: Layout, name: str = "Sectors") -> SectorSet:
    """A way of cutting a layout into sectors."""
    sectors = SectorSet(
        team_id=row.team_id,
        layout_id=row.id,
        name=name,
        splits={
            "m": list(layout.splits_m),
            "skews": list(layout.split_skews),
            "names": list(layout.split_names),
            "first": layout.first_sector,
        },
        created_at=now(),
    )
    session.add(sectors)
    session.flush()
    return sectors


def sectors_of(session: Session, row: LayoutRow) -> SectorSet | None:
    """The sector set that a new event at a layout takes: the newest that is in use."""
    query = mine(SectorSet, row.team_id).where(SectorSet.layout_id == row.id, SectorSet.retired_at.is_(None))
    return session.scalar(query.order_by(SectorSet.id.desc()).limit(1))


def add_sketch(session: Session, team_id: int, sketch: LayoutSketch) -> LayoutRow:
    """A drawn layout that waits for its first run."""
    start, drawn = sketch.start, asdict(sketch)
    assert start is not None
    for name in ("name", "left_out"):
        del drawn[name]
    drawn["start"] = _ends(start)
    drawn["finish"] = [sketch.finish.left, sketch.finish.right] if sketch.finish else None
    drawn["first_sector"] = sketch.first_sector
    drawn["splits"] = [[name, [line.left, line.right]] for name, line in sketch.splits]
    middle = (start.left[0] + start.right[0]) / 2, (start.left[1] + start.right[1]) / 2
    row = add_layout(session, team_id, sketch.name, middle, sketch.name)
    row.sketch = drawn
    session.flush()
    return row


def layouts_near(session: Session, team_id: int, latitude: float, longitude: float) -> list[LayoutRow]:
    """Layouts of a team whose start is within about 15 km, nearest first."""
    rows: Sequence[LayoutRow] = session.scalars(mine(LayoutRow, team_id)).all()
    scale = float(np.cos(np.radians(latitude)))

    def away(row: LayoutRow) -> float:
        return float(np.hypot(row.latitude - latitude, (row.longitude - longitude) * scale)) * 111_000

    return sorted((row for row in rows if away(row) < NEAR_M), key=away)
