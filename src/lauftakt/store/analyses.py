"""Analyses: the core's analysed runs <-> rows. Written aside, then made the run's present one in one transaction."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields
from datetime import timedelta
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.lap import Lap, LapTrace, draw_places, inside, reach
from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.by_lap import STATISTICS
from lauftakt.core.technique.figures import Figures
from lauftakt.settings import kept_hours
from lauftakt.store.blocks import expand, pack, squeeze, unpack
from lauftakt.store.counting import settle
from lauftakt.store.damage import Damaged, Stored, check_laps, check_roles, reading, seal
from lauftakt.store.database import now
from lauftakt.store.models import Analysis, Comparison, ComparisonMember, Curves, LapFigures, LapRow, Run, SectorTime

Array = NDArray[np.float64]

# Times need more than single precision: a hundred seconds to a hundredth of a millisecond.
_DOUBLE = {"time"}
# How long a replaced analysis stays for pages that were opened with it.
KEPT = timedelta(hours=kept_hours("replaced"))

AllFigures = dict[tuple[int, int], Figures | None]


def save_analysis(
    session: Session,
    run: Run,
    analysed: AnalysedRun,
    layout_version_id: int,
    sector_set_id: int | None,
    reading: int,
    by_lap: dict[str, Array],
) -> Analysis:
    """Write an analysis of a run and make it the present one, in the caller's transaction.

    Parameters
    ----------
    session, run, analysed, layout_version_id, sector_set_id : the run, computed on a layout version
    reading : the run's when it was computed
    by_lap : figures of its laps (:func:`lauftakt.core.technique.by_lap.figures_by_lap`)
    """
    row = Analysis(
        team_id=run.team_id,
        run_id=run.id,
        layout_version_id=layout_version_id,
        sector_set_id=sector_set_id,
        code_version=CODE_VERSION,
        reading=reading,
        speed_scale=analysed.speed_scale,
        delay_s=analysed.delay_s,
        scale=asdict(analysed.scale),
        warnings=[asdict(warning) for warning in analysed.warnings],
        figures=pack_figures(analysed.technique.everything()) if analysed.technique is not None else None,
        created_at=now(),
    )
    session.add(row)
    session.flush()
    laps = _save_laps(session, run, row, analysed)
    for role, rows in _curves(analysed).items():
        data = pack(rows, "<f8" if role in _DOUBLE else "<f4")
        session.add(Curves(team_id=run.team_id, analysis_id=row.id, role=role, rows=len(rows), data=data))
        session.flush()
    for role, rows in by_lap.items():
        session.add(LapFigures(team_id=run.team_id, analysis_id=row.id, role=role, data=pack(rows, "<f8")))
    session.flush()
    seal(session, row, laps)
    run.analysis_id = row.id
    settle(session, run, laps)
    return row


def _save_laps(session: Session, run: Run, row: Analysis, analysed: AnalysedRun) -> list[LapRow]:
    laps = []
    for lap in analysed.laps:
        laps.append(
            LapRow(
                team_id=run.team_id,
                run_id=run.id,
                analysis_id=row.id,
                number=lap.number,
                kind=lap.kind,
                automatic=lap.set_aside,
                start_s=lap.start_s,
                end_s=lap.end_s,
                time_s=lap.time_s,
                time_u_s=lap.time_u_s,
                sectors=[
                    SectorTime(team_id=run.team_id, number=number, time_s=time)
                    for number, time in enumerate(lap.sector_times_s, 1)
                ],
            )
        )
    session.add_all(laps)
    session.flush()
    return laps


def forget_replaced(session: Session) -> int:
    """Delete analyses that were replaced long ago, with the comparisons that rest on them; returns how many."""
    present = select(Run.analysis_id).where(Run.analysis_id.is_not(None))
    old = session.scalars(
        select(Analysis.id).where(Analysis.id.not_in(present), Analysis.created_at < now() - KEPT).limit(200)
    ).all()
    if old:
        resting = select(ComparisonMember.comparison_id).where(ComparisonMember.analysis_id.in_(old))
        gone = session.scalars(resting).all()
        session.execute(delete(Comparison).where(Comparison.id.in_(gone)))
        session.execute(delete(Analysis).where(Analysis.id.in_(old)))
    return len(old)


def pack_figures(known: AllFigures) -> bytes:
    """Figures of all laps and corners as compressed JSON: codes once, then a row for each."""
    codes = [item.name for item in fields(Figures)]
    rows = [
        [number, corner, None if found is None else [getattr(found, code) for code in codes]]
        for (number, corner), found in known.items()
    ]
    return squeeze(json.dumps({"codes": codes, "rows": rows}).encode(), level=3)


def unpack_figures(data: bytes | None) -> AllFigures | None:
    """What :func:`pack_figures` was given; None where another version of the figures was kept."""
    if data is None:
        return None
    found = json.loads(expand(data))
    if found["codes"] != [item.name for item in fields(Figures)]:
        return None
    return {(number, corner): None if row is None else Figures(*row) for number, corner, row in found["rows"]}


def _curves(analysed: AnalysedRun) -> dict[str, Array]:
    """What is stored of the timed laps, by role: rows in the order of the traces."""
    signals = analysed.signals
    if signals is None:
        return {}
    curves = {
        "time": signals.time,
        "speed": signals.speed,
        "offset": signals.offset,
        "ahead": signals.ahead,
        "aside": signals.aside,
        **signals.others,
    }
    draws = np.array([trace.draws.ravel() for trace in analysed.traces.values()])
    if draws.size:
        curves["time_draws"] = draws
    return curves


def load_curves(
    session: Session, team_id: int, analysis_ids: list[int], roles: list[str]
) -> dict[tuple[int, str], Array]:
    """Stored curves by analysis and role, (timed laps, e) at :func:`lauftakt.core.laps.lap.reach`."""
    query = select(Curves.analysis_id, Curves.role, Curves.rows, Curves.data).where(
        Curves.team_id == team_id, Curves.analysis_id.in_(analysis_ids), Curves.role.in_(roles)
    )
    check_roles(session, analysis_ids)
    found: dict[tuple[int, str], Array] = {}
    for analysis_id, role, rows, data in session.execute(query):
        with reading("analysis", analysis_id=analysis_id):
            values = np.asarray(unpack(data))
            if rows <= 0 or values.size % rows:
                raise Damaged("Curves have another number of laps than was stored.")
            found[analysis_id, role] = values.reshape(rows, -1)
    return found


def load_figures_by_lap(
    session: Session, team_id: int, analysis_ids: Sequence[int], roles: Sequence[str] | None = None
) -> dict[int, dict[str, Array]]:
    """Figures by lap, (laps, 5) each, by analysis and role; of all roles without any."""
    query = select(LapFigures.analysis_id, LapFigures.role, LapFigures.data).where(
        LapFigures.team_id == team_id, LapFigures.analysis_id.in_(analysis_ids)
    )
    if roles is not None:
        query = query.where(LapFigures.role.in_(roles))
    found: dict[int, dict[str, Array]] = {analysis: {} for analysis in analysis_ids}
    for analysis, role, data in session.execute(query):
        with reading("analysis", analysis_id=analysis):
            found[analysis][role] = np.asarray(unpack(data)).reshape(-1, len(STATISTICS))
    return found


def load_figures(session: Session, team_id: int, analysis_id: int) -> AllFigures | None:
    """Figures that were kept with an analysis; None where there are none."""
    kept = session.scalar(select(Analysis.figures).where(Analysis.team_id == team_id, Analysis.id == analysis_id))
    with reading("analysis", analysis_id=analysis_id):
        return unpack_figures(kept)


def numbers_of(session: Session, team_id: int, analysis_id: int) -> list[int]:
    """Numbers of an analysis' timed laps: the order of the rows of its curves."""
    query = select(LapRow.number).where(
        LapRow.team_id == team_id, LapRow.analysis_id == analysis_id, LapRow.time_s.is_not(None)
    )
    return list(session.scalars(query.order_by(LapRow.number)))


@dataclass(frozen=True)
class LapView:
    """A lap of an analysis, read only. Nothing of it ever changes but ``set_aside``."""

    number: int
    kind: str
    automatic: str | None
    set_aside: str | None
    start_s: float
    end_s: float
    time_s: float | None
    time_u_s: float | None
    sector_times_s: tuple[float, ...]


def load_laps(session: Session, team_id: int, analysis_ids: Sequence[int]) -> dict[int, tuple[LapView, ...]]:
    """Laps of analyses, in order, by analysis."""
    sectors: dict[int, list[float]] = {}
    times = (
        select(SectorTime.lap_id, SectorTime.time_s)
        .join(LapRow, LapRow.id == SectorTime.lap_id)
        .where(LapRow.team_id == team_id, LapRow.analysis_id.in_(analysis_ids))
        .order_by(SectorTime.lap_id, SectorTime.number)
    )
    for lap_id, time_s in session.execute(times):
        sectors.setdefault(lap_id, []).append(time_s)
    found: dict[int, list[LapView]] = {analysis: [] for analysis in analysis_ids}
    columns = (
        LapRow.analysis_id, LapRow.id, LapRow.number, LapRow.kind, LapRow.automatic, LapRow.set_aside, LapRow.start_s,
        LapRow.end_s, LapRow.time_s, LapRow.time_u_s,
    )  # fmt: skip
    query = select(*columns).where(LapRow.team_id == team_id, LapRow.analysis_id.in_(analysis_ids))
    for row in session.execute(query.order_by(LapRow.number)):
        lap = LapView(
            number=row.number,
            kind=row.kind,
            automatic=row.automatic,
            set_aside=row.set_aside,
            start_s=row.start_s,
            end_s=row.end_s,
            time_s=row.time_s,
            time_u_s=row.time_u_s,
            sector_times_s=tuple(sectors.get(row.id, ())),
        )
        found[row.analysis_id].append(lap)
    laps = {analysis: tuple(rows) for analysis, rows in found.items()}
    check_laps(session, laps)
    return laps


class LapLike(Stored, Protocol):
    """A lap's row, or a view of one, with what was decided of it."""

    @property
    def set_aside(self) -> str | None: ...


def to_lap(row: LapLike) -> Lap:
    """The core's lap of a row."""
    return Lap(
        number=row.number,
        kind=row.kind,
        set_aside=row.set_aside,
        start_s=row.start_s,
        end_s=row.end_s,
        time_s=row.time_s,
        time_u_s=row.time_u_s,
        sector_times_s=row.sector_times_s,
    )


def trace_from(time: Array, offset: Array, draws: Array | None, layout: Layout) -> LapTrace:
    """A lap's trace from its stored rows."""
    draws_s, places = draw_places(layout), reach(layout)
    some = np.zeros((len(draws_s), 0)) if draws is None else draws.reshape(len(draws_s), -1)
    part = inside(layout)
    return LapTrace(time=time[part], offset=offset[part], reach_s=places, reach_time=time, draws_s=draws_s, draws=some)
