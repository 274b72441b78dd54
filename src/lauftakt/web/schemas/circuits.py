"""Circuits as they are drawn, and what a change would do."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import OneLine, Schema
from lauftakt.web.schemas.compare import LayoutOut
from lauftakt.web.schemas.runs import DriverOut

Place = Annotated[float, Field(ge=-10_000, le=1_000_000)]
Metres = Annotated[float, Field(ge=-1_000_000, le=1_000_000)]
ShortName = Annotated[str, StringConstraints(strip_whitespace=True, max_length=60), OneLine]
Side = Literal["", "left", "right"]


class CircuitRow(Schema):
    id: int
    name: str
    circuit: str
    length_m: float | None = Field(description="Null while it waits for its first run.")
    corners: int
    runs: int
    last_day: str | None


class CircuitList(Schema):
    circuits: list[CircuitRow]


class VersionOut(Schema):
    id: int
    number: int
    at: str
    who: str | None
    made_from: int | None
    summary: str


class SplitOut(Schema):
    name: str
    m: float


class SectorSetOut(Schema):
    id: int
    name: str
    first_sector: str = Field(description="What the sector that begins at the start line is called; may be empty.")
    splits: list[SplitOut]
    days: int


class MarkOut(Schema):
    id: int
    name: str
    side: Side
    at_m: float
    offset_m: float
    latitude: float
    longitude: float


class ZoneOut(Schema):
    from_m: float
    usual_m: float
    to_m: float


class DayOut(Schema):
    id: int
    name: str
    day: str
    sector_set: int | None
    runs: int


class GroundOut(Schema):
    """A layout with everything that can be changed of it."""

    layout: LayoutOut
    circuit: str
    version: VersionOut
    versions: list[VersionOut] = Field(description="All of them, newest first.")
    closed: bool
    reckoned: bool = Field(description="Whether the map was drawn without positions, so that it has no north.")
    start_half_m: float = Field(description="Half the width of the start line.")
    heading_deg: float | None = Field(description="Compass heading that is shown upwards; null for north.")
    confirmed: bool
    curvature: list[float] = Field(description="1/m, left positive, at whole metres from the start line.")
    left_limit: list[float] | None = Field(description="Metres across at the places of the layout's line.")
    right_limit: list[float] | None
    pit_lane: list[list[float]] = Field(description="x and y in metres; empty where none was drawn.")
    sector_set: int | None = Field(description="Whose sectors the layout is cut into here.")
    sets: list[SectorSetOut]
    marks: list[MarkOut]
    zones: list[ZoneOut] = Field(description="Where the laps that count brake.")
    reasons: list[str] = Field(description="For each passage, why its corners belong together, or stand alone.")
    days: list[DayOut] = Field(description="Newest first.")
    day: int | None
    runs: int
    renewing: int = Field(description="Runs that are being computed anew.")
    better: int = Field(description="Further runs from which a better line could be made; 0 where it was confirmed.")


class GroundQuery(Schema):
    event: int | None = Field(default=None, description="Whose sectors and laps are shown; the newest day's without.")


class CornerIn(Schema):
    name: ShortName
    entry_m: Place
    apex_m: Place
    exit_m: Place


class SplitIn(Schema):
    name: ShortName = ""
    m: Place


class DrawingIn(Schema):
    """What is wanted; places are metres on the version that is changed."""

    base: int = Field(description="Id of the version that is changed.")
    sector_set: int | None = None
    start_m: Place = 0.0
    start_turn_deg: float = Field(default=0.0, ge=-90, le=90)
    finish_m: Place | None = None
    corners: list[CornerIn] = Field(max_length=200)
    borders: list[Place] = Field(max_length=200)
    splits: list[SplitIn] = Field(max_length=200)
    first_sector: ShortName = ""


class PreviewIn(DrawingIn):
    event: int


class Bests(Schema):
    """A driver's day: best lap, best of each sector, their sum, how many laps count."""

    best_s: float | None
    best_lap: int | None
    sectors_s: list[float]
    theoretical_s: float | None
    counting: int


class DriverPreview(Schema):
    driver: DriverOut
    before: Bests
    after: Bests
    begins: list[str] = Field(description="Laps that would begin to count, in words.")
    ceases: list[str]


class PreviewOut(Schema):
    length_m: float
    summary: str = Field(description="What was changed, in words; empty where nothing was.")
    passages: list[str] = Field(description="Each passage with its corners, in words.")
    sectors_m: list[float] = Field(description="Where sectors would meet, from the start line as it would be.")
    drivers: list[DriverPreview]
    unknown: int = Field(description="Laps next to the pits that may count besides: known once it is kept.")


class FindingChange(Schema):
    """A passage in which a driver loses, before and after; seconds, null where nothing is found."""

    driver: DriverOut
    passage: str
    corner: str
    before_s: float | None
    after_s: float | None
    cause_before: str | None
    cause_after: str | None


class FindingsPreview(Schema):
    against: str
    changes: list[FindingChange]


class DrawingKept(Schema):
    version: int
    summary: str
    renewing: int
    action: int


class MarkIn(Schema):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), OneLine]
    side: Side = ""
    at_m: Place | None = Field(default=None, description="On the present version; with the offset, where it lies.")
    offset_m: float = Field(default=0.0, ge=-200, le=200)
    latitude: float | None = Field(default=None, ge=-90, le=90)
    longitude: float | None = Field(default=None, ge=-180, le=180)


class MarkSeen(Schema):
    name: str
    latitude: float
    longitude: float


class MarkChange(MarkIn):
    was: MarkSeen | None = Field(default=None, description="The mark as whoever asks saw it.")


class SetIn(Schema):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), OneLine]
    copy_of: int | None = None


class SetForDay(Schema):
    sector_set: int


class LayoutChange(Schema):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200), OneLine] | None = None
    heading_deg: float | None = Field(default=None, ge=0, lt=360)
    confirmed: bool | None = None


class Noted(Schema):
    """What was done, so that it can be taken back."""

    action: int
    renewing: int = 0


class SheetQuery(Schema):
    format: Literal["pdf", "png", "svg"] = "pdf"
    event: int | None = Field(default=None, description="Whose sectors are shown.")
    lap: str | None = Field(default=None, max_length=40, description="A lap whose figures are written at each corner.")
    units: Literal["metric", "imperial"] = "metric"


class EdgeIn(Schema):
    """Where an edge or the pit lane lies: drawn, driven along by a lap, or nowhere."""

    points: list[tuple[Metres, Metres]] | None = Field(
        default=None, min_length=2, max_length=5000, description="x and y in metres, as the map draws the layout."
    )
    lap: str | None = Field(default=None, max_length=40, description="A lap that was driven along it.")


class EdgesIn(Schema):
    """Edges of the road and the pit lane. What is not named stays; null takes it away."""

    base: int = Field(description="Id of the version that is changed.")
    left: EdgeIn | None = None
    right: EdgeIn | None = None
    pit_lane: EdgeIn | None = None
    file: str | None = Field(default=None, max_length=8_000_000, description="A layout file, in place of the others.")


class LineAsked(Schema):
    limits: bool = Field(default=False, description="Take the limits from the widest lines driven.")
