"""Teams and the accounts of those who sign in."""

from argon2 import PasswordHasher
from sqlalchemy.orm import Session

from lauftakt.store.models import Account, Team


def add_team(session: Session, name: str) -> Team:
    """A new team."""
    team = Team(name=name)
    session.add(team)
    session.flush()
    return team


def add_account(session: Session, team: Team, *, email: str, name: str, password: str, role: str = "coach") -> Account:
    """A new account; the password is kept as an argon2id hash only."""
    account = Account(
        team_id=team.id, email=email.lower(), name=name, password_hash=PasswordHasher().hash(password), role=role
    )
    session.add(account)
    session.flush()
    return account
