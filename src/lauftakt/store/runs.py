"""Runs: rows <-> the core's logs and analysed runs."""

from dataclasses import asdict, dataclass, field, fields
from datetime import datetime
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.lap import Lap, LapTrace, draw_places, reach
from lauftakt.core.log.dialect import Choice
from lauftakt.core.log.model import Log, RawChannel, RawLog, Warning, rate_of
from lauftakt.core.log.roles import ROLES
from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.core.run import AnalysedRun
from lauftakt.store.blocks import BLOCK_SAMPLES, pack, unpack
from lauftakt.store.database import mine, now
from lauftakt.store.models import Car, ChannelRow, Curves, Driver, Event, LapRow, LayoutRow, Run, Samples

Array = NDArray[np.float64]
Named = TypeVar("Named", Driver, Car)

# Times need more than single precision: a hundred seconds to a hundredth of a millisecond.
_DOUBLE = {"time"}
PICTURE_POINTS, PICTURE_S = 60, 100.0


def parse_date(text: str | None) -> datetime | None:
    """The moment that an ISO 8601 text names, without its offset (the day at the circuit); None where it is not one."""
    if not text:
        return None
    try:
        return datetime.fromisoformat(text.strip()).replace(tzinfo=None)
    except ValueError:
        return None


def named(session: Session, model: type[Named], team_id: int, name: str) -> Named:
    """The team's driver or car of a name, made where it is new."""
    name = " ".join(name.split())[:200]
    row = session.scalar(mine(model, team_id).where(model.name == name))
    if row is None:
        row = model(team_id=team_id, name=name)
        if isinstance(row, Driver):
            row.colour = len(session.scalars(mine(Driver, team_id)).all())
        session.add(row)
        session.flush()
    return row


def event_for(session: Session, team_id: int, layout: LayoutRow, name: str | None, day: str) -> Event:
    """The event of a day at a layout, made where it is new."""
    name = " ".join((name or "").split())[:200] or layout.name
    query = mine(Event, team_id).where(Event.layout_id == layout.id, Event.day == day, Event.name == name)
    row = session.scalar(query)
    if row is None:
        row = Event(team_id=team_id, layout_id=layout.id, day=day, name=name)
        session.add(row)
        session.flush()
    return row


@dataclass(frozen=True)
class Labels:
    """What is said about a run beside its samples; ``told_by`` says of each field where it came from."""

    driver: str
    car: str | None = None
    event: str | None = None
    started: datetime | None = None
    kind: str = "practice"
    conditions: str | None = None
    tyres: str | None = None
    notes: str | None = None
    told_by: dict[str, str] = field(default_factory=dict)


def save_run(
    session: Session,
    *,
    team_id: int,
    raw: RawLog,
    log: Log,
    analysed: AnalysedRun,
    layout: LayoutRow,
    driver: Driver,
    labels: Labels,
    dialect_id: int | None,
    overlaps: list[dict[str, Any]],
    file_name: str,
    sha256: str,
    received: datetime,
) -> Run:
    """Add a run with its channels as logged, laps and curves to the session's transaction."""
    day = (labels.started or received).date().isoformat()
    run = Run(
        team_id=team_id,
        event_id=event_for(session, team_id, layout, labels.event, day).id,
        driver_id=driver.id,
        car_id=named(session, Car, team_id, labels.car).id if labels.car else None,
        layout_id=layout.id,
        dialect_id=dialect_id,
        kind=labels.kind,
        conditions=labels.conditions,
        tyres=labels.tyres,
        notes=labels.notes,
        labels_from=labels.told_by,
        confirmed=False,
        overlaps=overlaps,
        duration_s=max((float(channel.time[-1]) for channel in raw.channels if len(channel.time)), default=0.0),
        started_at=labels.started,
        file_name=file_name,
        sha256=sha256,
        meta=raw.meta,
        warnings=[],
        log_warnings=[asdict(warning) for warning in raw.warnings],
        speed_scale=analysed.speed_scale,
        delay_s=analysed.delay_s,
        scale={},
        code_version=CODE_VERSION,
        layout_version=layout.version,
        created_at=now(),
    )
    session.add(run)
    session.flush()
    run.layout = layout
    _save_channels(session, team_id, run.id, raw)
    save_recognition(session, run, log)
    save_analysis(session, run, analysed)
    return run


def _save_channels(session: Session, team_id: int, run_id: int, raw: RawLog) -> None:
    for channel in raw.channels:
        row = ChannelRow(
            team_id=team_id,
            run_id=run_id,
            name=channel.name[:300],
            unit=channel.unit[:60],
            rate_hz=rate_of(channel.time),
            count=len(channel.time),
            as_logged=True,
            picture=_picture(channel),
            low=float(np.min(channel.values)),
            high=float(np.max(channel.values)),
        )
        session.add(row)
        session.flush()
        dtype = "<f8" if _needs_double(channel.values) else "<f4"
        for first in range(0, len(channel.time), BLOCK_SAMPLES):
            part = slice(first, first + BLOCK_SAMPLES)
            session.add(
                Samples(
                    team_id=team_id,
                    channel_id=row.id,
                    first=first,
                    clock=pack(channel.time[part], "<f8"),
                    values=pack(channel.values[part], dtype),
                )
            )
            session.flush()


def _needs_double(values: Array) -> bool:
    """Whether single precision would be coarser than a hundredth of what usually changes between two samples."""
    steps = np.abs(np.diff(values))
    steps = steps[steps > 0]
    largest = float(np.max(np.abs(values)))
    return largest > 1e30 or (len(steps) > 0 and largest * 6e-8 > 0.01 * float(np.median(steps)))


def _picture(channel: RawChannel) -> list[int]:
    """Lowest and highest value in each of some sixty parts of a lap's length from the middle, 0 to 100 of the range."""
    middle, reach = float(np.median(channel.time)), PICTURE_S / 2
    near = (channel.time >= middle - reach) & (channel.time <= middle + reach)
    values = channel.values[near] if near.sum() >= PICTURE_POINTS else channel.values
    parts = np.array_split(values, min(PICTURE_POINTS, len(values)))
    low, span = float(np.min(values)), float(np.ptp(values))
    if not np.isfinite(span) or span == 0:
        return [50] * (2 * len(parts))
    found = [(part.min(), part.max()) for part in parts]
    return [round(100 * (float(value) - low) / span) for pair in found for value in pair]


def save_recognition(session: Session, run: Run, log: Log) -> None:
    """What each channel of a run was taken for."""
    by_name = {channel.name[:300]: channel for channel in log.channels}
    for row in session.scalars(mine(ChannelRow, run.team_id).where(ChannelRow.run_id == run.id)):
        channel = by_name.get(row.name)
        if channel is None:
            continue
        row.role = channel.role
        row.rate_hz = channel.rate_hz
        seen = channel.recognised
        row.recognised_by, row.confidence = seen.by, seen.confidence
        row.flipped, row.taken_unit = seen.flipped, seen.unit[:60]
    session.flush()


def _curves(analysed: AnalysedRun) -> dict[str, Array]:
    """What is stored of the timed laps, by role: rows in the order of the traces."""
    if not analysed.traces:
        return {}
    traces = list(analysed.traces.values())
    signals = analysed.signals
    assert signals is not None
    curves = {
        "time": signals.time,
        "speed": signals.speed,
        "offset": signals.offset,
        "ahead": signals.ahead,
        "aside": signals.aside,
        **signals.others,
    }
    draws = np.array([trace.draws.ravel() for trace in traces])
    if draws.size:
        curves["time_draws"] = draws
    return curves


def load_curves(session: Session, team_id: int, run_ids: list[int], roles: list[str]) -> dict[tuple[int, str], Array]:
    """Stored curves by run and role, (timed laps, e) at :func:`lauftakt.core.laps.reach`."""
    query = select(Curves.run_id, Curves.role, Curves.rows, Curves.data).where(
        Curves.team_id == team_id, Curves.run_id.in_(run_ids), Curves.role.in_(roles)
    )
    return {
        (run_id, role): np.asarray(unpack(data)).reshape(rows, -1)
        for run_id, role, rows, data in session.execute(query)
    }


def settle(row: LapRow) -> None:
    """What holds of a lap: a person's word before the computation's, but without a time no lap counts."""
    if row.by_hand is True:
        row.set_aside = row.automatic or "by_hand"
    elif row.by_hand is False and row.time_s is not None:
        row.set_aside = None
    else:
        row.set_aside = row.automatic


def to_lap(row: LapRow) -> Lap:
    """The core's lap of a row (the inverse of what :func:`save_analysis` writes)."""
    found = {item.name: getattr(row, item.name) for item in fields(Lap) if item.name != "sector_times_s"}
    found["held_up"] = tuple((a, b) for a, b in row.held_up)
    return Lap(**found, sector_times_s=tuple(row.sector_times))


def trace_from(time: Array, offset: Array, draws: Array | None, layout: Layout) -> LapTrace:
    """A lap's trace from its stored rows."""
    draws_s, places = draw_places(layout), reach(layout)
    some = np.zeros((len(draws_s), 0)) if draws is None else draws.reshape(len(draws_s), -1)
    part = inner(layout)
    return LapTrace(time=time[part], offset=offset[part], reach_s=places, reach_time=time, draws_s=draws_s, draws=some)


def inner(layout: Layout) -> slice:
    """Where a lap itself lies in rows that reach beyond it."""
    first = int(np.searchsorted(reach(layout), 0.0))
    return slice(first, first + len(layout.grid()))


def load_raw(session: Session, run: Run) -> tuple[RawLog, dict[str, Choice]]:
    """The log of a run as it was stored, and what is fixed about its channels (those of an older version hold SI)."""
    channels: list[RawChannel] = []
    fixed: dict[str, Choice] = {}
    for row in session.scalars(
        mine(ChannelRow, run.team_id).where(ChannelRow.run_id == run.id).order_by(ChannelRow.id)
    ):
        blocks = session.execute(
            select(Samples.clock, Samples.values)
            .where(Samples.team_id == run.team_id, Samples.channel_id == row.id)
            .order_by(Samples.first)
        ).all()
        unit = row.unit
        if not row.as_logged and row.role in ROLES:
            unit = ROLES[row.role].unit
            fixed[row.name] = Choice(role=row.role, unit=unit, flipped=False)
        channels.append(
            RawChannel(
                name=row.name,
                unit=unit,
                time=np.concatenate([unpack(clock).astype(float) for clock, _ in blocks]),
                values=np.concatenate([unpack(values).astype(float) for _, values in blocks]),
            )
        )
    return RawLog(tuple(channels), run.meta, tuple(Warning(**warning) for warning in run.log_warnings)), fixed


def save_analysis(session: Session, run: Run, analysed: AnalysedRun) -> None:
    """Laps and curves of a run; an older computation is replaced, what a person said of a lap stays."""
    said = {
        row.number: (row.start_s, row.by_hand)
        for row in session.scalars(mine(LapRow, run.team_id).where(LapRow.run_id == run.id))
        if row.by_hand is not None
    }
    for model in (LapRow, Curves):
        session.execute(delete(model).where(model.team_id == run.team_id, model.run_id == run.id))
    run.warnings = [asdict(warning) for warning in analysed.warnings]
    run.speed_scale, run.delay_s = analysed.speed_scale, analysed.delay_s
    run.scale = asdict(analysed.scale)
    run.code_version, run.layout_version = CODE_VERSION, run.layout.version
    for lap in analysed.laps:
        kept = asdict(lap)
        kept["sector_times"] = list(kept.pop("sector_times_s"))
        start_s, by_hand = said.get(lap.number, (0.0, None))
        row = LapRow(team_id=run.team_id, run_id=run.id, automatic=kept.pop("set_aside"), **kept)
        # A lap that begins elsewhere now is another one than was judged.
        row.by_hand = by_hand if abs(start_s - lap.start_s) < 2.0 else None
        settle(row)
        session.add(row)
    session.flush()
    for role, rows in _curves(analysed).items():
        data = pack(rows, "<f8" if role in _DOUBLE else "<f4")
        session.add(Curves(team_id=run.team_id, run_id=run.id, role=role, rows=len(rows), data=data))
        session.flush()
