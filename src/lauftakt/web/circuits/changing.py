"""Keeping a drawing, going back to an older version, and what needs no computing: the map's turn, a set for a day."""

from typing import Any

from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.model import Unusable
from lauftakt.store.actions import note_action
from lauftakt.store.database import NotFound, now
from lauftakt.store.drawings import Kept, MovedOn, keep_drawing, make_current, sets_of, take_back
from lauftakt.store.layouts import add_sector_set, load_layout
from lauftakt.store.models import Event, Job, LayoutRow, LayoutVersion, Run, SectorSet
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.circuits.describing import describe
from lauftakt.web.circuits.ground import drawn_layout, set_out
from lauftakt.web.circuits.previews import drawing_of, moved_on
from lauftakt.web.circuits.views import blueprint
from lauftakt.web.labels import rename
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.work.jobs import add_job
from lauftakt.work.open_jobs import renew_runs
from lauftakt.work.queue import send

# More sets than this nobody tells apart.
MOST_SETS = 12


@blueprint.post("/layouts/<int:layout_id>/versions")
@only("change")
@blueprint.input(schemas.DrawingIn)
@blueprint.output(schemas.DrawingKept)
def keep(viewer: Viewer, layout_id: int, json_data: schemas.DrawingIn) -> schemas.DrawingKept:
    """Keep a drawing: a new version, new sectors, and new analyses by jobs; the old numbers are shown until then."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id, lock=True)
        drawing = drawing_of(json_data)

        def told(before: Layout, after: Layout) -> str:
            return describe(before, after, drawing)

        try:
            kept, summary = keep_drawing(
                session,
                row,
                drawing,
                base=json_data.base,
                sector_set=json_data.sector_set,
                account_id=viewer.account_id,
                summary=told,
            )
        except MovedOn as error:
            raise moved_on(row) from error
        except Unusable as error:
            raise Problem(422, error.code, str(error)) from error
        if row.current_id == kept.version_before and not kept.made:
            raise Problem(409, "unchanged", "Nothing was changed, so there is nothing to keep.")
        jobs = renew_runs(session, viewer.team_id, kept.to_renew, viewer.account_id)
        action = _noted(session, viewer, row, f"{row.name}: {summary}", kept)
        answer = schemas.DrawingKept(
            version=_number(session, row), summary=summary, renewing=len(kept.to_renew), action=action
        )
    send(jobs)
    return answer


@blueprint.post("/layouts/<int:layout_id>/versions/<int:version_id>/current")
@only("change")
@blueprint.output(schemas.DrawingKept)
def go_back(viewer: Viewer, layout_id: int, version_id: int) -> schemas.DrawingKept:
    """Make an older version, or again a newer one, the present one."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id, lock=True)
        if row.current_id == version_id:
            raise Problem(409, "unchanged", "This is the present version already.")
        try:
            kept = make_current(session, row, version_id)
        except MovedOn as error:
            raise NotFound("version") from error
        jobs = renew_runs(session, viewer.team_id, kept.to_renew, viewer.account_id)
        number = _number(session, row)
        summary = f"Version {number} is the present one again."
        action = _noted(session, viewer, row, f"{row.name}: {summary}", kept)
        answer = schemas.DrawingKept(version=number, summary=summary, renewing=len(kept.to_renew), action=action)
    send(jobs)
    return answer


@blueprint.post("/layouts/<int:layout_id>/line")
@only("change")
@blueprint.input(schemas.LineAsked)
@blueprint.output(schemas.JobOut, status_code=202)
def make_line(viewer: Viewer, layout_id: int, json_data: schemas.LineAsked) -> schemas.JobOut:
    """Make the line anew from the quickest runs: begins the work, which ends in a version that waits to be chosen."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id)
        job = add_job(
            session,
            viewer.team_id,
            "reline",
            ("layout", row.id),
            payload={"limits": json_data.limits, "account": viewer.account_id},
            account_id=viewer.account_id,
        )
        job_id = job.id
    send([job_id])
    with database().begin() as session:
        return show.job(one(session, Job, viewer, job_id))


@blueprint.patch("/layouts/<int:layout_id>")
@only("change")
@blueprint.input(schemas.LayoutChange)
@blueprint.output(schemas.Noted)
def change_layout(viewer: Viewer, layout_id: int, json_data: schemas.LayoutChange) -> schemas.Noted:
    """Rename a layout, turn its map, or confirm it as it is drawn."""
    with database().begin() as session:
        row = one(session, LayoutRow, viewer, layout_id, lock=True)
        before: dict[str, Any] = {
            "name": row.name,
            "heading_deg": row.heading_deg,
            "confirmed": row.confirmed_at is not None,
        }
        fields = json_data.model_fields_set
        told = _changed(session, viewer, row, json_data)
        inverse = {name: before[name] for name in fields}
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="circuit",
            subject=("layout", row.id),
            summary=f"{before['name']}: {', '.join(told) or 'nothing changed'}.",
            inverse=[{"do": "circuit", "layout": row.id, "set": inverse}] if told else [],
        )
        return schemas.Noted(action=action.id)


def _changed(session: Session, viewer: Viewer, row: LayoutRow, change: schemas.LayoutChange) -> list[str]:
    fields, told = change.model_fields_set, []
    if "name" in fields and change.name and change.name != row.name:
        rename(session, row, change.name)
        told.append(f"is called {change.name}")
    if "heading_deg" in fields and change.heading_deg != row.heading_deg:
        row.heading_deg = change.heading_deg
        told.append("map turned")
    if "confirmed" in fields and change.confirmed is not None:
        row.confirmed_at = now() if change.confirmed else None
        told.append("confirmed" if change.confirmed else "no longer confirmed")
    session.flush()
    return told


@blueprint.post("/layouts/<int:layout_id>/sets")
@only("change")
@blueprint.input(schemas.SetIn)
@blueprint.output(schemas.SectorSetOut)
def add_set(viewer: Viewer, layout_id: int, json_data: schemas.SetIn) -> schemas.SectorSetOut:
    """Another way of cutting the layout into sectors, beginning like one that is there."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id, lock=True)
        sets = sets_of(session, row)
        if len(sets) >= MOST_SETS:
            raise Problem(409, "too-many", f"{row.name} has {MOST_SETS} sector sets already; remove one first.")
        if any(item.name.casefold() == json_data.name.casefold() for item in sets):
            raise Problem(409, "taken", f"There is a sector set called {json_data.name} already.")
        assert row.current_id is not None
        if json_data.copy_of is not None and json_data.copy_of not in {item.id for item in sets}:
            raise NotFound("sector set")
        made = add_sector_set(session, row, load_layout(session, row.current_id, json_data.copy_of), json_data.name)
        note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="circuit",
            subject=("layout", row.id),
            summary=f"{row.name}: the sector set {made.name} is new.",
            inverse=[{"do": "sector-set", "layout": row.id, "set": made.id, "retired": True}],
        )
        return set_out(made, 0)


@blueprint.delete("/layouts/<int:layout_id>/sets/<int:set_id>")
@only("change")
@blueprint.output(schemas.Noted)
def remove_set(viewer: Viewer, layout_id: int, set_id: int) -> schemas.Noted:
    """Remove a sector set that no day uses."""
    with database().begin() as session:
        row = drawn_layout(session, viewer, layout_id, lock=True)
        own = next((item for item in sets_of(session, row) if item.id == set_id), None)
        if own is None:
            raise NotFound("sector set")
        used = session.scalars(visible(Event, viewer).where(Event.sector_set_id == own.id)).all()
        if used:
            raise Problem(
                409, "in-use", f"{own.name} is used on {used[0].day}; choose other sectors for that day first."
            )
        own.retired_at = now()
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="circuit",
            subject=("layout", row.id),
            summary=f"{row.name}: the sector set {own.name} was removed.",
            inverse=[{"do": "sector-set", "layout": row.id, "set": own.id, "retired": False}],
        )
        return schemas.Noted(action=action.id)


@blueprint.post("/events/<int:event_id>/sectors")
@only("change")
@blueprint.input(schemas.SetForDay)
@blueprint.output(schemas.Noted)
def choose_set(viewer: Viewer, event_id: int, json_data: schemas.SetForDay) -> schemas.Noted:
    """Choose the sectors of a day."""
    with database().begin() as session:
        event = one(session, Event, viewer, event_id, lock=True)
        before = event.sector_set_id
        row = session.get_one(LayoutRow, event.layout_id)
        chosen = next((item for item in sets_of(session, row) if item.id == json_data.sector_set), None)
        if chosen is None:
            raise Problem(422, "sectors", f"{row.name} has no such sectors; choose some of its own.")
        jobs = set_for_day(session, viewer, event, chosen)
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="circuit",
            subject=("event", event.id),
            summary=f"{event.name}, {event.day}: sectors are {chosen.name}.",
            inverse=[{"do": "sectors-of-day", "event": event.id, "set": before}] if before else [],
        )
        answer = schemas.Noted(action=action.id, renewing=len(jobs))
    send(jobs)
    return answer


def set_for_day(session: Session, viewer: Viewer, event: Event, chosen: SectorSet) -> list[int]:
    """Cut a day's laps into other sectors; returns the jobs that do it."""
    event.sector_set_id = chosen.id
    session.flush()
    runs = session.scalars(visible(Run, viewer).where(Run.event_id == event.id).with_only_columns(Run.id))
    return renew_runs(session, viewer.team_id, list(runs), viewer.account_id)


def undo_drawing(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take a kept drawing back."""
    row = one(session, LayoutRow, viewer, step["layout"], lock=True)
    try:
        kept = take_back(session, row, step)
    except MovedOn as error:
        raise Problem(
            409, "moved-on", f"{row.name} was changed again since. Its history makes any version the present one."
        ) from error
    return renew_runs(session, viewer.team_id, kept.to_renew, viewer.account_id)


def undo_change(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Give a layout its name, its map's turn, or its state back."""
    row = one(session, LayoutRow, viewer, step["layout"], lock=True)
    _changed(session, viewer, row, schemas.LayoutChange(**step["set"]))
    return []


def undo_set(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Bring a sector set back, or take one away again."""
    one(session, LayoutRow, viewer, step["layout"], lock=True)
    own = one(session, SectorSet, viewer, step["set"])
    used = session.scalar(visible(Event, viewer).where(Event.sector_set_id == own.id))
    if step["retired"] and used is not None:
        raise Problem(409, "in-use", f"{own.name} is used on {used.day} by now; it stays.")
    own.retired_at = now() if step["retired"] else None
    return []


def undo_day(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Give a day the sectors it had."""
    event = one(session, Event, viewer, step["event"], lock=True)
    chosen = one(session, SectorSet, viewer, step["set"])
    if chosen.retired_at is not None:
        raise Problem(409, "gone", f"{chosen.name} was changed or removed since; choose sectors for the day anew.")
    return set_for_day(session, viewer, event, chosen)


def _number(session: Session, row: LayoutRow) -> int:
    assert row.current_id is not None
    return session.get_one(LayoutVersion, row.current_id).number


def _noted(session: Session, viewer: Viewer, row: LayoutRow, summary: str, kept: Kept) -> int:
    return note_action(
        session,
        viewer.team_id,
        account_id=viewer.account_id,
        kind="circuit",
        subject=("layout", row.id),
        summary=summary,
        inverse=[kept.as_step()],
    ).id
