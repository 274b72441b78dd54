"""Work that only the server can do, since it takes what the server shows: done beside requests, told like all other.

It does not survive the server: :func:`lauftakt.work.open_jobs.end_abandoned` tells of it then, and whoever wants it
tries it again.
"""

import threading
from typing import Any

from flask import Flask, current_app

from lauftakt.web.access import database
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer
from lauftakt.work import jobs, room
from lauftakt.work.sources import Cancelled

FULL = "The disk of the machine that runs Lauftakt is nearly full. Make room on it, then try it again."


def begin(viewer: Viewer, job_id: int) -> None:
    """Begin the work of a job that was just made, in a thread of its own."""
    app: Flask = current_app._get_current_object()  # type: ignore[attr-defined]
    threading.Thread(target=_do, args=(app, viewer, job_id), daemon=True, name=f"job-{job_id}").start()


def _do(app: Flask, viewer: Viewer, job_id: int) -> None:
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
            with jobs.heartbeat(database(), ours, lambda _: gone.set()):
                result = write_sheets(viewer, ours, report)
            jobs.finish(database(), ours, "done", result=result)
        except jobs.Lost:
            app.logger.warning("Job %s was ended by somebody else.", job_id)
        except Cancelled:
            jobs.finish(database(), ours, "cancelled", "cancelled", "Cancelled; nothing of it was kept.")
        except Exception as error:
            app.logger.exception("Job %s failed", job_id)
            if room.is_full(error):
                jobs.finish(database(), ours, "failed", "disk", FULL)
            else:
                jobs.finish(
                    database(), ours, "failed", "internal", "The work failed for a reason of our own. Try it again."
                )
