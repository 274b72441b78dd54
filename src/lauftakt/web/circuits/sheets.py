"""The map on paper, for the briefing before driving."""

from flask import Response
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.technique.figures import Figures
from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.formats.map_sheet import Spot, map_picture
from lauftakt.formats.sheets import set_sheet
from lauftakt.store.layouts import load_layout
from lauftakt.web import schemas
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.circuits.ground import drawn_layout, ground
from lauftakt.web.circuits.views import blueprint
from lauftakt.web.compare.addresses import lap_address
from lauftakt.web.compare.lineup import entries_of_runs, runs_of
from lauftakt.web.policy import Viewer

TYPES = {"pdf": "application/pdf", "png": "image/png", "svg": "image/svg+xml"}
KMH, MPH, FEET = 3.6, 2.2369362920544, 1 / 0.3048


@blueprint.get("/layouts/<int:layout_id>/sheet")
@only("see-team")
@blueprint.input(schemas.SheetQuery, location="query")
@blueprint.doc(responses={200: "The sheet as a file."})
def get_sheet(viewer: Viewer, layout_id: int, query_data: schemas.SheetQuery) -> Response:
    """The map on one A4 page: corners, sectors, marks, room to write; with a lap, what it did in each corner."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id)
        found = ground(session, viewer, row, query_data.event)
        assert row.current_id is not None
        layout = load_layout(session, row.current_id, found.sector_set, curve_cache().layouts)
        told, figures = _lap(session, viewer, query_data.lap, layout) if query_data.lap else ("", {})
    feet = query_data.units == "imperial"
    data, spots = _content(found, layout, figures, feet)
    about = f"{layout.length * (FEET if feet else 1.0):.0f} {'ft' if feet else 'm'}, version {found.version.number}"
    data |= {"title": row.name, "about": f"{about}{f', {told}' if told else ''}"}
    picture = map_picture(layout, row.heading_deg or 0.0, spots)
    answer = Response(
        set_sheet("map", data, {"map.svg": picture}, query_data.format), mimetype=TYPES[query_data.format]
    )
    answer.headers.set("Content-Disposition", "attachment", filename=f"map-{layout_id}.{query_data.format}")
    return answer


def _lap(session: Session, viewer: Viewer, address: str, layout: Layout) -> tuple[str, dict[str, Figures]]:
    """Whose lap, and its figures by corner.

    Raises
    ------
    Problem
        404 where there is no such lap, 409 where it lies on another version of the layout.
    """
    asked = lap_address(address)
    run = runs_of(session, viewer, [asked.run])[0]
    entry = entries_of_runs(session, [run], ["time_draws", *JUDGED_BY])[run.id]
    number = asked.find(entry.laps)
    if number is None:
        raise Problem(404, "not-found", "This lap does not exist any more.")
    if [c.name for c in entry.layout.corners] != [c.name for c in layout.corners]:
        raise Problem(409, "renewing", "This lap is being computed anew on the changed circuit; try again in a moment.")
    technique = curve_cache().analysed(session, entry).technique
    rows = technique[number] if technique is not None else ()
    found = {corner.name: row for corner, row in zip(layout.corners, rows, strict=False) if row is not None}
    return f"{run.driver.name}, lap {number}", found


def _content(
    found: schemas.GroundOut, layout: Layout, figures: dict[str, Figures], feet: bool
) -> tuple[dict[str, object], list[Spot]]:
    unit, factor = ("ft", FEET) if feet else ("m", 1.0)
    speed, fast = ("mph", MPH) if feet else ("km/h", KMH)

    def place(metres: float | None) -> str:
        return "–" if metres is None else f"{metres % layout.length * factor:.0f}"

    columns = ["corner", f"apex, {unit}"] + ([f"brake, {unit}", "gear", speed] if figures else [])
    rows, spots = [], []
    for corner in layout.corners:
        row, own, text = [corner.name, place(corner.apex_m)], figures.get(corner.name), corner.name.removeprefix("T")
        if figures:
            row += [
                place(own.brake_point_m) if own is not None else "–",
                str(own.gear) if own is not None and own.gear is not None else "–",
                f"{own.min_speed * fast:.0f}" if own is not None else "–",
            ]
        if own is not None:
            gear = f"{own.gear}. " if own.gear is not None else ""
            text += f"\n{gear}{own.min_speed * fast:.0f}"
            if own.brake_point_m is not None:
                spots.append(Spot("brake", "", own.brake_point_m % layout.length))
        rows.append(row)
        spots.append(Spot("corner", text, corner.apex_m, direction=corner.direction))
    sectors = []
    if layout.splits_m:
        sectors = [[layout.first_sector or "Sector 1", f"0 {unit}"]]
        for number, (name, split) in enumerate(zip(layout.names_of_splits, layout.splits_m, strict=True), 2):
            sectors.append([name or f"Sector {number}", f"{place(split)} {unit}"])
            spots.append(Spot("sector", str(number), split))
    sides = {"left": ", left", "right": ", right", "": ""}
    marks = [[mark.name + sides[mark.side], f"{place(mark.at_m)} {unit}"] for mark in found.marks]
    spots += [Spot("mark", mark.name, mark.at_m, mark.offset_m) for mark in found.marks]
    return {
        "columns": columns,
        "rows": rows,
        "sectors_title": "sectors begin at",
        "sectors": sectors,
        "marks_title": "seen from the seat",
        "marks": marks,
        "foot": f"At each corner: gear and lowest speed, {speed}. Grey bars: where it is braked." if figures else "",
    }, spots
