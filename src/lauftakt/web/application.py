"""The Flask application: API under /api, the built front end everywhere else."""

import hashlib
import html
import os
import re
from contextlib import suppress
from datetime import timedelta
from pathlib import Path
from typing import Any

from apiflask import APIFlask
from flask import Response, g, jsonify, request, send_from_directory
from flask.json.provider import DefaultJSONProvider
from flask_compress import Compress
from flask_wtf.csrf import CSRFError, CSRFProtect
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as NoConnection
from werkzeug.exceptions import HTTPException
from werkzeug.middleware.proxy_fix import ProxyFix

from lauftakt.settings import Settings, database_seconds
from lauftakt.store.accounts import Refused
from lauftakt.store.database import Database, NotFound
from lauftakt.store.lineup import CurveCache
from lauftakt.store.season import SeasonCache
from lauftakt.web import (
    accounts,
    actions,
    cars,
    channels,
    circuits,
    compare,
    debrief,
    drivers,
    exports,
    first,
    hand_in,
    lap_list,
    laps,
    layouts,
    links,
    loggers,
    notes,
    paddock,
    people,
    reading_day,
    references,
    registry,
    removing,
    running,
    runs,
    season,
    sessions,
    stints,
    stream,
    traffic,
    uploads,
    watch,
)
from lauftakt.web.access import Problem, build, login_manager
from lauftakt.web.compare import choosing, keeping
from lauftakt.web.compare.views import ARROW
from lauftakt.web.cookie import Cookies
from lauftakt.web.damaged import answer_despite_damage
from lauftakt.web.door import guard_the_door
from lauftakt.web.keeping import Kept
from lauftakt.web.limits import BodiesAtOnce, limiter
from lauftakt.work.room import NoRoom, is_full, short_of, told

PROGRAM = Path(__file__).resolve().parents[1]
FRONT_END = Path(os.environ.get("LAUFTAKT_FRONT_END", Path(__file__).resolve().parents[3] / "web" / "build"))

_POLICY = re.compile(r'<meta http-equiv="content-security-policy" content="([^"]*)"', re.IGNORECASE)


class _StrictJson(DefaultJSONProvider):
    """JSON that any browser can read: what is not a number ends in an error here and not there."""

    def dumps(self, obj: Any, **kwargs: Any) -> str:
        return super().dumps(obj, allow_nan=False, **kwargs)


def create_app(settings: Settings, database: Database | None = None, *, front_end: Path = FRONT_END) -> APIFlask:
    """The application.

    Parameters
    ----------
    settings : see :mod:`lauftakt.settings`
    database : a connection to use instead of a new one
    front_end : folder of the built single-page application
    """
    app = APIFlask(
        __name__,
        title="Lauftakt",
        version="1",
        spec_path="/api/openapi.json",
        docs_path=None,
        static_folder=None,  # type: ignore[arg-type] # Flask allows it; the front end is served below
    )
    app.json = _StrictJson(app)
    app.session_interface = Cookies()
    app.config.update(
        SECRET_KEY=settings.secret,
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=settings.https,
        SESSION_COOKIE_NAME="lauftakt",
        PERMANENT_SESSION_LIFETIME=timedelta(days=90),
        MAX_CONTENT_LENGTH=settings.upload_mb * 1_000_000,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=settings.https,
        OPENAPI_VERSION="3.1.0",
        VALIDATION_ERROR_STATUS_CODE=422,
        LAUFTAKT=settings,
        COMPRESS_MIMETYPES=["application/json", "text/html", "text/css", "text/javascript", "image/svg+xml", ARROW],
        COMPRESS_ALGORITHM=["zstd", "br", "gzip"],
        COMPRESS_BR_LEVEL=4,
        COMPRESS_ZSTD_LEVEL=3,
        COMPRESS_LEVEL=4,
        COMPRESS_MIN_SIZE=800,
        COMPRESS_STREAMS=False,
    )
    app.extensions["lauftakt"] = database or Database(settings.database_url, patience_s=database_seconds())
    app.extensions["lauftakt-curves"] = CurveCache()
    app.extensions["lauftakt-seasons"] = SeasonCache()
    app.extensions["lauftakt-worked-out"] = Kept(400)
    app.extensions["lauftakt-build"] = _build(front_end)
    guard_the_door(app)
    Compress(app)
    login_manager.init_app(app)
    CSRFProtect(app)
    limiter.init_app(app)
    for module in (
        sessions, registry, paddock, runs, hand_in, uploads, links, channels, loggers, stream, exports, actions,
        cars, compare, drivers, accounts, people, first, removing, layouts, circuits, lap_list, laps, stints, traffic,
        running, watch, reading_day, references, choosing, keeping, notes, debrief, season, season.search,
    ):  # fmt: skip
        app.register_blueprint(module.blueprint, url_prefix="/api")
    _errors(app, settings)
    answer_despite_damage(app, app.extensions["lauftakt"])
    app.wsgi_app = BodiesAtOnce(app.wsgi_app)  # type: ignore[method-assign]
    if settings.proxies:
        app.wsgi_app = ProxyFix(  # type: ignore[method-assign]
            app.wsgi_app, x_for=settings.proxies, x_proto=settings.proxies, x_host=settings.proxies
        )
    _headers(app, settings, front_end)
    _health(app)
    _front_end(app, front_end)
    return app


def _build(front_end: Path) -> str:
    """A name that changes with the program: with any of its modules and with its front end."""
    digest = hashlib.sha256()
    for path in sorted(PROGRAM.rglob("*.py")):
        digest.update(f"{path.relative_to(PROGRAM)}\n".encode() + path.read_bytes())
    page = front_end / "index.html"
    if page.is_file():
        digest.update(page.read_bytes())
    return digest.hexdigest()[:12]


def _problem(status: int, code: str, message: str) -> tuple[Response, int]:
    return jsonify(code=code, message=message), status


# What the driver says where there is no server, where it has no connection left, or went in the middle of something.
CONNECTION_LOST = (0, 1040, 1053, 1152, 1153, 1158, 1159, 1160, 1161, 1203, 2002, 2003, 2006, 2013, 2055)
# Two who changed the same at once: one of them has to try again.
IN_EACH_OTHERS_WAY = (1205, 1213)
# The server was told to take no changes, or its disk is mounted so.
READS_ONLY = (1290, 1792, 1836)
READ_ONLY = "The database takes no changes at this moment; what is stored is safe, and nothing new is saved."
# The same was made twice, or what something belongs to was removed meanwhile.
MADE_AT_ONCE = (1062, 1451, 1452)
AWAY = "The database is starting again. Nothing is lost; "


def _errors(app: APIFlask, settings: Settings) -> None:
    @app.errorhandler(Problem)
    def plain(error: Problem) -> tuple[Response, int]:
        return _problem(error.status, error.code, str(error))

    @app.errorhandler(Refused)
    def refused(error: Refused) -> tuple[Response, int]:
        return _problem(422, error.code, str(error))

    @app.errorhandler(NotFound)
    def missing(_: NotFound) -> tuple[Response, int]:
        return _problem(404, "not-found", "This does not exist, or does not belong to your team.")

    @app.errorhandler(CSRFError)
    def forged(_: CSRFError) -> tuple[Response, int]:
        return _problem(400, "token", "The page is out of date. Load it again and repeat what you did.")

    @app.error_processor
    def invalid(error: Any) -> tuple[dict[str, str], int, Any]:
        if error.status_code == 422:
            fields = sorted({str(name) for place in (error.detail or {}).values() for name in _names(place)})
            return {"code": "invalid", "message": f"Not understood: {', '.join(fields) or 'the request'}."}, 422, {}
        return {"code": "error", "message": str(error.message)}, error.status_code, error.headers

    @app.errorhandler(413)
    def large(_: HTTPException) -> tuple[Response, int]:
        return _problem(413, "file-large", f"The file is larger than {settings.upload_mb} MB, the limit set here.")

    @app.errorhandler(429)
    def often(_: HTTPException) -> tuple[Response, int]:
        return _problem(429, "too-often", "Too many tries. Wait a minute, then try again.")

    @app.errorhandler(DBAPIError)
    def away(error: DBAPIError) -> Any:
        code = error.orig.args[0] if error.orig is not None and error.orig.args else 0
        if is_full(error):
            return full(error)
        if code in READS_ONLY:
            return _later("read-only", READ_ONLY)
        if code in MADE_AT_ONCE:
            # The other's is there by now: asked again, this request meets it as if it had come later.
            if not g.get("asked_again") and (request.is_json or not request.content_length):
                g.asked_again = True
                try:
                    return app.make_response(app.dispatch_request())
                except Exception as other:
                    return app.handle_user_exception(other)
            return _problem(409, "same-moment", "Somebody changed or removed the same at this moment. Look again.")
        if code in IN_EACH_OTHERS_WAY:
            return _later("busy", "Somebody else is changing the same at this moment. Try again.")
        if not error.connection_invalidated and code not in CONNECTION_LOST:
            raise error
        app.logger.warning("the database does not answer: %s", error.orig)
        reads = request.method in ("GET", "HEAD")
        return _later("database", AWAY + ("this page goes on by itself." if reads else "try it again in a moment."))

    @app.errorhandler(NoConnection)
    def none_left(_: NoConnection) -> tuple[Response, int]:
        return _later("busy", "Too much is asked for at this moment. Try again.")

    @app.errorhandler(NoRoom)
    def no_room(error: NoRoom) -> tuple[Response, int]:
        return _problem(507, "disk", str(error))

    @app.errorhandler(OSError)
    def full(error: Exception) -> tuple[Response, int]:
        if not is_full(error):
            raise error
        app.logger.warning("a disk is full: %s", error)
        return _problem(507, "disk", told(short_of(settings.var) or 1_000_000))

    @app.errorhandler(408)
    def slow(_: HTTPException) -> Response:
        answer, _status = _problem(408, "slow", "What was sent did not arrive in time. Try again.")
        answer.status_code = 408
        answer.headers["Connection"] = "close"
        return answer

    @app.errorhandler(500)
    def broken(_: HTTPException) -> tuple[Response, int]:
        return _problem(500, "internal", "Something went wrong on our side; the server's log says what.")


def _later(code: str, message: str) -> tuple[Response, int]:
    answer, status = _problem(503, code, message)
    answer.headers["Retry-After"] = "3"
    return answer, status


def _names(place: Any) -> list[str]:
    if isinstance(place, dict):
        return [str(name) for name in place]
    if isinstance(place, list):
        return [str(item.get("loc", ["?"])[-1]) for item in place if isinstance(item, dict)]
    return []


def _policy(page: Path) -> str:
    """The page's own content policy, which names its scripts by their digests, and what only a header can say."""
    found = _POLICY.search(page.read_text()) if page.is_file() else None
    own = html.unescape(found[1]).strip().rstrip(";") + "; " if found else "default-src 'self'; "
    return own + "frame-ancestors 'none'"


def _health(app: APIFlask) -> None:
    @app.get("/health")
    @app.doc(hide=True)
    def health() -> Any:
        """For a proxy or a monitor: whether the server answers, reaches its database, and may write to it."""
        try:
            with app.extensions["lauftakt"].engine.connect() as connection:
                if connection.execute(text("SELECT @@global.read_only OR @@global.innodb_read_only")).scalar():
                    return jsonify(well=False, message=READ_ONLY), 503
        except SQLAlchemyError:
            return jsonify(well=False, message="The database does not answer."), 503
        return jsonify(well=True)


def _headers(app: APIFlask, settings: Settings, front_end: Path) -> None:
    policy = _policy(front_end / "index.html")

    @app.after_request
    def guard(response: Response) -> Response:
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "same-origin")
        response.headers.setdefault("Content-Security-Policy", policy)
        response.headers.setdefault("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
        if settings.https:
            response.headers.setdefault("Strict-Transport-Security", "max-age=31536000")
        kept = "immutable" in response.headers.get("Cache-Control", "")
        if request.path.startswith("/api/") and response.status_code < 400 and not kept:
            # A page that stays open learns that another program or another database answers now.
            with suppress(SQLAlchemyError):
                response.headers["X-Lauftakt-Build"] = build()
        if request.path.startswith("/api/") and "Cache-Control" not in response.headers:
            listed = request.method == "GET" and response.status_code == 200 and response.is_json
            # Asked for again each time, but sent only where it differs from what the browser has.
            response.headers["Cache-Control"] = "private, no-cache" if listed else "no-store"
            if listed:
                response.add_etag()
                response.make_conditional(request)
        return response


def _front_end(app: APIFlask, folder: Path) -> None:
    policies = {page.name: _policy(page) for page in folder.glob("*.html")}

    @app.get("/")
    @app.get("/<path:path>")
    @app.doc(hide=True)
    def page(path: str = "") -> Any:
        if path.startswith("api/"):
            return _problem(404, "not-found", "There is no such address in the API.")
        if path and path not in policies and (folder / path).is_file():
            response = send_from_directory(folder, path)
            if path.startswith("_app/immutable/"):
                response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
            return response
        # A link's token holds a point, which makes it no file.
        if path.startswith("_app/") or ("." in path.rsplit("/", 1)[-1] and not path.startswith(("give/", "join/"))):
            return _problem(404, "not-found", "There is no such file.")
        # A place with a page of its own names all it needs; the others find out piece by piece.
        own = f"{path}.html" if f"{path}.html" in policies else "index.html"
        if not (folder / own).is_file():
            return _problem(503, "not-built", "The front end is not built yet; run script/setup.")
        response = send_from_directory(folder, own)
        response.headers["Cache-Control"] = "no-cache"
        response.headers["Content-Security-Policy"] = policies.get(own) or _policy(folder / own)
        return response
