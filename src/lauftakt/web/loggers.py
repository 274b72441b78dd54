"""Loggers on the network that the administrator allowed: what they hold, and fetching it."""

from apiflask import APIBlueprint
from sqlalchemy import select

from lauftakt.store.database import mine
from lauftakt.store.models import HandIn
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.givers import myself, settings_of_app
from lauftakt.web.policy import Viewer
from lauftakt.work.fetching import NoAnswer, NotAllowed, address_of, list_runs, loggers_of
from lauftakt.work.intake import Giver, add_hand_in, clean_name, job_of
from lauftakt.work.queue import send

blueprint = APIBlueprint("loggers", __name__, tag="Loggers")


@blueprint.get("/loggers")
@only("see-team")
@blueprint.output(schemas.LoggerList)
def list_loggers(viewer: Viewer) -> schemas.LoggerList:
    """Every logger that the team was given, and its runs; one that does not answer says so."""
    with database().begin() as session:
        fetched = set(
            session.scalars(
                select(HandIn.origin).where(
                    HandIn.team_id == viewer.team_id,
                    HandIn.source == "logger",
                    HandIn.state.in_(("taken", "waiting", "running")),
                )
            )
        )
        own = loggers_of(session, settings_of_app(), viewer.team_id)
    found = []
    for name, address in ((item.name, item.address) for item in own):
        try:
            listing = list_runs(address)
        except NoAnswer as error:
            found.append(schemas.LoggerOut(name=name, runs=[], clock_off_s=None, trouble=str(error)))
            continue
        found.append(
            schemas.LoggerOut(
                name=name,
                runs=[
                    schemas.LoggerRun(
                        key=run.key,
                        name=run.name,
                        size=run.size,
                        recorded_at=run.recorded_at,
                        fetched=f"{name}\n{run.key}" in fetched,
                    )
                    for run in listing.runs
                ],
                clock_off_s=listing.clock_off_s,
                trouble=None,
            )
        )
    return schemas.LoggerList(loggers=found)


@blueprint.post("/loggers/fetch")
@only("hand-in")
@blueprint.input(schemas.LoggerFetch)
@blueprint.output(schemas.Fetching, status_code=201)
def fetch_runs(viewer: Viewer, json_data: schemas.LoggerFetch) -> schemas.Fetching:
    """Fetch runs from a logger and import them, in the background."""
    try:
        with database().begin() as session:
            address = address_of(session, settings_of_app(), viewer.team_id, json_data.logger)
        listing = list_runs(address)
    except NotAllowed as error:
        raise Problem(404, "no-logger", str(error)) from error
    except NoAnswer as error:
        raise Problem(409, "logger", str(error)) from error
    by_key = {run.key: run for run in listing.runs}
    missing = [key for key in json_data.keys if key not in by_key]
    if missing:
        raise Problem(404, "not-found", f"The logger does not hold “{missing[0][:60]}” (any more).")
    giver = myself(viewer, json_data.driver)
    ids: list[int] = []
    jobs: list[int] = []
    with database().begin() as session:
        for key in dict.fromkeys(json_data.keys):
            run = by_key[key]
            own = Giver(
                giver.team_id,
                "logger",
                driver_name=giver.driver_name,
                account_id=giver.account_id,
                origin=f"{json_data.logger}\n{key}",
            )
            row = add_hand_in(session, own, clean_name(run.name), run.size, "")
            ids.append(row.id)
            jobs.append(job_of(row))
    send(jobs)
    with database().begin() as session:
        rows = session.scalars(mine(HandIn, viewer.team_id).where(HandIn.id.in_(ids)).order_by(HandIn.id)).all()
        return schemas.Fetching(hand_ins=show.hand_ins(session, viewer, rows))
