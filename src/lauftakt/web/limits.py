"""Limits for those who ask too often, or send too much at once."""

import json
import time
from collections import Counter
from collections.abc import Iterable
from threading import Lock
from typing import TYPE_CHECKING, Any, cast

from flask import current_app
from flask_limiter import Limiter
from flask_limiter.util import get_remote_address
from limits.storage import Storage
from sqlalchemy import delete, select, text
from sqlalchemy.exc import SQLAlchemyError

from lauftakt.store.models import RequestCount

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIApplication, WSGIEnvironment

    from lauftakt.store.database import Database

# Bodies on their way at once, of everybody and of one address; the server has more threads than that, so that whoever
# only looks always finds one.
BODIES, BODIES_OF_ONE = 24, 12

_COUNT = text(
    "INSERT INTO request_count (name, hits, until) VALUES (:name, :amount, :until) ON DUPLICATE KEY UPDATE"
    # A span that ends later than one that begins now was begun while the clock was ahead.
    " hits = IF(until <= :now OR until > :until + 60, :amount, hits + :amount),"
    " until = IF(until <= :now OR until > :until + 60, :until, until)"
)


class CountsInDatabase(Storage):
    """Counts requests in the database, so that all server processes count together; none while it is away."""

    STORAGE_SCHEME: list[str] | None = ["lauftakt"]  # noqa: RUF012 (declared so above)

    def __init__(self, uri: str | None = None, wrap_exceptions: bool = False, **options: Any) -> None:
        super().__init__(uri, wrap_exceptions=wrap_exceptions, **options)

    @property
    def base_exceptions(self) -> type[Exception]:
        """What goes wrong where the database is away."""
        return SQLAlchemyError

    @staticmethod
    def _database() -> "Database":
        return cast("Database", current_app.extensions["lauftakt"])

    def incr(self, key: str, expiry: float, amount: int = 1) -> int:
        """Count one more in a span of time; returns how many there are in it."""
        moment = time.time()
        with self._database().begin() as session:
            session.execute(_COUNT, {"name": key[:190], "amount": amount, "until": moment + expiry, "now": moment})
            return session.scalar(select(RequestCount.hits).where(RequestCount.name == key[:190])) or 0

    def get(self, key: str) -> int:
        """How many were counted in the present span."""
        with self._database().begin() as session:
            query = select(RequestCount.hits).where(RequestCount.name == key[:190], RequestCount.until > time.time())
            return session.scalar(query) or 0

    def get_expiry(self, key: str) -> float:
        """When the present span ends."""
        with self._database().begin() as session:
            return session.scalar(select(RequestCount.until).where(RequestCount.name == key[:190])) or time.time()

    def check(self) -> bool:
        """Whether it can count."""
        try:
            self.get("")
        except SQLAlchemyError:
            return False
        return True

    def reset(self) -> int | None:
        """Forget everything that was counted."""
        with self._database().begin() as session:
            return int(session.execute(delete(RequestCount)).rowcount)  # type: ignore[attr-defined]

    def clear(self, key: str) -> None:
        """Forget what was counted of one."""
        with self._database().begin() as session:
            session.execute(delete(RequestCount).where(RequestCount.name == key[:190]))


limiter = Limiter(get_remote_address, storage_uri="lauftakt://", default_limits=[], swallow_errors=True)


class BodiesAtOnce:
    """Lets only so many bodies be on their way at once; the others are told to come back in a moment."""

    def __init__(self, app: "WSGIApplication", most: int = BODIES, most_of_one: int = BODIES_OF_ONE) -> None:
        self._app, self._most, self._most_of_one = app, most, most_of_one
        self._lock, self._of = Lock(), Counter[str]()

    def __call__(self, environ: "WSGIEnvironment", start_response: "StartResponse") -> Iterable[bytes]:
        """Serve a request, or refuse it for now."""
        if not environ.get("HTTP_TRANSFER_ENCODING") and environ.get("CONTENT_LENGTH") in (None, "", "0"):
            return self._app(environ, start_response)
        address = str(environ.get("REMOTE_ADDR", ""))
        if not self._enter(address):
            return _busy(start_response)
        try:
            return self._app(environ, start_response)
        finally:
            self._leave(address)

    def _enter(self, address: str) -> bool:
        with self._lock:
            if self._of.total() >= self._most or self._of[address] >= self._most_of_one:
                return False
            self._of[address] += 1
            return True

    def _leave(self, address: str) -> None:
        with self._lock:
            self._of[address] -= 1
            if not self._of[address]:
                del self._of[address]


def _busy(start_response: "StartResponse") -> Iterable[bytes]:
    body = json.dumps({"code": "busy", "message": "Too much is being sent at this moment. Try again in a moment."})
    head = [("Content-Type", "application/json"), ("Retry-After", "1"), ("Connection", "close")]
    start_response("503 Service Unavailable", [*head, ("Content-Length", str(len(body)))])
    return [body.encode()]
