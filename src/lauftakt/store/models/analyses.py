"""Analyses: one computation of a run on one layout version, with its laps, curves and figures."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lauftakt.store.models.base import Base, Owned
from lauftakt.store.models.circuits import LayoutVersion, SectorSet


class Analysis(Owned, Base):
    """One computation of a run: never changed, only replaced by another.

    ``reading`` is the run's when it was computed. ``figures`` are those of all timed laps in all corners.
    """

    __tablename__ = "analysis"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    layout_version_id: Mapped[int] = mapped_column(ForeignKey("layout_version.id", ondelete="CASCADE"))
    sector_set_id: Mapped[int | None] = mapped_column(ForeignKey("sector_set.id", ondelete="SET NULL"))
    code_version: Mapped[int]
    reading: Mapped[int] = mapped_column(default=1)
    speed_scale: Mapped[float]
    delay_s: Mapped[float]
    scale: Mapped[dict[str, Any]]
    warnings: Mapped[list[Any]]
    figures: Mapped[bytes | None] = mapped_column(LONGBLOB, deferred=True)
    digest: Mapped[str | None] = mapped_column(String(64))
    created_at: Mapped[datetime]
    layout_version: Mapped[LayoutVersion] = relationship()
    sector_set: Mapped[SectorSet | None] = relationship()
    laps: Mapped[list["LapRow"]] = relationship(order_by="LapRow.number", passive_deletes=True)


class LapRow(Owned, Base):
    """A lap of an analysis. ``automatic`` is why the computation set it aside; ``set_aside`` what holds with the run's
    conditions and what people said, by :func:`lauftakt.core.laps.counting.outcome`."""

    __tablename__ = "lap"
    __table_args__ = (
        UniqueConstraint("analysis_id", "number"),
        Index("ix_lap_time", "team_id", "time_s"),
        Index("ix_lap_run", "run_id"),
        Index("ix_lap_team_analysis", "team_id", "analysis_id"),
    )
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    analysis_id: Mapped[int] = mapped_column(ForeignKey("analysis.id", ondelete="CASCADE"))
    number: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    set_aside: Mapped[str | None] = mapped_column(String(20))
    automatic: Mapped[str | None] = mapped_column(String(20))
    start_s: Mapped[float]
    end_s: Mapped[float]
    time_s: Mapped[float | None]
    time_u_s: Mapped[float | None]
    sectors: Mapped[list["SectorTime"]] = relationship(order_by="SectorTime.number", passive_deletes=True)

    @property
    def sector_times_s(self) -> tuple[float, ...]:
        """Seconds in each sector, as the core's rules ask for them."""
        return tuple(sector.time_s for sector in self.sectors)


class SectorTime(Owned, Base):
    """Seconds in one sector of a lap; sectors are numbered from 1."""

    __tablename__ = "sector_time"
    __table_args__ = (UniqueConstraint("lap_id", "number"),)
    lap_id: Mapped[int] = mapped_column(ForeignKey("lap.id", ondelete="CASCADE"))
    number: Mapped[int]
    time_s: Mapped[float]


class Curves(Owned, Base):
    """Timed laps of an analysis with what was driven just before and after them: one row for each role, and for time,
    offset and the draws of the error of time."""

    __tablename__ = "curves"
    __table_args__ = (UniqueConstraint("analysis_id", "role"),)
    analysis_id: Mapped[int] = mapped_column(ForeignKey("analysis.id", ondelete="CASCADE"))
    role: Mapped[str] = mapped_column(String(60))
    rows: Mapped[int]
    data: Mapped[bytes] = mapped_column(LONGBLOB)


class LapFigures(Owned, Base):
    """Figures of one channel by lap, or of what the driver did: (laps, 5) for all laps of an analysis by number
    (:mod:`lauftakt.core.technique.by_lap`)."""

    __tablename__ = "lap_figures"
    __table_args__ = (UniqueConstraint("analysis_id", "role"),)
    analysis_id: Mapped[int] = mapped_column(ForeignKey("analysis.id", ondelete="CASCADE"))
    role: Mapped[str] = mapped_column(String(60))
    data: Mapped[bytes] = mapped_column(LONGBLOB)


class RunPaceRow(Owned, Base):
    """A run's pace (:class:`lauftakt.core.season.pace.RunPace`), by which days are compared. ``key`` names the analysis
    and what was decided of its laps: where it is another by now, the pace is to be computed anew."""

    __tablename__ = "run_pace"
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), unique=True)
    layout_version_id: Mapped[int] = mapped_column(ForeignKey("layout_version.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(40))
    pace: Mapped[dict[str, Any]]
