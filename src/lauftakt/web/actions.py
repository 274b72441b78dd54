"""What was done, by whom and when; and taking it back."""

from collections.abc import Callable
from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.laps.counting import begins_at
from lauftakt.store.actions import note_action
from lauftakt.store.counting import laps_of
from lauftakt.store.database import NotFound, now
from lauftakt.store.dialects import choice_of
from lauftakt.store.models import Account, Action, HandIn, HandInLink, Run
from lauftakt.store.runs import names_of
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.cars import undo_sheet
from lauftakt.web.channels import apply_choices
from lauftakt.web.circuits.changing import undo_change, undo_day, undo_drawing, undo_set
from lauftakt.web.circuits.marks import undo_mark
from lauftakt.web.debrief.cues import undo_cue, undo_given
from lauftakt.web.drivers import part
from lauftakt.web.drivers import undo_change as undo_driver
from lauftakt.web.labels import change_labels, judge_lap
from lauftakt.web.layouts import split
from lauftakt.web.links import bring_link_back
from lauftakt.web.meanwhile import refuse_to_take_along
from lauftakt.web.notes import undo_note
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.web.references import undo_reference
from lauftakt.web.removing import take_back
from lauftakt.web.stints import undo_stint
from lauftakt.web.traffic import undo_traffic
from lauftakt.work.queue import send

blueprint = APIBlueprint("actions", __name__, tag="Actions")


@blueprint.get("/actions")
@only("see-team")
@blueprint.input(schemas.ActionQuery, location="query")
@blueprint.output(schemas.ActionList)
def list_actions(viewer: Viewer, query_data: schemas.ActionQuery) -> schemas.ActionList:
    """Who did what, newest first."""
    with database().begin() as session:
        query = visible(Action, viewer)
        if query_data.before is not None:
            query = query.where(Action.id < query_data.before)
        rows = session.scalars(query.order_by(Action.id.desc()).limit(query_data.limit + 1)).all()
        shown = rows[: query_data.limit]
        names: dict[int, str] = dict(
            session.execute(select(Account.id, Account.name).where(Account.team_id == viewer.team_id)).all()
        )
        return schemas.ActionList(
            actions=[
                schemas.ActionOut(
                    id=row.id,
                    at=show.moment(row.at),
                    who=names.get(row.account_id or 0, _else(row)),
                    summary=row.summary,
                    undone=row.undone_at is not None,
                    can_undo=bool(row.inverse) and row.undone_at is None,
                )
                for row in shown
            ],
            next=shown[-1].id if len(rows) > len(shown) else None,
        )


def _else(row: Action) -> str:
    """Who did it, where no account says so."""
    return "a driver, by link" if row.link_id else "somebody who left"


@blueprint.post("/actions/<int:action_id>/undo")
@only("change")
@blueprint.input(schemas.UndoIn, location="query")
@blueprint.output({}, status_code=204)
def undo(viewer: Viewer, action_id: int, query_data: schemas.UndoIn) -> str:
    """Take something back: what it changed is as it was before it. What was changed since elsewhere stays; where the
    very same was changed since, that is refused unless it is wished for anyway."""
    with database().begin() as session:
        row = one(session, Action, viewer, action_id, lock=True)
        if row.undone_at is not None:
            raise Problem(409, "undone", "This was taken back already.")
        if not row.inverse:
            raise Problem(409, "for-good", "This cannot be taken back.")
        if not query_data.anyway:
            refuse_to_take_along(session, viewer, row)
        waiting: list[int] = []
        for step in row.inverse:
            waiting += _STEPS[step["do"]](session, viewer, step)
        row.undone_at = now()
        note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="undo",
            subject=(row.subject, row.subject_id),
            summary=f"Taken back: {row.summary}",
            inverse=[],
        )
    send(waiting)
    return ""


def _labels(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    run = one(session, Run, viewer, step["run"], lock=True)
    return change_labels(session, viewer, run, schemas.Labels(**step["set"]), "person")


def _lap(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    run = one(session, Run, viewer, step["run"], lock=True)
    laps = laps_of(session, run.analysis_id)
    near = [item for item in laps if begins_at(item, step["moment"])]
    lap = min(near, key=lambda item: abs(item.start_s - step["moment"]), default=None)
    if lap is None:
        raise NotFound("lap")
    judge_lap(session, viewer, run, lap.number, schemas.LapJudged(**step["set"]))
    return []


def _channels(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    choices = {name: choice_of(found) for name, found in step["set"].items()}
    if "names" in step:  # of a file that was no run then
        return apply_choices(session, viewer, step["names"], choices, "Logger", None)[2]
    run = one(session, Run, viewer, step["run"])
    title = f"Logger of {run.driver.name}"
    return apply_choices(session, viewer, names_of(run.channels), choices, title, None)[2]


def _hand_in(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    one(session, HandIn, viewer, step["hand_in"]).dismissed_at = None
    return []


def _link(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    bring_link_back(session, one(session, HandInLink, viewer, step["link"]))
    return []


_STEPS: dict[str, Callable[[Session, Viewer, dict[str, Any]], list[int]]] = {
    "labels": _labels,
    "lap": _lap,
    "channels": _channels,
    "hand-in": _hand_in,
    "link": _link,
    "driver": part,
    "driver-change": undo_driver,
    "layout": split,
    "removed": take_back,
    "drawing": undo_drawing,
    "circuit": undo_change,
    "sector-set": undo_set,
    "sectors-of-day": undo_day,
    "mark": undo_mark,
    "car-sheet": undo_sheet,
    "stint": undo_stint,
    "traffic": undo_traffic,
    "note": undo_note,
    "cue": undo_cue,
    "debrief-given": undo_given,
    "reference-of-day": undo_reference,
}
