"""A driver's wish to be forgotten: what of them goes for good, what stays without their name, and a proof of it."""

import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy import JSON, String, Text, cast, delete, func, or_, select, update
from sqlalchemy.orm import Session

from lauftakt.store.database import INCLUDE_REMOVED, mine, mine_by_id
from lauftakt.store.models import (
    Account,
    Action,
    Base,
    Car,
    CueRow,
    Debrief,
    Driver,
    Event,
    HandIn,
    HandInLink,
    Job,
    LiveStream,
    Run,
    Upload,
)
from lauftakt.store.removing import remove_if_empty

# What stands in the log of what was done instead of what was said about them.
NAMELESS = "Something about a driver who was forgotten."
_PLAIN = {"synchronize_session": False}
_ALL = INCLUDE_REMOVED


@dataclass(frozen=True)
class Known:
    """What is kept of a driver: rows that go, and where else their name stands, as ``table.column`` with how often."""

    name: str
    runs: list[int]
    hand_ins: list[int]
    links: int
    accounts: int
    actions: list[int]
    jobs: list[int]
    mentions: dict[str, int]


def known_of(session: Session, team_id: int, driver_id: int) -> Known:
    """Everything that a team keeps of a driver, also what was removed.

    Raises
    ------
    lauftakt.store.database.NotFound
    """
    driver = mine_by_id(session, Driver, team_id, driver_id)
    name = driver.name

    def ids(query: Any) -> list[int]:
        return list(session.scalars(query, execution_options=INCLUDE_REMOVED))

    runs = ids(_of(Run, team_id, Run.driver_id == driver_id))
    files = or_(HandIn.driver_id == driver_id, HandIn.run_id.in_(runs), HandIn.driver_name == name)
    hand_ins = ids(_of(HandIn, team_id, files))
    links = ids(_of(HandInLink, team_id, HandInLink.driver_id == driver_id))
    about = or_(
        Action.summary.contains(name, autoescape=True),
        _says(Action.inverse, name),
        (Action.subject == "run") & Action.subject_id.in_(runs),
        (Action.subject == "driver") & (Action.subject_id == driver_id),
    )
    jobs = or_(
        (Job.subject == "run") & Job.subject_id.in_(runs),
        (Job.subject == "hand_in") & Job.subject_id.in_(hand_ins),
        _says(Job.result, name),
    )
    return Known(
        name=name,
        runs=runs,
        hand_ins=hand_ins,
        links=len(links),
        accounts=len(ids(_of(Account, team_id, Account.driver_id == driver_id))),
        actions=ids(_of(Action, team_id, about)),
        jobs=ids(_of(Job, team_id, jobs)),
        mentions={},
    )


def forget(session: Session, team_id: int, driver_id: int) -> Known:
    """Delete everything of a driver for good; there is no undo.

    Runs go with their logs, laps, figures and notes; files, links, the driver's account and jobs, too. The log of what
    was done keeps that something was done, without saying about whom. Days and cars that are left empty go.

    Returns
    -------
    What went; ``mentions`` is where the name still stands in other people's words, which nobody but them may change.
    """
    session.refresh(mine_by_id(session, Driver, team_id, driver_id), with_for_update=True)
    known = known_of(session, team_id, driver_id)
    runs = session.scalars(mine(Run, team_id).where(Run.id.in_(known.runs)), execution_options=INCLUDE_REMOVED).all()
    events, cars = {run.event_id for run in runs}, {run.car_id for run in runs}
    session.expunge_all()
    session.execute(
        update(Action).where(Action.id.in_(known.actions)).values(summary=NAMELESS, inverse=[]),
        execution_options=_PLAIN,
    )
    for model, condition in (
        (Run, Run.id.in_(known.runs)),
        (HandIn, HandIn.id.in_(known.hand_ins)),
        (Job, Job.id.in_(known.jobs)),
        (HandInLink, HandInLink.driver_id == driver_id),
        (Account, Account.driver_id == driver_id),
        (Upload, Upload.driver_name == known.name),
        (Driver, Driver.id == driver_id),
    ):
        session.execute(delete(model).where(model.team_id == team_id, condition), execution_options=_PLAIN)
    session.execute(
        update(LiveStream)
        .where(LiveStream.team_id == team_id, LiveStream.driver_name == known.name)
        .values(driver_name=None),
        execution_options=_PLAIN,
    )
    _unname(session, team_id, known.name)
    session.flush()
    for event_id in events:
        still = _of(Run, team_id, Run.event_id == event_id)
        if session.scalar(still.limit(1), execution_options=INCLUDE_REMOVED) is None:
            session.execute(delete(Event).where(Event.id == event_id), execution_options=_PLAIN)
    for car_id in cars:
        remove_if_empty(session, team_id, Car, car_id)
    return Known(**{**known.__dict__, "mentions": mentions(session, team_id, known.name)})


def mentions(session: Session, team_id: int, name: str) -> dict[str, int]:
    """Where a name stands in any text of a team, as ``table.column``: how many rows. Every table and column is looked
    at, so that nothing is overlooked that a later version keeps."""
    found: dict[str, int] = {}
    for table in Base.metadata.sorted_tables:
        if "team_id" not in table.c:
            continue
        for column in table.c:
            if not isinstance(column.type, String | JSON):
                continue
            holds = _says(column, name) if isinstance(column.type, JSON) else column.contains(name, autoescape=True)
            count = session.scalar(select(func.count()).select_from(table).where(table.c.team_id == team_id, holds))
            if count:
                found[f"{table.name}.{column.name}"] = count
    return found


def _says(column: Any, name: str) -> Any:
    """Whether JSON holds a name, letters beyond ASCII written as they are or as their numbers."""
    text = cast(column, Text)
    written = json.dumps(name)[1:-1]
    return or_(text.contains(name, autoescape=True), text.contains(written, autoescape=True))


def _unname(session: Session, team_id: int, name: str) -> None:
    """Take a name out of sentences that the program made about others: whom they were quicker than."""
    for row in session.scalars(mine(CueRow, team_id).where(_says(CueRow.sentence, name)), execution_options=_ALL):
        row.sentence = [_without(part, name) for part in row.sentence]
    for debrief in session.scalars(mine(Debrief, team_id).where(_says(Debrief.given, name))):
        given = debrief.given or {}
        debrief.given = {
            key: [{**cue, "sentence": [_without(part, name) for part in cue["sentence"]]} for cue in cues or ()]
            for key, cues in given.items()
        }


def _without(part: dict[str, Any], name: str) -> dict[str, Any]:
    return {**part, "text": part["text"].replace(name, "another driver")} if part.get("text") else part


def _of(model: Any, team_id: int, *conditions: Any) -> Any:
    return mine(model, team_id).with_only_columns(model.id).where(*conditions)
