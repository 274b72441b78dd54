"""Hand-in: files arrive, jobs are queued, each file's fate is told."""

import shutil
from pathlib import Path
from typing import cast

from apiflask import APIBlueprint
from flask import current_app
from sqlalchemy.orm import selectinload

from lauftakt.settings import Settings
from lauftakt.store.database import mine, mine_by_id, now
from lauftakt.store.models import Driver, HandIn, Job, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, for_coaches, team_id
from lauftakt.work.importing import sha256_of
from lauftakt.work.queue import inbox_path, run_job

blueprint = APIBlueprint("hand_in", __name__, tag="Hand-in")

LATEST = 100
ENDINGS = (".csv", ".txt", ".geojson", ".json")


def _settings() -> Settings:
    return cast(Settings, current_app.config["LAUFTAKT"])


@blueprint.get("/hand-ins")
@for_coaches
@blueprint.output(schemas.HandInList)
def list_hand_ins() -> schemas.HandInList:
    """The latest files and their fate, newest first; and the team's drivers to choose from."""
    with database().begin() as session:
        rows = session.scalars(
            mine(HandIn, team_id())
            .options(
                selectinload(HandIn.job),
                selectinload(HandIn.run).selectinload(Run.laps),
                selectinload(HandIn.run).selectinload(Run.channels),
                selectinload(HandIn.run).selectinload(Run.driver),
                selectinload(HandIn.run).selectinload(Run.car),
            )
            .order_by(HandIn.id.desc())
            .limit(LATEST)
        )
        return schemas.HandInList(
            hand_ins=[show.hand_in(row) for row in rows], drivers=show.everybody(session, team_id())
        )


@blueprint.post("/hand-ins")
@for_coaches
@blueprint.input(schemas.HandInForm, location="form_and_files")
@blueprint.output(schemas.HandInOut, status_code=201)
def hand_in(form_and_files_data: schemas.HandInForm) -> schemas.HandInOut:
    """Hand in one file, for a driver where one is named; it is imported in the background."""
    form = form_and_files_data
    name = (form.file.filename or "").replace("\\", "/").rsplit("/", 1)[-1]
    name = "".join(c for c in name if c.isprintable()).strip()[:300] or "log.csv"
    if Path(name).suffix.lower() not in ENDINGS:
        raise Problem(
            415, "file-kind", "This kind of file cannot be read yet. Hand in a log as CSV, or a layout as GeoJSON."
        )
    inbox = _settings().inbox
    inbox.mkdir(parents=True, exist_ok=True)
    with database().begin() as session:
        # A new name becomes a driver together with the run: a file that is refused leaves no name behind.
        typed = " ".join((form.driver or "").split())[:200] or None
        driver = session.scalar(mine(Driver, team_id()).where(Driver.name == typed)) if typed else None
        row = HandIn(
            team_id=team_id(),
            file_name=name,
            size=0,
            sha256="",
            driver_id=driver.id if driver else None,
            driver_name=typed,
            created_at=now(),
        )
        session.add(row)
        session.flush()
        path = inbox_path(inbox, row.id, name)
        try:
            with path.open("wb") as target:
                shutil.copyfileobj(form.file.stream, target, 1 << 20)
        except OSError as error:
            path.unlink(missing_ok=True)
            raise Problem(507, "disk", "The file could not be kept: the disk is full or not writable.") from error
        row.size, row.sha256 = path.stat().st_size, sha256_of(path)
        job = Job(team_id=team_id(), hand_in_id=row.id, created_at=now())
        session.add(job)
        session.flush()
        row_id, job_id = row.id, job.id
    try:
        run_job.delay(job_id)
    except Exception:  # the broker is away; the sweep finds the job in the table
        current_app.logger.exception("Job %s waits for the sweep", job_id)
    with database().begin() as session:
        return show.hand_in(mine_by_id(session, HandIn, team_id(), row_id))


@blueprint.post("/hand-ins/<int:hand_in_id>/cancel")
@for_coaches
@blueprint.output(schemas.HandInOut)
def cancel(hand_in_id: int) -> schemas.HandInOut:
    """Stop the import of a file; nothing of it is stored. A finished one stays as it is."""
    with database().begin() as session:
        row = mine_by_id(session, HandIn, team_id(), hand_in_id)
        if row.job is not None and row.job.state in ("waiting", "running"):
            row.job.cancel = True
        session.flush()
        return show.hand_in(row)


@blueprint.delete("/hand-ins/<int:hand_in_id>")
@for_coaches
@blueprint.output({}, status_code=204)
def dismiss(hand_in_id: int) -> str:
    """Take a finished file off the list; its run, if there is one, stays."""
    with database().begin() as session:
        row = mine_by_id(session, HandIn, team_id(), hand_in_id)
        if row.state in ("waiting", "running"):
            raise Problem(409, "busy", "The file is still being imported; cancel it first.")
        session.delete(row)
    return ""
