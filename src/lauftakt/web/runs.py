"""One run: what was recognised in it, and who drove it."""

from apiflask import APIBlueprint

from lauftakt.store.database import mine_by_id
from lauftakt.store.models import Driver, Run
from lauftakt.store.runs import named
from lauftakt.web import schemas, show
from lauftakt.web.access import database, for_coaches, team_id

blueprint = APIBlueprint("runs", __name__, tag="Runs")


@blueprint.get("/runs/<int:run_id>")
@for_coaches
@blueprint.output(schemas.RunDetail)
def get_run(run_id: int) -> schemas.RunDetail:
    """A run's channels, laps and what was repaired."""
    with database().begin() as session:
        return show.run_detail(mine_by_id(session, Run, team_id(), run_id))


@blueprint.patch("/runs/<int:run_id>")
@for_coaches
@blueprint.input(schemas.RunChange)
@blueprint.output(schemas.RunDetail)
def change_run(run_id: int, json_data: schemas.RunChange) -> schemas.RunDetail:
    """Say who drove; a name not known yet makes a new driver."""
    with database().begin() as session:
        run = mine_by_id(session, Run, team_id(), run_id)
        run.driver = named(session, Driver, team_id(), json_data.driver)
        session.flush()
        return show.run_detail(run)
