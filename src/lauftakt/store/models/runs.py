"""Runs: what was logged, what is said of it, and its bytes as they were handed in."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, ForeignKey, Index, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lauftakt.store.models.analyses import Analysis
from lauftakt.store.models.base import Base, Owned, Removable
from lauftakt.store.models.circuits import Event, LayoutRow
from lauftakt.store.models.people import Car, Driver


class DialectRow(Owned, Base):
    """What a coach once said about the channels of one kind of logger, by the set of their names."""

    __tablename__ = "dialect"
    __table_args__ = (UniqueConstraint("team_id", "fingerprint"),)
    name: Mapped[str] = mapped_column(String(200))
    fingerprint: Mapped[str] = mapped_column(String(64))
    names: Mapped[list[Any]]
    choices: Mapped[dict[str, Any]]
    updated_at: Mapped[datetime]


class Run(Removable, Owned, Base):
    """One continuous log of one driver in one car.

    ``started_at`` is the clock at the circuit, ``zone`` its offset where the log told it. ``reading`` counts how often
    what its channels stand for was said anew; ``reader_version`` is the reader that made its samples. ``decided``
    counts how often it was settled which of its laps count, and where they were held up. What begins with ``laps_`` or
    holds a best is a summary of the laps of the present analysis by the core's rules, so that lists need no laps.
    """

    __tablename__ = "run"
    __table_args__ = (
        Index("ix_run_day", "team_id", "event_id"),
        Index("ix_run_layout", "team_id", "removed_at", "layout_id"),
        UniqueConstraint("team_id", "sha256"),
    )
    event_id: Mapped[int] = mapped_column(ForeignKey("event.id", ondelete="CASCADE"))
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id"))
    car_id: Mapped[int | None] = mapped_column(ForeignKey("car.id"))
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id"))
    dialect_id: Mapped[int | None] = mapped_column(ForeignKey("dialect.id", ondelete="SET NULL"))
    analysis_id: Mapped[int | None] = mapped_column(
        ForeignKey("analysis.id", ondelete="SET NULL", use_alter=True, name="fk_run_analysis_id")
    )
    kind: Mapped[str] = mapped_column(String(20), default="practice")
    conditions: Mapped[str | None] = mapped_column(String(20))
    tyres: Mapped[str | None] = mapped_column(String(200))
    notes: Mapped[str | None] = mapped_column(Text)
    felt: Mapped[str | None] = mapped_column(Text)
    confirmed: Mapped[bool] = mapped_column(Boolean, default=False)
    labels_from: Mapped[dict[str, Any]] = mapped_column(default=dict)
    duration_s: Mapped[float | None]
    started_at: Mapped[datetime | None]
    zone: Mapped[str | None] = mapped_column(String(6))
    file_name: Mapped[str] = mapped_column(String(300))
    sha256: Mapped[str] = mapped_column(String(64))
    meta: Mapped[dict[str, Any]]
    log_warnings: Mapped[list[Any]]
    reading: Mapped[int] = mapped_column(default=1)
    reader_version: Mapped[int] = mapped_column(default=0)
    sealed: Mapped[bool] = mapped_column(Boolean, default=True, server_default="0")
    decided: Mapped[int] = mapped_column(default=0, server_default="0")
    channels_known: Mapped[int] = mapped_column(default=0)
    channels_unsure: Mapped[int] = mapped_column(default=0)
    laps_all: Mapped[int] = mapped_column(default=0)
    laps_counting: Mapped[int] = mapped_column(default=0)
    best_number: Mapped[int | None]
    best_s: Mapped[float | None]
    theoretical_best_s: Mapped[float | None]
    created_at: Mapped[datetime]
    event: Mapped[Event] = relationship()
    driver: Mapped[Driver] = relationship()
    car: Mapped[Car | None] = relationship()
    layout: Mapped[LayoutRow] = relationship()
    dialect: Mapped[DialectRow | None] = relationship()
    analysis: Mapped[Analysis | None] = relationship(foreign_keys=analysis_id, post_update=True)
    channels: Mapped[list["ChannelRow"]] = relationship(order_by="ChannelRow.id", passive_deletes=True)
    words: Mapped[list["LapWord"]] = relationship(order_by="LapWord.moment_s", passive_deletes=True)
    overlaps: Mapped[list["RunOverlap"]] = relationship(
        foreign_keys="RunOverlap.run_id", order_by="RunOverlap.id", passive_deletes=True
    )
    original: Mapped["Original | None"] = relationship(passive_deletes=True)


class ChannelRow(Owned, Base):
    """A logged channel; its samples are compressed blocks with a clock of their own.

    ``unit`` is what the logger wrote. The samples are as logged, so that a role can be corrected at any time; only rows
    without ``as_logged``, of an older version, hold the SI unit of their role. ``picture`` is a coarse curve of the
    values, 0 to 100, ``low`` and ``high`` their range in the logger's unit; ``second_role`` is what it would be
    otherwise (``""``: nothing), NULL where that is out of the question.
    """

    __tablename__ = "channel"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(300))
    unit: Mapped[str] = mapped_column(String(60))
    role: Mapped[str | None] = mapped_column(String(60))
    rate_hz: Mapped[float]
    count: Mapped[int] = mapped_column(BigInteger)
    as_logged: Mapped[bool] = mapped_column(Boolean, default=True)
    recognised_by: Mapped[str] = mapped_column(String(20), default="name")
    confidence: Mapped[float] = mapped_column(default=1.0)
    second_role: Mapped[str | None] = mapped_column(String(60))
    flipped: Mapped[bool] = mapped_column(Boolean, default=False)
    taken_unit: Mapped[str] = mapped_column(String(60), default="")
    picture: Mapped[list[Any]] = mapped_column(default=list)
    low: Mapped[float | None]
    high: Mapped[float | None]


class Samples(Owned, Base):
    __tablename__ = "samples"
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id", ondelete="CASCADE"))
    first: Mapped[int] = mapped_column(BigInteger)
    clock: Mapped[bytes] = mapped_column(LONGBLOB)
    values: Mapped[bytes] = mapped_column(LONGBLOB)


class LapWord(Owned, Base):
    """What a person said of a lap, by the moment at which it begins in the log: it survives every new analysis.

    ``counts``: it counts, it does not, or nothing; ``reason`` why it does not; ``note`` in words.
    """

    __tablename__ = "lap_word"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    moment_s: Mapped[float]
    counts: Mapped[bool | None] = mapped_column(Boolean)
    reason: Mapped[str | None] = mapped_column(String(20))
    note: Mapped[str | None] = mapped_column(Text)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    said_at: Mapped[datetime]


class StintWord(Owned, Base):
    """What a person said of a stint, by the moment at which its first lap begins in the log: that it begins there
    (``cut``), what was ``tried``, and its tyres after it: temperatures, wear and pressures for each wheel, SI units."""

    __tablename__ = "stint_word"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    moment_s: Mapped[float]
    cut: Mapped[bool] = mapped_column(Boolean, default=False)
    tried: Mapped[str | None] = mapped_column(Text)
    tyres: Mapped[dict[str, Any] | None]
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    said_at: Mapped[datetime]


class HeldWord(Owned, Base):
    """What a person said of traffic, in the log's time: there another car was in the way, or none was."""

    __tablename__ = "held_word"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    from_s: Mapped[float]
    to_s: Mapped[float]
    held: Mapped[bool] = mapped_column(Boolean)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    said_at: Mapped[datetime]


class FigureSet(Owned, Base):
    """A choice of figures by lap, ``role:statistic``, under a name of the team's."""

    __tablename__ = "figure_set"
    __table_args__ = (UniqueConstraint("team_id", "name"),)
    name: Mapped[str] = mapped_column(String(60))
    figures: Mapped[list[Any]]


class RunOverlap(Owned, Base):
    """Laps that a run shares with one that was there before: ``laps`` holds own numbers with the other's."""

    __tablename__ = "run_overlap"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    other_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE", name="fk_run_overlap_other_id"))
    laps: Mapped[dict[str, Any]]
    message: Mapped[str] = mapped_column(String(500))


class Original(Owned, Base):
    """A taken log's file as it was handed in, in compressed parts; ``sha256`` is that of all its bytes.

    ``damaged_at`` is when its bytes were last seen to be others, ``unread_by`` the version of the reader that could not
    read it; the samples that were read at first are kept apart and good in both cases.
    """

    __tablename__ = "original"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), unique=True)
    file_name: Mapped[str] = mapped_column(String(300))
    sha256: Mapped[str] = mapped_column(String(64))
    size: Mapped[int] = mapped_column(BigInteger)
    damaged_at: Mapped[datetime | None]
    unread_by: Mapped[int | None]


class OriginalPart(Owned, Base):
    __tablename__ = "original_part"
    __table_args__ = (UniqueConstraint("original_id", "number"),)
    original_id: Mapped[int] = mapped_column(ForeignKey("original.id", ondelete="CASCADE"))
    number: Mapped[int]
    data: Mapped[bytes] = mapped_column(LONGBLOB)
