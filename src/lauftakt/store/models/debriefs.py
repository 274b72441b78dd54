"""Debriefs: what a driver was asked to do and to keep after a run, what became of it, and what they said."""

from datetime import datetime
from typing import Any

from sqlalchemy import Boolean, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lauftakt.store.models.base import Base, Owned, Removable
from lauftakt.store.models.circuits import Event
from lauftakt.store.models.people import Driver
from lauftakt.store.models.runs import Run


class Debrief(Owned, Base):
    """What a driver gets after a run. ``losses`` are the run's losses in all passages when it was made, with their
    doubt: by them passages were picked. ``given`` is what the driver was given last; nobody but those who lead and
    assist the team sees a debrief before it is given. ``author`` stays when the account goes. ``followed`` names all
    that the courses of its cues rested on when they were worked out: where that is another by now, they are to be
    worked out anew."""

    __tablename__ = "debrief"
    __table_args__ = (UniqueConstraint("team_id", "run_id"),)
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"), index=True)
    event_id: Mapped[int | None] = mapped_column(ForeignKey("event.id", ondelete="SET NULL"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="SET NULL"), index=True)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    author: Mapped[str] = mapped_column(String(200))
    losses: Mapped[dict[str, Any]]
    made_at: Mapped[datetime]
    given_at: Mapped[datetime | None]
    given: Mapped[dict[str, Any] | None]
    opened_at: Mapped[datetime | None]
    followed: Mapped[str | None] = mapped_column(String(40))
    driver: Mapped[Driver] = relationship()
    event: Mapped[Event | None] = relationship()
    run: Mapped[Run | None] = relationship()


class CueRow(Removable, Owned, Base):
    """Something that a driver is asked to do next run (``cue``), or to keep (``keep``), with its target.

    ``sentence`` is the core's, its figures in SI; ``text`` are the coach's own words, where they wrote any. ``value``
    is the target's; where that is a place it is kept on the ground, too, so that it lies where it lay on the next
    version of a layout; so is the corner. ``basis`` is what it was made from. What the driver answered is NULL until
    then.
    """

    __tablename__ = "cue"
    debrief_id: Mapped[int] = mapped_column(ForeignKey("debrief.id", ondelete="CASCADE"), index=True)
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    rank: Mapped[int]
    sentence: Mapped[list[Any]]
    text: Mapped[str | None] = mapped_column(Text)
    passage: Mapped[str] = mapped_column(String(60))
    corner: Mapped[str | None] = mapped_column(String(200))
    latitude: Mapped[float]
    longitude: Mapped[float]
    figure: Mapped[str] = mapped_column(String(40))
    direction: Mapped[str] = mapped_column(String(10))
    value: Mapped[float]
    now: Mapped[float]
    target_latitude: Mapped[float | None]
    target_longitude: Mapped[float | None]
    cause: Mapped[str | None] = mapped_column(String(40))
    shown: Mapped[str] = mapped_column(String(20))
    lap: Mapped[int | None]
    basis: Mapped[dict[str, Any]]
    made_at: Mapped[datetime]
    understood: Mapped[bool | None] = mapped_column(Boolean)
    tried: Mapped[bool | None] = mapped_column(Boolean)
    unsafe: Mapped[bool | None] = mapped_column(Boolean)
    debrief: Mapped[Debrief] = relationship()


class CueCourse(Owned, Base):
    """What became of a cue over later runs, as the core judged it: the ``figure`` that it asks for, its ``stage``,
    whether it ``paid`` in any of them, and in ``looks`` a row for each run."""

    __tablename__ = "cue_course"
    cue_id: Mapped[int] = mapped_column(ForeignKey("cue.id", ondelete="CASCADE"), unique=True)
    debrief_id: Mapped[int] = mapped_column(ForeignKey("debrief.id", ondelete="CASCADE"), index=True)
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    figure: Mapped[str] = mapped_column(String(40))
    stage: Mapped[str] = mapped_column(String(20))
    paid: Mapped[bool] = mapped_column(Boolean)
    looks: Mapped[list[Any]]


class Voice(Owned, Base):
    """What a driver said of a run: what was felt in a corner (``good``, ``lost``, ``unsure``), or a ``question`` to the
    coach. The corner is kept on the ground, too."""

    __tablename__ = "voice"
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"), index=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    felt: Mapped[str] = mapped_column(String(10))
    corner: Mapped[str | None] = mapped_column(String(200))
    latitude: Mapped[float | None]
    longitude: Mapped[float | None]
    words: Mapped[str | None] = mapped_column(Text)
    said_at: Mapped[datetime]
