"""Hand-in: files arrive, jobs are queued, each file's fate is told."""

import shutil
import tempfile
from datetime import timedelta
from pathlib import Path
from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from lauftakt.store.database import mine, mine_by_id, now
from lauftakt.store.models import Car, Event, HandIn, LayoutRow, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, for_coaches, team_id
from lauftakt.web.givers import myself, settings_of_app
from lauftakt.web.uploads import check_kind
from lauftakt.work import jobs
from lauftakt.work.intake import ENDINGS, clean_name, take_in
from lauftakt.work.queue import send
from lauftakt.work.sources import inbox_path

blueprint = APIBlueprint("hand_in", __name__, tag="Hand-in")

PAGE = 60
STATES = {"open": ("waiting", "running"), "taken": ("taken",), "trouble": ("refused", "failed", "cancelled")}


@blueprint.get("/hand-ins")
@for_coaches
@blueprint.input(schemas.HandInQuery, location="query")
@blueprint.output(schemas.HandInList)
def list_hand_ins(query_data: schemas.HandInQuery) -> schemas.HandInList:
    """Files and their fate, newest first, as far as the filters let them through; and what there is to choose from."""
    with database().begin() as session:
        all_of_them = mine(HandIn, team_id()).where(HandIn.dismissed_at.is_(None))
        wanted = _filtered(all_of_them, query_data)
        page = wanted if query_data.before is None else wanted.where(HandIn.id < query_data.before)
        rows = session.scalars(page.options(*show.HAND_IN_PARTS).order_by(HandIn.id.desc()).limit(PAGE + 1)).all()
        return schemas.HandInList(
            hand_ins=[show.hand_in(row) for row in rows[:PAGE]],
            more=len(rows) > PAGE,
            hidden=_count(session, all_of_them) - _count(session, wanted),
            drivers=show.everybody(session, team_id()),
            cars=[
                schemas.Choice(id=row.id, name=row.name)
                for row in session.scalars(mine(Car, team_id()).order_by(Car.name))
            ],
            circuits=[
                schemas.Choice(id=row.id, name=row.name)
                for row in session.scalars(mine(LayoutRow, team_id()).order_by(LayoutRow.name))
            ],
            events=[
                schemas.Choice(id=row.id, name=f"{row.name}, {row.day}")
                for row in session.scalars(mine(Event, team_id()).order_by(Event.day.desc(), Event.id.desc()).limit(60))
            ],
            endings=list(ENDINGS),
            upload_mb=settings_of_app().upload_mb,
        )


def _filtered(query: Select[Any], asked: schemas.HandInQuery) -> Select[Any]:
    if asked.age:
        query = query.where(HandIn.created_at > now() - timedelta(days=asked.age))
    if asked.state:
        query = query.where(HandIn.state.in_(STATES[asked.state]))
    if asked.event or asked.driver or asked.car or asked.circuit:
        query = query.join(Run, Run.id == HandIn.run_id)
        for column, value in (
            (Run.event_id, asked.event),
            (Run.driver_id, asked.driver),
            (Run.car_id, asked.car),
            (Run.layout_id, asked.circuit),
        ):
            if value:
                query = query.where(column == value)
    return query


def _count(session: Session, query: Select[Any]) -> int:
    return session.scalar(select(func.count()).select_from(query.subquery())) or 0


@blueprint.post("/hand-ins")
@for_coaches
@blueprint.input(schemas.HandInForm, location="form_and_files")
@blueprint.output(schemas.HandInOut, status_code=201)
def hand_in(form_and_files_data: schemas.HandInForm) -> schemas.HandInOut:
    """Hand in one file in one piece, for a driver where one is named; it is imported in the background."""
    form = form_and_files_data
    name = clean_name(form.file.filename)
    check_kind(name)
    inbox = settings_of_app().inbox
    inbox.mkdir(parents=True, exist_ok=True)
    try:
        with tempfile.NamedTemporaryFile(dir=inbox, suffix=".part", delete=False) as target:
            shutil.copyfileobj(form.file.stream, target, 1 << 20)
        path = Path(target.name)
        hand_in_id, job_id = take_in(database(), inbox, myself(form.driver), name, path, move=True)
    except OSError as error:
        raise Problem(507, "disk", "The file could not be kept: the disk is full or not writable.") from error
    send([job_id])
    with database().begin() as session:
        return show.hand_in(mine_by_id(session, HandIn, team_id(), hand_in_id))


@blueprint.post("/hand-ins/<int:hand_in_id>/cancel")
@for_coaches
@blueprint.output(schemas.HandInOut)
def cancel(hand_in_id: int) -> schemas.HandInOut:
    """Stop the import of a file; nothing of it is stored. A finished one stays as it is."""
    with database().begin() as session:
        row = mine_by_id(session, HandIn, team_id(), hand_in_id)
        if row.job is not None and row.job.state == "waiting":
            jobs.end(row.job, "cancelled", "cancelled", "Cancelled before it began.")
        elif row.job is not None and row.job.state == "running":
            row.job.cancel = True
        session.flush()
        return show.hand_in(row)


@blueprint.post("/hand-ins/<int:hand_in_id>/retry")
@for_coaches
@blueprint.output(schemas.HandInOut)
def retry(hand_in_id: int) -> schemas.HandInOut:
    """Import a file again that failed or was cancelled."""
    with database().begin() as session:
        row = mine_by_id(session, HandIn, team_id(), hand_in_id)
        if row.state not in ("failed", "cancelled"):
            raise Problem(409, "settled", "This file is being imported, or its fate is settled.")
        if not inbox_path(settings_of_app().inbox, row.id).exists() and row.source != "logger":
            raise Problem(409, "file-lost", "The file was not kept. Hand it in again.")
        job_id = jobs.again(session, row, "import")
    send([job_id])
    with database().begin() as session:
        return show.hand_in(mine_by_id(session, HandIn, team_id(), hand_in_id))


@blueprint.delete("/hand-ins/<int:hand_in_id>")
@for_coaches
@blueprint.output({}, status_code=204)
def dismiss(hand_in_id: int) -> str:
    """Take a finished file off the list; its run, if there is one, stays."""
    with database().begin() as session:
        row = mine_by_id(session, HandIn, team_id(), hand_in_id)
        if row.state in ("waiting", "running"):
            raise Problem(409, "busy", "The file is still being imported; cancel it first.")
        row.dismissed_at = now()
    return ""


@blueprint.post("/hand-ins/<int:hand_in_id>/restore")
@for_coaches
@blueprint.output(schemas.HandInOut)
def restore(hand_in_id: int) -> schemas.HandInOut:
    """Put a file back on the list."""
    with database().begin() as session:
        row = mine_by_id(session, HandIn, team_id(), hand_in_id)
        row.dismissed_at = None
        return show.hand_in(row)
