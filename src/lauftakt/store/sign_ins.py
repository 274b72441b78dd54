"""Who is signed in on which device, and tries that failed: kept in the database, so that all processes agree."""

import hashlib
import secrets
from datetime import timedelta

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from lauftakt.store.database import AHEAD, now
from lauftakt.store.models import Account, SignIn, SignInTry, Team

# Without a sign of life, and in any case.
IDLE, LONGEST = timedelta(days=14), timedelta(days=90)
# The last use is written down no more often than this.
NOTED = timedelta(minutes=2)
# Tries that fail: for an address from one place, and from one place for any address.
WINDOW = timedelta(minutes=10)
MOST_FOR_ONE, MOST_FROM_ONE = 8, 60


def begin_sign_in(session: Session, account: Account, device: str) -> tuple[SignIn, str]:
    """Somebody signs in: the row, and the token that their cookie carries, which is kept nowhere."""
    token = secrets.token_urlsafe(32)
    row = SignIn(
        team_id=account.team_id,
        account_id=account.id,
        token_hash=_digest(token),
        device=device[:120],
        created_at=now(),
        used_at=now(),
    )
    session.add(row)
    session.flush()
    return row, token


def sign_in_of(session: Session, token: str) -> tuple[SignIn, Account, Team] | None:
    """Who signed in with a token; None for one that was ended, ran out or never was."""
    row = session.execute(
        select(SignIn, Account, Team)
        .join(Account, Account.id == SignIn.account_id)
        .join(Team, Team.id == Account.team_id)
        .where(SignIn.token_hash == _digest(token))
    ).first()
    if row is None:
        return None
    found, moment = row[0], now()
    if found.ended_at is not None or found.used_at < moment - IDLE or found.created_at < moment - LONGEST:
        return None
    if found.used_at < moment - NOTED:
        session.execute(update(SignIn).where(SignIn.id == found.id).values(used_at=moment))
    return found, row[1], row[2]


def end_sign_ins(session: Session, account_id: int, *, only: int | None = None, but: int | None = None) -> None:
    """End sign-ins of an account: one of them, all but one, or all."""
    query = update(SignIn).where(SignIn.account_id == account_id, SignIn.ended_at.is_(None))
    if only is not None:
        query = query.where(SignIn.id == only)
    if but is not None:
        query = query.where(SignIn.id != but)
    session.execute(query.values(ended_at=now()))


def too_many_tries(session: Session, email: str, place: str) -> bool:
    """Whether there were too many wrong tries for an address from this place, or from this place at all. The right
    person at another place is not kept out by it."""
    return (
        _count(session, _digest(f"{email.strip().lower()}\n{place}")) >= MOST_FOR_ONE
        or _count(session, _digest(place)) >= MOST_FROM_ONE
    )


def note_try(session: Session, email: str, place: str) -> None:
    """Count a try that failed; only digests are kept, and not for long."""
    for key in (_digest(f"{email.strip().lower()}\n{place}"), _digest(place)):
        session.add(SignInTry(key=key, at=now()))
    session.execute(delete(SignInTry).where(~SignInTry.at.between(now() - WINDOW, now() + AHEAD)))


def forget_tries(session: Session, email: str, place: str) -> None:
    """After the right password."""
    session.execute(delete(SignInTry).where(SignInTry.key == _digest(f"{email.strip().lower()}\n{place}")))


def forget_sign_ins(session: Session) -> None:
    """Rows of sign-ins that ended long ago."""
    session.execute(
        delete(SignIn).where((SignIn.ended_at < now() - IDLE) | (SignIn.created_at < now() - LONGEST - IDLE))
    )


def _count(session: Session, key: str) -> int:
    tried = select(func.count()).where(SignInTry.key == key, SignInTry.at.between(now() - WINDOW, now() + AHEAD))
    return session.scalar(tried) or 0


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()
