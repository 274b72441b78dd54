"""Answers a request that met damaged data: the run is put aside to be made anew, and the rest is answered."""

from typing import Any

from apiflask import APIFlask
from flask import Response, g, jsonify, request

from lauftakt.store.damage import Damaged
from lauftakt.store.database import Database, NotFound
from lauftakt.work.mending import PutAside, put_aside, sentence
from lauftakt.work.queue import send

# So many runs are put aside for one answer; a page asks for no more.
MOST = 200


def answer_despite_damage(app: APIFlask, database: Database) -> None:
    """Let an application do so."""

    def told(aside: PutAside, more: str) -> tuple[Response, int]:
        return jsonify(code="damaged", message=sentence(aside) + more), 503 if aside.mends else 500

    def once(error: Damaged) -> PutAside:
        """Put aside what is damaged, and let it be made anew."""
        g.damaged = g.get("damaged", 0) + 1
        aside = put_aside(database, error)
        send(aside.jobs)
        return aside

    @app.errorhandler(Damaged)
    def damaged(error: Damaged) -> Any:
        while True:
            aside = once(error)
            reads = request.method in ("GET", "HEAD")
            if not (reads and aside.mends and error.part == "analysis" and g.damaged < MOST):
                return told(aside, " Try again in a moment." if aside.mends else "")
            try:
                return app.make_response(app.dispatch_request())
            except Damaged as another:
                error = another
            except NotFound:
                return told(aside, " Load the page again in a moment.")  # it was asked for by its old number
            except Exception as other:
                return app.handle_user_exception(other)
