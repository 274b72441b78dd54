"""Rows as the API shows them. Lists load summaries only: no laps, no channels' pictures, no layout's geometry."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime
from types import MappingProxyType
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.delta import level
from lauftakt.core.findings.words import Said
from lauftakt.core.log.model import Channel, RawChannel
from lauftakt.core.log.roles import ROLES
from lauftakt.service.day import DayGroup
from lauftakt.store.analyses import LapView, load_laps
from lauftakt.store.counting import word_for
from lauftakt.store.database import mine
from lauftakt.store.lap_names import key_of
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import (
    Analysis,
    ChannelRow,
    Driver,
    Event,
    HandIn,
    Job,
    LapRow,
    LapWord,
    LayoutRow,
    Original,
    Run,
)
from lauftakt.store.runs import moment_of, picture_of
from lauftakt.web import schemas
from lauftakt.web.policy import Viewer, visible
from lauftakt.work.open_jobs import PLACEABLE, being_renewed

# Below this confidence the table asks: it shows what a channel may be otherwise.
ASKED = 0.9
# Points of a new circuit's shape.
SHAPE_POINTS = 120
# What is loaded with a run to show its summary, and with a hand-in to show its row.
RUN_PARTS = (
    joinedload(Run.driver),
    joinedload(Run.car),
    joinedload(Run.event).joinedload(Event.layout).joinedload(LayoutRow.current),
)
HAND_IN_PARTS = (
    joinedload(HandIn.job),
    joinedload(HandIn.run).joinedload(Run.driver),
    joinedload(HandIn.run).joinedload(Run.car),
    joinedload(HandIn.run).joinedload(Run.dialect),
    joinedload(HandIn.run).joinedload(Run.event).joinedload(Event.layout).joinedload(LayoutRow.current),
    joinedload(HandIn.run).joinedload(Run.analysis),
    joinedload(HandIn.run).selectinload(Run.words),
    joinedload(HandIn.run).selectinload(Run.overlaps),
)


def moment(value: datetime) -> str:
    """A moment in UTC as text."""
    return value.replace(tzinfo=UTC).isoformat(timespec="seconds")


def driver(row: Driver) -> schemas.DriverOut:
    return schemas.DriverOut(id=row.id, name=row.name, colour=row.colour, reference_only=row.reference_only)


def event(row: Event, runs: int) -> schemas.EventOut:
    current = row.layout.current
    return schemas.EventOut(
        id=row.id,
        name=row.name,
        day=row.day,
        circuit=row.layout.name,
        length_m=current.length_m if current is not None else 0.0,
        layout=row.layout_id,
        runs=runs,
    )


def run(row: Run, group: DayGroup | None, doubts: Mapping[int, float] = MappingProxyType({})) -> schemas.RunOut:
    """A run from its summary, held against the reference of its group; ``doubts`` are standard deviations of best laps,
    by run, in seconds."""
    gap, unsure, itself = None, 0.0, False
    if row.best_s is not None and group is not None and group.lap.time_s is not None:
        gap = row.best_s - group.lap.time_s
        itself = group.reference == (row.id, row.best_number)
        if not itself:
            unsure = float(np.hypot(doubts.get(row.id, 0.0), group.lap.time_u_s or 0.0))
    return schemas.RunOut(
        id=row.id,
        driver=driver(row.driver),
        car=row.car.name if row.car else None,
        kind=row.kind,
        started_at=moment_of(row),
        file_name=row.file_name,
        laps=row.laps_all,
        counting=row.laps_counting,
        best_lap=row.best_number,
        best_s=row.best_s,
        gap_s=gap,
        level=gap is not None and level(gap, unsure),
        conditions=row.conditions,  # type: ignore[arg-type]
        reference=itself,
        theoretical_best_s=row.theoretical_best_s,
    )


def best_doubts(session: Session, viewer: Viewer, runs: Sequence[Run]) -> dict[int, float]:
    """Standard deviation of the best lap of each run, seconds."""
    best = {row.analysis_id: row.best_number for row in runs if row.best_number is not None}
    query = select(LapRow.analysis_id, LapRow.run_id, LapRow.number, LapRow.time_u_s).where(
        LapRow.team_id == viewer.team_id, LapRow.analysis_id.in_(list(best)), LapRow.time_u_s.is_not(None)
    )
    found = session.execute(query)
    return {run_id: u or 0.0 for analysis, run_id, number, u in found if best[analysis] == number}


def measured(group: DayGroup) -> schemas.MeasuredAgainst:
    """What a group of a day's runs is measured against."""
    base = group.base
    return schemas.MeasuredAgainst(
        conditions=group.conditions,
        runs=[row.id for row in group.runs],
        lap=key_of(base, group.lap),
        run=base.id,
        number=group.lap.number,
        driver=driver(base.driver),
        day=base.event.day,
        car=base.car.name if base.car else None,
        time_s=group.lap.time_s or 0.0,
        chosen=group.chosen,
    )


def lap(row: LapView, words: Sequence[LapWord]) -> schemas.LapOut:
    word = word_for(row, words)
    return schemas.LapOut(
        number=row.number,
        kind=row.kind,
        set_aside=row.set_aside,
        automatic=row.automatic,
        said=word.counts if word is not None else None,
        note=word.note if word is not None else None,
        start_s=row.start_s,
        time_s=row.time_s,
        time_u_s=row.time_u_s,
        sector_times_s=list(row.sector_times_s),
    )


class Details:
    """What details of several runs need, read with a few questions for all of them."""

    def __init__(self, session: Session, viewer: Viewer, runs: Sequence[Run]) -> None:
        self.session = session
        ids = [row.id for row in runs]
        analyses = [row.analysis_id for row in runs if row.analysis_id is not None]
        self.laps = load_laps(session, viewer.team_id, analyses)
        self.renewing = being_renewed(session, viewer.team_id, ids)
        kept = mine(Original, viewer.team_id).where(Original.run_id.in_(ids))
        self.originals = {row.run_id: row for row in session.scalars(kept)}

    def of(self, row: Run) -> schemas.RunDetail:
        """A run's labels, laps and what was repaired."""
        analysis: Analysis | None = row.analysis
        return schemas.RunDetail(
            run=run(row, None),
            event=event(row.event, 0),
            speed_scale=analysis.speed_scale if analysis else 1.0,
            conditions=row.conditions,  # type: ignore[arg-type]
            tyres=row.tyres,
            notes=row.notes,
            felt=row.felt,
            confirmed=row.confirmed,
            labels_from=row.labels_from,
            renewing=row.id in self.renewing,
            original=row.id in self.originals,
            channels=row.channels_known,
            unsure=row.channels_unsure,
            dialect=row.dialect.name if row.dialect else None,
            overlaps=[
                schemas.Overlap(run=item.other_id, laps=item.laps, message=item.message) for item in row.overlaps
            ],
            laps=[lap(item, row.words) for item in self.laps.get(row.analysis_id or 0, ())],
            warnings=[
                *(schemas.WarningOut(**warning) for warning in (analysis.warnings if analysis else [])),
                *self._of_the_file(row),
            ],
        )

    def _of_the_file(self, row: Run) -> Iterator[schemas.WarningOut]:
        """What is wrong with the file that was kept."""
        original = self.originals.get(row.id)
        if original is None:
            return
        if original.damaged_at is not None:
            yield schemas.WarningOut(
                code="file-damaged",
                message="The kept file is damaged: its bytes are not those that were handed in. The samples that were "
                "read from it are safe, and all numbers rest on them; only a backup holds the file itself.",
            )
        elif original.unread_by is not None:
            yield schemas.WarningOut(
                code="file-unread",
                message="The present version cannot read the kept file. The samples that were read from it before are "
                "safe, and all numbers rest on them.",
            )


def run_detail(session: Session, viewer: Viewer, row: Run) -> schemas.RunDetail:
    """One run's labels, laps and what was repaired."""
    session.flush()
    return Details(session, viewer, [row]).of(row)


def channel(row: ChannelRow, corrected: bool) -> schemas.ChannelOut:
    return schemas.ChannelOut(
        name=row.name,
        unit=row.unit,
        taken_unit=row.taken_unit or row.unit,
        role=row.role,
        role_name=ROLES[row.role].header if row.role in ROLES else None,
        by=row.recognised_by,  # type: ignore[arg-type]
        confidence=round(row.confidence, 3),
        second=row.second_role if row.confidence < ASKED else None,
        flipped=row.flipped,
        rate_hz=round(row.rate_hz, 3),
        low=row.low,
        high=row.high,
        picture=row.picture,
        corrected=corrected,
    )


def read_channel(written: RawChannel, understood: Channel, corrected: bool) -> schemas.ChannelOut:
    """A channel of a file that was only read, as it is shown of a run."""
    seen = understood.recognised
    return schemas.ChannelOut(
        name=written.name,
        unit=written.unit,
        taken_unit=seen.unit or written.unit,
        role=understood.role,
        role_name=ROLES[understood.role].header if understood.role in ROLES else None,
        by=seen.by,  # type: ignore[arg-type]
        confidence=round(seen.confidence, 3),
        second=seen.second if seen.confidence < ASKED else None,
        flipped=seen.flipped,
        rate_hz=round(understood.rate_hz, 3),
        low=float(np.min(written.values)),
        high=float(np.max(written.values)),
        picture=picture_of(written),
        corrected=corrected,
    )


def hand_ins(session: Session, viewer: Viewer, rows: Sequence[HandIn]) -> list[schemas.HandInOut]:
    """Files with their fate."""
    details = Details(session, viewer, [row.run for row in rows if row.run is not None])
    return [_hand_in(row, details) for row in rows]


def hand_in(session: Session, viewer: Viewer, row: HandIn) -> schemas.HandInOut:
    """One file with its fate."""
    session.flush()
    return hand_ins(session, viewer, [row])[0]


def _hand_in(row: HandIn, details: Details) -> schemas.HandInOut:
    return schemas.HandInOut(
        id=row.id,
        file_name=row.file_name,
        size=row.size,
        source=row.source,  # type: ignore[arg-type]
        origin=row.origin,
        created_at=moment(row.created_at),
        state=row.state,  # type: ignore[arg-type]
        progress=row.job.progress if row.job else 1.0,
        step=_step(row.job),
        code=row.code,
        message=row.message,
        can_retry=row.state in ("failed", "cancelled"),
        can_place=row.state == "refused" and row.code in PLACEABLE,
        run=details.of(row.run) if row.run is not None else None,
        found=_found(details.session, row.run) if row.code == "new-layout" and row.run is not None else None,
    )


def _found(session: Session, run: Run) -> schemas.FoundLayout | None:
    """A circuit that was not seen before: how long it is, its corners and its shape."""
    if run.layout.current_id is None:
        return None
    layout = load_layout(session, run.layout.current_id, None)
    step = max(1, len(layout.centre.x) // SHAPE_POINTS)
    x, y = layout.centre.x[::step], layout.centre.y[::step]
    size = max(float(np.ptp(x)), float(np.ptp(y)), 1.0)
    return schemas.FoundLayout(
        name=run.layout.name,
        length_m=round(layout.length, 1),
        corners=len(layout.corners),
        reckoned=layout.reckoned,
        x=[round(100 * float(value - x.min()) / size, 1) for value in x],
        y=[round(100 * float(y.max() - value) / size, 1) for value in y],
    )


def layout(row: LayoutRow, found: Layout) -> schemas.LayoutOut:
    """A layout with its map."""
    every = slice(None, None, 4)
    xs, ys, ss = found.centre.x[every], found.centre.y[every], found.centre.s[every]
    return schemas.LayoutOut(
        id=row.id,
        name=row.name,
        length_m=found.length,
        corners=[schemas.CornerOut(**vars(corner)) for corner in found.corners],
        passages=[
            schemas.PassageOut(name=p.name, corners=list(p.corners), from_m=p.from_m, to_m=p.to_m)
            for p in found.passages
        ],
        splits_m=list(found.splits_m),
        marks=[schemas.MarkAt(name=name, at_m=place) for name, place in found.marks],
        closed=found.centre.closed,
        heading_deg=row.heading_deg or 0.0,
        x=xs.round(2).tolist(),
        y=ys.round(2).tolist(),
        s=ss.round(2).tolist(),
    )


def everybody(session: Session, viewer: Viewer) -> list[schemas.DriverOut]:
    return [driver(row) for row in session.scalars(visible(Driver, viewer).order_by(Driver.name))]


def _step(job: Job | None) -> str:
    """What is done of a file, or what it waits for."""
    if job is None:
        return ""
    return f"waits-{job.waits_for}" if job.waits_for else job.step


def job(row: Job) -> schemas.JobOut:
    return schemas.JobOut(
        id=row.id,
        kind=row.kind,  # type: ignore[arg-type]
        state=row.state,  # type: ignore[arg-type]
        progress=row.progress,
        step=row.step,
        waits_for=row.waits_for,  # type: ignore[arg-type]
        message=row.message,
        result=row.result,
    )


def choices(session: Session, viewer: Viewer, model: Any) -> list[schemas.Choice]:
    """What a viewer may choose of a table with names."""
    query = visible(model, viewer).with_only_columns(model.id, model.name).order_by(model.name)
    return [schemas.Choice(id=row_id, name=name) for row_id, name in session.execute(query)]


def said(parts: Said) -> list[schemas.SaidPart]:
    """A sentence of the core, its figures still in SI units."""
    return [
        schemas.SaidPart(text=part)
        if isinstance(part, str)
        else schemas.SaidPart(value=part.value, quantity=part.quantity, unit=part.unit)
        for part in parts
        if part != ""
    ]
