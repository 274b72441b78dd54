"""Teams, those who sign in, drivers and their cars."""

from sqlalchemy import Boolean, ForeignKey, Integer, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from lauftakt.store.models.base import Base, Owned


class Team(Base):
    """A coach's own space."""

    __tablename__ = "team"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))


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
    shortcuts: Mapped[bool] = mapped_column(Boolean, default=True)


class Driver(Owned, Base):
    __tablename__ = "driver"
    __table_args__ = (UniqueConstraint("team_id", "name"),)
    name: Mapped[str] = mapped_column(String(200))
    colour: Mapped[int] = mapped_column(Integer, default=0)


class Car(Owned, Base):
    __tablename__ = "car"
    __table_args__ = (UniqueConstraint("team_id", "name"),)
    name: Mapped[str] = mapped_column(String(200))
