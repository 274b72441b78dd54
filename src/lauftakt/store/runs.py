"""Runs: rows <-> the core's logs, and what is said of a run beside its samples."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass, field
from datetime import datetime
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lauftakt.core.colours import PALETTE, colour_for
from lauftakt.core.log.dialect import Choice
from lauftakt.core.log.model import Channel, Log, RawChannel, RawLog, Unusable, Warning, rate_of
from lauftakt.core.log.roles import ROLES
from lauftakt.core.log.text import one_line
from lauftakt.core.log.units import into_si, reading_of
from lauftakt.store.blocks import BLOCK_SAMPLES, pack, unpack
from lauftakt.store.damage import Damaged, reading
from lauftakt.store.database import INCLUDE_REMOVED, mine, now
from lauftakt.store.layouts import sectors_of
from lauftakt.store.models import Car, ChannelRow, Driver, Event, LayoutRow, Run, Samples

Array = NDArray[np.float64]
Named = TypeVar("Named", Driver, Car)

PICTURE_POINTS, PICTURE_S = 60, 100.0
# Below this confidence a role is worth a look.
SURE = 0.75


def parse_date(text: str | None) -> tuple[datetime | None, str | None]:
    """The moment at the circuit that an ISO 8601 text names, and its offset where it tells one; None for others."""
    if not text:
        return None, None
    try:
        found = datetime.fromisoformat(text.strip())
    except ValueError:
        return None, None
    zone = found.strftime("%z")
    return found.replace(tzinfo=None), f"{zone[:3]}:{zone[3:5]}" if zone else None


def moment_of(run: Run) -> str | None:
    """When a run began, as ISO 8601, with its offset where that is known."""
    return None if run.started_at is None else run.started_at.isoformat() + (run.zone or "")


def free_colour(session: Session, team_id: int, day: tuple[str, int] | None = None, but: int | None = None) -> int:
    """A colour for one more driver of a team, or for one who comes back (``but``); ``day`` is an ISO date and a layout
    on which they drive."""
    rows = session.execute(
        select(Driver.id, Driver.colour, Driver.removed_at).where(Driver.team_id == team_id),
        execution_options=INCLUDE_REMOVED,
    ).all()
    others = [row for row in rows if row.id != but]
    beside: set[int] = set()
    if day is not None:
        own = select(Run.driver_id).join(Event, Event.id == Run.event_id)
        own = own.where(Run.team_id == team_id, Event.day == day[0], Event.layout_id == day[1])
        beside = set(session.scalars(own))
    return colour_for(
        [row.colour for row in others if row.removed_at is None],
        [row.colour for row in others if row.removed_at is not None],
        [row.colour for row in others if row.id in beside],
    )


def keep_apart(session: Session, driver: Driver) -> None:
    """Give a driver who comes back another colour where somebody else got theirs meanwhile, and one is free."""
    query = mine(Driver, driver.team_id).where(Driver.id != driver.id).with_only_columns(Driver.colour)
    taken = {colour % PALETTE for colour in session.scalars(query)}
    if driver.colour % PALETTE in taken and len(taken) < PALETTE:
        driver.colour = free_colour(session, driver.team_id, but=driver.id)


def named(session: Session, model: type[Named], team_id: int, name: str, day: tuple[str, int] | None = None) -> Named:
    """The team's driver or car of a name, made where it is new; one that was removed is back when it is named.

    ``day`` is the ISO date and the layout of what a new driver drives first: see :func:`free_colour`.
    """
    name = one_line(name, 200) or "?"
    query = mine(model, team_id).where(model.name == name).with_for_update()  # or they were removed meanwhile
    row = session.scalar(query, execution_options=INCLUDE_REMOVED)
    if row is not None and row.removed_at is not None:
        row.removed_at = None
        session.flush()
        if isinstance(row, Driver):
            keep_apart(session, row)
    if row is None:
        row = model(team_id=team_id, name=name)
        if isinstance(row, Driver):
            row.colour = free_colour(session, team_id, day)
        session.add(row)
        session.flush()
    return row


def event_for(session: Session, team_id: int, layout: LayoutRow, name: str | None, day: str) -> Event:
    """The event of a day at a layout, made where it is new."""
    name = one_line(name or "", 200) or layout.name
    query = mine(Event, team_id).where(Event.layout_id == layout.id, Event.day == day, Event.name == name)
    row = session.scalar(query, execution_options=INCLUDE_REMOVED)
    if row is not None and row.removed_at is not None:
        row.removed_at = None
        session.flush()
    if row is None:
        sectors = sectors_of(session, layout)
        row = Event(
            team_id=team_id, layout_id=layout.id, day=day, name=name, sector_set_id=sectors.id if sectors else None
        )
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
    zone: str | None = None
    kind: str = "practice"
    conditions: str | None = None
    tyres: str | None = None
    notes: str | None = None
    told_by: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Delivered:
    """A log as it came: its name, its bytes' digest, when it was received, and by which reader it was read."""

    file_name: str
    sha256: str
    received: datetime
    reader_version: int


def day_of_run(labels: Labels, received: datetime) -> str:
    """The ISO date of a run: when it began, else when its file came."""
    return (labels.started or received).date().isoformat()


def add_run(
    session: Session, layout: LayoutRow, driver: Driver, labels: Labels, raw: RawLog, delivered: Delivered
) -> Run:
    """A run with its channels as logged, without any analysis yet, in the caller's transaction."""
    team_id = layout.team_id
    day = day_of_run(labels, delivered.received)
    run = Run(
        team_id=team_id,
        event_id=event_for(session, team_id, layout, labels.event, day).id,
        driver_id=driver.id,
        car_id=named(session, Car, team_id, labels.car).id if labels.car else None,
        layout_id=layout.id,
        kind=labels.kind,
        conditions=labels.conditions,
        tyres=labels.tyres,
        notes=labels.notes,
        labels_from=labels.told_by,
        duration_s=max((float(channel.time[-1]) for channel in raw.channels if len(channel.time)), default=0.0),
        started_at=labels.started,
        zone=labels.zone,
        file_name=delivered.file_name,
        sha256=delivered.sha256,
        meta=raw.meta,
        log_warnings=[asdict(warning) for warning in raw.warnings],
        reader_version=delivered.reader_version,
        created_at=now(),
    )
    session.add(run)
    session.flush()
    run.layout, run.driver = layout, driver
    save_channels(session, run, raw)
    return run


def save_channels(session: Session, run: Run, raw: RawLog) -> None:
    """Write the channels of a run as logged; what was there before is replaced."""
    session.execute(delete(ChannelRow).where(ChannelRow.team_id == run.team_id, ChannelRow.run_id == run.id))
    for channel in raw.channels:
        row = ChannelRow(
            team_id=run.team_id,
            run_id=run.id,
            name=channel.name[:300],
            unit=channel.unit[:60],
            rate_hz=rate_of(channel.time),
            count=len(channel.time),
            as_logged=True,
            picture=picture_of(channel),
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
                    team_id=run.team_id,
                    channel_id=row.id,
                    first=first,
                    clock=pack(channel.time[part], "<f8"),
                    values=pack(channel.values[part], dtype),
                )
            )
            session.flush()  # one blob a packet
    run.channels_known = len(raw.channels)


def _needs_double(values: Array) -> bool:
    """Whether single precision would be coarser than a hundredth of what usually changes between two samples."""
    steps = np.abs(np.diff(values))
    steps = steps[steps > 0]
    largest = float(np.max(np.abs(values)))
    return largest > 1e30 or (len(steps) > 0 and largest * 6e-8 > 0.01 * float(np.median(steps)))


def picture_of(channel: RawChannel) -> list[int]:
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
    unsure = 0
    for row in session.scalars(mine(ChannelRow, run.team_id).where(ChannelRow.run_id == run.id)):
        channel = by_name.get(row.name)
        if channel is None:
            continue
        seen = channel.recognised
        row.role, row.rate_hz = channel.role, channel.rate_hz
        row.recognised_by, row.confidence, row.second_role = seen.by, seen.confidence, seen.second
        row.flipped, row.taken_unit = seen.flipped, seen.unit[:60]
        unsure += row.role is not None and seen.confidence < SURE
    run.channels_unsure = unsure
    session.flush()


def load_raw(session: Session, run: Run) -> tuple[RawLog, dict[str, Choice]]:
    """The log of a run as it was stored, and what is fixed about its channels (those of an older version hold SI)."""
    channels: list[RawChannel] = []
    fixed: dict[str, Choice] = {}
    for row in session.scalars(
        mine(ChannelRow, run.team_id).where(ChannelRow.run_id == run.id).order_by(ChannelRow.id)
    ):
        unit = row.unit
        if not row.as_logged and row.role in ROLES:
            unit = ROLES[row.role].unit
            fixed[row.name] = Choice(role=row.role, unit=unit, flipped=False)
        time, values = load_samples(session, row)
        channels.append(RawChannel(name=row.name, unit=unit, time=time, values=values))
    return RawLog(tuple(channels), run.meta, tuple(Warning(**warning) for warning in run.log_warnings)), fixed


def load_samples(session: Session, row: ChannelRow) -> tuple[Array, Array]:
    """Clock and values of a channel, (n,) each, as logged."""
    blocks = session.execute(
        select(Samples.clock, Samples.values)
        .where(Samples.team_id == row.team_id, Samples.channel_id == row.id)
        .order_by(Samples.first)
    ).all()
    with reading("samples", run_id=row.run_id):
        clocks = [unpack(clock).astype(float) for clock, _ in blocks]
        values = [unpack(values).astype(float) for _, values in blocks]
        if not row.count == sum(map(len, clocks)) == sum(map(len, values)):
            raise Damaged(f"Some of the samples of channel {row.id} are missing.")
        return np.concatenate(clocks), np.concatenate(values)


def load_si(session: Session, row: ChannelRow) -> Channel:
    """A channel with a role, in SI, every sample.

    Raises
    ------
    Unusable
        ``unit`` where its unit is none that this version knows.
    """
    role = ROLES[row.role or ""]
    time, values = load_samples(session, row)
    if row.as_logged:
        taken = row.taken_unit or row.unit
        reading = reading_of(taken, role.quantities)
        if reading is None and taken != role.unit:
            raise Unusable("unit", f"The values of {row.name} cannot be brought into {role.unit}.")
        values = -values if row.flipped else values
        values = values if reading is None else into_si(values, reading)
    return Channel(row.name, role.unit, row.role, time, values, row.unit)


def names_of(channels: Iterable[ChannelRow]) -> list[str]:
    """Names of a run's channels, by which its logger is recognised."""
    return [channel.name for channel in channels]
