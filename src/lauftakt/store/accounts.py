"""Teams and the accounts of those who sign in."""

from argon2 import PasswordHasher
from sqlalchemy.orm import Session

from lauftakt.store.models import Account, Team

# Who may change what a team has.
LEADING = ("owner", "coach")


def add_team(session: Session, name: str) -> Team:
    """A new team."""
    team = Team(name=name)
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
    """A new account; the password is kept as an argon2id hash only. A driver's names the driver they are."""
    account = Account(
        team_id=team.id,
        email=email.lower(),
        name=name,
        password_hash=PasswordHasher().hash(password),
        role=role,
        driver_id=driver_id,
    )
    session.add(account)
    session.flush()
    return account
