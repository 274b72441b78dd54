"""Teams, those who sign in, drivers and their cars."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, ForeignKey, Index, Integer, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lauftakt.store.models.base import Base, Owned, Removable


class Team(Removable, Base):
    """A coach's own space; ``demo`` is a made-up school's, ``demo_for`` the team whose owner looks around in it (none:
    it is the installation's)."""

    __tablename__ = "team"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    demo: Mapped[bool] = mapped_column(Boolean, default=False, server_default="0")
    demo_for: Mapped[int | None]


class Account(Owned, Base):
    """Somebody who signs in: ``owner``, ``coach``, ``assistant``, or ``driver``, who is one of the team's drivers."""

    __tablename__ = "account"
    email: Mapped[str] = mapped_column(String(190), unique=True)
    name: Mapped[str] = mapped_column(String(200))
    password_hash: Mapped[str] = mapped_column(String(200))
    role: Mapped[str] = mapped_column(String(20), default="coach")
    driver_id: Mapped[int | None] = mapped_column(ForeignKey("driver.id", ondelete="SET NULL"))
    units: Mapped[str] = mapped_column(String(20), default="metric")
    look: Mapped[str] = mapped_column(String(20), default="system")
    dates: Mapped[str] = mapped_column(String(20), default="en-GB", server_default="en-GB")
    shortcuts: Mapped[bool] = mapped_column(Boolean, default=True)
    desk: Mapped[dict[str, Any] | None]


class SignIn(Owned, Base):
    """Somebody signed in on a device. The cookie holds a token of which only the digest is kept, so that a copied
    cookie ends with it."""

    __tablename__ = "sign_in"
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id", ondelete="CASCADE"))
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    device: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[datetime]
    used_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    account: Mapped[Account] = relationship()


class SignInTry(Base):
    """A try to sign in that failed, by the digest of what it is counted for; not any team's."""

    __tablename__ = "sign_in_try"
    __table_args__ = (Index("ix_sign_in_try_key", "key", "at"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    key: Mapped[str] = mapped_column(String(64))
    at: Mapped[datetime]


class Invitation(Owned, Base):
    """A way into the team for one more person; the link itself is signed and not kept."""

    __tablename__ = "invitation"
    role: Mapped[str] = mapped_column(String(20))
    nonce: Mapped[str] = mapped_column(String(32))
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]
    used_at: Mapped[datetime | None]


class Driver(Removable, Owned, Base):
    """Somebody whose runs the team has; one who is ``reference_only`` (an instructor, an outsider) is nobody's student:
    never missing, never awaiting a debrief. ``shows_laps``: whether other students may be shown their laps; NULL where
    they were not asked yet."""

    __tablename__ = "driver"
    __table_args__ = (UniqueConstraint("team_id", "name"),)
    name: Mapped[str] = mapped_column(String(200))
    colour: Mapped[int] = mapped_column(Integer, default=0)
    reference_only: Mapped[bool] = mapped_column(Boolean, default=False, server_default="0")
    shows_laps: Mapped[bool | None] = mapped_column(Boolean)


class Car(Removable, Owned, Base):
    """A car; its ``sheet`` holds what is known of it, its set-up by date, and its limits, in SI units."""

    __tablename__ = "car"
    __table_args__ = (UniqueConstraint("team_id", "name"),)
    name: Mapped[str] = mapped_column(String(200))
    sheet: Mapped[dict[str, Any] | None]
