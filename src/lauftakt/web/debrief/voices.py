"""What drivers say: what they felt in each corner, questions, and which cues they understood and tried."""

from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.ground import on_ground
from lauftakt.store.asked import driven_at
from lauftakt.store.database import NotFound, mine, now
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import CueRow, Debrief, Run, Voice
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.debrief.telling import voice_out, voices_of
from lauftakt.web.policy import Viewer, one, visible

# Questions to the coach about one run.
MOST_QUESTIONS = 20
SHOWN = 12


def own_debriefs(session: Session, viewer: Viewer) -> schemas.OwnDebriefs:
    """What a driver was given, the newest first, and the latest run that they can say something of."""
    query = visible(Debrief, viewer).where(Debrief.given_at.is_not(None), Debrief.driver_id == viewer.driver_id)
    parts = joinedload(Debrief.event), joinedload(Debrief.run).joinedload(Run.event)
    rows = session.scalars(query.options(*parts).order_by(Debrief.given_at.desc()).limit(SHOWN)).all()
    runs = visible(Run, viewer).where(Run.driver_id == viewer.driver_id, Run.analysis_id.is_not(None))
    known = session.scalars(runs.options(joinedload(Run.event)).order_by(Run.id.desc()).limit(SHOWN)).all()
    latest = max(known, key=driven_at, default=None)
    return schemas.OwnDebriefs(
        sheets=[
            schemas.OwnSheet(id=row.id, given_at=show.moment(row.given_at), title=_title(row))
            for row in rows
            if row.given_at is not None
        ],
        latest=None if latest is None or viewer.driver_id is None else _to_tell(session, latest),
    )


def _title(row: Debrief) -> str:
    event = row.run.event if row.run is not None else row.event
    name = "" if event is None else f"{event.name}, {event.day}"
    clock = row.run.started_at.strftime("%H:%M") if row.run is not None and row.run.started_at else ""
    return ", ".join(part for part in (name, clock) if part)


def _to_tell(session: Session, run: Run) -> schemas.DriverRun:
    assert run.analysis is not None
    layout = load_layout(session, run.analysis.layout_version_id, None, curve_cache().layouts)
    return schemas.DriverRun(
        run=run.id,
        started_at=run.started_at.isoformat() if run.started_at else None,
        corners=[corner.name for corner in layout.corners],
        voices=[voice_out(row) for row in voices_of(session, run.team_id, [run.id])[run.id]],
    )


def say(session: Session, viewer: Viewer, said: schemas.VoiceIn) -> schemas.DriverRun:
    """Keep what a driver says of an own run; of a corner the last word counts, and nothing takes it back.

    Raises
    ------
    NotFound
        for a run that is not theirs.
    Problem
        404 for a corner that is none, 409 for too many questions.
    """
    run = one(session, Run, viewer, said.run, lock=True)
    if viewer.driver_id is None or run.driver_id != viewer.driver_id or run.analysis is None:
        raise NotFound("run")
    layout = load_layout(session, run.analysis.layout_version_id, None, curve_cache().layouts)
    corner = next((one for one in layout.corners if one.name == said.corner), None)
    if said.corner is not None and corner is None:
        raise Problem(404, "not-found", f"There is no corner {said.corner} on this circuit.")
    rows = session.scalars(mine(Voice, run.team_id).where(Voice.run_id == run.id).with_for_update()).all()
    questions = [row for row in rows if row.felt == "question"]
    if said.felt == "question":
        if len(questions) >= MOST_QUESTIONS:
            raise Problem(409, "too-many", f"{MOST_QUESTIONS} questions about one run are enough. Talk to your coach.")
        if not said.words:
            raise Problem(422, "invalid", "Write what you want to ask.")
    else:
        for row in rows:
            if row.felt != "question" and row.corner == said.corner:
                session.delete(row)
    if said.felt is not None:
        at = None if corner is None else on_ground(layout, corner.apex_m)
        session.add(
            Voice(
                team_id=run.team_id, driver_id=viewer.driver_id, run_id=run.id, felt=said.felt, corner=said.corner,
                latitude=None if at is None else at[0], longitude=None if at is None else at[1],
                words=said.words or None, said_at=now(),
            )
        )  # fmt: skip
    session.flush()
    return _to_tell(session, run)


def answer_cue(session: Session, viewer: Viewer, cue_id: int, said: schemas.CueAnswer) -> CueRow:
    """Keep what a driver says of a cue that was given to them."""
    row = one(session, CueRow, viewer, cue_id, lock=True)
    if viewer.driver_id is None or row.driver_id != viewer.driver_id:
        raise NotFound("cue")
    for name in said.model_fields_set:
        setattr(row, name, getattr(said, name))
    session.flush()
    return row
