"""Comparisons: analyses held against a reference lap, with all that depends on which laps count."""

from datetime import datetime
from typing import Any

from sqlalchemy import Boolean, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lauftakt.store.models.base import Base, Owned


class Comparison(Owned, Base):
    """One comparison: never changed, only replaced. ``key`` names its analyses, the reference lap and what counts."""

    __tablename__ = "comparison"
    __table_args__ = (UniqueConstraint("team_id", "key"),)
    key: Mapped[str] = mapped_column(String(64))
    reference_id: Mapped[int] = mapped_column(ForeignKey("analysis.id", ondelete="CASCADE"))
    reference_number: Mapped[int]
    code_version: Mapped[int]
    created_at: Mapped[datetime]
    members: Mapped[list["ComparisonMember"]] = relationship(order_by="ComparisonMember.id", passive_deletes=True)
    findings: Mapped[list["FindingRow"]] = relationship(order_by="FindingRow.id", passive_deletes=True)


class ComparisonMember(Owned, Base):
    """One analysis of a comparison: bests, grip level and held-up parts among the laps that count.

    ``held_up`` holds (from, to) in metres by lap number.
    """

    __tablename__ = "comparison_member"
    comparison_id: Mapped[int] = mapped_column(ForeignKey("comparison.id", ondelete="CASCADE"))
    analysis_id: Mapped[int] = mapped_column(ForeignKey("analysis.id", ondelete="CASCADE"))
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"))
    best_number: Mapped[int | None]
    best_s: Mapped[float | None]
    theoretical_best_s: Mapped[float | None]
    unbroken_best_s: Mapped[float | None]
    grip_level: Mapped[float | None]
    held_up: Mapped[dict[str, Any]]


class FindingRow(Owned, Base):
    """A finding or strength of a comparison, as :class:`lauftakt.core.findings.finding.Finding` states it."""

    __tablename__ = "finding"
    comparison_id: Mapped[int] = mapped_column(ForeignKey("comparison.id", ondelete="CASCADE"))
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    driver_id: Mapped[int] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"))
    strength: Mapped[bool] = mapped_column(Boolean)
    passage: Mapped[str | None] = mapped_column(String(60))
    corner: Mapped[str | None] = mapped_column(String(200))
    from_m: Mapped[float]
    to_m: Mapped[float]
    loss_s: Mapped[float]
    loss_u_s: Mapped[float]
    loss_to_lap_s: Mapped[float]
    parts: Mapped[dict[str, Any]]
    cause: Mapped[str | None] = mapped_column(String(40))
    second_cause: Mapped[str | None] = mapped_column(String(40))
    seen_in: Mapped[list[Any]]
    clean: Mapped[int]
    best_lap: Mapped[int]
    best_loss_s: Mapped[float]
    put_forward: Mapped[bool] = mapped_column(Boolean)
    evidence: Mapped[list[Any]]
    brought_in_s: Mapped[float | None]
    unexplained_s: Mapped[float | None]
    carried_s: Mapped[float | None]
    against: Mapped[str] = mapped_column(String(20), default="reference")


class LineUpRow(Owned, Base):
    """Laps on the desk, kept under a name: ``address`` is the desk's own, so that it opens with reference, stretch and
    staves, and a lap that is gone some day takes away only itself."""

    __tablename__ = "line_up"
    __table_args__ = (UniqueConstraint("team_id", "layout_id", "name"),)
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id", ondelete="CASCADE"), index=True)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    name: Mapped[str] = mapped_column(String(120))
    address: Mapped[str] = mapped_column(Text)
    kept_at: Mapped[datetime]
