"""Channels of a run and what they stand for; what is corrected becomes the logger's dialect."""

from typing import Any

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lauftakt.core.log.dialect import Choice
from lauftakt.core.log.roles import ROLES
from lauftakt.formats.dialects import write_dialect
from lauftakt.formats.units import UnknownUnit, check_unit
from lauftakt.store.database import mine, mine_by_id
from lauftakt.store.dialects import find_dialect, keep_choices, to_dialect
from lauftakt.store.models import ChannelRow, DialectRow, HandIn, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, for_coaches, team_id
from lauftakt.web.exports import attachment
from lauftakt.work import jobs
from lauftakt.work.queue import send

blueprint = APIBlueprint("dialects", __name__, tag="Channels")


@blueprint.get("/runs/<int:run_id>/channels")
@for_coaches
@blueprint.output(schemas.ChannelsOut)
def get_channels(run_id: int) -> schemas.ChannelsOut:
    """Each channel with a picture of its values and what it is taken for."""
    with database().begin() as session:
        return _channels(session, mine_by_id(session, Run, team_id(), run_id))


def _channels(session: Session, run: Run) -> schemas.ChannelsOut:
    row = find_dialect(session, run.team_id, [channel.name for channel in run.channels])
    known = row.choices if row is not None else {}
    hand_in = session.scalar(mine(HandIn, run.team_id).where(HandIn.run_id == run.id))
    return schemas.ChannelsOut(
        run=run.id,
        hand_in=hand_in.id if hand_in else None,
        dialect=row.name if row else None,
        dialect_id=row.id if row else None,
        channels=[show.channel(channel, channel.name in known) for channel in run.channels],
        roles=[schemas.RoleOut(code=role.code, name=role.header, unit=role.assumed) for role in ROLES.values()],
    )


@blueprint.patch("/runs/<int:run_id>/channels")
@for_coaches
@blueprint.input(schemas.ChoicesIn)
@blueprint.output(schemas.Renewed, status_code=202)
def correct(run_id: int, json_data: schemas.ChoicesIn) -> schemas.Renewed:
    """Say what channels stand for. It is kept for this kind of logger, and all its runs are understood anew by it."""
    team = team_id()
    with database().begin() as session:
        run = mine_by_id(session, Run, team, run_id)
        names = [channel.name for channel in run.channels]
        choices = {item.name: _choice(item, names) for item in json_data.channels}
        title = json_data.name or f"Logger of {run.driver.name}"
        row = keep_choices(session, team, names, choices, title)
        if json_data.name:
            row.name = json_data.name
        session.flush()
        same = _runs_of(session, row, names)
        hand_ins = session.scalars(mine(HandIn, team).where(HandIn.run_id.in_(same))).all()
        waiting = [(item.id, jobs.again(session, item, "renew")) for item in hand_ins]
        with_hand_in = {item.run_id for item in hand_ins}
        for other in session.scalars(mine(Run, team).where(Run.id.in_(set(same) - with_hand_in))):
            other.code_version = 0  # computed again at the next start
        answer = schemas.Renewed(dialect_id=row.id, hand_ins=[hand_in_id for hand_in_id, _ in waiting])
    send([job_id for _, job_id in waiting])
    return answer


def _choice(item: schemas.ChoiceIn, names: list[str]) -> Choice:
    if item.name not in names:
        raise Problem(422, "no-channel", f"The run has no channel “{item.name[:60]}”.")
    if item.role and item.role not in ROLES:
        raise Problem(422, "no-role", f"“{item.role[:60]}” is no role.")
    if item.unit:
        try:
            check_unit(item.unit, ROLES[item.role].unit if item.role else None)
        except UnknownUnit as error:
            wanted = f", or does not measure what {ROLES[item.role].header} does" if item.role else ""
            raise Problem(422, "unit", f"The unit “{item.unit[:30]}” is not known{wanted}.") from error
    return Choice(role=item.role, unit=item.unit or None, flipped=item.flipped)


def _runs_of(session: Session, row: DialectRow, names: list[str]) -> list[int]:
    """Runs of loggers that this dialect is for: that were read with it, or have the very same names."""
    known = set(session.scalars(select(Run.id).where(Run.team_id == row.team_id, Run.dialect_id == row.id)))
    some = session.scalars(
        select(ChannelRow.run_id)
        .where(ChannelRow.team_id == row.team_id, ChannelRow.name.in_(names))
        .group_by(ChannelRow.run_id)
        .having(func.count() >= 0.8 * len(names))
    )
    return sorted(known | set(some))


@blueprint.get("/dialects")
@for_coaches
@blueprint.output(schemas.DialectList)
def list_dialects() -> schemas.DialectList:
    """Kinds of loggers of which something is known."""
    team = team_id()
    with database().begin() as session:
        counts: dict[Any, int] = dict(
            session.execute(
                select(Run.dialect_id, func.count()).where(Run.team_id == team).group_by(Run.dialect_id)
            ).all()
        )
        return schemas.DialectList(
            dialects=[
                schemas.DialectOut(
                    id=row.id,
                    name=row.name,
                    channels=len(row.names),
                    known=len(row.choices),
                    runs=counts.get(row.id, 0),
                )
                for row in session.scalars(mine(DialectRow, team).order_by(DialectRow.name))
            ]
        )


@blueprint.patch("/dialects/<int:dialect_id>")
@for_coaches
@blueprint.input(schemas.DialectName)
@blueprint.output({}, status_code=204)
def rename_dialect(dialect_id: int, json_data: schemas.DialectName) -> str:
    """Call a kind of logger by another name."""
    with database().begin() as session:
        mine_by_id(session, DialectRow, team_id(), dialect_id).name = json_data.name
    return ""


@blueprint.delete("/dialects/<int:dialect_id>")
@for_coaches
@blueprint.output({}, status_code=204)
def forget_dialect(dialect_id: int) -> str:
    """Forget what was said of a logger; runs stay as they are understood now."""
    with database().begin() as session:
        session.delete(mine_by_id(session, DialectRow, team_id(), dialect_id))
    return ""


@blueprint.get("/dialects/<int:dialect_id>/file")
@for_coaches
def export_dialect(dialect_id: int) -> Response:
    """A dialect as a file, to be handed in by another team."""
    with database().begin() as session:
        row = mine_by_id(session, DialectRow, team_id(), dialect_id)
        data = write_dialect(row.name, to_dialect(row))
    return attachment(data, f"{row.name}.json", "application/json")
