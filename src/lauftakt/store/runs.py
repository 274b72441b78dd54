"""Runs: rows <-> the core's logs and analysed runs."""

from dataclasses import asdict, fields
from datetime import datetime
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lauftakt.core.analysis import CODE_VERSION, AnalysedRun
from lauftakt.core.laps import Lap, LapTrace, draw_places, reach
from lauftakt.core.layout import Layout
from lauftakt.core.log import Channel, Log, Warning
from lauftakt.core.roles import ROLES
from lauftakt.store.blocks import BLOCK_SAMPLES, pack, unpack
from lauftakt.store.database import mine, now
from lauftakt.store.models import Car, ChannelRow, Curves, Driver, Event, LapRow, LayoutRow, Run, Samples

Array = NDArray[np.float64]
Named = TypeVar("Named", Driver, Car)

# Times need more than single precision: a hundred seconds to a hundredth of a millisecond.
_DOUBLE = {"time"}
_DOUBLE_CHANNELS = {"latitude", "longitude"}


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


def save_run(
    session: Session,
    *,
    team_id: int,
    log: Log,
    analysed: AnalysedRun,
    layout: LayoutRow,
    driver: Driver,
    file_name: str,
    sha256: str,
    received: datetime,
) -> Run:
    """Add a run with its channels, laps and curves to the session's transaction."""
    started = parse_date(log.meta.get("date"))
    car_name = log.meta.get("car")
    kind = log.meta.get("kind", "").strip().lower()
    event = event_for(session, team_id, layout, log.meta.get("event"), (started or received).date().isoformat())
    run = Run(
        team_id=team_id,
        event_id=event.id,
        driver_id=driver.id,
        car_id=named(session, Car, team_id, car_name).id if car_name else None,
        layout_id=layout.id,
        kind=kind if kind in ("practice", "qualifying", "race", "test") else "practice",
        started_at=started,
        file_name=file_name,
        sha256=sha256,
        meta=log.meta,
        warnings=[],
        log_warnings=[asdict(warning) for warning in log.warnings],
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
    _save_channels(session, team_id, run.id, log)
    save_analysis(session, run, analysed)
    return run


def _save_channels(session: Session, team_id: int, run_id: int, log: Log) -> None:
    for channel in log.channels:
        row = ChannelRow(
            team_id=team_id,
            run_id=run_id,
            name=channel.name,
            unit=(channel.logged_unit or channel.unit)[:60],
            role=channel.role,
            rate_hz=channel.rate_hz,
            count=len(channel.time),
        )
        session.add(row)
        session.flush()
        dtype = "<f8" if channel.role in _DOUBLE_CHANNELS else "<f4"
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


def to_lap(row: LapRow) -> Lap:
    """The core's lap of a row (the inverse of what :func:`save_analysis` writes)."""
    found = {field.name: getattr(row, field.name) for field in fields(Lap) if field.name != "sector_times_s"}
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


def load_log(session: Session, run: Run) -> Log:
    """The log of a run as it was stored."""
    channels = []
    for row in session.scalars(
        mine(ChannelRow, run.team_id).where(ChannelRow.run_id == run.id).order_by(ChannelRow.id)
    ):
        blocks = session.execute(
            select(Samples.clock, Samples.values)
            .where(Samples.team_id == run.team_id, Samples.channel_id == row.id)
            .order_by(Samples.first)
        ).all()
        role = ROLES.get(row.role or "")
        channels.append(
            Channel(
                name=row.name,
                unit=role.unit if role else row.unit,
                role=row.role,
                time=np.concatenate([unpack(clock).astype(float) for clock, _ in blocks]),
                values=np.concatenate([unpack(values).astype(float) for _, values in blocks]),
                logged_unit=row.unit,
            )
        )
    return Log(tuple(channels), run.meta, tuple(Warning(**warning) for warning in run.log_warnings))


def save_analysis(session: Session, run: Run, analysed: AnalysedRun) -> None:
    """Laps and curves of a run; what was there of an older computation is replaced."""
    for model in (LapRow, Curves):
        session.execute(delete(model).where(model.team_id == run.team_id, model.run_id == run.id))
    run.warnings = [asdict(warning) for warning in analysed.warnings]
    run.speed_scale, run.delay_s = analysed.speed_scale, analysed.delay_s
    run.scale = asdict(analysed.scale)
    run.code_version, run.layout_version = CODE_VERSION, run.layout.version
    for lap in analysed.laps:
        kept = asdict(lap)
        kept["sector_times"] = list(kept.pop("sector_times_s"))
        session.add(LapRow(team_id=run.team_id, run_id=run.id, **kept))
    session.flush()
    for role, rows in _curves(analysed).items():
        data = pack(rows, "<f8" if role in _DOUBLE else "<f4")
        session.add(Curves(team_id=run.team_id, run_id=run.id, role=role, rows=len(rows), data=data))
        session.flush()
