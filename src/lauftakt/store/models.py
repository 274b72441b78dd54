"""Tables. Every row belongs to a team."""

from datetime import datetime
from typing import Any, ClassVar

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Double,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    Text,
    UniqueConstraint,
)
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        datetime: DATETIME(fsp=6),
        float: Double(),
        dict[str, Any]: JSON,
        list[Any]: JSON,
    }


class Team(Base):
    """A coach's own space."""

    __tablename__ = "team"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))


class Owned:
    """Mixed into every table whose rows belong to a team, which is all of them but the team's own."""

    id: Mapped[int] = mapped_column(primary_key=True)
    team_id: Mapped[int] = mapped_column(ForeignKey("team.id", ondelete="CASCADE"), index=True)


class Account(Owned, Base):
    """Somebody who signs in."""

    __tablename__ = "account"
    email: Mapped[str] = mapped_column(String(190), unique=True)
    name: Mapped[str] = mapped_column(String(200))
    password_hash: Mapped[str] = mapped_column(String(200))
    role: Mapped[str] = mapped_column(String(20), default="coach")
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


class LayoutRow(Owned, Base):
    """A layout's version. Without ``geometry`` it is only a start line that waits for its first run."""

    __tablename__ = "layout"
    name: Mapped[str] = mapped_column(String(200))
    version: Mapped[int] = mapped_column(Integer, default=1)
    latitude: Mapped[float]
    longitude: Mapped[float]
    start: Mapped[dict[str, Any]]
    places: Mapped[dict[str, Any]] = mapped_column(default=dict)
    geometry: Mapped[bytes | None] = mapped_column(LONGBLOB)


class Event(Owned, Base):
    """A day or a weekend at one circuit."""

    __tablename__ = "event"
    __table_args__ = (UniqueConstraint("team_id", "layout_id", "day", "name"),)
    name: Mapped[str] = mapped_column(String(200))
    day: Mapped[str] = mapped_column(String(10))
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id", ondelete="CASCADE"))
    layout: Mapped[LayoutRow] = relationship()


class Run(Owned, Base):
    """One continuous log of one driver in one car."""

    __tablename__ = "run"
    __table_args__ = (Index("ix_run_day", "team_id", "event_id"), UniqueConstraint("team_id", "sha256"))
    event_id: Mapped[int] = mapped_column(ForeignKey("event.id", ondelete="CASCADE"))
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id"))
    car_id: Mapped[int | None] = mapped_column(ForeignKey("car.id"))
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id"))
    dialect_id: Mapped[int | None] = mapped_column(ForeignKey("dialect.id", ondelete="SET NULL"))
    kind: Mapped[str] = mapped_column(String(20), default="practice")
    conditions: Mapped[str | None] = mapped_column(String(20))
    tyres: Mapped[str | None] = mapped_column(String(200))
    notes: Mapped[str | None] = mapped_column(Text)
    felt: Mapped[str | None] = mapped_column(Text)
    confirmed: Mapped[bool] = mapped_column(Boolean, default=False)
    labels_from: Mapped[dict[str, Any]] = mapped_column(default=dict)
    overlaps: Mapped[list[Any]] = mapped_column(default=list)
    duration_s: Mapped[float | None]
    started_at: Mapped[datetime | None]
    file_name: Mapped[str] = mapped_column(String(300))
    sha256: Mapped[str] = mapped_column(String(64))
    meta: Mapped[dict[str, Any]]
    warnings: Mapped[list[Any]]
    log_warnings: Mapped[list[Any]]
    speed_scale: Mapped[float]
    delay_s: Mapped[float]
    scale: Mapped[dict[str, Any]]
    code_version: Mapped[int]
    layout_version: Mapped[int]
    created_at: Mapped[datetime]
    event: Mapped[Event] = relationship()
    driver: Mapped[Driver] = relationship()
    car: Mapped[Car | None] = relationship()
    layout: Mapped[LayoutRow] = relationship()
    dialect: Mapped["DialectRow | None"] = relationship()
    laps: Mapped[list["LapRow"]] = relationship(order_by="LapRow.number", passive_deletes=True)
    channels: Mapped[list["ChannelRow"]] = relationship(order_by="ChannelRow.id", passive_deletes=True)


class ChannelRow(Owned, Base):
    """A logged channel; its samples are compressed blocks with a clock of their own.

    ``unit`` is what the logger wrote. The samples are as logged, so that a role can be corrected at any time; only rows
    without ``as_logged``, of an older version, hold the SI unit of their role. ``picture`` is a coarse curve of the
    values, 0 to 100, ``low`` and ``high`` their range in the logger's unit.
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
    flipped: Mapped[bool] = mapped_column(Boolean, default=False)
    taken_unit: Mapped[str] = mapped_column(String(60), default="")
    picture: Mapped[list[Any]] = mapped_column(default=list)
    low: Mapped[float | None]
    high: Mapped[float | None]


class DialectRow(Owned, Base):
    """What a coach once said about the channels of one kind of logger, by the set of their names."""

    __tablename__ = "dialect"
    __table_args__ = (UniqueConstraint("team_id", "fingerprint"),)
    name: Mapped[str] = mapped_column(String(200))
    fingerprint: Mapped[str] = mapped_column(String(64))
    names: Mapped[list[Any]]
    choices: Mapped[dict[str, Any]]
    updated_at: Mapped[datetime]


class Samples(Owned, Base):
    __tablename__ = "samples"
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id", ondelete="CASCADE"))
    first: Mapped[int] = mapped_column(BigInteger)
    clock: Mapped[bytes] = mapped_column(LONGBLOB)
    values: Mapped[bytes] = mapped_column(LONGBLOB)


class LapRow(Owned, Base):
    """A lap. ``automatic`` is why the computation set it aside, ``by_hand`` what a person said (True: aside, False: it
    counts), ``set_aside`` what holds of both."""

    __tablename__ = "lap"
    __table_args__ = (UniqueConstraint("run_id", "number"), Index("ix_lap_time", "team_id", "time_s"))
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    number: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    set_aside: Mapped[str | None] = mapped_column(String(20))
    automatic: Mapped[str | None] = mapped_column(String(20))
    by_hand: Mapped[bool | None] = mapped_column(Boolean)
    start_s: Mapped[float]
    end_s: Mapped[float]
    time_s: Mapped[float | None]
    time_u_s: Mapped[float | None]
    sector_times: Mapped[list[Any]]
    held_up: Mapped[list[Any]]


class Curves(Owned, Base):
    """Timed laps of a run with what was driven just before and after them: one row for each role, and
    for time, offset and the draws of the error of time."""

    __tablename__ = "curves"
    __table_args__ = (UniqueConstraint("run_id", "role"),)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    role: Mapped[str] = mapped_column(String(60))
    rows: Mapped[int]
    data: Mapped[bytes] = mapped_column(LONGBLOB)


class HandInLink(Owned, Base):
    """A driver's personal way to hand in without an account; the link itself is signed and not kept."""

    __tablename__ = "hand_in_link"
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"))
    nonce: Mapped[str] = mapped_column(String(32))
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]
    last_used_at: Mapped[datetime | None]
    driver: Mapped[Driver] = relationship()


class HandIn(Owned, Base):
    """One file handed in, and its fate."""

    __tablename__ = "hand_in"
    __table_args__ = (Index("ix_hand_in_list", "team_id", "dismissed_at", "id"),)
    file_name: Mapped[str] = mapped_column(String(300))
    size: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[str] = mapped_column(String(64))
    source: Mapped[str] = mapped_column(String(20), default="browser")
    origin: Mapped[str | None] = mapped_column(String(500))
    clock_off_s: Mapped[float | None]
    driver_id: Mapped[int | None] = mapped_column(ForeignKey("driver.id"))
    driver_name: Mapped[str | None] = mapped_column(String(200))
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    link_id: Mapped[int | None] = mapped_column(ForeignKey("hand_in_link.id", ondelete="SET NULL"))
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("hand_in.id", ondelete="SET NULL"))
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    code: Mapped[str | None] = mapped_column(String(60))
    message: Mapped[str | None] = mapped_column(Text)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="SET NULL"))
    created_at: Mapped[datetime]
    dismissed_at: Mapped[datetime | None]
    run: Mapped[Run | None] = relationship()
    driver: Mapped[Driver | None] = relationship()
    job: Mapped["Job"] = relationship(back_populates="hand_in", uselist=False, passive_deletes=True)


class Upload(Owned, Base):
    """A file that is on its way in pieces; ``key`` recognises it after a broken connection."""

    __tablename__ = "upload"
    __table_args__ = (UniqueConstraint("team_id", "giver", "key"),)
    giver: Mapped[str] = mapped_column(String(40))
    key: Mapped[str] = mapped_column(String(64))
    file_name: Mapped[str] = mapped_column(String(300))
    size: Mapped[int] = mapped_column(BigInteger)
    driver_name: Mapped[str | None] = mapped_column(String(200))
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="CASCADE"))
    link_id: Mapped[int | None] = mapped_column(ForeignKey("hand_in_link.id", ondelete="CASCADE"))
    created_at: Mapped[datetime]
    touched_at: Mapped[datetime]


class WatchedFile(Owned, Base):
    """A file that was taken from the watched folder as it was then; it is not taken again."""

    __tablename__ = "watched_file"
    __table_args__ = (UniqueConstraint("team_id", "key"),)
    key: Mapped[str] = mapped_column(String(64))
    taken_at: Mapped[datetime]


class LiveStream(Owned, Base):
    """A team's recording of a simulator's stream: what is wanted, and what the recorder last said."""

    __tablename__ = "live_stream"
    __table_args__ = (UniqueConstraint("team_id"),)
    wanted: Mapped[bool] = mapped_column(Boolean, default=False)
    driver_name: Mapped[str | None] = mapped_column(String(200))
    state: Mapped[str] = mapped_column(String(20), default="off")
    message: Mapped[str | None] = mapped_column(String(500))
    laps: Mapped[list[Any]] = mapped_column(default=list)
    packets: Mapped[int] = mapped_column(BigInteger, default=0)
    lost: Mapped[int] = mapped_column(BigInteger, default=0)
    heard_at: Mapped[datetime | None]


class Job(Owned, Base):
    """The truth about long work: its state, progress, lease and cancel flag."""

    __tablename__ = "job"
    __table_args__ = (Index("ix_job_due", "state", "lease_until"),)
    hand_in_id: Mapped[int] = mapped_column(ForeignKey("hand_in.id", ondelete="CASCADE"), unique=True)
    task: Mapped[str] = mapped_column(String(20), default="import")
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    progress: Mapped[float] = mapped_column(default=0.0)
    step: Mapped[str] = mapped_column(String(60), default="waiting")
    attempts: Mapped[int] = mapped_column(default=0)
    cancel: Mapped[bool] = mapped_column(Boolean, default=False)
    lease_until: Mapped[datetime | None]
    created_at: Mapped[datetime]
    hand_in: Mapped[HandIn] = relationship(back_populates="job")
