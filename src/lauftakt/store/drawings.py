"""Layouts as people change them: a next version and next sector sets, the days that use them, and the way back."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from lauftakt.core.circuit.editing import Drawing, lines_moved, redrawn
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.relining import expressed
from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.store.counting import settle
from lauftakt.store.database import mine, mine_by_id, now
from lauftakt.store.layouts import add_sector_set, add_version, load_layout
from lauftakt.store.models import Analysis, Event, LayoutRow, LayoutVersion, Run, SectorSet


class MovedOn(Exception):
    """Somebody else changed the layout meanwhile."""


@dataclass
class Kept:
    """What keeping a drawing, or going back to a version, did: enough to take it back.

    ``runs`` are those whose numbers are not right any more; of them ``at_once`` show numbers that were there already.
    """

    layout_id: int
    version_before: int
    version_after: int = 0
    retired: list[int] = field(default_factory=list)
    made: list[int] = field(default_factory=list)
    events: list[list[int | None]] = field(default_factory=list)
    runs: list[int] = field(default_factory=list)
    at_once: list[int] = field(default_factory=list)

    def as_step(self) -> dict[str, Any]:
        """What undo needs to know."""
        return {
            "do": "drawing",
            "layout": self.layout_id,
            "version": self.version_before,
            "after": self.version_after,
            "bring_back": self.retired,
            "retire": self.made,
            "events": self.events,
        }

    @property
    def to_renew(self) -> list[int]:
        """Runs that have to be computed anew."""
        return [run for run in self.runs if run not in self.at_once]


def sets_of(session: Session, row: LayoutRow) -> list[SectorSet]:
    """The sector sets of a layout that are in use, oldest first."""
    query = mine(SectorSet, row.team_id).where(SectorSet.layout_id == row.id, SectorSet.retired_at.is_(None))
    return list(session.scalars(query.order_by(SectorSet.id)))


def keep_drawing(
    session: Session,
    row: LayoutRow,
    drawing: Drawing,
    *,
    base: int,
    sector_set: int | None,
    account_id: int | None,
    summary: Callable[[Layout, Layout], str],
) -> tuple[Kept, str]:
    """Make a drawing the present state of a layout, in the caller's transaction.

    Parameters
    ----------
    session, row : the layout's row, locked
    drawing : what is wanted
    base : id of the version that was changed
    sector_set : the set whose sectors the drawing holds; None makes the first one
    account_id : who
    summary : says in words what changed, from the layout before and after

    Returns
    -------
    What it did, and what changed in words.

    Raises
    ------
    MovedOn
        where the layout has another version by now, or the set was replaced.
    lauftakt.core.log.model.Unusable
        where the drawing cannot be so.
    """
    chosen = mine_by_id(session, SectorSet, row.team_id, sector_set) if sector_set is not None else None
    gone = chosen is not None and (chosen.retired_at is not None or chosen.layout_id != row.id)
    if row.current_id != base or gone:
        raise MovedOn
    before = load_layout(session, base, sector_set)
    after = redrawn(before, drawing)
    told = summary(before, after)
    kept = Kept(row.id, base)
    ground = (before.corners, before.passages) != (after.corners, after.passages) or lines_moved(drawing)
    sectors = _sectors(before) != _sectors(after)
    if ground:
        number = session.get_one(LayoutVersion, base).number
        add_version(session, row, after, account_id=account_id, made_from=number, summary=told)
    for own in sets_of(session, row):
        if chosen is not None and own.id == chosen.id:
            if sectors or lines_moved(drawing):
                _replace(session, row, own, after, kept)
        elif lines_moved(drawing):
            _replace(session, row, own, on_ground(load_layout(session, base, own.id), after), kept)
    if chosen is None and after.splits_m:
        kept.made.append(add_sector_set(session, row, after).id)
    kept.version_after = row.current_id or base
    kept.runs = _concerned(session, row, kept, ground)
    return kept, told


def keep_beside(
    session: Session, row: LayoutRow, after: Layout, *, base: int, account_id: int | None, summary: str
) -> Kept:
    """Make a layout with other edges or another pit lane the present one; its line, and every place, stay.

    Raises
    ------
    MovedOn
        where the layout has another version by now.
    """
    if row.current_id != base:
        raise MovedOn
    kept = Kept(row.id, base)
    number = session.get_one(LayoutVersion, base).number
    add_version(session, row, after, account_id=account_id, made_from=number, summary=summary)
    kept.version_after = row.current_id
    kept.runs = _concerned(session, row, kept, True)
    return kept


def make_current(session: Session, row: LayoutRow, version_id: int) -> Kept:
    """Make another version of a layout the present one; sector sets keep their places on the ground.

    Raises
    ------
    lauftakt.store.database.NotFound
    """
    version = mine_by_id(session, LayoutVersion, row.team_id, version_id)
    if version.layout_id != row.id or row.current_id is None:
        raise MovedOn
    kept = Kept(row.id, row.current_id)
    there = load_layout(session, version_id, None)
    here = load_layout(session, row.current_id, None)
    if there.start != here.start or abs(there.length - here.length) > 0.01:
        for own in sets_of(session, row):
            _replace(session, row, own, on_ground(load_layout(session, row.current_id, own.id), there), kept)
    row.current_id, row.latitude, row.longitude = version.id, version.latitude, version.longitude
    kept.version_after = version.id
    kept.runs = _concerned(session, row, kept, True)
    show_at_once(session, row, kept)
    return kept


def take_back(session: Session, row: LayoutRow, step: dict[str, Any]) -> Kept:
    """Take a kept drawing back: version, sector sets and days are as they were before it.

    Raises
    ------
    MovedOn
        where something was changed on top of it.
    """
    changed = mine(SectorSet, row.team_id).where(SectorSet.id.in_(step["retire"]), SectorSet.retired_at.is_not(None))
    if row.current_id != step["after"] or session.scalar(changed) is not None:
        raise MovedOn
    kept = Kept(row.id, row.current_id or step["version"])
    version = mine_by_id(session, LayoutVersion, row.team_id, step["version"])
    row.current_id, row.latitude, row.longitude = version.id, version.latitude, version.longitude
    for ids, moment in ((step["bring_back"], None), (step["retire"], now())):
        session.execute(
            update(SectorSet)
            .where(SectorSet.team_id == row.team_id, SectorSet.layout_id == row.id, SectorSet.id.in_(ids))
            .values(retired_at=moment)
        )
    for event_id, set_id in step["events"]:
        session.execute(
            update(Event).where(Event.team_id == row.team_id, Event.id == event_id).values(sector_set_id=set_id)
        )
    session.expire_all()
    kept.runs = _concerned(session, row, kept, True)
    show_at_once(session, row, kept)
    return kept


def on_ground(layout: Layout, other: Layout) -> Layout:
    """Another drawing of the same road, cut into the sectors of a layout where those lie on the ground."""
    places = []
    for name, place in zip(layout.names_of_splits, layout.splits_m, strict=True):
        s = expressed(layout, other, place)
        if 1.0 < s < other.length - 1.0:
            places.append((s, name))
    places.sort()
    drawn = any(name for _, name in places)
    return replace(
        other,
        splits_m=tuple(s for s, _ in places),
        split_names=tuple(name for _, name in places) if drawn else (),
        split_skews=(),
        first_sector=layout.first_sector,
    )


def _sectors(layout: Layout) -> tuple[object, ...]:
    return layout.splits_m, layout.split_names, layout.first_sector


def _replace(session: Session, row: LayoutRow, own: SectorSet, after: Layout, kept: Kept) -> None:
    """A sector set gives way to its successor, on the days that use it, too."""
    successor = add_sector_set(session, row, after, own.name)
    own.retired_at = now()
    kept.retired.append(own.id)
    kept.made.append(successor.id)
    for event in session.scalars(mine(Event, row.team_id).where(Event.sector_set_id == own.id)):
        kept.events.append([event.id, own.id])
        event.sector_set_id = successor.id
    session.flush()


def _concerned(session: Session, row: LayoutRow, kept: Kept, ground: bool) -> list[int]:
    """Runs whose numbers rest on what changed."""
    query = mine(Run, row.team_id).where(Run.layout_id == row.id)
    if not ground:
        query = query.where(Run.event_id.in_([event for event, _ in kept.events]))
    return list(session.scalars(query.with_only_columns(Run.id).order_by(Run.id)))


def show_at_once(session: Session, row: LayoutRow, kept: Kept) -> None:
    """Runs that were analysed on what holds now before show those numbers again at once."""
    session.flush()
    runs: Iterable[Run] = session.scalars(mine(Run, row.team_id).where(Run.id.in_(kept.runs)))
    for run in runs:
        found = session.scalar(
            select(Analysis)
            .where(
                Analysis.team_id == row.team_id,
                Analysis.run_id == run.id,
                Analysis.layout_version_id == row.current_id,
                Analysis.sector_set_id == run.event.sector_set_id,
                Analysis.code_version == CODE_VERSION,
                Analysis.reading == run.reading,
            )
            .order_by(Analysis.id.desc())
            .limit(1)
        )
        if found is not None:
            run.analysis_id = found.id
            session.flush()
            settle(session, run)
            kept.at_once.append(run.id)
