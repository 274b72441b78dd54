"""Circuits, ways of driving round them, how those were drawn at one time, and the days spent there."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lauftakt.store.models.base import Base, Owned, Removable


class Circuit(Removable, Owned, Base):
    """A venue."""

    __tablename__ = "circuit"
    __table_args__ = (UniqueConstraint("team_id", "name"),)
    name: Mapped[str] = mapped_column(String(200))


class LayoutRow(Removable, Owned, Base):
    """One way of driving round a circuit. Until its first run comes it is only a sketch; then ``current`` is the
    version that new analyses use. ``heading_deg`` is the compass heading that the map shows upwards, NULL for north;
    once ``confirmed_at`` is set runs no longer improve it by themselves."""

    __tablename__ = "layout"
    name: Mapped[str] = mapped_column(String(200))
    circuit_id: Mapped[int] = mapped_column(ForeignKey("circuit.id", ondelete="CASCADE"))
    latitude: Mapped[float]
    longitude: Mapped[float]
    sketch: Mapped[dict[str, Any]] = mapped_column(default=dict)
    current_id: Mapped[int | None] = mapped_column(
        ForeignKey("layout_version.id", ondelete="SET NULL", use_alter=True, name="fk_layout_current_id")
    )
    heading_deg: Mapped[float | None]
    confirmed_at: Mapped[datetime | None]
    circuit: Mapped[Circuit] = relationship()
    current: Mapped["LayoutVersion | None"] = relationship(foreign_keys=current_id, post_update=True)


class LayoutVersion(Owned, Base):
    """A layout as it was drawn at one time; never changed. ``places`` holds corners, passages, limits and marks;
    ``made_from`` is the number of the version that was changed, ``summary`` says in words how."""

    __tablename__ = "layout_version"
    __table_args__ = (UniqueConstraint("layout_id", "number"),)
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id", ondelete="CASCADE"))
    number: Mapped[int]
    latitude: Mapped[float]
    longitude: Mapped[float]
    length_m: Mapped[float]
    start: Mapped[dict[str, Any]]
    places: Mapped[dict[str, Any]] = mapped_column(deferred=True, deferred_group="drawing")
    geometry: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True, deferred_group="drawing")
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    made_from: Mapped[int | None]
    summary: Mapped[str] = mapped_column(String(500), default="", server_default="")
    created_at: Mapped[datetime]
    layout: Mapped[LayoutRow] = relationship(foreign_keys=layout_id)


class SectorSet(Owned, Base):
    """One way of cutting a layout into sectors; never changed but by retiring it, when another took its place.
    ``splits`` are ``m``, ``skews`` and ``names``."""

    __tablename__ = "sector_set"
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(200))
    splits: Mapped[dict[str, Any]]
    created_at: Mapped[datetime]
    retired_at: Mapped[datetime | None]


class MarkRow(Owned, Base):
    """Something that a driver sees from the seat: a board, a seam, a tree; where it is on the ground, and on which
    ``side`` of the road (``left``, ``right``, or empty)."""

    __tablename__ = "mark"
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(120))
    side: Mapped[str] = mapped_column(String(10))
    latitude: Mapped[float]
    longitude: Mapped[float]


class Event(Removable, Owned, Base):
    """A day or a weekend on one layout of a circuit, with its own way of cutting the lap into sectors.

    ``reference`` is what a coach wants the day measured against: the address of a lap, ``own-bests``, or None for what
    the core's rule finds.
    """

    __tablename__ = "event"
    __table_args__ = (
        UniqueConstraint("team_id", "layout_id", "day", "name"),
        Index("ix_event_day", "team_id", "day", "id"),
    )
    name: Mapped[str] = mapped_column(String(200))
    day: Mapped[str] = mapped_column(String(10))
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id", ondelete="CASCADE"))
    sector_set_id: Mapped[int | None] = mapped_column(ForeignKey("sector_set.id", ondelete="SET NULL"))
    reference: Mapped[str | None] = mapped_column(String(40))
    layout: Mapped[LayoutRow] = relationship()
    sector_set: Mapped[SectorSet | None] = relationship()
