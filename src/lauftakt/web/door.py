"""What comes in by a request, before anything else sees it: text without what no name, file or database can hold, in a
form that the address takes."""

from functools import cached_property
from typing import Any

from apiflask import APIFlask
from flask import Request, request
from werkzeug.datastructures import ImmutableMultiDict

from lauftakt.core.log.text import printable
from lauftakt.web.access import Problem

JSON, FORM, PIECE = "application/json", "multipart/form-data", "application/offset+octet-stream"
# Fields that hold a password: to sign in, and where one is changed the present and the new one.
SECRETS = ("password", "present", "new")
# Addresses that take something else than JSON.
TAKES = {"hand_in.hand_in": FORM, "uploads.send_piece": PIECE, "uploads.send_piece_by_link": PIECE}


def clean(value: Any, name: str = "") -> Any:
    """A value as it was sent, with its text cleaned; of a password only halves of surrogate pairs go, which no text
    can hold."""
    if isinstance(value, str):
        if name in SECRETS:
            return value.encode("utf-8", "ignore").decode()
        return printable(value, lines=True)
    if isinstance(value, dict):
        return {printable(str(key), lines=True): clean(item, str(key)) for key, item in value.items()}
    if isinstance(value, list):
        return [clean(item, name) for item in value]
    return value


def _clean_fields(fields: Any) -> Any:
    """Fields with their text cleaned; one without a name, which a broken form can hold, is none."""
    return ImmutableMultiDict([(key, clean(value, key)) for key, value in fields.items(multi=True) if key is not None])


class CleanRequest(Request):
    """A request whose text is clean."""

    def get_json(self, *args: Any, **kwargs: Any) -> Any:
        """The body's JSON.

        Raises
        ------
        Problem
            400 where lists and objects lie in each other so deep that nobody means it.
        """
        try:
            return clean(super().get_json(*args, **kwargs))
        except RecursionError as error:
            raise Problem(400, "invalid", "What was sent is nested too deeply to be read.") from error

    @cached_property
    def args(self) -> Any:
        """What stands behind the question mark."""
        return _clean_fields(super().args)

    @cached_property
    def form(self) -> Any:
        """The fields of a form."""
        return _clean_fields(super().form)


def guard_the_door(app: APIFlask) -> None:
    """Let requests in by this door only."""
    app.request_class = CleanRequest

    @app.before_request
    def check_kind() -> None:
        if not request.path.startswith("/api/") or request.method not in ("POST", "PUT", "PATCH"):
            return
        if not request.content_length and "Transfer-Encoding" not in request.headers:
            return
        wanted = TAKES.get(request.endpoint or "", JSON)
        if request.mimetype != wanted:
            raise Problem(415, "kind", f"This address takes {wanted}, not {request.mimetype[:60] or 'nothing known'}.")
