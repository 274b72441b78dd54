"""Jobs, and what was done: who, when, what, and how it is taken back."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column

from lauftakt.store.models.base import Base, Owned


class Job(Owned, Base):
    """The truth about long work: what, about which row, its state, progress, lease and cancel flag.

    Whoever claims it gets a ``token``; every later write of its worker carries it, so that a worker that was presumed
    dead changes nothing. ``waits_for`` names what it cannot go on without (:data:`lauftakt.work.jobs.Waits`), NULL
    where it goes on. ``result`` is what the work gives to whoever asked (the name of a file, a sentence).
    """

    __tablename__ = "job"
    __table_args__ = (
        Index("ix_job_due", "state", "lease_until"),
        Index("ix_job_subject", "team_id", "subject", "subject_id"),
        Index("ix_job_list", "team_id", "finished_at", "id"),
    )
    kind: Mapped[str] = mapped_column(String(20), default="import")
    subject: Mapped[str] = mapped_column(String(20))
    subject_id: Mapped[int] = mapped_column(BigInteger)
    payload: Mapped[dict[str, Any]] = mapped_column(default=dict)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    token: Mapped[str | None] = mapped_column(String(32))
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    progress: Mapped[float] = mapped_column(default=0.0)
    step: Mapped[str] = mapped_column(String(60), default="waiting")
    attempts: Mapped[int] = mapped_column(default=0)
    cancel: Mapped[bool] = mapped_column(Boolean, default=False)
    lease_until: Mapped[datetime | None]
    waits_for: Mapped[str | None] = mapped_column(String(40))
    started_at: Mapped[datetime | None]
    sent_at: Mapped[datetime | None]
    code: Mapped[str | None] = mapped_column(String(60))
    message: Mapped[str | None] = mapped_column(Text)
    result: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]


class RequestCount(Base):
    """How often something was asked for in the present span of time; shared by all server processes."""

    __tablename__ = "request_count"
    name: Mapped[str] = mapped_column(String(190), primary_key=True)
    hits: Mapped[int]
    until: Mapped[float] = mapped_column(index=True)


class Action(Owned, Base):
    """Something that was done to a row, in words, with its inverse; one log for every undo and for the owner."""

    __tablename__ = "action"
    __table_args__ = (Index("ix_action_list", "team_id", "id"),)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    link_id: Mapped[int | None] = mapped_column(ForeignKey("hand_in_link.id", ondelete="SET NULL"))
    at: Mapped[datetime]
    kind: Mapped[str] = mapped_column(String(20))
    subject: Mapped[str] = mapped_column(String(20))
    subject_id: Mapped[int] = mapped_column(BigInteger)
    summary: Mapped[str] = mapped_column(String(300))
    inverse: Mapped[list[Any]]
    undone_at: Mapped[datetime | None]
