"""What is said about a run: changed by a coach, or by the driver for what only they know; all can be taken back."""

from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from lauftakt.core.log.text import one_line
from lauftakt.store.actions import note_action
from lauftakt.store.counting import laps_of, say_of_lap, settle, word_for
from lauftakt.store.database import INCLUDE_REMOVED, mine, now
from lauftakt.store.models import (
    Car,
    CueRow,
    Debrief,
    Driver,
    Event,
    HandIn,
    LapRow,
    LapWord,
    LayoutRow,
    Run,
    Voice,
)
from lauftakt.store.removing import remove_if_empty
from lauftakt.store.runs import event_for, moment_of, named, parse_date
from lauftakt.web import schemas
from lauftakt.web.access import Problem
from lauftakt.web.policy import Viewer
from lauftakt.work.open_jobs import renew_runs

_WORDS = {"kind": "kind of run", "started_at": "beginning", "felt": "what was felt", "confirmed": "confirmation"}


def change_labels(session: Session, viewer: Viewer, run: Run, change: schemas.Labels, by: str) -> list[int]:
    """Apply what is named in ``change``; what is not named stays. Returns jobs that follow from it.

    Raises
    ------
    Problem
        422 where a name is taken or a date cannot be read.
    """
    told = dict(run.labels_from)
    before = run.driver_id, run.car_id
    old, fresh = run.driver, bool(change.driver) and not _known(session, run, change.driver or "")
    for name in change.model_fields_set:
        if _change(session, run, name, getattr(change, name)):
            told[name] = by
    if change.model_fields_set & {"event", "started_at"}:
        _move(session, run, change.event if "event" in change.model_fields_set else run.event.name)
    run.labels_from = told
    session.flush()
    if run.driver_id != before[0]:
        _take_debrief_along(session, run)
        remove_if_empty(session, run.team_id, Driver, before[0])
        session.refresh(old)
        if fresh and old.removed_at is not None:
            run.driver.colour = old.colour  # only the name was corrected
    if run.car_id != before[1]:
        remove_if_empty(session, run.team_id, Car, before[1])
    if run.analysis is not None and run.analysis.sector_set_id != run.event.sector_set_id:
        return renew_runs(session, run.team_id, [run.id], viewer.account_id)
    return []


def _known(session: Session, run: Run, name: str) -> bool:
    """Whether there is a driver of a name, also one who was removed."""
    query = mine(Driver, run.team_id).where(Driver.name == (one_line(name, 200) or "?"))
    return session.scalar(query, execution_options=INCLUDE_REMOVED) is not None


def _take_debrief_along(session: Session, run: Run) -> None:
    """What was prepared and said after a run that was somebody else's is of whoever drove it; it is nobody's to read
    until it is given anew."""
    of_run = select(Debrief.id).where(Debrief.team_id == run.team_id, Debrief.run_id == run.id)
    cues = update(CueRow).where(CueRow.team_id == run.team_id, CueRow.debrief_id.in_(of_run))
    session.execute(cues.values(driver_id=run.driver_id), execution_options={"synchronize_session": False})
    for model, values in ((Debrief, {"given_at": None, "opened_at": None}), (Voice, {})):
        own = update(model).where(model.team_id == run.team_id, model.run_id == run.id)
        session.execute(own.values(driver_id=run.driver_id, **values), execution_options={"synchronize_session": False})


def _change(session: Session, run: Run, name: str, value: Any) -> bool:
    """Change one label; whether its source is to be noted."""
    if name == "driver" and value:
        run.driver = named(session, Driver, run.team_id, value)
    elif name == "car":
        run.car = named(session, Car, run.team_id, value) if value else None
    elif name == "kind" and value:
        run.kind = value
    elif name in ("conditions", "tyres", "notes", "felt"):
        setattr(run, name, value or None)
    elif name == "confirmed":
        run.confirmed = bool(value)
        return False
    elif name == "circuit" and value:
        rename(session, run.layout, value)
    elif name == "started_at":
        moment, zone = parse_date(value)
        if value and moment is None:
            raise Problem(422, "date", "The beginning is not a date that can be read, like 2026-05-16T09:40.")
        run.started_at, run.zone = moment, zone or (run.zone if moment else None)
    elif name != "event":
        return False
    return True


def labels_of(run: Run, names: set[str]) -> dict[str, Any]:
    """The present labels of a run, as a change that brings them back."""
    found = {
        "driver": run.driver.name,
        "car": run.car.name if run.car else None,
        "circuit": run.layout.name,
        "event": run.event.name,
        "kind": run.kind,
        "conditions": run.conditions,
        "tyres": run.tyres,
        "notes": run.notes,
        "felt": run.felt,
        "started_at": moment_of(run),
        "confirmed": run.confirmed,
    }
    return {name: value for name, value in found.items() if name in names}


def change_many(
    session: Session, viewer: Viewer, runs: list[Run], change: schemas.Labels, by: str, *, noted: bool = True
) -> tuple[int | None, list[int]]:
    """The same change for several runs, noted with its inverse; returns the action's number and jobs that follow."""
    names = set(change.model_fields_set)
    inverse = [{"do": "labels", "run": run.id, "set": labels_of(run, names), "by": by} for run in runs]
    jobs: list[int] = []
    for run in runs:
        jobs += change_labels(session, viewer, run, change, by)
    if not noted or not runs or not names:
        return None, jobs
    what = ", ".join(sorted(_WORDS.get(name, name) for name in names))
    whose = f"the run of {runs[0].driver.name}" if len(runs) == 1 else f"{len(runs)} runs"
    action = note_action(
        session,
        viewer.team_id,
        account_id=viewer.account_id,
        link_id=viewer.link_id,
        kind="labels",
        subject=("run", runs[0].id),
        summary=f"Changed {what} of {whose}.",
        inverse=inverse,
    )
    return action.id, jobs


def rename(session: Session, layout: LayoutRow, name: str) -> None:
    """Give a layout another name; its days and circuit that were called like it go along.

    Raises
    ------
    Problem
        422 where the name is taken.
    """
    # Read again under a lock: an import that is placing a run at this moment must not bring the old name back.
    layout = session.get_one(LayoutRow, layout.id, with_for_update=True, populate_existing=True)
    before = layout.name
    if name == before:
        return
    if session.scalar(mine(LayoutRow, layout.team_id).where(LayoutRow.name == name)) is not None:
        raise Problem(422, "name-taken", f"There is another layout called “{name}” already.")
    # Events that were named by their circuit go with it, and so does the circuit.
    for event in session.scalars(mine(Event, layout.team_id).where(Event.layout_id == layout.id, Event.name == before)):
        event.name = name
    if layout.circuit.name == before:
        layout.circuit.name = name
    layout.name = name
    # It has a name now: nobody has to be asked for one any more.
    asked = mine(HandIn, layout.team_id).join(Run, Run.id == HandIn.run_id)
    for hand_in in session.scalars(asked.where(Run.layout_id == layout.id, HandIn.code == "new-layout")):
        hand_in.code = hand_in.message = None


def _move(session: Session, run: Run, name: str | None) -> None:
    """The event of the run's day by that name; one that holds no run any more goes."""
    day = run.started_at.date().isoformat() if run.started_at else run.event.day
    left = run.event
    run.event = event_for(session, run.team_id, run.layout, name, day)
    session.flush()
    if left.id != run.event.id:
        still = session.scalar(select(Run.id).where(Run.team_id == run.team_id, Run.event_id == left.id).limit(1))
        if still is None:
            left.removed_at = now()  # and not deleted: removed runs may still be of it


def judge_lap(
    session: Session, viewer: Viewer, run: Run, number: int, change: schemas.LapJudged
) -> list[dict[str, Any]]:
    """Say that a lap counts, does not, or is left to the computation again; returns what takes it back.

    Raises
    ------
    Problem
        404 for a lap that is none, 409 where one without a time would have to count.
    """
    laps = laps_of(session, run.analysis_id)
    lap = next((item for item in laps if item.number == number), None)
    if lap is None:
        raise Problem(404, "not-found", "This run has no such lap.")
    inverse: dict[str, Any] = {"do": "lap", "run": run.id, "moment": lap.start_s, "set": {}}
    if "counts" in change.model_fields_set:
        if change.counts and lap.time_s is None:
            raise Problem(409, "no-time", "This lap has no time: it did not run from line to line.")
        inverse["set"]["counts"] = say_of_lap(
            session, run, lap, viewer.account_id, counts=change.counts, reason=change.reason
        )
    if "note" in change.model_fields_set:
        inverse["set"]["note"] = _note_lap(session, viewer, run, lap, change.note)
    settle(session, run, laps)
    session.expire(run, ["words"])
    return [inverse]


def judged_in_words(run: Run, number: int, change: schemas.LapJudged) -> str:
    """What was said of a lap, as one sentence."""
    told = f"Lap {number} of {run.driver.name}"
    if "counts" in change.model_fields_set:
        told += {True: " counts", False: " does not count", None: " is left to the program"}[change.counts]
    if "note" in change.model_fields_set:
        told += " has a note" if change.note else " has no note any more"
    return told + "."


def _note_lap(session: Session, viewer: Viewer, run: Run, lap: LapRow, text: str | None) -> str | None:
    """Keep a note on a lap; returns the one before."""
    words = session.scalars(mine(LapWord, run.team_id).where(LapWord.run_id == run.id)).all()
    word = word_for(lap, words)
    before = word.note if word is not None else None
    if word is None and text:
        word = LapWord(team_id=run.team_id, run_id=run.id, moment_s=lap.start_s, said_at=now())
        session.add(word)
    if word is not None:
        word.note, word.account_id, word.said_at = text or None, viewer.account_id, now()
        if not word.note and word.counts is None:
            session.delete(word)
    session.flush()
    return before
