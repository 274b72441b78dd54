"""What is running: all long work of a team, what it waits for, how it ended, and what can be done about it."""

from collections.abc import Iterable, Sequence
from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.store.models import Account, Event, HandIn, Job, LayoutRow, Run
from lauftakt.store.runs import moment_of
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.beside import begin
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer, allowed, one, visible
from lauftakt.web.schemas import running as shapes
from lauftakt.work import jobs, open_jobs, room
from lauftakt.work.inbox import inbox_path
from lauftakt.work.queue import send

blueprint = APIBlueprint("running", __name__, tag="Work")

PAGE = 40
ENDED_BADLY = ("failed", "cancelled", "refused")
# Kinds of work that are simply begun once more as they were asked for.
MAKE_FILES = ("export", "sheets")
SAME_AGAIN = ("export", "reline", "compare", "follow", "remove", "seal", "demo", "backup", "sheets")


@blueprint.get("/jobs")
@only("see-team")
@blueprint.input(shapes.RunningQuery, location="query")
@blueprint.output(shapes.RunningOut)
def list_jobs(viewer: Viewer, query_data: shapes.RunningQuery) -> shapes.RunningOut:
    """What is being worked on and what waits, and what ended, the newest first."""
    with database().begin() as session:
        later = Job.kind.in_(open_jobs.NOBODY_WAITS)
        query = visible(Job, viewer).where(Job.state.in_(jobs.OPEN)).order_by(Job.state, later, Job.id)
        under_way = session.scalars(query.limit(PAGE)).all()
        count = session.scalar(select(func.count()).where(Job.team_id == viewer.team_id, Job.state.in_(jobs.OPEN)))
        ended = visible(Job, viewer).where(Job.finished_at.is_not(None))
        if query_data.trouble:
            ended = ended.where(Job.state.in_(("failed", "refused")))
        if query_data.before is not None:
            ended = ended.where(Job.id < query_data.before)
        found = session.scalars(ended.order_by(Job.id.desc()).limit(PAGE + 1)).all()
        about = _About(session, viewer, [*under_way, *found])
        ahead = _ahead(session, under_way)
        short = room.short_of(settings_of_app().var)
        return shapes.RunningOut(
            under_way=[about.row(job, ahead.get(job.id, 0)) for job in under_way],
            open=count or 0,
            ended=[about.row(job, 0) for job in found[:PAGE]],
            more=len(found) > PAGE,
            disk=room.told(short) if short else None,
        )


def _ahead(session: Session, under_way: Sequence[Job]) -> dict[int, int]:
    """How many jobs, of whomever, are taken before each one that waits for a worker: there are two lines, from which
    workers take in turn."""
    waiting = [job.id for job in under_way if job.state == "waiting" and job.waits_for is None]
    if not waiting:
        return {}
    lines: dict[bool, list[int]] = {True: [], False: []}
    query = select(Job.id, Job.kind).where(
        Job.state == "waiting", Job.waits_for.is_(None), Job.kind.not_in(jobs.NOT_FOR_WORKERS)
    )
    for job_id, kind in session.execute(query.order_by(Job.id)):
        lines[kind in open_jobs.NOBODY_WAITS].append(job_id)
    ahead: dict[int, int] = {}
    for later, line in lines.items():
        ahead |= {job_id: place + min(place, len(lines[not later])) for place, job_id in enumerate(line)}
    return {job_id: ahead.get(job_id, 0) for job_id in waiting}


@blueprint.get("/jobs/<int:job_id>")
@only("see")
@blueprint.output(schemas.JobOut)
def get_job(viewer: Viewer, job_id: int) -> schemas.JobOut:
    """How far long work is."""
    with database().begin() as session:
        return show.job(one(session, Job, viewer, job_id))


@blueprint.post("/jobs/<int:job_id>/cancel")
@only("see")
@blueprint.output(schemas.JobOut)
def cancel_job(viewer: Viewer, job_id: int) -> schemas.JobOut:
    """Ask long work to stop; a finished one stays as it is."""
    with database().begin() as session:
        job = one(session, Job, viewer, job_id, lock=True)
        _own_or_leading(viewer, job)
        jobs.cancel(session, job)
        return show.job(job)


@blueprint.post("/jobs/<int:job_id>/retry")
@only("see")
@blueprint.output(schemas.JobOut, status_code=202)
def retry_job(viewer: Viewer, job_id: int) -> schemas.JobOut:
    """Try work again that did not end well."""
    with database().begin() as session:
        job = one(session, Job, viewer, job_id, lock=True)
        _own_or_leading(viewer, job)
        if not _can_retry(session, job):
            raise Problem(409, "settled", "This work ended well, goes on, or would end in the same way again.")
        again = _again(session, viewer, job)
    if again.kind == "sheets":
        begin(again.id)
    elif again.kind not in jobs.NOT_FOR_WORKERS:
        send([again.id])
    with database().begin() as session:
        return show.job(session.get_one(Job, again.id))


def _own_or_leading(viewer: Viewer, job: Job) -> None:
    if not allowed(viewer, "change") and (viewer.account_id is None or job.account_id != viewer.account_id):
        raise Problem(403, "not-allowed", "Only a coach, or whoever asked for this work, can do this.")


def _again(session: Session, viewer: Viewer, job: Job) -> Job:
    if job.kind == "import":
        hand_in = one(session, HandIn, viewer, job.subject_id)
        return session.get_one(Job, open_jobs.import_again(session, hand_in, turned=bool(job.payload.get("turned"))))
    if job.kind == "renew":
        found = open_jobs.renew_runs(session, viewer.team_id, [job.subject_id], viewer.account_id)
        return session.get_one(Job, found[0])
    return jobs.add_job(
        session, viewer.team_id, job.kind, (job.subject, job.subject_id), payload=job.payload,
        account_id=viewer.account_id,
    )  # fmt: skip


def _can_retry(session: Session, job: Job) -> bool:
    """Whether trying again may end otherwise, and nobody has done it yet."""
    if job.state not in ENDED_BADLY:
        return False
    later = select(Job.id).where(
        Job.team_id == job.team_id, Job.kind == job.kind, Job.subject == job.subject,
        Job.subject_id == job.subject_id, Job.id > job.id,
    )  # fmt: skip
    if job.kind not in MAKE_FILES and session.scalar(later.limit(1)) is not None:
        return False
    if job.kind == "import":
        hand_in = session.get(HandIn, job.subject_id)
        if hand_in is None or hand_in.state == "taken" or hand_in.job_id != job.id:
            return False
        kept = inbox_path(settings_of_app().inbox, hand_in.id).exists() or hand_in.source == "logger"
        return kept and (job.state != "refused" or hand_in.code in open_jobs.PLACEABLE)
    return job.kind == "renew" or job.kind in SAME_AGAIN


class _About:
    """What jobs are about, in words, looked up together."""

    def __init__(self, session: Session, viewer: Viewer, rows: Iterable[Job]) -> None:
        self._session, self._viewer = session, viewer
        ids: dict[str, set[int]] = {}
        for job in rows:
            ids.setdefault(job.subject, set()).add(job.subject_id)
        self._files = {row.id: row.file_name for row in self._of(HandIn, ids.get("hand_in"))}
        runs = visible(Run, viewer).where(Run.id.in_(ids.get("run", ()))).options(joinedload(Run.driver))
        self._runs = {row.id: row for row in session.scalars(runs)}
        self._events = {row.id: row for row in self._of(Event, ids.get("event"))}
        self._layouts = {row.id: row.name for row in self._of(LayoutRow, ids.get("layout"))}
        accounts = {job.account_id for job in rows if job.account_id is not None}
        self._people = {row.id: row.name for row in self._of(Account, accounts)}

    def _of(self, model: Any, ids: Iterable[int] | None) -> Sequence[Any]:
        return self._session.scalars(visible(model, self._viewer).where(model.id.in_(list(ids or ())))).all()

    def _name(self, job: Job) -> tuple[str, str | None, str | None]:
        """What a job is about, on which day, and where that is looked at."""
        if job.subject == "hand_in":
            return self._files.get(job.subject_id, ""), None, "/hand-in"
        if job.subject == "run":
            run = self._runs.get(job.subject_id)
            if run is None:
                return "", None, None
            at = moment_of(run)
            told = f"run of {at[11:16]}" if at else run.file_name
            return f"{run.driver.name}, {told}", at[:10] if at else None, "/hand-in"
        if job.subject == "event":
            event = self._events.get(job.subject_id)
            if event is None:
                return "", None, None
            return event.name, event.day, f"/paddock?event={job.subject_id}"
        if job.subject == "layout":
            return self._layouts.get(job.subject_id, ""), None, f"/circuit?layout={job.subject_id}"
        return "", None, None

    def row(self, job: Job, ahead: int) -> shapes.RunningJob:
        about, day, address = self._name(job)
        can = allowed(self._viewer, "change") or job.account_id == self._viewer.account_id
        under_way = job.state in jobs.OPEN
        return shapes.RunningJob(
            id=job.id,
            kind=job.kind,  # type: ignore[arg-type]
            about=about,
            about_day=day,
            address=address,
            state=job.state,  # type: ignore[arg-type]
            progress=job.progress,
            step=job.step,
            waits_for=job.waits_for,  # type: ignore[arg-type]
            ahead=ahead,
            stopping=under_way and job.cancel,
            tries=job.attempts,
            message=job.message,
            who=self._people.get(job.account_id) if job.account_id is not None else None,
            created_at=show.moment(job.created_at),
            started_at=show.moment(job.started_at) if job.started_at else None,
            finished_at=show.moment(job.finished_at) if job.finished_at else None,
            can_cancel=can and under_way and not job.cancel,
            can_retry=can and _can_retry(self._session, job),
            file=job.kind in MAKE_FILES and job.state == "done",
        )
