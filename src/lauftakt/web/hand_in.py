"""Hand-in: files arrive, jobs are queued, each file's fate is told."""

import shutil
import tempfile
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from apiflask import APIBlueprint
from flask import request
from sqlalchemy import Select, func, or_, select
from sqlalchemy.orm import Session

from lauftakt.store.actions import note_action
from lauftakt.store.database import now
from lauftakt.store.models import Car, Event, HandIn, Job, LayoutRow, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.accounting import account_of
from lauftakt.web.arriving import check_kind
from lauftakt.web.givers import myself, settings_of_app
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.work import jobs, open_jobs
from lauftakt.work.inbox import inbox_path
from lauftakt.work.intake import ENDINGS, clean_name, take_in
from lauftakt.work.queue import send
from lauftakt.work.room import need

blueprint = APIBlueprint("hand_in", __name__, tag="Hand-in")

PAGE = 20
# Of runs whose labels are looked at together: a day of a big school.
RUNS = 60
# A look at what changed is no page of a list: what changed meanwhile is told whole, up to here.
LOOK = 300
STATES = {"open": ("waiting", "running"), "taken": ("taken",), "trouble": ("refused", "failed", "cancelled")}
# A change may be committed this much later than it was stamped; whoever looks again is told it twice rather than never.
SLACK = timedelta(seconds=20)


@blueprint.get("/hand-ins")
@only("see-team")
@blueprint.input(schemas.HandInQuery, location="query")
@blueprint.output(schemas.HandInList)
def list_hand_ins(viewer: Viewer, query_data: schemas.HandInQuery) -> schemas.HandInList:
    """Files and their fate, newest first, as far as the filters let them through; and what there is to choose from.

    With ``since`` only what changed after an earlier answer, with the files that are being worked on; there ``more``
    says that so much changed that all has to be asked for again.
    """
    as_of = now()
    with database().begin() as session:
        all_of_them = visible(HandIn, viewer).where(HandIn.dismissed_at.is_(None))
        shown = _filtered(all_of_them, query_data)
        if query_data.runs:
            all_of_them = all_of_them.where(HandIn.run_id.is_not(None))
        wanted = _filtered(all_of_them, query_data)
        page = wanted if query_data.before is None else wanted.where(HandIn.id < query_data.before)
        gone: list[int] = []
        most = LOOK if query_data.since is not None else RUNS if query_data.runs else PAGE
        if query_data.since is not None:
            after = _moment(query_data.since) - SLACK
            page = page.where(or_(HandIn.changed_at > after, HandIn.state == "running"))
            dismissed = visible(HandIn, viewer).where(HandIn.dismissed_at > after, HandIn.changed_at > after)
            gone = [row.id for row in session.scalars(dismissed)]
        rows = session.scalars(page.options(*show.HAND_IN_PARTS).order_by(HandIn.id.desc()).limit(most + 1)).all()
        return schemas.HandInList(
            hand_ins=show.hand_ins(session, viewer, rows[:most]),
            gone=gone,
            as_of=as_of.isoformat(),
            more=len(rows) > most,
            hidden=0 if wanted is all_of_them else _count(session, all_of_them) - _count(session, wanted),
            account=account_of(session, viewer, shown),
            choices=_choices(session, viewer) if query_data.since is None else None,
        )


def _moment(text: str) -> datetime:
    try:
        return datetime.fromisoformat(text).replace(tzinfo=None)
    except ValueError as error:
        raise Problem(422, "invalid", "Not understood: since.") from error


def _choices(session: Session, viewer: Viewer) -> schemas.HandInChoices:
    days = visible(Event, viewer).with_only_columns(Event.id, Event.name, Event.day)
    events = session.execute(days.order_by(Event.day.desc(), Event.id.desc()))
    return schemas.HandInChoices(
        drivers=show.everybody(session, viewer),
        cars=show.choices(session, viewer, Car),
        circuits=show.choices(session, viewer, LayoutRow),
        events=[schemas.Choice(id=row_id, name=f"{name}, {day}") for row_id, name, day in events],
        endings=list(ENDINGS),
        upload_mb=settings_of_app().upload_mb,
    )


def _filtered(query: Select[Any], asked: schemas.HandInQuery) -> Select[Any]:
    if asked.age:
        query = query.where(HandIn.created_at > now() - timedelta(days=asked.age))
    if asked.state:
        query = query.where(HandIn.state.in_(STATES[asked.state]))
    wanted = (
        (Run.event_id, asked.event),
        (Run.driver_id, asked.driver),
        (Run.car_id, asked.car),
        (Run.layout_id, asked.circuit),
    )
    if any(value for _, value in wanted):
        query = query.join(Run, Run.id == HandIn.run_id)
        for column, value in wanted:
            if value:
                query = query.where(column == value)
    return query


def _count(session: Session, query: Select[Any]) -> int:
    return session.scalar(select(func.count()).select_from(query.with_only_columns(HandIn.id).subquery())) or 0


@blueprint.post("/hand-ins")
@only("hand-in")
@blueprint.input(schemas.HandInForm, location="form_and_files")
@blueprint.output(schemas.HandInOut, status_code=201)
def hand_in(viewer: Viewer, form_and_files_data: schemas.HandInForm) -> schemas.HandInOut:
    """Hand in one file in one piece, for a driver where one is named; it is imported in the background."""
    form = form_and_files_data
    name = clean_name(form.file.filename)
    check_kind(name)
    inbox = settings_of_app().inbox
    inbox.mkdir(parents=True, exist_ok=True)
    need(settings_of_app().var, request.content_length or 0)
    with tempfile.NamedTemporaryFile(dir=inbox, suffix=".part", delete=False) as target:
        path = Path(target.name)
        try:
            shutil.copyfileobj(form.file.stream, target, 1 << 20)
            target.flush()
            hand_in_id, job_id = take_in(database(), inbox, myself(viewer, form.driver), name, path, move=True)
        finally:
            path.unlink(missing_ok=True)
    send([job_id])
    with database().begin() as session:
        return show.hand_in(session, viewer, one(session, HandIn, viewer, hand_in_id))


@blueprint.post("/hand-ins/<int:hand_in_id>/cancel")
@only("change")
@blueprint.output(schemas.HandInOut)
def cancel(viewer: Viewer, hand_in_id: int) -> schemas.HandInOut:
    """Stop the import of a file; nothing of it is stored. A finished one stays as it is."""
    with database().begin() as session:
        row = one(session, HandIn, viewer, hand_in_id)
        if row.job is not None:
            jobs.cancel(session, session.get_one(Job, row.job.id, with_for_update=True, populate_existing=True))
        session.refresh(row)
        return show.hand_in(session, viewer, row)


@blueprint.post("/hand-ins/<int:hand_in_id>/retry")
@only("change")
@blueprint.input(schemas.RetryIn, location="query")
@blueprint.output(schemas.HandInOut)
def retry(viewer: Viewer, hand_in_id: int, query_data: schemas.RetryIn) -> schemas.HandInOut:
    """Import a file again that failed, was cancelled, or could not be placed; on a circuit where one is named."""
    with database().begin() as session:
        row = one(session, HandIn, viewer, hand_in_id)
        if query_data.layout is not None:
            row.layout_id = one(session, LayoutRow, viewer, query_data.layout).id
        elif query_data.turned:
            raise Problem(422, "layout", "Name the circuit that was driven the other way round.")
        if row.state not in ("failed", "cancelled") and not (
            row.state == "refused" and row.code in open_jobs.PLACEABLE
        ):
            raise Problem(409, "settled", "This file is being imported, or its fate is settled.")
        if not inbox_path(settings_of_app().inbox, row.id).exists() and row.source != "logger":
            raise Problem(409, "file-lost", "The file was not kept. Hand it in again.")
        job_id = open_jobs.import_again(session, row, turned=query_data.turned)
    send([job_id])
    with database().begin() as session:
        return show.hand_in(session, viewer, one(session, HandIn, viewer, hand_in_id))


@blueprint.delete("/hand-ins/<int:hand_in_id>")
@only("change")
@blueprint.output({}, status_code=204)
def dismiss(viewer: Viewer, hand_in_id: int) -> str:
    """Take a finished file off the list; its run, if there is one, stays."""
    with database().begin() as session:
        row = one(session, HandIn, viewer, hand_in_id)
        if row.state in ("waiting", "running"):
            raise Problem(409, "busy", "The file is still being imported; cancel it first.")
        row.dismissed_at = now()
        note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="hand-in",
            subject=("hand_in", row.id),
            summary=f"Took {row.file_name} off the list.",
            inverse=[{"do": "hand-in", "hand_in": row.id}],
        )
    return ""


@blueprint.post("/hand-ins/<int:hand_in_id>/restore")
@only("change")
@blueprint.output(schemas.HandInOut)
def restore(viewer: Viewer, hand_in_id: int) -> schemas.HandInOut:
    """Put a file back on the list."""
    with database().begin() as session:
        row = one(session, HandIn, viewer, hand_in_id)
        row.dismissed_at = None
        return show.hand_in(session, viewer, row)
