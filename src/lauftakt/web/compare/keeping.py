"""Line-ups kept by name for the team, and what somebody wants to see on the desk."""

from typing import Any

from apiflask import APIBlueprint
from flask_login import current_user
from sqlalchemy import Select
from sqlalchemy.orm import Session

from lauftakt.core.registry import CHANNELS, DERIVED
from lauftakt.store.database import mine_by_id, now
from lauftakt.store.lineup import NAMELESS
from lauftakt.store.models import Account, Event, LineUpRow
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("line-ups", __name__, tag="Compare")

MOST = 100
# Between channels that share a stave: no channel's name holds it.
JOIN = "\n"


@blueprint.get("/line-ups")
@only("see-team")
@blueprint.input(schemas.LineUpsQuery, location="query")
@blueprint.output(schemas.LineUpsOut)
def list_line_ups(viewer: Viewer, query_data: schemas.LineUpsQuery) -> schemas.LineUpsOut:
    """Line-ups that were kept on the layout of an event, by name."""
    with database().begin() as session:
        event = one(session, Event, viewer, query_data.event)
        rows = session.scalars(_of(viewer, event.layout_id).order_by(LineUpRow.name))
        return schemas.LineUpsOut(line_ups=[_out(row) for row in rows])


@blueprint.post("/line-ups")
@only("change")
@blueprint.input(schemas.LineUpIn)
@blueprint.output(schemas.LineUpOut, status_code=201)
def keep(viewer: Viewer, json_data: schemas.LineUpIn) -> schemas.LineUpOut:
    """Keep a line-up under a name."""
    with database().begin() as session:
        event = one(session, Event, viewer, json_data.event)
        _must_be_free(session, viewer, event.layout_id, json_data.name)
        if len(session.scalars(_of(viewer, event.layout_id)).all()) >= MOST:
            raise Problem(409, "too-many", f"{MOST} line-ups are kept on this circuit; remove one first.")
        row = LineUpRow(
            team_id=viewer.team_id, layout_id=event.layout_id, account_id=viewer.account_id,
            name=json_data.name, address=json_data.address, kept_at=now(),
        )  # fmt: skip
        session.add(row)
        session.flush()
        return _out(row)


@blueprint.patch("/line-ups/<int:line_up_id>")
@only("change")
@blueprint.input(schemas.LineUpChange)
@blueprint.output(schemas.LineUpOut)
def change(viewer: Viewer, line_up_id: int, json_data: schemas.LineUpChange) -> schemas.LineUpOut:
    """Give a line-up another name, or keep what lies on the desk now under its name."""
    with database().begin() as session:
        row = one(session, LineUpRow, viewer, line_up_id, lock=True)
        if json_data.name is not None and json_data.name != row.name:
            _must_be_free(session, viewer, row.layout_id, json_data.name, but=row.id)
            row.name = json_data.name
        if json_data.address is not None:
            row.address, row.kept_at = json_data.address, now()
        return _out(row)


@blueprint.delete("/line-ups/<int:line_up_id>")
@only("change")
@blueprint.output({}, status_code=204)
def forget(viewer: Viewer, line_up_id: int) -> str:
    """Forget a line-up; its laps stay."""
    with database().begin() as session:
        session.delete(one(session, LineUpRow, viewer, line_up_id))
    return ""


@blueprint.get("/staves")
@only("account")
@blueprint.output(schemas.Staves)
def get_staves(viewer: Viewer) -> schemas.Staves:
    """The staves that somebody wants to see, and their sets of them."""
    with database().begin() as session:
        account = mine_by_id(session, Account, viewer.team_id, current_user.id)
        return schemas.Staves(**(account.desk or {}))


@blueprint.put("/staves")
@only("account")
@blueprint.input(schemas.Staves)
@blueprint.output(schemas.Staves)
def put_staves(viewer: Viewer, json_data: schemas.Staves) -> schemas.Staves:
    """Remember the staves that somebody wants to see."""
    named = [role for stave in (json_data.staves or []) for role in stave.split(JOIN)]
    named += [role for own in json_data.sets for stave in own.staves for role in stave.split(JOIN)]
    unknown = [role for role in named if role not in CHANNELS and role not in DERIVED and not role.startswith(NAMELESS)]
    if unknown:
        raise Problem(422, "invalid", f"There is no channel called {unknown[0]}.")
    with database().begin() as session:
        account = mine_by_id(session, Account, viewer.team_id, current_user.id)
        account.desk = json_data.model_dump()
    return json_data


def _of(viewer: Viewer, layout_id: int) -> Select[Any]:
    return visible(LineUpRow, viewer).where(LineUpRow.layout_id == layout_id)


def _must_be_free(session: Session, viewer: Viewer, layout_id: int, name: str, but: int | None = None) -> None:
    for row in session.scalars(_of(viewer, layout_id).with_for_update()):
        if row.name.casefold() == name.casefold() and row.id != but:
            raise Problem(409, "name-taken", f"There is a line-up called {row.name} already. Choose another name.")


def _out(row: LineUpRow) -> schemas.LineUpOut:
    return schemas.LineUpOut(id=row.id, name=row.name, address=row.address, kept_at=show.moment(row.kept_at))
