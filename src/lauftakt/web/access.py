"""Who is signed in, and the connection of a request."""

from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar, cast

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from flask import current_app
from flask_login import LoginManager, UserMixin, current_user
from sqlalchemy import select

from lauftakt.store.database import Database
from lauftakt.store.lineup import CurveCache
from lauftakt.store.models import Account, Team
from lauftakt.web.policy import Action, Viewer, allowed

F = TypeVar("F", bound=Callable[..., Any])

hasher = PasswordHasher()
login_manager = LoginManager()
# Verified against when no account has the address, so that both answers take the same time.
_NOBODY = hasher.hash("nobody")
_WHY: dict[Action, str] = {
    "see": "This is not yours to see.",
    "see-team": "Only those who lead or assist the team can see this.",
    "note": "Only those who lead or assist the team can do this.",
    "change": "Only a coach can do this.",
    "hand-in": "Only a coach, or a driver by a personal link, can hand in.",
    "tell": "Only a coach or the driver can tell this.",
    "account": "This needs an account.",
}


class Problem(Exception):
    """An answer in plain words with a status and a stable code."""

    def __init__(self, status: int, code: str, message: str) -> None:
        super().__init__(message)
        self.status, self.code = status, code


class SignedIn(UserMixin):
    """An account for the length of a request, detached from the database."""

    def __init__(self, account: Account, team: Team) -> None:
        self.id = account.id
        self.team_name = team.name
        self.name, self.role = account.name, account.role
        self.units, self.look, self.shortcuts = account.units, account.look, account.shortcuts
        self.viewer = Viewer(
            kind=cast(Any, account.role),
            team_id=account.team_id,
            account_id=account.id,
            driver_id=account.driver_id,
        )


def database() -> Database:
    return cast(Database, current_app.extensions["lauftakt"])


def build() -> str:
    """The number of this program, part of the address of everything that browsers keep."""
    return cast(str, current_app.extensions["lauftakt-build"])


def curve_cache() -> CurveCache:
    """The curves used last: one for each application, so that two databases never share it."""
    return cast(CurveCache, current_app.extensions["lauftakt-curves"])


@login_manager.user_loader
def _load(user_id: str) -> SignedIn | None:
    with database().begin() as session:
        row = session.execute(
            select(Account, Team).join(Team, Team.id == Account.team_id).where(Account.id == int(user_id))
        ).first()
        return SignedIn(row[0], row[1]) if row else None


def check_password(email: str, password: str) -> SignedIn | None:
    """The account of an address and its password, or None."""
    with database().begin() as session:
        row = session.execute(
            select(Account, Team).join(Team, Team.id == Account.team_id).where(Account.email == email.lower())
        ).first()
        try:
            hasher.verify(row[0].password_hash if row else _NOBODY, password)
        except (VerifyMismatchError, InvalidHashError):
            return None
        return SignedIn(row[0], row[1]) if row else None


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
