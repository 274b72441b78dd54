"""The sheet that a driver is given: one content for screen, phone, file and paper, in the reader's units."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

import numpy as np
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.ground import place_of
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.debrief.target import HIGH, best_passage, figure_entry, is_place, passage_index, unwrapped
from lauftakt.core.debrief.worth import Worth
from lauftakt.core.findings.pairing import clean_passages
from lauftakt.core.technique.windows import windows
from lauftakt.formats.passage_picture import Drawn, Panel, Scene, Sign, passage_curves, passage_map
from lauftakt.formats.spoken import Reader, from_rows
from lauftakt.store.asked import cues_of
from lauftakt.store.database import mine
from lauftakt.store.lineup import Entry
from lauftakt.store.models import CueRow, Debrief, Run, Team
from lauftakt.web import schemas, show
from lauftakt.web.debrief.seeing import Day, Seen, may_be_shown, seen_of, seen_on
from lauftakt.web.debrief.telling import snapshot
from lauftakt.web.paper import lap_time

# So many points of a line are enough for a picture as small as a sheet's.
POINTS = 150
# Drawn before a passage and behind it, m.
AROUND_M = 25.0
# Before a corner's entry and behind its exit, on the map, m.
NEAR_M = 55.0
# Besides the speed: what shows a figure, by what it belongs to.
_CHANNELS = {"braking": ("brake_pressure", "brake_pedal", "ahead"), "throttle": ("throttle",), "line": ("steering",)}
_PANELS = {
    "brake_pressure": ("brake", "pressure"), "brake_pedal": ("brake", "share"), "throttle": ("throttle", "share"),
    "ahead": ("along the path", "acceleration"), "steering": ("steering", "angle"),
}  # fmt: skip
_WAYS = {HIGH: "at least", "low": "at most"}


def content(
    session: Session, debrief: Debrief, day: Day | None, reader: Reader, *, given: bool
) -> schemas.DebriefSheet:
    """A debrief as its reader gets it.

    Parameters
    ----------
    session, debrief : which
    day : what is compared on its day, for the pictures; None without any
    reader : of the figures
    given : as the driver was given it; else as it stands now
    """
    rows = cues_of(session, debrief)
    answers = {row.id: row for row in rows}
    pieces = (debrief.given or {}).get("cues", []) if given else snapshot(rows)
    run = None
    if debrief.run_id is not None:
        parts = joinedload(Run.driver), joinedload(Run.event), joinedload(Run.layout)
        run = session.scalar(mine(Run, debrief.team_id).where(Run.id == debrief.run_id).options(*parts))
    seen = seen_on(session, day, run) if day is not None and run is not None else None
    scenes = None if seen is None or day is None else _Scenes.of(session, seen, day)
    numbers = iter(range(1, 100))
    told = []
    for piece in pieces:
        drawn = scenes.of_piece(piece, reader) if scenes is not None else ("", "")
        number = next(numbers) if piece["kind"] == "cue" else 0
        told.append(_piece(piece, number, reader, drawn, answers.get(piece["id"])))
    return schemas.DebriefSheet(
        id=debrief.id,
        run=debrief.run_id,
        team=session.get_one(Team, debrief.team_id).name,
        driver=debrief.driver.name,
        title=debrief.driver.name,
        about="" if run is None else _about(run),
        lead=_lead(pieces, run),
        given_at=None if debrief.given_at is None else show.moment(debrief.given_at),
        changes=_changes((debrief.given or {}).get("before") or [], pieces, reader) if given else
        _changes((debrief.given or {}).get("cues") or [], pieces, reader),
        pieces=told,
        legend=[] if scenes is None else scenes.legend,
        note=None if scenes is None else scenes.note,
    )  # fmt: skip


def _about(run: Run) -> str:
    clock = f", run of {run.started_at:%H:%M}" if run.started_at else ""
    return f"{run.layout.name}, {run.event.name}, {date.fromisoformat(run.event.day):%-d %B %Y}{clock}"


def _lead(pieces: Sequence[Mapping[str, Any]], run: Run | None) -> str:
    laps = ""
    if run is not None and run.best_s is not None:
        laps = f"{run.laps_counting} laps count, the best in {lap_time(run.best_s)}. "
    keeps, cues = (sum(piece["kind"] == kind for piece in pieces) for kind in ("keep", "cue"))
    what = {1: "one thing", 2: "two things", 3: "three things"}.get(cues)
    if what is None:
        return laps + ("Keep this." if keeps else "")
    return laps + (f"Keep what is good, and try {what} next run." if keeps else f"Try {what} next run.")


def _piece(
    piece: Mapping[str, Any], number: int, reader: Reader, drawn: tuple[str, str], row: CueRow | None
) -> schemas.SheetPiece:
    entry = figure_entry(piece["figure"])
    target = None
    if piece["kind"] == "cue":
        way = _WAYS[piece["direction"]]
        value = reader.figure(piece["value"], entry.quantity)
        target = f"{entry.label} at {value}" if is_place(entry.code) else f"{entry.label} {way} {value}"
    promised = Worth(piece["basis"].get("worth_s") or 0.0, piece["basis"].get("worth_u_s") or 0.0)
    # What may as well be nothing is not promised to anybody.
    worth = reader.figure(promised.gain_s, "time") if piece["kind"] == "cue" and promised.clear else None
    return schemas.SheetPiece(
        id=piece["id"],
        kind=piece["kind"],
        number=number,
        place=piece["corner"] or piece["passage"],
        says=_says(piece, reader),
        target=target,
        worth=worth,
        map=drawn[0],
        curves=drawn[1],
        understood=None if row is None else row.understood,
        tried=None if row is None else row.tried,
        unsafe=None if row is None else row.unsafe,
    )


def _says(piece: Mapping[str, Any], reader: Reader) -> str:
    return piece["text"] or reader.text(from_rows(piece["sentence"]))


def _changes(before: Sequence[Mapping[str, Any]], after: Sequence[Mapping[str, Any]], reader: Reader) -> list[str]:
    """What changed since something was given before."""
    if not before:
        return []
    old, new = ({piece["id"]: piece for piece in side} for side in (before, after))
    told = [f"New: {_says(piece, reader)}" for key, piece in new.items() if key not in old]
    told += [f"Taken back: {_says(piece, reader)}" for key, piece in old.items() if key not in new]
    told += [
        f"Changed: {_says(piece, reader)}"
        for key, piece in new.items()
        if key in old and (_says(piece, reader) != _says(old[key], reader) or piece["value"] != old[key]["value"])
    ]
    return told


@dataclass(frozen=True)
class _Scenes:
    """The laps that are drawn: own ones, and the reference's where it may be shown."""

    session: Session
    seen: Seen
    base: Run | None
    note: str | None

    @classmethod
    def of(cls, session: Session, seen: Seen, day: Day) -> "_Scenes":
        """With the reference's lap if its driver agreed or is an instructor; else that of the quickest who did."""
        if seen.itself:
            return cls(session, seen, None, None)
        if may_be_shown(seen.base.driver):
            return cls(session, seen, seen.base, None)
        part = day.of(seen.run)
        runs = [] if part is None else [one for one in part.group.runs if one.driver_id != seen.run.driver_id]
        shown = next((one for one in runs if may_be_shown(one.driver)), None)
        if shown is None or part is None or shown.best_number is None:
            asked = seen.base.driver.shows_laps
            why = "did not agree to" if asked is False else "was not asked yet whether to"
            return cls(
                session, seen, None, f"The line of {seen.than} is left out: its driver {why} show laps to others."
            )
        return cls(session, seen_of(session, seen.run, shown, shown.best_number, part.analyses), shown, None)

    @property
    def legend(self) -> list[list[str]]:
        found = [["usual", "an ordinary lap of yours"], ["best", "your quickest here"]]
        return found if self.base is None else [*found, ["reference", self.base.driver.name]]

    def of_piece(self, piece: Mapping[str, Any], reader: Reader) -> tuple[str, str]:
        """Map and curves of a keep or cue; empty where its place is no longer on the circuit."""
        layout = self.seen.layout
        place = place_of(layout, *piece["places"][:2])
        passage = None if place is None else _passage_at(layout, place, piece["passage"])
        if passage is None:
            return "", ""
        target = None
        if is_place(piece["figure"]) and piece["places"][2] is not None:
            inside = place_of(layout, *piece["places"][2:])
            target = None if inside is None else unwrapped(layout, inside, piece["corner"])
        shown = target if piece["kind"] == "cue" else None
        return self.of_passage(passage, piece["corner"], piece["figure"], shown, reader)

    def of_passage(
        self, passage: str, corner: str | None, figure: str, target: float | None, reader: Reader
    ) -> tuple[str, str]:
        """Map around a corner (all of the passage's where none is named), and curves through the passage."""
        seen, index = self.seen, passage_index(self.seen.layout, passage)
        low, high = passage_range(seen.layout, index)
        if seen.layout.centre.closed:
            low, high = low - AROUND_M, high + AROUND_M
        places = np.linspace(low, high, POINTS)
        around = _around(seen.layout, passage, corner, low, high)
        wanted = ["speed", *_CHANNELS.get(figure_entry(figure).about, ())]
        laps = [lap for lap in self._drawn(index, places, wanted) if lap is not None]
        scene = Scene(seen.layout, places, laps, _signs(seen.marked, passage, places, target, self.seen.run),
                      self.seen.run.layout.heading_deg or 0.0)  # fmt: skip
        panels = [Panel("speed", f"speed, {reader.unit('speed')}", reader.factor("speed"))]
        more = next((role for role in wanted[1:] if any(role in lap.channels for lap in laps)), None)
        if more is not None:
            label, quantity = _PANELS[more]
            unit = reader.unit(quantity)
            panels.append(Panel(more, f"{label}{f', {unit}' if unit else ''}", reader.factor(quantity)))
        distance = reader.unit("distance"), reader.factor("distance")
        near = replace(scene, places=around, laps=[lap for lap in self._drawn(index, around, []) if lap is not None])
        return passage_map(near), passage_curves(scene, panels, distance)

    def _drawn(self, index: int, places: np.ndarray, channels: Sequence[str]) -> list[Drawn | None]:
        run, base = self.seen.run, self.base
        side = clean_passages(self.seen.analysed(self.session, run), self.seen.layout, index)
        found: list[Drawn | None] = []
        if side.numbers:
            best = best_passage(side.numbers, side.times)
            usual = side.numbers[int(np.argmin(np.abs(side.times - np.median(side.times))))]
            if usual != best:
                found.append(_lap(self.seen.entries[run.id], usual, "usual", places, channels))
            if best is not None:
                found.append(_lap(self.seen.entries[run.id], best, "best", places, channels))
        if base is not None:
            found.append(_lap(self.seen.entries[base.id], self.seen.lap, "reference", places, channels))
        return found


def _lap(entry: Entry, number: int, role: str, places: np.ndarray, channels: Sequence[str]) -> Drawn | None:
    """A lap's line and channels at places, which may lie before or behind its own lines: there its own neighbour laps
    were not looked for, so the line goes round."""
    if number not in entry.numbers:
        return None
    grid, length = entry.layout.grid(), entry.layout.length
    inside = places % length if entry.layout.centre.closed else places

    def at(name: str) -> np.ndarray | None:
        values = entry.on_grid(number, name)
        if values is None or not np.isfinite(values).any():
            return None
        return np.interp(inside, grid, values, left=np.nan, right=np.nan)

    offset = at("offset")
    known = {name: values for name in channels if (values := at(name)) is not None}
    return Drawn(role, np.full(len(places), np.nan) if offset is None else offset, known)


def _passage_at(layout: Layout, place: float, name: str) -> str | None:
    """The passage of the corner at a place; the one called so where it holds the place."""
    for passage in layout.passages:
        if passage.name == name and _holds(passage.from_m, passage.to_m, place):
            return name
    return next((one.name for one in layout.passages if _holds(one.from_m, one.to_m, place)), None)


def _holds(low: float, high: float, place: float) -> bool:
    return low <= place <= high if low <= high else place >= low or place <= high


def _around(layout: Layout, passage: str, corner: str | None, low: float, high: float) -> np.ndarray:
    """Places from a little before the corner, or the passage's corners, to a little behind: there lines differ."""
    names = layout.passages[passage_index(layout, passage)].corners
    wanted = [one for one in windows(layout) if one.corner in names and corner in (None, one.corner)]
    if not wanted:
        return np.linspace(low, high, POINTS)
    shift = layout.length if wanted[-1].apex < wanted[0].apex else 0.0
    first, last = wanted[0].entry - NEAR_M, wanted[-1].exit + shift + NEAR_M
    if not layout.centre.closed:
        first, last = max(first, low), min(last, high)
    return np.linspace(first, max(last, first + 2 * NEAR_M), POINTS)


def _signs(layout: Layout, passage: str, places: np.ndarray, target: float | None, run: Run) -> list[Sign]:
    """Corners, marks and the target inside a picture."""
    first, last = float(places[0]), float(places[-1])

    def inside(place: float) -> float | None:
        if not layout.centre.closed:
            return place if first <= place <= last else None
        shifted = place + layout.length * np.ceil((first - place) / layout.length)
        return float(shifted) if shifted <= last else None

    found = [
        Sign("corner", corner.name.removeprefix("T"), at)
        for corner in layout.corners
        if (at := inside(corner.apex_m)) is not None
    ]
    found += [Sign("mark", name, at) for name, place in layout.marks if (at := inside(place)) is not None]
    if target is not None and (at := inside(target)) is not None:
        found.append(Sign("target", "", at))
    return found


def picture(session: Session, seen: Seen, asked: schemas.PictureQuery) -> str:
    """One of a passage's pictures, for the coach."""
    scenes = _Scenes(session, seen, None if seen.itself else seen.base, None)
    drawn = scenes.of_passage(asked.passage, asked.corner, asked.figure or "min_speed", None, Reader(asked.units))
    return drawn[0 if asked.of == "map" else 1]
