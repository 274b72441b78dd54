"""The desk's routes."""

from typing import Any

from apiflask import APIBlueprint
from flask import Response

from lauftakt.core.registry import LOGGED
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, only
from lauftakt.web.compare import asking, card, curves, depth, driven, lineup, numbers, pictures
from lauftakt.web.compare.addresses import desk_address, desk_addresses
from lauftakt.web.compare.named import JUDGED, TIMED, beside, named
from lauftakt.web.policy import Viewer

blueprint = APIBlueprint("compare", __name__, tag="Compare")

ARROW = "application/vnd.apache.arrow.stream"
# An analysis never changes: whoever has its curves need never ask again.
FOR_EVER = "private, max-age=31536000, immutable"

_CURVES: dict[int | str, dict[str, str | dict[str, dict[str, Any]]]] = {
    200: {"description": "Arrow IPC stream", "content": {ARROW: {"schema": {}}}}
}


@blueprint.get("/desk")
@only("see")
@blueprint.input(schemas.DeskQuery, location="query")
@blueprint.output(schemas.DeskOut)
def get_desk(viewer: Viewer, query_data: schemas.DeskQuery) -> schemas.DeskOut:
    """The line-up asked for, or a good one for a run or an event."""
    with database().begin() as session:
        if query_data.laps:
            laps = desk_addresses(query_data.laps)
            reference = desk_address(query_data.reference) if query_data.reference else laps[0]
            laid = asking.asked_for(session, viewer, laps, reference, query_data.version)
        else:
            laid = asking.proposed(session, viewer, query_data.run, query_data.event)
        return lineup.answer(session, viewer, laid)


@blueprint.get("/desk/numbers")
@only("see")
@blueprint.input(schemas.NumbersQuery, location="query")
def get_numbers(viewer: Viewer, query_data: schemas.NumbersQuery) -> Response:
    """What lies on the desk as a file to be kept: curves along the circuit as CSV in the units that people read, or
    everything as JSON in SI."""
    with database().begin() as session:
        laps, reference = desk_addresses(query_data.laps), desk_address(query_data.reference)
        laid = asking.asked_for(session, viewer, laps, reference, query_data.version)
        desk = lineup.answer(session, viewer, laid)
        return numbers.file_of(session, viewer, desk, query_data)


@blueprint.get("/curves")
@only("see")
@blueprint.input(schemas.CurvesQuery, location="query")
@blueprint.doc(responses=_CURVES)
def get_curves(viewer: Viewer, query_data: schemas.CurvesQuery) -> Response:
    """Curves on the layout's 1 m grid as an Arrow IPC stream. They never change: the address names analyses.

    Columns: ``s`` (m); for each lap ``LAP|time`` (s from the line), ``LAP|loss_rate`` (s/m against the reference),
    ``LAP|sure_rate`` (the same with what is within its doubt taken out) and ``LAP|ROLE`` for each role asked for that
    was logged or follows from what was, in SI units; a channel that stands for no role is asked for by ``~`` and its
    name, and comes in the logger's unit.
    """
    wanted = curves.roles_of(query_data.roles)
    with beside(viewer, query_data, [*TIMED, *curves.stored_roles(wanted)]) as (_, entries, laps, reference):
        found = curves.of_laps(entries, laps, reference, wanted)
    return _arrow(found)


@blueprint.get("/bands")
@only("see")
@blueprint.input(schemas.BandsQuery, location="query")
@blueprint.doc(responses=_CURVES)
def get_bands(viewer: Viewer, query_data: schemas.BandsQuery) -> Response:
    """What drivers usually do: quartiles of the laps of each driver who has three or more among those named, as an
    Arrow IPC stream. They never change.

    Columns: ``s`` (m); for each such driver (by id) and role ``ID|ROLE|low``, ``ID|ROLE|middle`` (the median) and
    ``ID|ROLE|high``, in SI units. Further roles are ``delta`` (s, 0 at ``from_m``), ``loss_rate`` and ``offset_gap``.
    """
    wanted = curves.roles_of(query_data.roles, differences=True)
    with beside(viewer, query_data, [*TIMED, *curves.stored_roles(wanted)]) as (_, entries, laps, reference):
        found = curves.bands(entries, laps, reference, wanted, query_data.from_m)
    return _arrow(found)


@blueprint.get("/driven")
@only("see")
@blueprint.input(schemas.DrivenQuery, location="query")
@blueprint.doc(responses=_CURVES)
def get_driven(viewer: Viewer, query_data: schemas.DrivenQuery) -> Response:
    """The lines of laps on the ground as an Arrow IPC stream, metres east and north of the start line. They never
    change.

    Columns: ``s`` (m); ``centre|x`` and ``centre|y``; ``left|x`` … ``right|y`` where the limits are known; for each lap
    whose line is known ``LAP|x`` and ``LAP|y``.
    """
    with named(viewer, query_data.laps, TIMED) as (_, entries, laps):
        found = driven.lines(entries, laps)
    return _arrow(found)


@blueprint.get("/driven/points")
@only("see")
@blueprint.input(schemas.DrivenQuery, location="query")
@blueprint.output(schemas.PointsOut)
def get_points(viewer: Viewer, query_data: schemas.DrivenQuery) -> Any:
    """Where laps brake, turn in, are slowest and pick up the throttle, corner by corner, and how far across they are
    there. It never changes."""
    with named(viewer, query_data.laps, JUDGED) as (session, entries, laps):
        found = driven.points(session, entries, laps)
    return found, 200, {"Cache-Control": FOR_EVER}


@blueprint.get("/steady")
@only("see")
@blueprint.input(schemas.SteadyQuery, location="query")
@blueprint.output(schemas.SteadyOut)
def get_steady(viewer: Viewer, query_data: schemas.SteadyQuery) -> schemas.SteadyOut:
    """Where the driver of a lap is steady and where fast: the spread of the time and of every figure over the laps of
    that run that count, passage by passage."""
    with beside(viewer, query_data, JUDGED, one=True) as (session, entries, laps, reference):
        return pictures.steady(session, entries, laps[0], reference)


@blueprint.get("/grip")
@only("see")
@blueprint.input(schemas.GripQuery, location="query")
@blueprint.output(schemas.GripOut)
def get_grip(viewer: Viewer, query_data: schemas.GripQuery) -> schemas.GripOut:
    """How hard cars were accelerated in every direction and in every corner, and how much of it laps use."""
    with beside(viewer, query_data, JUDGED) as (session, entries, laps, reference):
        return pictures.grip(session, entries, laps, reference, query_data)


@blueprint.get("/often")
@only("see")
@blueprint.input(schemas.OftenQuery, location="query")
@blueprint.output(schemas.OftenOut)
def get_often(viewer: Viewer, query_data: schemas.OftenQuery) -> schemas.OftenOut:
    """How much of their time laps spend at which values of a channel."""
    wanted = curves.roles_of(query_data.role, differences=True)
    if len(wanted) != 1:
        raise Problem(422, "invalid", "There is no such channel. Choose one that is on the desk.")
    with named(viewer, query_data.laps, [*TIMED, *curves.stored_roles(wanted)]) as (_, entries, laps):
        return pictures.often(entries, laps, wanted[0], query_data)


@blueprint.get("/samples")
@only("see")
@blueprint.input(schemas.SamplesQuery, location="query")
@blueprint.output(schemas.SamplesOut)
def get_samples(viewer: Viewer, query_data: schemas.SamplesQuery) -> Any:
    """What the loggers wrote in a short piece of the circuit, each sample at the place where the lap was then."""
    if query_data.to_m - query_data.from_m > curves.LONGEST_SAMPLED_M:
        raise Problem(422, "too-long", f"Samples are told of {curves.LONGEST_SAMPLED_M:g} m at most.")
    wanted = [role for role in curves.roles_of(query_data.roles) if role in LOGGED or role == "speed"]
    with named(viewer, query_data.laps, TIMED) as (session, entries, laps):
        found = curves.samples(session, entries, laps, wanted, query_data.from_m, query_data.to_m)
    return found, 200, {"Cache-Control": "private, no-cache"}


def _arrow(stream: bytes) -> Response:
    response = Response(stream, mimetype=ARROW)
    response.headers["Cache-Control"] = FOR_EVER
    return response


@blueprint.get("/doubt")
@only("see")
@blueprint.input(schemas.DoubtQuery, location="query")
@blueprint.output(schemas.DoubtOut)
def get_doubt(viewer: Viewer, query_data: schemas.DoubtQuery) -> Any:
    """How far the line-up's deltas can be trusted, every 20 m, where they start with 0 at a place. Never changes, like
    the curves."""
    with beside(viewer, query_data, TIMED) as (_, entries, laps, reference):
        found = lineup.doubt(entries, laps, reference, query_data.from_m)
    return found, 200, {"Cache-Control": FOR_EVER}


@blueprint.get("/held-up")
@only("see")
@blueprint.input(schemas.HeldUpQuery, location="query")
@blueprint.output(schemas.HeldUpOut)
def get_held_up(viewer: Viewer, query_data: schemas.HeldUpQuery) -> schemas.HeldUpOut:
    """Where another car was probably in the way of laps, as it is judged now."""
    with named(viewer, query_data.laps, JUDGED) as (session, entries, laps):
        return lineup.held_up(session, entries, laps)


@blueprint.get("/card")
@only("see")
@blueprint.input(schemas.CardQuery, location="query")
@blueprint.output(schemas.CardOut)
def get_card(viewer: Viewer, query_data: schemas.CardQuery) -> schemas.CardOut:
    """Figures of the line-up's laps in a passage (by name) or in a stretch (``from_m`` to ``to_m``)."""
    with beside(viewer, query_data, JUDGED) as (session, entries, laps, reference):
        return card.answer(session, entries, laps, reference, query_data)


@blueprint.get("/card/figures")
@only("see")
@blueprint.input(schemas.CardQuery, location="query")
@blueprint.output(schemas.PartFiguresOut)
def get_figures(viewer: Viewer, query_data: schemas.CardQuery) -> schemas.PartFiguresOut:
    """Every figure of the line-up's laps in a part, and of all laps of their runs."""
    with beside(viewer, query_data, JUDGED) as (session, entries, laps, reference):
        return depth.figures_of_part(session, entries, laps, reference, query_data)


@blueprint.get("/beside")
@only("see")
@blueprint.input(schemas.BesideQuery, location="query")
@blueprint.output(schemas.BesideOut)
def get_beside(viewer: Viewer, query_data: schemas.BesideQuery) -> schemas.BesideOut:
    """One lap beside another in all passages or sectors."""
    with beside(viewer, query_data, JUDGED, one=True) as (session, entries, laps, reference):
        return depth.beside(session, entries, laps[0], reference, query_data.by)


@blueprint.get("/stretches")
@only("see")
@blueprint.input(schemas.StretchesQuery, location="query")
@blueprint.output(schemas.StretchesOut)
def get_stretches(viewer: Viewer, query_data: schemas.StretchesQuery) -> Any:
    """Where a lap loses to another, or gains, the largest first. Never changes, like the curves."""
    with beside(viewer, query_data, TIMED, one=True) as (_, entries, laps, reference):
        found = depth.stretches(entries, laps[0], reference)
    return found, 200, {"Cache-Control": FOR_EVER}


@blueprint.get("/card/without")
@only("see")
@blueprint.input(schemas.WithoutQuery, location="query")
@blueprint.output(schemas.WithoutOut)
def get_without(viewer: Viewer, query_data: schemas.WithoutQuery) -> schemas.WithoutOut:
    """One lap of a card driven again without one cause of its loss there: its speed along the part."""
    with beside(viewer, query_data, JUDGED, one=True) as (session, entries, laps, reference):
        return card.without(session, entries, laps[0], reference, query_data)
