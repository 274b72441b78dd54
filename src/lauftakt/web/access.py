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

F = TypeVar("F", bound=Callable[..., Any])

hasher = PasswordHasher()
login_manager = LoginManager()
# Verified against when no account has the address, so that both answers take the same time.
_NOBODY = hasher.hash("nobody")


class Problem(Exception):
    """An answer in plain words with a status and a stable code."""

    def __init__(self, status: int, code: str, message: str) -> None:
        super().__init__(message)
        self.status, self.code = status, code


class SignedIn(UserMixin):
    """An account for the length of a request, detached from the database."""

    def __init__(self, account: Account, team: Team) -> None:
        self.id = account.id
        self.team_id, self.team_name = account.team_id, team.name
        self.name, self.role = account.name, account.role
        self.units, self.look, self.shortcuts = account.units, account.look, account.shortcuts


def database() -> Database:
    return cast(Database, current_app.extensions["lauftakt"])


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


def team_id() -> int:
    """The team of whoever is signed in."""
    return cast(int, current_user.team_id)


def for_members(view: F) -> F:
    """Only for those who are signed in; everybody else gets a plain 401."""

    @wraps(view)
    def guarded(*args: Any, **kwargs: Any) -> Any:
        if not current_user.is_authenticated:
            raise Problem(401, "signed-out", "You are not signed in, or were signed out. Sign in and try again.")
        return view(*args, **kwargs)

    return cast(F, guarded)


def for_coaches(view: F) -> F:
    """Only for coaches that are signed in; everybody else gets a plain 401 or 403."""

    @wraps(view)
    def guarded(*args: Any, **kwargs: Any) -> Any:
        if current_user.role != "coach":
            raise Problem(403, "not-allowed", "Only a coach can do this.")
        return view(*args, **kwargs)

    return for_members(cast(F, guarded))
