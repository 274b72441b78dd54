"""Notes."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Clean, Schema
from lauftakt.web.schemas.compare import Metres

Pin = Literal["place", "lap", "run", "car", "circuit", "driver", "tyres"]
NoteText = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=2000), Clean]
RunIds = Annotated[str, StringConstraints(max_length=1000, pattern=r"^([0-9]{1,9}(,[0-9]{1,9})*)?$")]
LapKey = Annotated[str, StringConstraints(max_length=24, pattern=r"^[0-9]{1,9}-[0-9]{1,6}$")]


class NotesQuery(Schema):
    """Notes of a layout and of runs, or all of the team; ``find`` narrows them to those that hold every word."""

    layout: int | None = Field(default=None, ge=1, le=2**31 - 1)
    version: int | None = Field(
        default=None, ge=1, le=2**31 - 1, description="On which places are told; the present one else."
    )
    runs: RunIds = Field(default="", description="By commas.")
    find: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), Clean] = ""


class NoteIn(Schema):
    """A note and what it is pinned to. ``lap`` (``run-second``) says which lap, or whose run, car, driver or tyres; a
    place is one of a layout, and of that lap alone where one is named, too."""

    pin: Pin
    text: NoteText
    shared: bool = False
    layout: int | None = Field(default=None, ge=1, le=2**31 - 1)
    version: int | None = Field(default=None, ge=1, le=2**31 - 1)
    at_m: Metres | None = None
    lap: LapKey | None = None


class NoteChange(Schema):
    text: NoteText | None = None
    was: str | None = Field(default=None, description="The text as its writer saw it; refused where it is another.")
    shared: bool | None = None
    removed: bool | None = Field(default=None, description="False brings it back.")


class NoteOut(Schema):
    id: int
    pin: Pin
    text: str
    shared: bool = Field(description="Whether drivers see it.")
    author: str
    written_at: str
    changed_at: str | None
    about: str = Field(description="What it is pinned to, in words; empty for a place of no lap.")
    circuit: str | None
    layout: int | None = Field(description="On which the place is told.")
    at_m: float | None = Field(description="The place; null for others, and where the layout does not lead past it.")
    run: int | None
    lap: str | None
    yours: bool = Field(description="Whether whoever asks may change it.")


class NotesOut(Schema):
    notes: list[NoteOut] = Field(description="The newest first.")
    more: bool = Field(description="There are more than are told.")
