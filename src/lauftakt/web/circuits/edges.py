"""The edges of the road and the pit lane: drawn on the map, from laps driven along them, or from a layout file."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from lauftakt.core.circuit.edges import check_edges, edge_from_lap, edge_from_points, pit_lane_from
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.model import Unusable
from lauftakt.formats.geojson import read_edges
from lauftakt.store.actions import note_action
from lauftakt.store.database import NotFound
from lauftakt.store.drawings import MovedOn, keep_beside
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import LayoutVersion, Run
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, only
from lauftakt.web.circuits.ground import drawn_layout
from lauftakt.web.circuits.previews import moved_on
from lauftakt.web.circuits.views import blueprint
from lauftakt.web.compare.addresses import lap_address
from lauftakt.web.compare.lineup import entries_of_runs
from lauftakt.web.policy import Viewer, one
from lauftakt.work.open_jobs import renew_runs
from lauftakt.work.queue import send

Degrees = Sequence[tuple[float, float]]
SIDES = ("left", "right")


@blueprint.post("/layouts/<int:layout_id>/edges")
@only("change")
@blueprint.input(schemas.EdgesIn)
@blueprint.output(schemas.DrawingKept)
def change_edges(viewer: Viewer, layout_id: int, json_data: schemas.EdgesIn) -> schemas.DrawingKept:
    """Say where the road ends to its left and right, and where the pit lane lies: a new version, undone like any."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id, lock=True)
        if row.current_id != json_data.base:
            raise moved_on(row)
        before = load_layout(session, json_data.base, None)
        try:
            after, told = _changed(session, viewer, before, json_data, row.id)
            check_edges(after)
            if not told:
                raise Problem(422, "nothing", "Say which edge, or the pit lane, is to be changed.")
            summary = f"{'; '.join(told)}."
            summary = f"{summary[0].upper()}{summary[1:]}"
            kept = keep_beside(session, row, after, base=json_data.base, account_id=viewer.account_id, summary=summary)
        except MovedOn as error:
            raise moved_on(row) from error
        except Unusable as error:
            raise Problem(422, error.code, str(error)) from error
        jobs = renew_runs(session, viewer.team_id, kept.to_renew, viewer.account_id)
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="circuit",
            subject=("layout", row.id),
            summary=f"{row.name}: {summary}",
            inverse=[kept.as_step()],
        )
        answer = schemas.DrawingKept(
            version=session.get_one(LayoutVersion, kept.version_after).number,
            summary=summary,
            renewing=len(kept.to_renew),
            action=action.id,
        )
    send(jobs)
    return answer


def _changed(
    session: Session, viewer: Viewer, layout: Layout, wanted: schemas.EdgesIn, layout_id: int
) -> tuple[Layout, list[str]]:
    """The layout with other edges, and what changed in words."""
    if wanted.file is not None:
        return _from_file(layout, wanted.file)
    told: list[str] = []
    for side in SIDES:
        if side not in wanted.model_fields_set:
            continue
        own: schemas.EdgeIn | None = getattr(wanted, side)
        if own is None:
            edge, how = None, "taken away"
        elif own.lap is not None:
            edge, how = (
                edge_from_lap(layout, _offset(session, viewer, layout_id, wanted.base, own.lap), side),
                "driven by a lap",
            )
        else:
            edge, how = edge_from_points(layout, _degrees(layout, own), side), "drawn"
        layout = replace(layout, left_limit=edge) if side == "left" else replace(layout, right_limit=edge)
        told.append(f"{side} edge {how}")
    if "pit_lane" in wanted.model_fields_set:
        lane = () if wanted.pit_lane is None else pit_lane_from(layout, _degrees(layout, wanted.pit_lane))
        layout = replace(layout, pit_lane=lane)
        told.append("pit lane drawn" if lane else "pit lane taken away")
    return layout, told


def _from_file(layout: Layout, text: str) -> tuple[Layout, list[str]]:
    found = read_edges(text.encode())
    told: list[str] = []
    for side in SIDES:
        if f"{side} limit" in found:
            edge = edge_from_points(layout, found[f"{side} limit"], side)
            layout = replace(layout, left_limit=edge) if side == "left" else replace(layout, right_limit=edge)
            told.append(f"{side} edge from a file")
    if "pit lane" in found:
        layout = replace(layout, pit_lane=pit_lane_from(layout, found["pit lane"]))
        told.append("pit lane from a file")
    return layout, told


def _degrees(layout: Layout, drawn: schemas.EdgeIn) -> Degrees:
    if drawn.points is None:
        raise Unusable("edge", "Draw a line, or choose a lap that was driven along it.")
    x, y = np.array(drawn.points).T
    latitude, longitude = layout.plane.to_degrees(x, y)
    return list(zip(latitude.tolist(), longitude.tolist(), strict=True))


def _offset(session: Session, viewer: Viewer, layout_id: int, base: int, text: str) -> NDArray[np.float64]:
    """The line that a lap took across the road, (g,) m, on the version that is changed."""
    address = lap_address(text)
    run = one(session, Run, viewer, address.run)
    if run.layout_id != layout_id:
        raise Problem(422, "elsewhere", "This lap was driven on another circuit.")
    entry = entries_of_runs(session, [run], ["offset"]).get(run.id)
    number = address.find(entry.laps) if entry is not None else None
    if entry is None or number is None:
        raise NotFound("lap")
    offset = entry.on_grid(number, "offset")
    if entry.analysis.layout_version_id != base or offset is None:
        raise Problem(409, "renewing", "This lap is being computed anew; try again in a moment.")
    return offset
