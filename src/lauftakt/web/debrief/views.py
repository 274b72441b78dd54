"""Debriefs for those who lead and assist the team: the day's drivers, one run in depth, and what became of what was
asked."""

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.registry import FIGURES, OF_PASSAGES
from lauftakt.service.day import latest_event
from lauftakt.store.models import Debrief, Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.debrief import checking, preparing, sheet, telling
from lauftakt.web.debrief.seeing import NONE, Day, day_of, seen_on
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.work.queue import send

blueprint = APIBlueprint("debrief", __name__, tag="Debrief")


@blueprint.get("/debriefs")
@only("see-team")
@blueprint.input(schemas.DebriefDayQuery, location="query")
@blueprint.output(schemas.DebriefDay)
def get_day(viewer: Viewer, query_data: schemas.DebriefDayQuery) -> schemas.DebriefDay:
    """The drivers of a day, the latest one where none is named, and how far their debriefs are."""
    with database().begin() as session:
        event = _event(session, viewer, query_data.event)
        if event is None:
            return schemas.DebriefDay(state=NONE, event=None, reference=None, drivers=[])  # type: ignore[arg-type]
        runs = _runs(session, viewer, event.id)
        day = day_of(session, viewer.team_id, event.id)
        found = schemas.DebriefDay(
            state=day.state,  # type: ignore[arg-type]
            event=show.event(event, len(runs)),
            reference=None if day.main is None else day.main.base.driver.name,
            drivers=preparing.drivers_of_day(session, day, runs),
        )
    send_of(day)
    return found


@blueprint.get("/debriefs/runs/<int:run_id>")
@only("see-team")
@blueprint.output(schemas.PrepareOut)
def prepare(viewer: Viewer, run_id: int) -> schemas.PrepareOut:
    """What was found of a run, what could be asked and kept, what was, and what became of the last cues."""
    with database().begin() as session:
        run = run_of(session, viewer, run_id)
        day = day_of(session, viewer.team_id, run.event_id)
        found = preparing.of_run(session, day, run, _runs(session, viewer, run.event_id))
    send_of(day)
    return found


@blueprint.get("/debriefs/runs/<int:run_id>/picture")
@only("see-team")
@blueprint.input(schemas.PictureQuery, location="query")
@blueprint.doc(responses={200: "SVG"})
def get_picture(viewer: Viewer, run_id: int, query_data: schemas.PictureQuery) -> Response:
    """A passage as this run and the day's reference drove it: from above, or curves along it."""
    with database().begin() as session:
        run = run_of(session, viewer, run_id)
        day = day_of(session, viewer.team_id, run.event_id)
        seen = seen_on(session, day, run)
        if seen is None:
            raise Problem(409, "nothing-to-draw", "This run cannot be compared yet.")
        if all(passage.name != query_data.passage for passage in seen.layout.passages):
            raise Problem(404, "not-found", f"The layout has no passage {query_data.passage}.")
        if query_data.figure is not None and query_data.figure not in FIGURES | OF_PASSAGES:
            raise Problem(422, "invalid", "There is no such figure.")
        drawn = sheet.picture(session, seen, query_data)
    send_of(day)
    response = Response(drawn, mimetype="image/svg+xml")
    response.headers["Cache-Control"] = "private, max-age=3600" if query_data.v else "private, no-cache"
    return response


@blueprint.get("/debriefs/<int:debrief_id>/check")
@only("see-team")
@blueprint.input(schemas.CheckQuery, location="query")
@blueprint.output(schemas.CheckOut)
def get_check(viewer: Viewer, debrief_id: int, query_data: schemas.CheckQuery) -> schemas.CheckOut:
    """What became of what was asked, by a later run."""
    with database().begin() as session:
        row = one(session, Debrief, viewer, debrief_id)
        if query_data.run is not None:
            one(session, Run, viewer, query_data.run)
        looked = checking.checked(session, row, query_data.run)
        return schemas.CheckOut(
            debrief=row.id,
            run=None if looked.run is None else looked.run.id,
            look=looked.look,
            apart=looked.apart or looked.remark,
            answers={key: telling.answer_out(found) for key, found in looked.answers.items()},
            elsewhere=preparing.elsewhere_out(looked),
        )


def _event(session: Session, viewer: Viewer, event_id: int | None) -> Event | None:
    if event_id is not None:
        return one(session, Event, viewer, event_id)
    return latest_event(session, visible(Event, viewer))


def _runs(session: Session, viewer: Viewer, event_id: int) -> list[Run]:
    """Runs of a day with a lap that counts."""
    query = visible(Run, viewer).where(Run.event_id == event_id, Run.best_s.is_not(None))
    return list(session.scalars(query.options(*show.RUN_PARTS).order_by(Run.started_at, Run.id)))


def run_of(session: Session, viewer: Viewer, run_id: int, *, lock: bool = False) -> Run:
    """A run with what is told of it."""
    found = one(session, Run, viewer, run_id, lock=lock)
    query = visible(Run, viewer).where(Run.id == run_id)
    session.scalars(query.options(*show.RUN_PARTS, joinedload(Run.analysis), joinedload(Run.layout))).all()
    return found


def send_of(day: Day) -> None:
    """Let a worker know of the comparison that is wanted, once its row is there."""
    if day.job is not None:
        send([day.job])
