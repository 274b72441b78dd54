"""Runs: what was recognised in them, what is said about them, and which of their laps count."""

from apiflask import APIBlueprint

from lauftakt.store.database import mine_by_id
from lauftakt.store.models import Run
from lauftakt.web import schemas, show
from lauftakt.web.access import database, for_coaches, team_id
from lauftakt.web.labels import change_labels, judge_lap

blueprint = APIBlueprint("runs", __name__, tag="Runs")


@blueprint.get("/runs/<int:run_id>")
@for_coaches
@blueprint.output(schemas.RunDetail)
def get_run(run_id: int) -> schemas.RunDetail:
    """A run's labels, laps and what was repaired."""
    with database().begin() as session:
        return show.run_detail(mine_by_id(session, Run, team_id(), run_id))


@blueprint.patch("/runs/<int:run_id>")
@for_coaches
@blueprint.input(schemas.Labels)
@blueprint.output(schemas.RunDetail)
def change_run(run_id: int, json_data: schemas.Labels) -> schemas.RunDetail:
    """Change labels; a driver's or car's name not known yet makes a new one."""
    with database().begin() as session:
        run = mine_by_id(session, Run, team_id(), run_id)
        change_labels(session, run, json_data, "person")
        session.flush()
        return show.run_detail(run)


@blueprint.post("/runs/labels")
@for_coaches
@blueprint.input(schemas.ManyLabels)
@blueprint.output(schemas.ManyRuns)
def change_many(json_data: schemas.ManyLabels) -> schemas.ManyRuns:
    """The same labels for several runs: all of them or none."""
    with database().begin() as session:
        runs = [mine_by_id(session, Run, team_id(), run_id) for run_id in dict.fromkeys(json_data.runs)]
        for run in runs:
            change_labels(session, run, json_data.change, "person")
        session.flush()
        return schemas.ManyRuns(runs=[show.run_detail(run) for run in runs])


@blueprint.patch("/runs/<int:run_id>/laps/<int:number>")
@for_coaches
@blueprint.input(schemas.LapJudged)
@blueprint.output(schemas.RunDetail)
def judge(run_id: int, number: int, json_data: schemas.LapJudged) -> schemas.RunDetail:
    """Set a lap aside by hand, let it count although it was set aside, or leave it to the computation."""
    with database().begin() as session:
        run = mine_by_id(session, Run, team_id(), run_id)
        judge_lap(run, number, json_data.counts)
        session.flush()
        return show.run_detail(run)
