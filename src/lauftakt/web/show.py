"""Rows as the API shows them."""

from datetime import UTC, datetime

from sqlalchemy.orm import Session, selectinload

from lauftakt.core.log.roles import ROLES
from lauftakt.store.database import mine
from lauftakt.store.layouts import to_layout
from lauftakt.store.models import ChannelRow, Driver, Event, HandIn, LapRow, LayoutRow, Run
from lauftakt.web import schemas


def driver(row: Driver) -> schemas.DriverOut:
    return schemas.DriverOut(id=row.id, name=row.name, colour=row.colour)


def event(row: Event, runs: int) -> schemas.EventOut:
    return schemas.EventOut(
        id=row.id,
        name=row.name,
        day=row.day,
        circuit=row.layout.name,
        length_m=float(row.layout.places.get("length", 0.0)),
        runs=runs,
    )


def counting(run: Run) -> list[LapRow]:
    return [lap for lap in run.laps if lap.time_s is not None and lap.set_aside is None]


def best(run: Run) -> LapRow | None:
    return min(counting(run), key=lambda lap: lap.time_s or 0.0, default=None)


def run(row: Run, reference_s: float | None) -> schemas.RunOut:
    laps, fastest = counting(row), best(row)
    sectors = [lap.sector_times for lap in laps if lap.sector_times]
    theoretical = sum(min(times) for times in zip(*sectors, strict=True)) if sectors else None
    return schemas.RunOut(
        id=row.id,
        driver=driver(row.driver),
        car=row.car.name if row.car else None,
        kind=row.kind,
        started_at=row.started_at.isoformat() if row.started_at else None,
        file_name=row.file_name,
        laps=len(row.laps),
        counting=len(laps),
        best_lap=fastest.number if fastest else None,
        best_s=fastest.time_s if fastest else None,
        gap_s=fastest.time_s - reference_s
        if fastest and fastest.time_s is not None and reference_s is not None
        else None,
        theoretical_best_s=theoretical,
    )


def lap(row: LapRow) -> schemas.LapOut:
    return schemas.LapOut(
        number=row.number,
        kind=row.kind,
        set_aside=row.set_aside,
        automatic=row.automatic,
        by_hand=row.by_hand,
        start_s=row.start_s,
        time_s=row.time_s,
        time_u_s=row.time_u_s,
        sector_times_s=row.sector_times,
    )


SURE = 0.75
# What is loaded with a hand-in to show it.
HAND_IN_PARTS = (
    selectinload(HandIn.job),
    selectinload(HandIn.run).selectinload(Run.laps),
    selectinload(HandIn.run).selectinload(Run.channels),
    selectinload(HandIn.run).selectinload(Run.driver),
    selectinload(HandIn.run).selectinload(Run.car),
    selectinload(HandIn.run).selectinload(Run.dialect),
    selectinload(HandIn.run).selectinload(Run.event).selectinload(Event.layout),
)


def moment(value: datetime) -> str:
    """A moment in UTC as text."""
    return value.replace(tzinfo=UTC).isoformat(timespec="seconds")


def run_detail(row: Run) -> schemas.RunDetail:
    return schemas.RunDetail(
        run=run(row, None),
        event=event(row.event, 0),
        speed_scale=row.speed_scale,
        conditions=row.conditions,  # type: ignore[arg-type]
        tyres=row.tyres,
        notes=row.notes,
        felt=row.felt,
        confirmed=row.confirmed,
        labels_from=row.labels_from,
        channels=len(row.channels),
        unsure=sum(1 for channel in row.channels if channel.role and channel.confidence < SURE),
        dialect=row.dialect.name if row.dialect else None,
        overlaps=[schemas.Overlap(**item) for item in row.overlaps],
        laps=[lap(item) for item in row.laps],
        warnings=[schemas.WarningOut(**warning) for warning in row.warnings],
    )


def channel(row: ChannelRow, corrected: bool) -> schemas.ChannelOut:
    return schemas.ChannelOut(
        name=row.name,
        unit=row.unit,
        taken_unit=row.taken_unit or row.unit,
        role=row.role,
        role_name=ROLES[row.role].header if row.role in ROLES else None,
        by=row.recognised_by,  # type: ignore[arg-type]
        confidence=round(row.confidence, 3),
        flipped=row.flipped,
        rate_hz=round(row.rate_hz, 3),
        low=row.low,
        high=row.high,
        picture=row.picture,
        corrected=corrected,
    )


def hand_in(row: HandIn) -> schemas.HandInOut:
    return schemas.HandInOut(
        id=row.id,
        file_name=row.file_name,
        size=row.size,
        source=row.source,  # type: ignore[arg-type]
        origin=row.origin,
        created_at=moment(row.created_at),
        state=row.state,  # type: ignore[arg-type]
        progress=row.job.progress if row.job else 1.0,
        step=row.job.step if row.job else "",
        code=row.code,
        message=row.message,
        can_retry=row.state in ("failed", "cancelled"),
        run=run_detail(row.run) if row.run is not None else None,
    )


def reference_run(runs: list[Run]) -> Run | None:
    """The run with the fastest lap: what others are measured against unless somebody chooses otherwise."""
    timed = [(fastest.time_s, item) for item in runs if (fastest := best(item)) and fastest.time_s is not None]
    return min(timed, key=lambda pair: pair[0], default=(None, None))[1]


def layout(row: LayoutRow) -> schemas.LayoutOut:
    found = to_layout(row)
    every = slice(None, None, 4)
    xs, ys, ss = found.centre.x[every], found.centre.y[every], found.centre.s[every]
    return schemas.LayoutOut(
        id=row.id,
        name=row.name,
        length_m=found.length,
        corners=[schemas.CornerOut(**corner) for corner in row.places["corners"]],
        passages=[schemas.PassageOut(**passage) for passage in row.places["passages"]],
        splits_m=list(found.splits_m),
        x=xs.round(2).tolist(),
        y=ys.round(2).tolist(),
        s=ss.round(2).tolist(),
    )


def everybody(session: Session, team: int) -> list[schemas.DriverOut]:
    return [driver(row) for row in session.scalars(mine(Driver, team).order_by(Driver.name))]
