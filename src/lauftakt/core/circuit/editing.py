"""A layout as somebody changes it: lines moved, corners named, joined and cut, passages linked, sectors chosen."""

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.corners import CHICANE_M
from lauftakt.core.circuit.drafting import lay
from lauftakt.core.circuit.layout import Corner, Layout, LayoutSketch, Line, Passage
from lauftakt.core.circuit.lines import line_ends
from lauftakt.core.log.model import Unusable

Array = NDArray[np.float64]
# Two borders nearer than this cannot be told apart by any receiver.
LEAST_APART_M = 3.0
# A line turned further no longer lies across the road.
MOST_TURN = np.radians(45.0)
# A loop that is timed short of its end leaves so much of it out; its line goes on a little beyond both ends.
LEAST_REST_M, BEYOND_M = 10.0, 30.0
# More are no corners, sectors or names.
MOST_PLACES, MOST_NAME = 200, 60


@dataclass(frozen=True)
class DrawnCorner:
    """A corner as drawn: places in metres on the layout that is changed; ``entry_m`` > ``apex_m`` across its line."""

    name: str
    entry_m: float
    apex_m: float
    exit_m: float


@dataclass(frozen=True)
class Drawing:
    """What is wanted of a layout; places are metres from the start line of the layout that is changed.

    Attributes
    ----------
    start_m, start_turn : where the start line is to lie, and by how much it is turned out of square, radians, positive
        anticlockwise; 0 and 0 leave it as it was drawn
    finish_m : where the finish is to lie; None leaves it. A closed circuit that gets one is timed short of its end: it
        becomes an open course from its start line to there
    corners : in any order
    borders : where passages begin; none for one passage
    splits : name (may be empty) and place of each
    first_sector : name of the sector that begins at the start line, may be empty
    """

    start_m: float = 0.0
    start_turn: float = 0.0
    finish_m: float | None = None
    corners: tuple[DrawnCorner, ...] = ()
    borders: tuple[float, ...] = ()
    splits: tuple[tuple[str, float], ...] = ()
    first_sector: str = ""


def drawing_of(layout: Layout) -> Drawing:
    """The drawing that changes nothing."""
    return Drawing(
        corners=tuple(DrawnCorner(c.name, c.entry_m, c.apex_m, c.exit_m) for c in layout.corners),
        borders=tuple(p.from_m for p in layout.passages),
        splits=tuple(zip(layout.names_of_splits, layout.splits_m, strict=True)),
        first_sector=layout.first_sector,
    )


def redrawn(layout: Layout, drawing: Drawing) -> Layout:
    """A layout changed as drawn.

    Parameters
    ----------
    layout : which is changed
    drawing : what is wanted of it

    Returns
    -------
    The layout with its start line where it was put, everything else expressed from there. The road itself, its limits
    and marks stay where they are on the ground.

    Raises
    ------
    Unusable
        ``drawing`` with a sentence that says which place cannot be so.
    """
    ground = _with_lines(layout, drawing)
    shift = drawing.start_m

    def moved(place: float) -> float:
        return _moved(ground, place, shift, layout)

    _within(layout, drawing)
    if layout.centre.closed and not ground.centre.closed:
        drawing = _timed_part(drawing, moved, ground.length)
    corners = _corners(layout, ground, drawing.corners, moved)
    # The first passage of an open course begins where the course does, wherever that is put.
    borders = [place for place in drawing.borders if ground.centre.closed or moved(place) > LEAST_APART_M]
    passages = _passages(ground, corners, tuple(moved(place) for place in borders))
    splits = sorted((moved(place), name.strip()) for name, place in drawing.splits)
    if any(not LEAST_APART_M <= place <= ground.length - LEAST_APART_M for place, _ in splits):
        raise Unusable(
            "drawing", "A sector's border lies on the start line, which parts sectors too: move or remove it."
        )
    _apart("sectors", [place for place, _ in splits])
    named = [name for _, name in splits if name]
    first = drawing.first_sector.strip()
    if len({first, *named} - {""}) < len(named) + bool(first):
        raise Unusable("drawing", "Two sectors have the same name.")
    skews = _skews(layout, splits) if ground.centre is layout.centre else ()
    return replace(
        ground,
        corners=corners,
        passages=passages,
        splits_m=tuple(place for place, _ in splits),
        split_skews=skews,
        split_names=tuple(name for _, name in splits) if named else (),
        first_sector=first,
    )


def lines_moved(drawing: Drawing) -> bool:
    """Whether a drawing moves a line that laps are timed by."""
    return bool(drawing.start_m or drawing.start_turn or drawing.finish_m is not None)


def _within(layout: Layout, drawing: Drawing) -> None:
    places = [("the start line", drawing.start_m)]
    places += [(f"corner {c.name}", place) for c in drawing.corners for place in (c.entry_m, c.apex_m, c.exit_m)]
    places += [("a passage", place) for place in drawing.borders] + [("a sector", place) for _, place in drawing.splits]
    if len(places) > 5 * MOST_PLACES:
        raise Unusable("drawing", f"More than {MOST_PLACES} corners, passages or sectors are too many.")
    low = 0.0 if layout.centre.closed else float(layout.centre.s[0])
    high = layout.length if layout.centre.closed else float(layout.centre.s[-1])
    for what, place in places:
        if not (np.isfinite(place) and low - 0.5 <= place <= high + 0.5):
            raise Unusable("drawing", f"The place of {what} lies outside the lap, which is {layout.length:.0f} m long.")


def _with_lines(layout: Layout, drawing: Drawing) -> Layout:
    """The layout with its start line and finish where they were put; without corners, passages and sectors."""
    bare = replace(layout, corners=(), passages=(), splits_m=(), split_skews=(), split_names=(), first_sector="")
    if not lines_moved(drawing):
        return bare
    if abs(drawing.start_turn) > MOST_TURN:
        raise Unusable("drawing", "The start line may be turned by at most 45 degrees; else it lies along the road.")
    start, finish = layout.start, layout.finish
    if drawing.start_m or drawing.start_turn:
        start = _line_at(layout, layout.start, 0.0, drawing.start_m, drawing.start_turn)
    centre = layout.centre
    if drawing.finish_m is not None:
        finish = _line_at(layout, layout.finish or layout.start, layout.length, drawing.finish_m, 0.0)
        if centre.closed:
            centre = _opened(layout, drawing.start_m, drawing.finish_m)
    found = lay(centre, layout.plane, start, LayoutSketch(layout.name, start, finish, reckoned=layout.reckoned))
    if drawing.finish_m is None and abs(drawing.start_m) < 1e-9 and layout.centre.closed:
        # The line only turned about its place: the road's places are what they were.
        return replace(bare, start=start, skew=found.skew)

    def limit(offsets: Array | None) -> Array | None:
        if offsets is None:
            return None
        places = found.grid() * (layout.length / found.length if found.centre.closed else 1.0) + drawing.start_m
        period = layout.length if layout.centre.closed else None
        return np.asarray(np.interp(places, layout.grid(), offsets, period=period))

    return replace(
        found,
        left_limit=limit(layout.left_limit),
        right_limit=limit(layout.right_limit),
        pit_lane=layout.pit_lane,
        marks=tuple(
            sorted(
                ((name, _moved(found, at, drawing.start_m, layout)) for name, at in layout.marks),
                key=lambda mark: mark[1],
            )
        ),
    )


def _line_at(layout: Layout, line: Line, at: float, place: float, turn: float) -> Line:
    """A line that lies at one place of the road, laid at another: as far to both sides, square to it or turned."""
    x, y, heading = layout.centre.at(np.array([at, place]))
    aside = -np.sin(heading[0]), np.cos(heading[0])
    middle = np.array([x[0], y[0]])
    left, right = (float(np.dot(end - middle, aside)) for end in line_ends(layout.plane, line))
    if left - right < 1.0:
        left, right = 1.0, -1.0
    turned = heading[1] + turn
    ends_x, ends_y = (p + np.array([left, right]) * d for p, d in ((x[1], -np.sin(turned)), (y[1], np.cos(turned))))
    latitude, longitude = layout.plane.to_degrees(ends_x, ends_y)
    return Line((float(latitude[0]), float(longitude[0])), (float(latitude[1]), float(longitude[1])))


def _opened(layout: Layout, start_m: float, finish_m: float) -> CentreLine:
    """The part of a closed circuit from a start line to a finish, as the line of an open course."""
    timed = (finish_m - start_m) % layout.length
    rest = layout.length - timed
    if rest < LEAST_REST_M:
        raise Unusable(
            "drawing",
            f"The finish must lie at least {LEAST_REST_M:.0f} m before the start line; a lap that is timed all the "
            "way round needs none.",
        )
    beyond = min(BEYOND_M, rest / 2 - 1.0)
    s = np.linspace(-beyond, timed + beyond, round(timed + 2 * beyond) + 1)
    x, y, _ = layout.centre.at((start_m + s) % layout.length)
    return CentreLine(x, y, s, False, timed)


def _timed_part(drawing: Drawing, moved: Callable[[float], float], length: float) -> Drawing:
    """What of a drawing lies between the start line and a finish that was put into a closed circuit."""
    corners = tuple(c for c in drawing.corners if 0.0 <= moved(c.apex_m) <= length)
    apexes = sorted(moved(c.apex_m) for c in corners)
    borders: list[float] = []
    for place in sorted(drawing.borders, key=moved):
        before = moved(borders[-1]) if borders else 0.0
        # Passages that lost all their corners go with them.
        held = any(before <= apex < moved(place) for apex in apexes) and any(apex >= moved(place) for apex in apexes)
        if LEAST_APART_M < moved(place) < length - LEAST_APART_M and held:
            borders.append(place)
    return replace(
        drawing,
        corners=corners,
        borders=tuple(borders),
        splits=tuple(own for own in drawing.splits if LEAST_APART_M <= moved(own[1]) <= length - LEAST_APART_M),
    )


def _moved(ground: Layout, place: float, shift: float, layout: Layout) -> float:
    """A place of the old layout on the new one."""
    if not layout.centre.closed:
        return place - shift
    on = (place - shift) % layout.length
    if not ground.centre.closed:
        # In the part that is not timed a place lies before the start or after the finish, whichever is nearer.
        return float(on if on < (ground.length + layout.length) / 2 else on - layout.length)
    if not shift:
        return place
    return float(on * ground.length / layout.length)


def _named(corners: Sequence[DrawnCorner]) -> None:
    names = [corner.name.strip() for corner in corners]
    if any(not name or len(name) > MOST_NAME for name in names):
        raise Unusable("drawing", "Every corner needs a name.")
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise Unusable("drawing", f"Two corners are called {twice}.")


def _corners(
    layout: Layout, ground: Layout, drawn: Sequence[DrawnCorner], moved: Callable[[float], float]
) -> tuple[Corner, ...]:
    _named(drawn)
    groups = {corner.name: corner.group for corner in layout.corners}
    closed, length = ground.centre.closed, ground.length
    found: list[Corner] = []
    for number, corner in enumerate(drawn):
        entry, apex, out = (moved(place) for place in (corner.entry_m, corner.apex_m, corner.exit_m))
        before, after = ((apex - entry) % length, (out - apex) % length) if closed else (apex - entry, out - apex)
        if not (0 < before < length / 2 and 0 < after < length / 2):
            raise Unusable("drawing", f"Corner {corner.name} must begin before its apex and end after it.")
        if not 0.0 <= apex <= length:
            raise Unusable("drawing", f"Corner {corner.name} would lie outside the course; remove it first.")
        bend = float(np.interp(apex, ground.centre.s, ground.centre.curvature))
        known = next((c.direction for c in layout.corners if c.name == corner.name), None)
        direction = known or ("left" if bend > 0 else "right")
        found.append(Corner(corner.name.strip(), direction, entry, apex, out, groups.get(corner.name, 1000 + number)))
    found.sort(key=lambda corner: corner.apex_m)
    for first, second in itertools.pairwise(found):
        if second.apex_m - first.apex_m < LEAST_APART_M:
            raise Unusable("drawing", f"Corners {first.name} and {second.name} lie at the same place.")
    linked: list[Corner] = []
    for own in found:
        follows = bool(linked) and 0 <= own.entry_m - linked[-1].exit_m < CHICANE_M
        linked.append(replace(own, group=linked[-1].group) if own.group >= 1000 and follows else own)
    numbers = {group: index + 1 for index, group in enumerate(dict.fromkeys(c.group for c in linked))}
    return tuple(replace(corner, group=numbers[corner.group]) for corner in linked)


def _passages(ground: Layout, corners: tuple[Corner, ...], borders: tuple[float, ...]) -> tuple[Passage, ...]:
    """Passages between borders, each with the corners whose apex lies in it, numbered by the first of those."""
    closed, length = ground.centre.closed, ground.length
    begins = sorted(borders)
    if not closed:
        begins = [0.0, *begins]
    elif not begins:
        begins = [0.0]
    _apart("passages", begins)
    parts = []
    for index, begin in enumerate(begins):
        until = begins[(index + 1) % len(begins)]
        if not closed and index + 1 == len(begins):
            until = length
        if len(begins) == 1 and closed:
            until = begin or length
        crosses = closed and until <= begin
        own = [c for c in corners if (begin <= c.apex_m < until if not crosses else c.apex_m >= begin)]
        own += [c for c in corners if crosses and c.apex_m < until]
        parts.append(Passage("", tuple(c.name for c in own), begin, until))
    if corners:
        # A border that was taken away leaves its corners to the passage before; one without any corner is none.
        for part in parts:
            if not part.corners and len(parts) > 1:
                raise Unusable(
                    "drawing",
                    f"No corner lies in the passage that begins at {part.from_m:.0f} m; link it with another.",
                )
        first = {c.name: number for number, c in enumerate(corners)}
        parts.sort(key=lambda part: first[part.corners[0]] if part.corners else 0)
    return tuple(replace(part, name=f"P{number}") for number, part in enumerate(parts, 1))


def _apart(what: str, places: list[float]) -> None:
    for before, after in itertools.pairwise(places):
        if after - before < LEAST_APART_M:
            raise Unusable(
                "drawing",
                f"At {after:.0f} m two borders of {what} lie on one another; leave at least 3 m between them.",
            )


def _skews(layout: Layout, splits: list[tuple[float, str]]) -> tuple[float, ...]:
    """How askew the splits are that stay where they were drawn."""
    if not layout.split_skews:
        return ()
    drawn = list(zip(layout.splits_m, layout.split_skews, strict=True))
    return tuple(next((skew for at, skew in drawn if abs(at - place) < 0.05), 0.0) for place, _ in splits)
