"""Laps: every lap of a day in its place, what counts, and the sector sheet."""

from typing import Any

from apiflask import APIBlueprint
from flask import Response

from lauftakt.formats.sheets import set_sheet
from lauftakt.formats.tables import Cell, number, write_table
from lauftakt.store.actions import note_action
from lauftakt.store.models import Run
from lauftakt.web import schemas
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.compare.addresses import lap_address
from lauftakt.web.day_laps import laps_of_day
from lauftakt.web.labels import judge_lap
from lauftakt.web.paper import paper
from lauftakt.web.policy import Viewer, one

blueprint = APIBlueprint("laps", __name__, tag="Laps")


@blueprint.get("/laps")
@only("see")
@blueprint.input(schemas.LapsQuery, location="query")
@blueprint.output(schemas.LapsOut)
def get_laps(viewer: Viewer, query_data: schemas.LapsQuery) -> schemas.LapsOut:
    """All laps of a day with the times of their sectors or passages, and each driver's sheet."""
    with database().begin() as session:
        return laps_of_day(session, viewer, query_data)


@blueprint.get("/laps/file")
@only("see")
@blueprint.input(schemas.LapsQuery, location="query")
def get_laps_file(viewer: Viewer, query_data: schemas.LapsQuery) -> Response:
    """The same as CSV, for a spreadsheet."""
    with database().begin() as session:
        found = laps_of_day(session, viewer, query_data)
    drivers = {row.driver.id: row.driver.name for row in found.drivers}
    runs = {run.id: run for run in found.runs}
    names = [f"{column.name} [s]" for column in found.columns]
    rows: list[list[Cell]] = []
    for lap in found.laps:
        run = runs[lap.run]
        about = [drivers.get(run.driver, ""), run.started_at or run.id, run.car or "", lap.number, lap.kind]
        times = [number(time, 3) for time in (lap.time_s, *lap.parts_s)]
        rows.append([*about, lap.set_aside or "", *times])
    head = ["driver", "run", "car", "lap", "kind", "set aside", "time [s]", *names]
    answer = Response(write_table(head, rows), mimetype="text/csv")
    answer.headers.set("Content-Disposition", "attachment", filename="laps.csv")
    return answer


@blueprint.get("/laps/sheet")
@only("see")
@blueprint.input(schemas.LapsQuery, location="query")
@blueprint.doc(responses={200: "The sheet as PDF."})
def get_laps_sheet(viewer: Viewer, query_data: schemas.LapsQuery) -> Response:
    """The sector sheet on paper: each driver's bests, and the laps."""
    with database().begin() as session:
        found = laps_of_day(session, viewer, query_data)
    if found.event is None:
        raise Problem(404, "empty", "There are no laps yet.")
    answer = Response(set_sheet("laps", paper(found), {}, "pdf"), mimetype="application/pdf")
    answer.headers.set("Content-Disposition", "attachment", filename="laps.pdf")
    return answer


@blueprint.post("/laps/judged")
@only("change")
@blueprint.input(schemas.LapsJudged)
@blueprint.output(schemas.LapsChanged)
def judge_laps(viewer: Viewer, json_data: schemas.LapsJudged) -> schemas.LapsChanged:
    """Set several laps aside, let them count again, or leave them to the program: all of them or none."""
    addresses = [lap_address(key) for key in dict.fromkeys(json_data.laps)]
    with database().begin() as session:
        wanted = sorted({address.run for address in addresses})
        runs = {run_id: one(session, Run, viewer, run_id, lock=True) for run_id in wanted}
        analyses = [run.analysis_id for run in runs.values() if run.analysis_id is not None]
        laps = curve_cache().laps(session, viewer.team_id, analyses)
        inverse: list[dict[str, Any]] = []
        for address in addresses:
            run = runs[address.run]
            number = address.find(laps.get(run.analysis_id or 0, ()), timed_only=False)
            if number is None:
                raise Problem(404, "not-found", "One of these laps does not exist any more.")
            said = json_data.model_dump(include={"counts", "reason", "note"}, exclude_unset=True)
            inverse += judge_lap(session, viewer, run, number, schemas.LapJudged(**said))
        names = list(dict.fromkeys(run.driver.name for run in runs.values()))
        whose = names[0] if len(names) == 1 else f"{len(names)} drivers"
        what = {True: "count", False: "do not count", None: "are left to the program"}[json_data.counts]
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="lap",
            subject=("run", wanted[0]),
            summary=f"{len(addresses)} laps of {whose} {what}.",
            inverse=inverse,
        )
        return schemas.LapsChanged(laps=len(addresses), action=action.id)
