"""Circuits, and one of them with everything that can be changed."""

from typing import Any

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy import func, select

from lauftakt.core.circuit.sketching import sketch_from
from lauftakt.formats.geojson import write_sketch
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Event, LayoutRow, Run
from lauftakt.web import schemas
from lauftakt.web.access import curve_cache, database, only
from lauftakt.web.circuits.ground import drawn_layout, ground
from lauftakt.web.policy import Viewer, visible

blueprint = APIBlueprint("circuits", __name__, tag="Circuits")
_GEOJSON: Any = {200: {"description": "GeoJSON", "content": {"application/geo+json": {"schema": {"type": "object"}}}}}


@blueprint.get("/circuits")
@only("see-team")
@blueprint.output(schemas.CircuitList)
def list_circuits(viewer: Viewer) -> schemas.CircuitList:
    """The team's circuits with their layouts; those driven last come first."""
    with database().begin() as session:
        rows = session.scalars(visible(LayoutRow, viewer).order_by(LayoutRow.name)).all()
        counted: dict[int, int] = dict(
            session.execute(
                select(Run.layout_id, func.count())
                .where(Run.team_id == viewer.team_id, Run.removed_at.is_(None))
                .group_by(Run.layout_id)
            ).all()
        )
        last: dict[int, str] = dict(
            session.execute(
                select(Event.layout_id, func.max(Event.day))
                .where(Event.team_id == viewer.team_id, Event.removed_at.is_(None))
                .group_by(Event.layout_id)
            ).all()
        )
        found = []
        for row in rows:
            layout = None
            if row.current_id is not None:
                layout = load_layout(session, row.current_id, None, curve_cache().layouts)
            found.append(
                schemas.CircuitRow(
                    id=row.id,
                    name=row.name,
                    circuit=row.circuit.name,
                    length_m=layout.length if layout is not None else None,
                    corners=len(layout.corners) if layout is not None else 0,
                    runs=counted.get(row.id, 0),
                    last_day=last.get(row.id) if counted.get(row.id) else None,
                )
            )
        return schemas.CircuitList(circuits=sorted(found, key=lambda row: row.last_day or "", reverse=True))


@blueprint.get("/layouts/<int:layout_id>")
@only("see-team")
@blueprint.input(schemas.GroundQuery, location="query")
@blueprint.output(schemas.GroundOut)
def get_ground(viewer: Viewer, layout_id: int, query_data: schemas.GroundQuery) -> schemas.GroundOut:
    """A layout with its map, corners, passages, sectors, marks, and where it is braked for."""
    with database().begin() as session:
        return ground(session, viewer, drawn_layout(session, viewer, layout_id), query_data.event)


@blueprint.get("/layouts/<int:layout_id>/geojson")
@only("see-team")
@blueprint.input(schemas.GroundQuery, location="query")
@blueprint.doc(responses=_GEOJSON)
def get_geojson(viewer: Viewer, layout_id: int, query_data: schemas.GroundQuery) -> Response:
    """The layout as a GeoJSON file that can be handed in elsewhere."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id)
        found = ground(session, viewer, row, query_data.event)
        assert row.current_id is not None
        layout = load_layout(session, row.current_id, found.sector_set, curve_cache().layouts)
        marks = tuple((mark.name, (mark.latitude, mark.longitude)) for mark in found.marks)
        data = write_sketch(sketch_from(layout, row.name, marks))
    answer = Response(data, mimetype="application/geo+json")
    answer.headers.set("Content-Disposition", "attachment", filename=f"layout-{layout_id}.geojson")
    return answer
