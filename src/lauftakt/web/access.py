"""Who is signed in, and the connection of a request."""

from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar, cast

from flask import current_app, request
from flask import session as cookie
from flask_login import LoginManager, UserMixin, current_user, login_user
from sqlalchemy.orm import Session

from lauftakt.store.database import Database
from lauftakt.store.lineup import CurveCache
from lauftakt.store.models import Account, SignIn, Team
from lauftakt.store.season import SeasonCache
from lauftakt.store.sign_ins import begin_sign_in, sign_in_of
from lauftakt.web.keeping import Kept
from lauftakt.web.policy import Action, Viewer, allowed

F = TypeVar("F", bound=Callable[..., Any])

login_manager = LoginManager()
_WHY: dict[Action, str] = {
    "see": "This is not yours to see.",
    "see-team": "Only those who lead or assist the team can see this.",
    "note": "Only those who lead or assist the team can do this.",
    "change": "Only a coach can do this.",
    "hand-in": "Only a coach, or a driver by a personal link, can hand in.",
    "tell": "Only a coach or the driver can tell this.",
    "account": "This needs an account.",
    "lead": "Only the owner of the team can do this.",
}


class Problem(Exception):
    """An answer in plain words with a status and a stable code."""

    def __init__(self, status: int, code: str, message: str) -> None:
        super().__init__(message)
        self.status, self.code = status, code


class SignedIn(UserMixin):
    """An account for the length of a request, detached from the database, and the sign-in by which it is here."""

    def __init__(self, row: SignIn, account: Account, team: Team, token: str) -> None:
        self.id = account.id
        self.sign_in_id, self.token = row.id, token
        self.team_name, self.demo = team.name, team.demo
        self.name, self.email, self.role = account.name, account.email, account.role
        self.units, self.look, self.dates = account.units, account.look, account.dates
        self.shortcuts = account.shortcuts
        self.viewer = Viewer(
            kind=cast(Any, account.role),
            team_id=account.team_id,
            account_id=account.id,
            driver_id=account.driver_id,
        )

    def get_id(self) -> str:
        """What the cookie holds: the token of the sign-in, which the server can end."""
        return self.token


def database() -> Database:
    return cast(Database, current_app.extensions["lauftakt"])


def build() -> str:
    """The name of this program and of what is in its database, part of the address of everything that browsers keep."""
    return f"{current_app.extensions['lauftakt-build']}-{database().filling()}"


def curve_cache() -> CurveCache:
    """The curves used last: one for each application, so that two databases never share it."""
    return cast(CurveCache, current_app.extensions["lauftakt-curves"])


@login_manager.user_loader
def _load(token: str) -> SignedIn | None:
    with database().begin() as session:
        found = sign_in_of(session, token)
        return SignedIn(*found, token) if found else None


def enter(session: Session, account: Account) -> None:
    """Sign an account in on the device that asks."""
    row, token = begin_sign_in(session, account, device_of(request.user_agent.string))
    cookie.permanent = True
    login_user(SignedIn(row, account, session.get_one(Team, account.team_id), token))


def device_of(agent: str) -> str:
    """A browser and its system in two words, as it calls itself; good enough to know one's own phone again."""
    browsers = (("Edg/", "Edge"), ("OPR/", "Opera"), ("Firefox/", "Firefox"), ("Chrome/", "Chrome"))
    systems = (("iPhone", "iPhone"), ("iPad", "iPad"), ("Android", "Android"), ("Windows", "Windows"))
    more = (("Mac OS", "Mac"), ("CrOS", "Chromebook"), ("Linux", "Linux"))
    browser = next((name for mark, name in browsers if mark in agent), "Safari" if "Safari/" in agent else "")
    system = next((name for mark, name in (*systems, *more) if mark in agent), "")
    return f"{browser} on {system}" if browser and system else browser or system or "Unknown device"


def season_cache() -> SeasonCache:
    """The seasons read last; one for each application, too."""
    return cast(SeasonCache, current_app.extensions["lauftakt-seasons"])


def worked_out() -> Kept[Any]:
    """What was worked out of seasons, under names that hold all it rests on."""
    return cast("Kept[Any]", current_app.extensions["lauftakt-worked-out"])


def only(action: Action) -> Callable[[F], F]:
    """Guards a view: it receives whoever asks as ``viewer``; who may not gets a plain 401 or 403.

    What rows they see is decided by :func:`lauftakt.web.policy.visible`.
    """

    def guard(view: F) -> F:
        @wraps(view)
        def guarded(*args: Any, **kwargs: Any) -> Any:
            if not current_user.is_authenticated:
                raise Problem(401, "signed-out", "You are not signed in, or were signed out. Sign in and try again.")
            viewer: Viewer = current_user.viewer
            if not allowed(viewer, action):
                raise Problem(403, "not-allowed", _WHY[action])
            return view(*args, viewer=viewer, **kwargs)

        return cast(F, guarded)

    return guard
