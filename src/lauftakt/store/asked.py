"""What drivers were asked, as core objects; and their runs in the order in which they were driven."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.ground import metres_apart, place_of
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.alike import Setting
from lauftakt.core.debrief.target import Target, unwrapped
from lauftakt.store.database import mine
from lauftakt.store.models import CueRow, Debrief, Run

# A corner of another version of a layout is the same where its apex lies so near, m.
SAME_CORNER_M = 80.0


class Placed(Protocol):
    """A cue with its places on the ground: a row, or what was given."""

    @property
    def passage(self) -> str: ...
    @property
    def corner(self) -> str | None: ...
    @property
    def figure(self) -> str: ...
    @property
    def direction(self) -> str: ...
    @property
    def value(self) -> float: ...
    @property
    def latitude(self) -> float: ...
    @property
    def longitude(self) -> float: ...
    @property
    def target_latitude(self) -> float | None: ...
    @property
    def target_longitude(self) -> float | None: ...


@dataclass(frozen=True)
class GivenCue:
    """A cue or a keep as a driver was given it, whatever was done with its row since."""

    id: int
    kind: str
    passage: str
    corner: str | None
    figure: str
    direction: str
    value: float
    latitude: float
    longitude: float
    target_latitude: float | None
    target_longitude: float | None
    now: float
    sentence: tuple[Any, ...]
    text: str | None
    lap: int | None
    basis: Mapping[str, Any]


def given_cues(debrief: Debrief) -> list[GivenCue]:
    """What stood in a debrief when it was given last; nothing where it is not given."""
    if debrief.given_at is None:
        return []
    rows = (debrief.given or {}).get("cues", [])
    return [_given(row) for row in rows]


def _given(row: dict[str, Any]) -> GivenCue:
    latitude, longitude, target_latitude, target_longitude = row["places"]
    return GivenCue(
        id=row["id"],
        kind=row["kind"],
        passage=row["passage"],
        corner=row["corner"],
        figure=row["figure"],
        direction=row["direction"],
        value=row["value"],
        latitude=latitude,
        longitude=longitude,
        target_latitude=target_latitude,
        target_longitude=target_longitude,
        now=row["now"],
        sentence=tuple(row["sentence"]),
        text=row["text"],
        lap=row["lap"],
        basis=row["basis"],
    )


def cues_of(session: Session, debrief: Debrief) -> list[CueRow]:
    """Keeps first, then cues, as the driver reads them."""
    rows = session.scalars(mine(CueRow, debrief.team_id).where(CueRow.debrief_id == debrief.id)).all()
    return sorted(rows, key=lambda row: (row.kind == "cue", row.rank, row.id))


def target_on(row: Placed, layout: Layout) -> Target | None:
    """A cue's target on a version of its layout, wherever its start line is and whatever its corners are called; None
    where the layout does not lead past it any more."""
    at = place_of(layout, row.latitude, row.longitude)
    if at is None:
        return None
    passage, corner = row.passage, row.corner
    if corner is not None:
        near = min(layout.corners, key=lambda one: metres_apart(layout, one.apex_m, at), default=None)
        if near is None or metres_apart(layout, near.apex_m, at) > SAME_CORNER_M:
            return None
        passage = next((one.name for one in layout.passages if near.name in one.corners), passage)
        corner = near.name
    elif (by_place := _holding(layout, at)) is not None:
        passage = by_place
    value = row.value
    if row.target_latitude is not None and row.target_longitude is not None:
        place = place_of(layout, row.target_latitude, row.target_longitude)
        if place is None:
            return None
        value = unwrapped(layout, place, corner)
    return Target(row.figure, passage, corner, value, row.direction)


def _holding(layout: Layout, at: float) -> str | None:
    """The passage that holds a place, with corners or without."""
    for one in layout.passages:
        inside = one.from_m <= at <= one.to_m if one.from_m <= one.to_m else at >= one.from_m or at <= one.to_m
        if inside:
            return one.name
    return None


def setting_of(run: Run) -> Setting:
    """In what a run was driven; reads its event and car."""
    return Setting(
        run.layout_id, run.event.day, run.car_id, run.car.name if run.car else "", run.tyres or None, run.conditions
    )


def driven_at(run: Run) -> tuple[str, str, int]:
    """In which order runs were driven: by day, clock, and number where nothing else is known."""
    return run.event.day, run.started_at.isoformat() if run.started_at else "", run.id


def runs_of_driver(session: Session, team_id: int, driver_id: int) -> list[Run]:
    """Runs of a driver with a lap that counts, the earliest first."""
    query = mine(Run, team_id).where(Run.driver_id == driver_id, Run.analysis_id.is_not(None), Run.laps_counting > 0)
    parts = (joinedload(Run.event), joinedload(Run.car), joinedload(Run.analysis))
    return sorted(session.scalars(query.options(*parts)), key=driven_at)


def runs_since(session: Session, debrief: Debrief) -> list[Run]:
    """Later runs of the same driver that count, the earliest first."""
    before = None if debrief.run_id is None else session.get(Run, debrief.run_id)
    if before is None:
        return []
    runs = runs_of_driver(session, debrief.team_id, debrief.driver_id)
    return later_than(before, runs)


def later_than(before: Run, runs: Sequence[Run]) -> list[Run]:
    """Those of a driver's runs that were driven after one, which may itself have no lap that counts any more."""
    return [run for run in runs if run.id != before.id and driven_at(run) > driven_at(before)]


def given_before(session: Session, run: Run) -> Debrief | None:
    """The last debrief that a driver was given after an earlier run."""
    query = mine(Debrief, run.team_id).where(
        Debrief.driver_id == run.driver_id, Debrief.given_at.is_not(None), Debrief.run_id.is_not(None),
        Debrief.run_id != run.id,
    )  # fmt: skip
    rows = session.scalars(query.options(joinedload(Debrief.run).joinedload(Run.event)))
    earlier = [row for row in rows if row.run is not None and driven_at(row.run) < driven_at(run)]
    return max(earlier, key=lambda row: driven_at(row.run), default=None)  # type: ignore[arg-type]
