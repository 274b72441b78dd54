"""Runs: what was recognised in them, what is said about them, and which of their laps count."""

from collections.abc import Iterator
from urllib.parse import quote

from apiflask import APIBlueprint
from flask import Response, stream_with_context

from lauftakt.store.actions import note_action
from lauftakt.store.database import NotFound, mine
from lauftakt.store.models import Original, Run
from lauftakt.store.originals import original_parts
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.labels import change_many, judge_lap, judged_in_words, labels_of
from lauftakt.web.meanwhile import refuse_unseen
from lauftakt.web.policy import Viewer, may, one
from lauftakt.work.queue import send

blueprint = APIBlueprint("runs", __name__, tag="Runs")


@blueprint.get("/runs/<int:run_id>")
@only("see")
@blueprint.output(schemas.RunDetail)
def get_run(viewer: Viewer, run_id: int) -> schemas.RunDetail:
    """A run's labels, laps and what was repaired."""
    with database().begin() as session:
        return show.run_detail(session, viewer, one(session, Run, viewer, run_id))


@blueprint.patch("/runs/<int:run_id>")
@only("change")
@blueprint.input(schemas.Labels)
@blueprint.output(schemas.RunChanged)
def change_run(viewer: Viewer, run_id: int, json_data: schemas.Labels) -> schemas.RunChanged:
    """Change labels; a driver's or car's name not known yet makes a new one."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id, lock=True)
        action, jobs = change_many(session, viewer, [run], json_data, "person")
        found = show.run_detail(session, viewer, run)
    send(jobs)
    return schemas.RunChanged(**found.model_dump(), action=action)


@blueprint.patch("/runs/<int:run_id>/notes")
@only("note")
@blueprint.input(schemas.Notes)
@blueprint.output(schemas.RunChanged)
def note_run(viewer: Viewer, run_id: int, json_data: schemas.Notes) -> schemas.RunChanged:
    """Change a run's notes alone: what also an assistant may."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id, lock=True)
        action, _ = change_many(session, viewer, [run], schemas.Labels(notes=json_data.notes), "person")
        return schemas.RunChanged(**show.run_detail(session, viewer, run).model_dump(), action=action)


@blueprint.patch("/runs/<int:run_id>/felt")
@only("tell")
@blueprint.input(schemas.DriverWords)
@blueprint.output(schemas.RunDetail)
def tell_of_run(viewer: Viewer, run_id: int, json_data: schemas.DriverWords) -> schemas.RunDetail:
    """What the driver says of an own run: how it felt, conditions, tyres."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id, lock=True)
        if not may(viewer, "tell", run):
            raise NotFound("run")
        change_many(session, viewer, [run], schemas.Labels(**json_data.model_dump(exclude_unset=True)), "driver")
        return show.run_detail(session, viewer, run)


@blueprint.post("/runs/labels")
@only("change")
@blueprint.input(schemas.ManyLabels)
@blueprint.output(schemas.ManyRuns)
def label_many(viewer: Viewer, json_data: schemas.ManyLabels) -> schemas.ManyRuns:
    """The same labels for several runs: all of them or none."""
    with database().begin() as session:
        runs = [one(session, Run, viewer, run_id, lock=True) for run_id in sorted(set(json_data.runs))]
        for run in runs:
            seen = {name: value or None for name, value in (json_data.was or {}).get(run.id, {}).items()}
            present = {name: value or None for name, value in labels_of(run, set(seen)).items()}
            refuse_unseen(session, viewer, ("run", run.id), seen, present)
        action, jobs = change_many(session, viewer, runs, json_data.change, "person")
        session.flush()
        details = show.Details(session, viewer, runs)
        found = schemas.ManyRuns(runs=[details.of(run) for run in runs], action=action)
    send(jobs)
    return found


@blueprint.patch("/runs/<int:run_id>/laps/<int:number>")
@only("change")
@blueprint.input(schemas.LapJudged)
@blueprint.output(schemas.RunChanged)
def judge(viewer: Viewer, run_id: int, number: int, json_data: schemas.LapJudged) -> schemas.RunChanged:
    """Set a lap aside, let it count although it was set aside, leave it to the computation, or note something."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id, lock=True)
        inverse = judge_lap(session, viewer, run, number, json_data)
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="lap",
            subject=("run", run.id),
            summary=judged_in_words(run, number, json_data),
            inverse=inverse,
        )
        return schemas.RunChanged(**show.run_detail(session, viewer, run).model_dump(), action=action.id)


@blueprint.get("/runs/<int:run_id>/original")
@only("see")
def get_original(viewer: Viewer, run_id: int) -> Response:
    """The file as it was handed in."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id)
        row = session.scalar(mine(Original, viewer.team_id).where(Original.run_id == run.id))
    if row is None:
        raise Problem(410, "no-original", "The file of this run was handed in before files were kept; it is gone.")

    def parts() -> Iterator[bytes]:
        with database().begin() as session:
            yield from original_parts(session, row)

    response = Response(stream_with_context(parts()), mimetype="application/octet-stream")
    response.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(row.file_name, safe='')}"
    response.headers["Content-Length"] = str(row.size)
    return response
