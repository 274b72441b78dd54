"""Files on their way in: links, uploads, hand-ins, the watched folder and the recorder of a stream."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, ForeignKey, Index, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lauftakt.store.models.base import Base, Owned, now
from lauftakt.store.models.people import Driver
from lauftakt.store.models.runs import Run
from lauftakt.store.models.work import Job


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
    """One file handed in, and its fate. ``changed_at`` tells those who look again what is new; ``layout_id`` is the
    circuit that somebody chose for it."""

    __tablename__ = "hand_in"
    __table_args__ = (
        Index("ix_hand_in_list", "team_id", "dismissed_at", "id"),
        Index("ix_hand_in_changed", "team_id", "changed_at"),
    )
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
    layout_id: Mapped[int | None] = mapped_column(ForeignKey("layout.id", ondelete="SET NULL"))
    job_id: Mapped[int | None] = mapped_column(ForeignKey("job.id", ondelete="SET NULL"))
    created_at: Mapped[datetime]
    changed_at: Mapped[datetime] = mapped_column(default=now, onupdate=now)
    dismissed_at: Mapped[datetime | None]
    run: Mapped[Run | None] = relationship()
    driver: Mapped[Driver | None] = relationship()
    job: Mapped[Job | None] = relationship()


class Upload(Owned, Base):
    """A file that is on its way in pieces; ``key`` recognises it after a broken connection.

    Once it is whole it names its hand-in, so that whoever missed the last answer can ask for it.
    """

    __tablename__ = "upload"
    __table_args__ = (UniqueConstraint("team_id", "giver", "key"),)
    giver: Mapped[str] = mapped_column(String(40))
    key: Mapped[str] = mapped_column(String(64))
    file_name: Mapped[str] = mapped_column(String(300))
    size: Mapped[int] = mapped_column(BigInteger)
    driver_name: Mapped[str | None] = mapped_column(String(200))
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="CASCADE"))
    link_id: Mapped[int | None] = mapped_column(ForeignKey("hand_in_link.id", ondelete="CASCADE"))
    hand_in_id: Mapped[int | None] = mapped_column(ForeignKey("hand_in.id", ondelete="SET NULL"))
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
