"""On which layout a run was driven: one of the team's, one that waits for its first run, or one made from it."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.bends import LEAST_MATCH
from lauftakt.core.circuit.layout import Layout, LayoutSketch
from lauftakt.core.circuit.turning import turned
from lauftakt.core.log.model import Log, RawLog, Unusable, Warning
from lauftakt.core.log.text import one_line
from lauftakt.core.log.track import Track, read_track
from lauftakt.core.pipeline import analyse_run, layout_from, layout_turned, layout_without_positions
from lauftakt.core.placing.by_corners import corners_match
from lauftakt.core.run import AnalysedRun
from lauftakt.store.database import Database, mine, mine_by_id
from lauftakt.store.layouts import layouts_near, load_layout, sectors_of, sketch_of
from lauftakt.store.models import HandIn, LayoutRow
from lauftakt.work.sources import Source


@dataclass(frozen=True)
class PlacedRun:
    """A run on a layout: of the team (``layout_id`` and ``version_id``), on one that a sketch waited for (``layout_id``
    alone), or on a new one. ``circuit`` names the venue of a new one; ``by_corners`` where only those told it."""

    layout: Layout
    analysed: AnalysedRun
    layout_id: int | None = None
    version_id: int | None = None
    circuit: str = ""
    by_corners: bool = False


@dataclass(frozen=True)
class ReadLog:
    """A log as it was read and understood."""

    raw: RawLog
    log: Log
    dialect_id: int | None

    @cached_property
    def track(self) -> Track | None:
        """The driven path, read once for all layouts that are tried; None for a log without positions."""
        return read_track(self.log) if self.log.positions() is not None else None


Own = TypeVar("Own")
# So much better than by any other layout of the team a run without positions must fit one, or a person is asked.
CLEARLY = 0.05
# A team has more layouts than this only if it has made them by program.
MOST_TRIED = 200


def _where(log: Log) -> tuple[float, float]:
    """Latitude and longitude of the middle of a run with positions."""
    positions = log.positions()
    assert positions is not None, "a log without positions is recognised by its corners"
    return float(np.median(positions[0].values)), float(np.median(positions[1].values))


def on_known_layout(database: Database, source: Source, read: ReadLog) -> PlacedRun | None:
    """The first layout nearby on which the run fits."""
    log = read.log
    if source.turned:
        return _on_turned_layout(database, source, read)
    by_corners = False
    with database.begin() as session:
        chosen = mine_by_id(session, HandIn, source.team_id, source.hand_in_id).layout_id
        if chosen is not None:
            near = list(session.scalars(mine(LayoutRow, source.team_id).where(LayoutRow.id == chosen)))
        elif log.positions() is None:
            # Without positions the circuit's name says where the run was; its corners must agree.
            name = one_line(log.meta.get("circuit", ""), 200)
            near = list(session.scalars(mine(LayoutRow, source.team_id).where(LayoutRow.name == name)))
            if not name:
                by_corners = True
                recent = mine(LayoutRow, source.team_id).order_by(LayoutRow.id.desc()).limit(MOST_TRIED)
                near = _by_corners(session, log, list(session.scalars(recent)))
        else:
            near = layouts_near(session, source.team_id, *_where(log))
        known = [
            (row.id, row.current_id, load_layout(session, row.current_id, _newest(session, row)))
            for row in near
            if row.current_id is not None
        ]
    if chosen is None and log.positions() is not None:
        # What was drawn without positions lies nowhere; it cannot be recognised by them.
        known = [(layout_id, version_id, layout) for layout_id, version_id, layout in known if not layout.reckoned]
    for layout_id, version_id, layout in known:
        try:
            analysed = analyse_run(log, layout, track=read.track)
        except Unusable as error:
            if error.code != "elsewhere" or chosen is not None:
                raise
            continue
        if chosen is not None or not analysed.went_another_way:
            return PlacedRun(layout, analysed, layout_id, version_id, by_corners=by_corners)
    if known and log.positions() is None:
        raise Unusable(
            "elsewhere",
            f"The log names “{known[0][2].name}”, but its corners are not those of that layout. Choose the circuit it "
            "was driven on, or hand it in under another name.",
        )
    return None


def _by_corners(session: Session, log: Log, rows: list[LayoutRow]) -> list[LayoutRow]:
    """The layout whose corners a run without positions clearly has; none where it has no layout's."""
    found = _clearest(
        [(row.name, row, load_layout(session, row.current_id, None)) for row in rows if row.current_id], log
    )
    return [] if found is None else [found]


def _clearest(tried: list[tuple[str, Own, Layout]], log: Log) -> Own | None:
    """What belongs to the layout whose corners a run has, and no other's about as well.

    Raises
    ------
    Unusable
        ``no-positions`` where it fits two of them, so that a person must say which.
    """
    fits = sorted(((corners_match(log, layout), name, own) for name, own, layout in tried), key=lambda fit: -fit[0])
    if not fits or fits[0][0] < LEAST_MATCH:
        return None
    if len(fits) > 1 and fits[1][0] > fits[0][0] - CLEARLY:
        raise Unusable(
            "no-positions",
            f"No positions were found in this log, and its corners fit “{fits[0][1]}” as well as “{fits[1][1]}”. "
            "Choose the circuit it was driven on; if both are one, join them.",
        )
    return fits[0][2]


def _on_turned_layout(database: Database, source: Source, read: ReadLog) -> PlacedRun | None:
    """The named layout, driven the other way round: one that is there already, or a new one."""
    with database.begin() as session:
        chosen = mine_by_id(session, HandIn, source.team_id, source.hand_in_id).layout_id
        row = mine_by_id(session, LayoutRow, source.team_id, chosen or 0)
        if row.current_id is None:
            raise Unusable("no-layout", "This circuit waits for its first run; hand in one that was driven forwards.")
        named = load_layout(session, row.current_id, None)
        circuit, name = row.circuit.name, f"{row.name}, other direction"[:200]
        siblings = session.scalars(mine(LayoutRow, source.team_id).where(LayoutRow.circuit_id == row.circuit_id)).all()
        there = [
            (other.id, other.current_id, load_layout(session, other.current_id, _newest(session, other)))
            for other in siblings
            if other.current_id is not None and other.id != row.id
        ]
        taken = {other.name for other in siblings}
    for layout_id, version_id, layout in there:
        if layout.runs_against(named):
            return PlacedRun(layout, analyse_run(read.log, layout, track=read.track), layout_id, version_id)
    layout = layout_turned(read.log, named, _free_name(name, taken))
    return PlacedRun(layout, analyse_run(read.log, layout, track=read.track), None, None, circuit)


def _newest(session: Session, row: LayoutRow) -> int | None:
    sectors = sectors_of(session, row)
    return sectors.id if sectors is not None else None


def on_new_layout(database: Database, source: Source, read: ReadLog) -> PlacedRun:
    """A layout made from this run: from a start line that waits nearby, or from the log alone."""
    log = read.log
    if log.positions() is None:
        return _on_layout_without_positions(database, source, read)
    with database.begin() as session:
        near = layouts_near(session, source.team_id, *_where(log))
        waiting = [(row.id, row.name, sketch_of(row)) for row in near if row.current_id is None]
        known = [
            (row.name, row.circuit.name, load_layout(session, row.current_id, None))
            for row in near
            if row.current_id is not None
        ]
    known = [item for item in known if not item[2].reckoned]
    track = read.track
    assert track is not None
    layout_id, circuit = None, ""
    for row_id, name, sketch in waiting:
        try:
            layout, warnings = layout_from([(log, track)], sketch)
        except Unusable as error:
            if error.code not in ("no-laps", "start-line"):
                raise
            continue
        layout_id, circuit = row_id, name
        break
    else:
        varied = _variant(log, track, known)
        if varied is not None:
            layout, circuit = varied
            return PlacedRun(layout, analyse_run(log, layout, track=track), None, None, circuit)
        name = one_line(log.meta.get("circuit", ""), 180) or f"Circuit of {source.file_name}"[:180]
        layout, warnings = layout_from([(log, track)], LayoutSketch(name=name))
        circuit = name
        against = next(((own, venue) for own, venue, other in known if layout.runs_against(other)), None)
        if against is not None:
            layout, circuit = replace(layout, name=f"{against[0]}, other direction"[:200]), against[1]
        layout = replace(layout, name=_free_name(layout.name, {own for own, _, _ in known}))
    return _first_run(read, layout, warnings, layout_id, circuit)


def _first_run(
    read: ReadLog, layout: Layout, warnings: tuple[Warning, ...], layout_id: int | None, circuit: str
) -> PlacedRun:
    """The run that a layout was made from, on it."""
    analysed = analyse_run(read.log, layout, track=read.track)
    told = Warning(
        "new-layout",
        f"The layout “{layout.name}” was made from this run: {layout.length:.0f} m, {len(layout.corners)} corners.",
    )
    analysed = replace(analysed, warnings=(*analysed.warnings, *warnings, told))
    return PlacedRun(layout, analysed, layout_id, None, circuit)


def _on_layout_without_positions(database: Database, source: Source, read: ReadLog) -> PlacedRun:
    """A drawing that waits for its first run and was named, a circuit driven the other way round, or a map by dead
    reckoning."""
    name = one_line(read.log.meta.get("circuit", ""), 180)
    with database.begin() as session:
        chosen = mine_by_id(session, HandIn, source.team_id, source.hand_in_id).layout_id
        rows = session.scalars(mine(LayoutRow, source.team_id).order_by(LayoutRow.id.desc())).all()
        taken = {row.name for row in rows}
        wanted = [row for row in rows if (row.id == chosen if chosen is not None else row.name == name)]
        waiting = [(row.id, row.name, sketch_of(row)) for row in wanted if row.current_id is None]
        known = [
            (row.name, (row.name, row.circuit.name, layout), turned(layout, row.name))
            for row in rows[:MOST_TRIED]
            if row.current_id is not None and chosen is None and not name
            for layout in (load_layout(session, row.current_id, None),)
            if layout.centre.closed
        ]
    for layout_id, circuit, sketch in waiting:
        layout, warnings = layout_without_positions([read.log], sketch)
        return _first_run(read, layout, warnings, layout_id, circuit)
    against = _clearest(known, read.log)
    if against is not None:
        forwards, circuit, drawn = against
        layout = layout_turned(read.log, drawn, _free_name(f"{forwards}, other direction"[:200], taken))
        return PlacedRun(layout, analyse_run(read.log, layout), None, None, circuit, by_corners=True)
    own = _free_name(name or f"Circuit of {source.file_name}"[:180], taken)
    try:
        layout, warnings = layout_without_positions([read.log], LayoutSketch(name=own))
    except Unusable as error:
        if error.code != "no-positions":
            raise
        raise Unusable("no-positions", f"{error} Choose the circuit, if it is known here.") from error
    return _first_run(read, layout, warnings, None, own)


def _variant(log: Log, track: Track, known: list[tuple[str, str, Layout]]) -> tuple[Layout, str] | None:
    """Another way round a circuit that is known, over the same start line, and that circuit's name."""
    taken = {own for own, _, _ in known}
    for own, venue, other in known:
        try:
            made, _ = layout_from([(log, track)], LayoutSketch(name=own, start=other.start, finish=other.finish))
        except Unusable:
            continue
        if made.shares_road(other) and not made.is_same_way(other):
            return replace(made, name=_free_name(f"{own}, variant"[:200], taken)), venue
    return None


def _free_name(name: str, taken: set[str]) -> str:
    own, number = name, 2
    while own in taken:
        own, number = f"{name} ({number})", number + 1
    return own
