"""Channels of a run and what they stand for; what is corrected becomes the logger's dialect."""

from dataclasses import asdict
from typing import Any

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from lauftakt.core.log.dialect import Choice
from lauftakt.core.log.model import RawLog, Unusable
from lauftakt.core.log.roles import ROLES
from lauftakt.formats.dialects import write_dialect
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.reading import read_raw
from lauftakt.formats.units import UnknownUnit, check_unit
from lauftakt.store.actions import note_action
from lauftakt.store.dialects import choice_of, find_dialect, keep_choices, to_dialect
from lauftakt.store.models import ChannelRow, DialectRow, HandIn, Run
from lauftakt.store.runs import names_of
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.exports import attachment
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.work import open_jobs
from lauftakt.work.inbox import inbox_path
from lauftakt.work.queue import send

blueprint = APIBlueprint("channels", __name__, tag="Channels")

# A logger that gained or lost a few channels is still the same logger.
MOST_IN_COMMON = 0.8
# A larger file is not read within a request.
MOST_BYTES_AT_ONCE = 100_000_000


@blueprint.get("/runs/<int:run_id>/channels")
@only("see")
@blueprint.output(schemas.ChannelsOut)
def get_channels(viewer: Viewer, run_id: int) -> schemas.ChannelsOut:
    """Each channel with a picture of its values and what it is taken for."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id)
        row = find_dialect(session, run.team_id, names_of(run.channels))
        known = row.choices if row is not None else {}
        hand_in = session.scalar(visible(HandIn, viewer).where(HandIn.run_id == run.id).order_by(HandIn.id).limit(1))
        return schemas.ChannelsOut(
            run=run.id,
            hand_in=hand_in.id if hand_in else None,
            dialect=row.name if row else None,
            dialect_id=row.id if row else None,
            channels=[show.channel(channel, channel.name in known) for channel in run.channels],
            roles=[schemas.RoleOut(code=role.code, name=role.header, unit=role.assumed) for role in ROLES.values()],
        )


@blueprint.patch("/runs/<int:run_id>/channels")
@only("change")
@blueprint.input(schemas.ChoicesIn)
@blueprint.output(schemas.Renewed, status_code=202)
def correct(viewer: Viewer, run_id: int, json_data: schemas.ChoicesIn) -> schemas.Renewed:
    """Say what channels stand for. It is kept for this kind of logger, and all its runs are understood anew by it."""
    with database().begin() as session:
        run = one(session, Run, viewer, run_id)
        again = {"run": run.id}
        answer, waiting = _say(session, viewer, json_data, names_of(run.channels), run.driver.name, again)
    send(waiting)
    return answer


@blueprint.get("/hand-ins/<int:hand_in_id>/channels")
@only("see-team")
@blueprint.output(schemas.ChannelsOut)
def get_channels_of_file(viewer: Viewer, hand_in_id: int) -> schemas.ChannelsOut:
    """Each channel of a file that could not be placed, and what it is taken for."""
    with database().begin() as session:
        row = one(session, HandIn, viewer, hand_in_id)
        raw = _raw(row)
        found = find_dialect(session, row.team_id, [channel.name for channel in raw.channels])
        log = interpret(raw, to_dialect(found) if found is not None else None)
        known = found.choices if found is not None else {}
        return schemas.ChannelsOut(
            run=None,
            hand_in=row.id,
            dialect=found.name if found else None,
            dialect_id=found.id if found else None,
            channels=[
                show.read_channel(written, understood, written.name in known)
                for written, understood in zip(raw.channels, log.channels, strict=False)
            ],
            roles=[schemas.RoleOut(code=role.code, name=role.header, unit=role.assumed) for role in ROLES.values()],
        )


@blueprint.patch("/hand-ins/<int:hand_in_id>/channels")
@only("change")
@blueprint.input(schemas.ChoicesIn)
@blueprint.output(schemas.Renewed, status_code=202)
def correct_file(viewer: Viewer, hand_in_id: int, json_data: schemas.ChoicesIn) -> schemas.Renewed:
    """Say what channels of a file stand for that could not be placed; it is tried again at once."""
    with database().begin() as session:
        row = one(session, HandIn, viewer, hand_in_id, lock=True)
        names = [channel.name for channel in _raw(row).channels]
        answer, waiting = _say(session, viewer, json_data, names, row.file_name, {"names": names})
        waiting.append(open_jobs.import_again(session, row))
    send(waiting)
    return answer


def _say(
    session: Session, viewer: Viewer, asked: schemas.ChoicesIn, names: list[str], whose: str, again: dict[str, Any]
) -> tuple[schemas.Renewed, list[int]]:
    """Keep what is said of the channels of somebody's logger, with its inverse; ``again`` finds them for undo. Returns
    the answer, and the jobs that follow."""
    choices = {item.name: _choice(item, names) for item in asked.channels}
    before = find_dialect(session, viewer.team_id, names)
    inverse = {"do": "channels", **again, "set": {name: asdict(_kept(before, name)) for name in choices}}
    title = asked.name or f"Logger of {whose}"
    dialect_id, same, waiting = apply_choices(session, viewer, names, choices, title, asked.name)
    action = note_action(
        session,
        viewer.team_id,
        account_id=viewer.account_id,
        kind="channels",
        subject=("dialect", dialect_id),
        summary=f"Corrected {len(choices)} channels of the logger of {whose}.",
        inverse=[inverse],
    )
    return schemas.Renewed(dialect_id=dialect_id, runs=same, action=action.id), waiting


def _raw(row: HandIn) -> RawLog:
    """The file of a hand-in that could not be placed, as a worker has read it before.

    Raises
    ------
    Problem
        409 where there is nothing to correct, 413 where it is too large to be read while somebody waits.
    """
    path = inbox_path(settings_of_app().inbox, row.id)
    if row.state != "refused" or row.code not in open_jobs.PLACEABLE or not path.exists():
        raise Problem(409, "settled", "This file is being imported, was not kept, or its fate is settled.")
    if row.size > MOST_BYTES_AT_ONCE:
        raise Problem(413, "file-large", "The file is too large to be looked at here. Hand in a shorter run first.")
    try:
        return read_raw(path)
    except Unusable as error:
        raise Problem(409, error.code, str(error)) from error


def _kept(row: DialectRow | None, name: str) -> Choice:
    found = row.choices.get(name) if row is not None else None
    return Choice() if found is None else choice_of(found)


def apply_choices(
    session: Session, viewer: Viewer, names: list[str], choices: dict[str, Choice], title: str, name: str | None
) -> tuple[int, list[int], list[int]]:
    """Keep what was said of a logger's channels; returns the dialect, its runs, and the jobs that read them anew."""
    row = keep_choices(session, viewer.team_id, names, choices, title)
    if name:
        row.name = name
    session.flush()
    same = runs_of(session, row, names)
    # One more reading: whatever is computed at this moment by the old one will not become a run's present analysis.
    session.execute(update(Run).where(Run.team_id == viewer.team_id, Run.id.in_(same)).values(reading=Run.reading + 1))
    return row.id, same, open_jobs.renew_runs(session, viewer.team_id, same, viewer.account_id)


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


def runs_of(session: Session, row: DialectRow, names: list[str]) -> list[int]:
    """Runs of loggers that a dialect is for: that were read with it, or have the very same names."""
    known = set(session.scalars(select(Run.id).where(Run.team_id == row.team_id, Run.dialect_id == row.id)))
    some = session.scalars(
        select(ChannelRow.run_id)
        .where(ChannelRow.team_id == row.team_id, ChannelRow.name.in_(names))
        .group_by(ChannelRow.run_id)
        .having(func.count() >= MOST_IN_COMMON * len(names))
    )
    return sorted(known | set(some))


@blueprint.get("/dialects")
@only("see-team")
@blueprint.output(schemas.DialectList)
def list_dialects(viewer: Viewer) -> schemas.DialectList:
    """Kinds of loggers of which something is known."""
    with database().begin() as session:
        counts: dict[Any, int] = dict(
            session.execute(
                select(Run.dialect_id, func.count())
                .where(Run.team_id == viewer.team_id, Run.dialect_id.is_not(None))
                .group_by(Run.dialect_id)
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
                for row in session.scalars(visible(DialectRow, viewer).order_by(DialectRow.name))
            ]
        )


@blueprint.patch("/dialects/<int:dialect_id>")
@only("change")
@blueprint.input(schemas.DialectName)
@blueprint.output({}, status_code=204)
def rename_dialect(viewer: Viewer, dialect_id: int, json_data: schemas.DialectName) -> str:
    """Call a kind of logger by another name."""
    with database().begin() as session:
        one(session, DialectRow, viewer, dialect_id).name = json_data.name
    return ""


@blueprint.delete("/dialects/<int:dialect_id>")
@only("change")
@blueprint.output({}, status_code=204)
def forget_dialect(viewer: Viewer, dialect_id: int) -> str:
    """Forget what was said of a logger; runs stay as they are understood now."""
    with database().begin() as session:
        session.delete(one(session, DialectRow, viewer, dialect_id))
    return ""


@blueprint.get("/dialects/<int:dialect_id>/file")
@only("see-team")
def export_dialect(viewer: Viewer, dialect_id: int) -> Response:
    """A dialect as a file, to be handed in by another team."""
    with database().begin() as session:
        row = one(session, DialectRow, viewer, dialect_id)
        data = write_dialect(row.name, to_dialect(row))
    return attachment(data, f"{row.name}.json", "application/json")
