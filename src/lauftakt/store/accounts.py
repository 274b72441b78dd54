"""Teams and the accounts of those who sign in."""

import re
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session
from zxcvbn.frequency_lists import FREQUENCY_LISTS

from lauftakt.core.log.text import one_line
from lauftakt.store.database import mine, now
from lauftakt.store.models import Account, SignIn, Team

# Who may change what a team has.
LEADING = ("owner", "coach")
ROLES = ("owner", "coach", "assistant")
SHORTEST, LONGEST = 10, 200
_ADDRESS = re.compile(r"^[^@\s<>\"]{1,64}@[^@\s<>\"]{1,120}$")
_hasher = PasswordHasher()
# Verified against when no account has the address, so that both answers take the same time.
_NOBODY = _hasher.hash("nobody")


class Refused(Exception):
    """What somebody wants for an account cannot be; ``code`` is stable, the message says why and what to do."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(message)
        self.code = code


@cache
def _common() -> frozenset[str]:
    """The passwords that are tried first, from what has leaked (the list comes with zxcvbn)."""
    return frozenset(FREQUENCY_LISTS["passwords"])


def check_new_password(password: str, *known: str) -> None:
    """Whether a password will do: long enough, not one of the common ones, and nothing that stands beside it.

    Parameters
    ----------
    password : as typed
    known : what others know of the person: address, name, team

    Raises
    ------
    Refused
        ``password-short``, ``password-long``, ``password-common``
    """
    if len(password) < SHORTEST:
        raise Refused("password-short", f"The password needs at least {SHORTEST} characters; a few words will do.")
    if len(password) > LONGEST:
        raise Refused("password-long", f"The password may have at most {LONGEST} characters.")
    plain = re.sub(r"[\W_]+", "", password.casefold())
    told = {re.sub(r"[\W_]+", "", text.casefold()) for text in known}
    told |= {text.split("@")[0].casefold() for text in known}
    if password.casefold() in _common() or plain in _common() or re.sub(r"\d+$", "", plain) in _common():
        raise Refused("password-common", "This password is among those that are tried first; choose another.")
    if len(set(password)) < 4 or plain in told or _is_made_of(password, known):
        raise Refused("password-common", "This password is easily guessed; choose another.")


# With so few letters beside what stands around it, a password is found by trying.
_LEFT = 5
_PROGRAM = ("lauftakt",)


def _is_made_of(password: str, known: tuple[str, ...]) -> bool:
    """Whether a password is hardly more than words of the team, the person and the program, and figures like a year."""
    words = {word for text in (*known, *_PROGRAM) for word in re.findall(r"[^\W\d_]{3,}", text.casefold())}
    left = re.sub(r"[\W\d_]+", "", password.casefold())
    whole = len(left)
    for word in sorted(words, key=len, reverse=True):
        left = left.replace(word, "")
    return len(left) < min(_LEFT, whole)


def clean_address(address: str) -> str:
    """An e-mail address as it is kept.

    Raises
    ------
    Refused
        ``address`` where it is none.
    """
    found = address.strip().lower()
    if not _ADDRESS.match(found) or len(found) > 190:
        raise Refused("address", "This is not an e-mail address, like name@school.example.")
    return found


def add_team(session: Session, name: str, *, demo: bool = False) -> Team:
    """A new team."""
    team = Team(name=one_line(name, 200) or "Team", demo=demo)
    session.add(team)
    session.flush()
    return team


def add_account(
    session: Session,
    team: Team,
    *,
    email: str,
    name: str,
    password: str,
    role: str = "coach",
    driver_id: int | None = None,
) -> Account:
    """A new account; the password is kept as an argon2id hash only. A driver's names the driver they are.

    Raises
    ------
    Refused
        ``address-taken``
    """
    if session.scalar(select(Account.id).where(Account.email == email.lower())) is not None:
        raise Refused("address-taken", "Somebody signs in with this e-mail address already.")
    account = Account(
        team_id=team.id,
        email=email.lower(),
        name=one_line(name, 200) or email,
        password_hash=_hasher.hash(password),
        role=role,
        driver_id=driver_id,
    )
    session.add(account)
    session.flush()
    return account


def verify(session: Session, email: str, password: str) -> Account | None:
    """The account of an address and its password; its hash is renewed where today's are stronger."""
    account = session.scalar(
        select(Account).join(Team, Team.id == Account.team_id).where(Account.email == email.strip().lower())
    )
    try:
        _hasher.verify(account.password_hash if account else _NOBODY, password)
    except (VerificationError, InvalidHashError):
        return None
    if account is not None and _hasher.check_needs_rehash(account.password_hash):
        account.password_hash = _hasher.hash(password)
    return account


def set_password(session: Session, account: Account, password: str, keep: int | None = None) -> None:
    """Change a password; everybody who is signed in with the old one is signed out, but for one sign-in.

    Raises
    ------
    Refused
        see :func:`check_new_password`
    """
    team = session.get_one(Team, account.team_id)
    check_new_password(password, account.email, account.name, team.name)
    account.password_hash = _hasher.hash(password)
    others = update(SignIn).where(SignIn.account_id == account.id, SignIn.ended_at.is_(None))
    if keep is not None:
        others = others.where(SignIn.id != keep)
    session.execute(others.values(ended_at=now()))


def owners_of(session: Session, team_id: int) -> int:
    """How many owners a team has."""
    own = mine(Account, team_id).where(Account.role == "owner").subquery()
    return session.scalar(select(func.count()).select_from(own)) or 0


def team_for(session: Session, address: str = "") -> int | None:
    """The team that a device or folder of the installation belongs to: that of the coach who is named, else the only
    team there is (the demo school where there is no other). None where that is nobody, or nobody can tell whose."""
    if address:
        named = select(Account).join(Team, Team.id == Account.team_id).where(Account.email == address.strip().lower())
        account = session.scalar(named)
        return account.team_id if account is not None and account.role in LEADING else None
    for which in (Team.demo.is_(False), Team.demo & Team.demo_for.is_(None)):
        teams = session.scalars(select(Team.id).where(which).limit(2)).all()
        if teams:
            return teams[0] if len(teams) == 1 else None
    return None


def has_own_team(session: Session) -> bool:
    """Whether anybody has begun here: a team beside the demo school's."""
    return session.scalar(select(Team.id).where(Team.demo.is_(False)).limit(1)) is not None
