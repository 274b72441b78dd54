"""What a driver sees from the seat: boards, seams, trees. They lie on the ground, wherever the line is put."""

from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.store.actions import note_action
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import LayoutRow, MarkRow
from lauftakt.web import schemas
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.circuits.ground import drawn_layout, marks_of
from lauftakt.web.circuits.views import blueprint
from lauftakt.web.meanwhile import refuse_unseen
from lauftakt.web.policy import Viewer, one

# More marks than this are no help to anybody.
MOST_MARKS = 200
# Further from the road nobody sees it from the seat.
FAR_M = 300.0


@blueprint.post("/layouts/<int:layout_id>/marks")
@only("change")
@blueprint.input(schemas.MarkIn)
@blueprint.output(schemas.MarkOut, status_code=201)
def add_mark(viewer: Viewer, layout_id: int, json_data: schemas.MarkIn) -> schemas.MarkOut:
    """Put a mark on the map, at a place of the circuit or of the earth."""
    with database().begin() as session:
        row, layout = _layout(session, viewer, layout_id)
        if len(marks_of(session, row, layout)) >= MOST_MARKS:
            raise Problem(409, "too-many", f"More than {MOST_MARKS} marks are too many; remove some first.")
        latitude, longitude = _where(layout, json_data)
        mark = MarkRow(
            team_id=viewer.team_id,
            layout_id=row.id,
            name=json_data.name,
            side=json_data.side,
            latitude=latitude,
            longitude=longitude,
        )
        session.add(mark)
        session.flush()
        _noted(session, viewer, row, f"the mark {mark.name} is new", {"remove": mark.id})
        return next(item for item in marks_of(session, row, layout) if item.id == mark.id)


@blueprint.patch("/layouts/<int:layout_id>/marks/<int:mark_id>")
@only("change")
@blueprint.input(schemas.MarkChange)
@blueprint.output(schemas.MarkOut)
def change_mark(viewer: Viewer, layout_id: int, mark_id: int, json_data: schemas.MarkChange) -> schemas.MarkOut:
    """Move or rename a mark."""
    with database().begin() as session:
        row, layout = _layout(session, viewer, layout_id)
        mark = _mark(session, viewer, row, mark_id)
        before = _values(mark)
        seen = None if json_data.was is None else json_data.was.model_dump()
        refuse_unseen(session, viewer, ("layout", row.id), seen, before)
        mark.name, mark.side = json_data.name, json_data.side
        if json_data.at_m is not None or json_data.latitude is not None:
            mark.latitude, mark.longitude = _where(layout, json_data)
        session.flush()
        _noted(session, viewer, row, f"the mark {mark.name} was changed", {"put": before})
        return next(item for item in marks_of(session, row, layout) if item.id == mark.id)


@blueprint.delete("/layouts/<int:layout_id>/marks/<int:mark_id>")
@only("change")
@blueprint.output(schemas.Noted)
def remove_mark(viewer: Viewer, layout_id: int, mark_id: int) -> schemas.Noted:
    """Remove a mark."""
    with database().begin() as session:
        row, _ = _layout(session, viewer, layout_id)
        mark = _mark(session, viewer, row, mark_id)
        values, name = _values(mark), mark.name
        session.delete(mark)
        return schemas.Noted(action=_noted(session, viewer, row, f"the mark {name} was removed", {"put": values}))


def undo_mark(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Put a mark back where it was, or take it away again."""
    row = one(session, LayoutRow, viewer, step["layout"], lock=True)
    if "remove" in step:
        session.delete(_mark(session, viewer, row, step["remove"]))
        return []
    values = step["put"]
    mark = session.get(MarkRow, values["id"])
    if mark is None:
        mark = MarkRow(team_id=viewer.team_id, layout_id=row.id, id=values["id"])
        session.add(mark)
    for name in ("name", "side", "latitude", "longitude"):
        setattr(mark, name, values[name])
    session.flush()
    return []


def _layout(session: Session, viewer: Viewer, layout_id: int) -> tuple[LayoutRow, Layout]:
    row = drawn_layout(session, viewer, layout_id, lock=True)
    assert row.current_id is not None
    return row, load_layout(session, row.current_id, None, curve_cache().layouts)


def _mark(session: Session, viewer: Viewer, row: LayoutRow, mark_id: int) -> MarkRow:
    mark = one(session, MarkRow, viewer, mark_id)
    if mark.layout_id != row.id:
        raise Problem(404, "not-found", "This circuit has no such mark.")
    return mark


def _values(mark: MarkRow) -> dict[str, Any]:
    return {
        "id": mark.id,
        "name": mark.name,
        "side": mark.side,
        "latitude": mark.latitude,
        "longitude": mark.longitude,
    }


def _where(layout: Layout, wanted: schemas.MarkIn) -> tuple[float, float]:
    """Degrees of where a mark is put.

    Raises
    ------
    Problem
        422 where no place is told, or one far from the circuit.
    """
    if wanted.at_m is not None:
        x, y, heading = layout.centre.at(np.array([wanted.at_m]))
        x, y = x - wanted.offset_m * np.sin(heading), y + wanted.offset_m * np.cos(heading)
        latitude, longitude = layout.plane.to_degrees(x, y)
        return float(latitude[0]), float(longitude[0])
    if wanted.latitude is None or wanted.longitude is None:
        raise Problem(422, "place", "Say where the mark is: a place on the circuit, or its latitude and longitude.")
    _, offset = layout.centre.project(*layout.plane.to_xy([wanted.latitude], [wanted.longitude]))
    if abs(float(offset[0])) > FAR_M:
        raise Problem(422, "place", f"This place is {abs(float(offset[0])):.0f} m from the circuit.")
    return wanted.latitude, wanted.longitude


def _noted(session: Session, viewer: Viewer, row: LayoutRow, told: str, step: dict[str, Any]) -> int:
    return note_action(
        session,
        viewer.team_id,
        account_id=viewer.account_id,
        kind="circuit",
        subject=("layout", row.id),
        summary=f"{row.name}: {told}.",
        inverse=[{"do": "mark", "layout": row.id, **step}],
    ).id
