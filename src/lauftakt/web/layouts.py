"""A circuit that was taken for two: its runs are placed anew on the one that is kept, and undo parts them again."""

from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import update
from sqlalchemy.orm import Session

from lauftakt.store.actions import note_action
from lauftakt.store.database import mine
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Event, HandIn, LayoutRow, Note, Run
from lauftakt.store.removing import bring_back, goes_along, remove
from lauftakt.store.runs import event_for
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, only
from lauftakt.web.policy import Viewer, one
from lauftakt.work.open_jobs import renew_runs
from lauftakt.work.queue import send

blueprint = APIBlueprint("layouts", __name__, tag="Circuits")


@blueprint.post("/layouts/<int:layout_id>/join")
@only("change")
@blueprint.input(schemas.JoinIn)
@blueprint.output(schemas.LayoutJoined)
def join_layouts(viewer: Viewer, layout_id: int, json_data: schemas.JoinIn) -> schemas.LayoutJoined:
    """Say that a circuit is another one: its runs go there and are computed anew."""
    with database().begin() as session:
        gone = one(session, LayoutRow, viewer, layout_id, lock=True)
        kept = one(session, LayoutRow, viewer, json_data.into, lock=True)
        _must_agree(session, gone, kept)
        runs = session.scalars(mine(Run, viewer.team_id).where(Run.layout_id == gone.id).with_for_update()).all()
        before = [[run.id, run.event_id] for run in runs]
        for run in runs:
            event = session.get_one(Event, run.event_id)
            name = None if event.name == gone.name else event.name
            run.event_id = event_for(session, viewer.team_id, kept, name, event.day).id
            run.layout_id = kept.id
        files = list(
            session.scalars(
                mine(HandIn, viewer.team_id).where(HandIn.layout_id == gone.id).with_only_columns(HandIn.id)
            )
        )
        _point(session, viewer, files, kept.id)
        session.flush()
        # Nothing is left on it: only the layout with its days, and the circuit where it was its only one.
        empty = goes_along(session, viewer.team_id, "layout", gone.id)
        # Notes lie on the ground of a circuit: where that goes, they lie on the one that stays.
        going = gone.circuit_id != kept.circuit_id and gone.circuit_id in empty.ids("circuit")
        notes = _notes_of(session, viewer, gone.circuit_id) if going else []
        _lay_notes(session, viewer, notes, kept.circuit_id)
        name, moved = gone.name, [run.id for run in runs]
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="layout",
            subject=("layout", kept.id),
            summary=f"{name} was joined with {kept.name}.",
            inverse=[
                {
                    "do": "layout",
                    "layout": gone.id,
                    "runs": before,
                    "hand_ins": files,
                    "notes": notes,
                    "circuit": gone.circuit_id,
                    "removed": empty.as_step(),
                }
            ],
        )
        answer = schemas.LayoutJoined(name=kept.name, runs=len(moved), action=action.id)
        remove(session, viewer.team_id, empty)
        jobs = renew_runs(session, viewer.team_id, moved, viewer.account_id)
    send(jobs)
    return answer


def split(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take a joining back: the circuit is there again with its runs, which are computed anew."""
    bring_back(session, viewer.team_id, step["removed"])
    for run_id, event_id in step["runs"]:
        session.execute(
            update(Run)
            .where(Run.team_id == viewer.team_id, Run.id == run_id)
            .values(layout_id=step["layout"], event_id=event_id)
        )
    _point(session, viewer, step["hand_ins"], step["layout"])
    _lay_notes(session, viewer, step.get("notes", []), step.get("circuit"))
    session.expire_all()
    return renew_runs(session, viewer.team_id, [run_id for run_id, _ in step["runs"]], viewer.account_id)


def _must_agree(session: Session, gone: LayoutRow, kept: LayoutRow) -> None:
    if gone.id == kept.id:
        raise Problem(422, "same", "This is one circuit already.")
    if kept.current_id is None:
        raise Problem(409, "no-layout", f"{kept.name} waits for its first run; keep the other one.")
    if gone.current_id is None:
        return
    first, second = (load_layout(session, row.current_id, None) for row in (gone, kept) if row.current_id is not None)
    if first.runs_against(second):
        raise Problem(409, "other-way", f"{gone.name} is {kept.name} driven the other way round; they stay two.")
    if not first.is_same_way(second):
        raise Problem(
            409,
            "not-same",
            f"{gone.name} ({first.length:.0f} m) and {kept.name} ({second.length:.0f} m) are not the same way round, "
            "so their laps cannot be compared; they stay two.",
        )


def _notes_of(session: Session, viewer: Viewer, circuit_id: int) -> list[int]:
    found = mine(Note, viewer.team_id).where(Note.circuit_id == circuit_id).with_only_columns(Note.id)
    return list(session.scalars(found))


def _lay_notes(session: Session, viewer: Viewer, ids: list[int], circuit_id: int | None) -> None:
    if ids:
        session.execute(
            update(Note).where(Note.team_id == viewer.team_id, Note.id.in_(ids)).values(circuit_id=circuit_id)
        )


def _point(session: Session, viewer: Viewer, files: list[int], layout_id: int) -> None:
    if files:
        session.execute(
            update(HandIn).where(HandIn.team_id == viewer.team_id, HandIn.id.in_(files)).values(layout_id=layout_id)
        )
