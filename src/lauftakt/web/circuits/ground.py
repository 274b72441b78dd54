"""What the place "Circuit" shows of a layout, and the laps of a day that belong to it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.braking import braking_zones
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.lines import line_ends
from lauftakt.core.circuit.passages import full_between
from lauftakt.core.laps.lap import inside
from lauftakt.core.run import counting_rows
from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.core.technique.throttle import FULL, INFERRED_FULL
from lauftakt.store.analyses import to_lap
from lauftakt.store.drawings import sets_of
from lauftakt.store.layouts import load_layout
from lauftakt.store.lineup import Entry
from lauftakt.store.models import Account, Event, LayoutRow, LayoutVersion, MarkRow, Run, SectorSet
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.compare.lineup import entries_of_runs
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.work.open_jobs import being_renewed

Bools = NDArray[np.bool_]
# Of every so many metres of the centre line the map draws a point.
MAP_STEP = 4
# Of fewer runs another line is no better.
FEW_RUNS = 3


@dataclass(frozen=True)
class Driven:
    """The laps that count of a day, on the present version: (laps, g) times, full throttle, braking."""

    times: NDArray[np.float64]
    full: Bools
    braking: Bools


def drawn_layout(session: Session, viewer: Viewer, layout_id: int, *, lock: bool = False) -> LayoutRow:
    """A layout that has a version.

    Raises
    ------
    Problem
        409 for one that waits for its first run.
    """
    row = one(session, LayoutRow, viewer, layout_id, lock=lock)
    if row.current_id is None:
        raise Problem(
            409, "no-layout", f"{row.name} waits for its first run: hand one in, and there is a map to work on."
        )
    return row


def days_of(session: Session, viewer: Viewer, row: LayoutRow) -> list[schemas.DayOut]:
    """Days at a layout, newest first."""
    counts: dict[int, int] = dict(
        session.execute(
            select(Run.event_id, func.count())
            .where(Run.team_id == viewer.team_id, Run.layout_id == row.id, Run.removed_at.is_(None))
            .group_by(Run.event_id)
        ).all()
    )
    days = session.scalars(
        visible(Event, viewer).where(Event.layout_id == row.id).order_by(Event.day.desc(), Event.id.desc())
    )
    return [
        schemas.DayOut(
            id=event.id, name=event.name, day=event.day, sector_set=event.sector_set_id, runs=counts.get(event.id, 0)
        )
        for event in days
    ]


def entries_of_day(
    session: Session, viewer: Viewer, row: LayoutRow, event_id: int, roles: Sequence[str]
) -> list[Entry]:
    """The runs of a day with laps, as far as they lie on the present version; empty while they do not yet."""
    query = visible(Run, viewer).where(Run.event_id == event_id, Run.layout_id == row.id, Run.best_number.is_not(None))
    runs = list(session.scalars(query.options(*show.RUN_PARTS, joinedload(Run.analysis)).order_by(Run.id)))
    # While runs are computed anew, those count that are there already.
    ready = [run for run in runs if run.analysis is not None and run.analysis.layout_version_id == row.current_id]
    return list(entries_of_runs(session, ready, roles).values()) if ready else []


def driven(entries: Sequence[Entry]) -> Driven | None:
    """What the laps that count did; None where there is none."""
    rows = []
    for entry in entries:
        signals = entry.signals()
        own, inner = counting_rows([to_lap(lap) for lap in entry.laps], signals), inside(entry.layout)
        full = INFERRED_FULL if signals.throttle_inferred else FULL
        rows.append(
            (
                signals.time[own, inner],
                signals.throttle[own, inner] > full,
                signals.brake[own, inner] > signals.brake_on,
            )
        )
    if not sum(len(times) for times, _, _ in rows):
        return None
    times, flat, braking = zip(*rows, strict=True)
    return Driven(np.concatenate(times), np.concatenate(flat), np.concatenate(braking))


def versions_of(session: Session, row: LayoutRow) -> list[schemas.VersionOut]:
    """All versions, newest first, with who drew them."""
    query = (
        select(LayoutVersion, Account.name)
        .outerjoin(Account, Account.id == LayoutVersion.account_id)
        .where(LayoutVersion.team_id == row.team_id, LayoutVersion.layout_id == row.id)
        .order_by(LayoutVersion.number.desc())
    )
    return [
        schemas.VersionOut(
            id=version.id,
            number=version.number,
            at=show.moment(version.created_at),
            who=name,
            made_from=version.made_from,
            summary=version.summary or ("Made from the first run." if version.number == 1 else ""),
        )
        for version, name in session.execute(query)
    ]


def set_out(row: SectorSet, days: int) -> schemas.SectorSetOut:
    """A sector set."""
    names = row.splits.get("names") or [""] * len(row.splits["m"])
    return schemas.SectorSetOut(
        id=row.id,
        name=row.name,
        first_sector=row.splits.get("first", ""),
        splits=[schemas.SplitOut(name=name, m=m) for name, m in zip(names, row.splits["m"], strict=True)],
        days=days,
    )


def marks_of(session: Session, row: LayoutRow, layout: Layout) -> list[schemas.MarkOut]:
    """The marks of a layout, in driving order."""
    rows = session.scalars(
        select(MarkRow).where(MarkRow.team_id == row.team_id, MarkRow.layout_id == row.id).order_by(MarkRow.id)
    ).all()
    found = []
    for mark in rows:
        s, n = layout.centre.project(*layout.plane.to_xy([mark.latitude], [mark.longitude]))
        found.append(
            schemas.MarkOut(
                id=mark.id,
                name=mark.name,
                side=mark.side,  # type: ignore[arg-type]
                at_m=round(float(s[0]), 2),
                offset_m=round(float(n[0]), 2),
                latitude=mark.latitude,
                longitude=mark.longitude,
            )
        )
    return sorted(found, key=lambda mark: mark.at_m)


def reasons(layout: Layout, laps: Driven | None) -> list[str]:
    """For each passage, why its corners belong together, or why it ends where it does."""
    if laps is None:
        return ["" for _ in layout.passages]
    full = dict(zip((c.name for c in layout.corners), full_between(layout, laps.times, laps.full), strict=True))
    told = []
    for passage in layout.passages:
        inner = [full[name] for name in passage.corners[:-1]]
        if inner:
            told.append(f"At full throttle for {max(inner):.1f} s at most between them.")
        elif passage.corners and (layout.centre.closed or passage is not layout.passages[-1]):
            told.append(f"At full throttle for {full[passage.corners[-1]]:.1f} s before the next corner.")
        else:
            told.append("")
    return told


def ground(session: Session, viewer: Viewer, row: LayoutRow, event_id: int | None) -> schemas.GroundOut:
    """A layout with everything that can be changed of it, cut into the sectors of a day."""
    days = days_of(session, viewer, row)
    day = next((item for item in days if item.id == event_id), days[0] if days and event_id is None else None)
    sets = sets_of(session, row)
    own = {item.id for item in sets}
    chosen = day.sector_set if day is not None and day.sector_set in own else (sets[-1].id if sets else None)
    assert row.current_id is not None
    layout = load_layout(session, row.current_id, chosen, curve_cache().layouts)
    entries = entries_of_day(session, viewer, row, day.id, JUDGED_BY) if day is not None else []
    laps = driven(entries)
    versions = versions_of(session, row)
    runs = list(session.scalars(visible(Run, viewer).where(Run.layout_id == row.id).with_only_columns(Run.id)))
    places = layout.centre.s[::MAP_STEP]
    grid = layout.grid()
    return schemas.GroundOut(
        layout=show.layout(row, layout),
        circuit=row.circuit.name,
        version=next(version for version in versions if version.id == row.current_id),
        versions=versions,
        closed=layout.centre.closed,
        reckoned=layout.reckoned,
        start_half_m=_half(layout),
        heading_deg=row.heading_deg,
        confirmed=row.confirmed_at is not None,
        curvature=np.interp(grid, layout.centre.s, layout.centre.curvature).round(6).tolist(),
        left_limit=None if layout.left_limit is None else np.interp(places, grid, layout.left_limit).round(2).tolist(),
        right_limit=None
        if layout.right_limit is None
        else np.interp(places, grid, layout.right_limit).round(2).tolist(),
        pit_lane=_pit_lane(layout),
        sector_set=chosen,
        sets=[set_out(item, sum(other.sector_set == item.id for other in days)) for item in sets],
        marks=marks_of(session, row, layout),
        zones=[schemas.ZoneOut(**vars(zone)) for zone in braking_zones(layout, laps.braking)] if laps else [],
        reasons=reasons(layout, laps),
        days=days,
        day=day.id if day is not None else None,
        runs=len(runs),
        renewing=len(being_renewed(session, viewer.team_id, runs)),
        better=0 if layout.reckoned else _better(row, versions, len(runs)),
    )


def _better(row: LayoutRow, versions: Sequence[schemas.VersionOut], runs: int) -> int:
    """How many runs more could make the line better, of a layout that nobody drew, changed or confirmed."""
    as_made = len(versions) == 1 and not (row.sketch or {}).get("centre")
    return runs - 1 if as_made and row.confirmed_at is None and runs >= FEW_RUNS else 0


def _half(layout: Layout) -> float:
    left, right = line_ends(layout.plane, layout.start)
    return round(float(np.hypot(*(left - right))) / 2, 2)


def _pit_lane(layout: Layout) -> list[list[float]]:
    if not layout.pit_lane:
        return []
    degrees = np.array(layout.pit_lane)
    x, y = layout.plane.to_xy(degrees[:, 0], degrees[:, 1])
    return [[round(float(a), 2), round(float(b), 2)] for a, b in zip(x, y, strict=True)]
