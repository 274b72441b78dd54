"""Work that only the server can do, since it takes what the server shows: done beside requests, told like all other.

Where the server is killed in the middle of it, the next one begins it again.
"""

import logging
import threading
import time
from datetime import timedelta
from typing import Any, cast

from flask import Flask, current_app
from sqlalchemy import and_, or_, select

from lauftakt.store.database import now
from lauftakt.store.models import Account, Job
from lauftakt.web.access import database
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer
from lauftakt.work import jobs, room
from lauftakt.work.sources import Cancelled

log = logging.getLogger(__name__)

KIND = "sheets"
FULL = "The disk of the machine that runs Lauftakt is nearly full. Make room on it, then try it again."
LOOK_S = 5.0
# Whoever asked for it has begun it by then, if their server is still there.
LATE = timedelta(seconds=5)


def begin(job_id: int) -> None:
    """Begin the work of a job that was just made, in a thread of its own."""
    app: Flask = cast(Any, current_app)._get_current_object()
    threading.Thread(target=_do, args=(app, job_id), daemon=True, name=f"job-{job_id}").start()


def look_after(app: Flask) -> None:
    """Take on what a server left that is no more, as long as this one runs."""

    def go_on() -> None:
        while True:
            time.sleep(LOOK_S)
            try:
                look(app)
            except Exception:
                log.exception("What was left undone is looked for again.")

    threading.Thread(target=go_on, daemon=True, name="beside").start()


def look(app: Flask) -> None:
    """Do now what waits although nobody has begun it, and what its server did not survive."""
    with app.app_context():
        left = or_(
            and_(Job.state == "waiting", jobs.was_before(Job.created_at, now() - LATE)),
            and_(Job.state == "running", jobs.unheld()),
        )
        with database().begin() as session:
            ids = session.scalars(select(Job.id).where(Job.kind == KIND, left).order_by(Job.id)).all()
    for job_id in ids:
        _do(app, job_id)


def _do(app: Flask, job_id: int) -> None:
    from lauftakt.web.season.papers import write_sheets

    with app.app_context():
        ours = jobs.claim(database(), job_id)
        if ours is None:
            return
        gone = threading.Event()

        def report(share: float, step: str) -> None:
            if jobs.progress(database(), ours, share, step) or gone.is_set():
                raise Cancelled
            room.need(settings_of_app().var)

        result: dict[str, Any] = {}
        try:
            viewer = _who(job_id)
            with jobs.heartbeat(database(), ours, lambda _: gone.set()):
                result = write_sheets(viewer, ours, report)
            jobs.finish(database(), ours, "done", result=result)
        except jobs.Lost:
            app.logger.warning("Job %s was ended by somebody else.", job_id)
        except Cancelled:
            jobs.finish(database(), ours, "cancelled", "cancelled", "Cancelled; nothing of it was kept.")
        except _NobodysWish:
            told = "Whoever asked for it does not belong to the team any more."
            jobs.finish(database(), ours, "refused", "nobody", told)
        except Exception as error:
            app.logger.exception("Job %s failed", job_id)
            if room.is_full(error):
                jobs.finish(database(), ours, "failed", "disk", FULL)
            else:
                told = "The work failed for a reason of our own. Try it again."
                jobs.finish(database(), ours, "failed", "internal", told)


class _NobodysWish(Exception):
    """Who asked for the work may not see it any more."""


def _who(job_id: int) -> Viewer:
    """Whoever asked for a job, with what they may see now."""
    with database().begin() as session:
        job = session.get_one(Job, job_id)
        account = session.get(Account, job.account_id) if job.account_id is not None else None
        if account is None or account.team_id != job.team_id:
            raise _NobodysWish
        return Viewer(cast(Any, account.role), account.team_id, account.id, account.driver_id)
