"""What lies on the desk as a file to be kept: the numbers of its curves."""

import json
from typing import Any

import numpy as np
from flask import Response
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from lauftakt.core.comparison.bands import restarted
from lauftakt.core.comparison.delta import loss_rate
from lauftakt.core.registry import CHANNELS, DERIVED
from lauftakt.formats.desk_numbers import LapCurve, desk_csv
from lauftakt.store.lineup import NAMELESS
from lauftakt.web import schemas
from lauftakt.web.compare import curves, lineup
from lauftakt.web.compare.addresses import curve_address, curve_addresses
from lauftakt.web.compare.pictures import between
from lauftakt.web.exports import attachment
from lauftakt.web.policy import Viewer

Array = NDArray[np.float64]


def file_of(session: Session, viewer: Viewer, desk: schemas.DeskOut, query: schemas.NumbersQuery) -> Response:
    """The line-up on the desk with the channels asked for, in a stretch or over the whole lap. The delta starts with 0
    where that begins."""
    names = [lap.curves for lap in desk.laps]
    base = next(lap.curves for lap in desk.laps if lap.key == desk.reference)
    wanted = curves.roles_of(query.roles, differences=True)
    asked = ["time_draws", "offset", *curves.stored_roles(wanted)]
    entries, keys = lineup.entries_of_curves(
        session, viewer, [*curve_addresses(",".join(names)), curve_address(base)], asked
    )
    laps, reference = keys[:-1], keys[-1]
    layout = entries[reference[0]].layout
    grid, part = layout.grid(), between(layout, query.from_m, query.to_m)
    start = query.from_m if query.from_m is not None and query.to_m is not None else 0.0
    times = np.array([entries[run].on_grid(number, "time") for run, number in laps])
    base_time = entries[reference[0]].on_grid(reference[1], "time")
    line = entries[reference[0]].on_grid(reference[1], "offset")
    assert base_time is not None
    deltas = restarted(times - base_time, grid, min(start, layout.length))
    if query.from_m is not None and query.to_m is not None and query.from_m > query.to_m:
        # Of a stretch across the line the part behind it goes on with what was lost before it.
        deltas = np.where(grid < start, deltas + (times[:, -1] - base_time[-1])[:, None], deltas)
    rates = loss_rate(times - base_time, layout.length)
    derived = curves.derived_by_run(entries, laps, wanted)
    units = {one.code: one.unit for one in desk.nameless}
    found: list[list[LapCurve]] = []
    called = _called(desk.laps)
    for index, ((run, number), lap) in enumerate(zip(laps, called, strict=True)):
        own: dict[str, Array | None] = {"time": times[index] - times[index][0], "delta": deltas[index]}
        for role in wanted:
            if role == "loss_rate":
                own[role] = rates[index]
            elif role == "offset_gap":
                offset = entries[run].on_grid(number, "offset")
                own[role] = None if offset is None or line is None else offset - line
            elif role != "delta":
                own[role] = curves.values_of(entries[run], number, role, derived[run])
        rows = [
            LapCurve(lap, role, _label(role), units.get(role, ""), values[part])
            for role, values in own.items()
            if values is not None
        ]
        found.append(rows)
    name = f"{desk.event.circuit} {desk.event.day} desk"
    if query.format == "csv":
        about = {
            "circuit": desk.event.circuit,
            "layout": desk.layout.name,
            "event": desk.event.name,
            "date": str(desk.event.day),
            "reference": called[[lap.key for lap in desk.laps].index(desk.reference)],
        }
        return attachment(desk_csv(about, grid[part], [one for own in found for one in own]), f"{name}.csv", "text/csv")
    doubt = lineup.doubt(entries, laps, reference, start)
    text = json.dumps(_object(desk, query, grid[part], found, doubt), ensure_ascii=False, allow_nan=False)
    return attachment(text.encode(), f"{name}.json", "application/json")


def _called(laps: list[schemas.DeskLap]) -> list[str]:
    """What laps are called; two that would be called alike are told apart by their runs."""
    found = []
    for lap in laps:
        who = lap.driver.name if lap.driver else "all"
        found.append(f"{who}, {lap.made.kind} lap" if lap.made else f"{who}, lap {lap.number}")
    return [name if found.count(name) == 1 else f"{name}, run {lap.run}" for name, lap in zip(found, laps, strict=True)]


def _label(role: str) -> str:
    if role == "time":
        return "time"
    entry = CHANNELS.get(role) or DERIVED.get(role)
    return entry.label if entry else role.removeprefix(NAMELESS)


def _object(
    desk: schemas.DeskOut,
    query: schemas.NumbersQuery,
    places: Array,
    found: list[list[LapCurve]],
    doubt: schemas.DoubtOut,
) -> dict[str, Any]:
    """Everything in SI units; what is not known is null."""
    known = {lap.lap: lap.delta_u_s for lap in doubt.laps}
    laps = []
    for lap, own in zip(desk.laps, found, strict=True):
        told = lap.model_dump(mode="json", exclude={"roles", "curves", "differs"})
        told["delta_u_s"] = known[lap.curves]
        told["channels"] = {
            one.role: {"label": one.label, "unit": one.unit or None, "values": _or_null(one.values)} for one in own
        }
        laps.append(told)
    return {
        "schema_version": 1,
        "circuit": desk.event.circuit,
        "event": desk.event.model_dump(mode="json"),
        "layout": {"name": desk.layout.name, "version": desk.version, "length_m": desk.layout.length_m},
        "passages": [passage.model_dump(mode="json") for passage in desk.layout.passages],
        "corners": [corner.model_dump(mode="json") for corner in desk.layout.corners],
        "stretch_m": None if query.from_m is None or query.to_m is None else [query.from_m, query.to_m],
        "reference": desk.reference,
        "s_m": np.round(places, 3).tolist(),
        "doubt_s_m": doubt.s_m,
        "laps": laps,
    }


def _or_null(values: Array) -> list[float | None]:
    # To a millionth of the unit: finer than anything that is known.
    told: list[float | None] = np.round(values, 6).tolist()
    return told if np.isfinite(values).all() else [one if one == one else None for one in told]
