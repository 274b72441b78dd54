"""What stands in the archive of a team beside the logs: labels, decisions, debriefs and notes as JSON, checked when
read."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from lauftakt.core.registry import FIGURES, OF_PASSAGES

VERSION = 1
TEAM, SCHEMA = "team.json", "team.schema.json"


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class LapDecision(_Part):
    """What a person said of the lap that begins at a moment of its log."""

    begins_s: float
    counts: bool | None = None
    reason: str | None = Field(default=None, max_length=20)
    note: str | None = Field(default=None, max_length=4000)


def _is_figure(code: str) -> str:
    if code not in FIGURES | OF_PASSAGES:
        raise ValueError(f"There is no figure {code}")
    return code


Figure = Annotated[str, Field(max_length=40), AfterValidator(_is_figure)]


class Piece(_Part):
    """A part of a sentence: text, or a figure in SI units."""

    text: str | None = Field(default=None, max_length=4000)
    value: float | None = None
    quantity: str | None = Field(default=None, max_length=40)
    unit: bool = True

    @model_validator(mode="after")
    def one_of_both(self) -> "Piece":
        if (self.text is None) == (self.value is None or self.quantity is None):
            raise ValueError("A part of a sentence is text, or a value with its quantity")
        return self


class Basis(_Part):
    """What a cue was made from."""

    loss_s: float | None = None
    loss_u_s: float | None = None
    seen: int | None = None
    of: int | None = None
    best_loss_s: float | None = None
    against: str | None = Field(default=None, max_length=40)
    cause: str | None = Field(default=None, max_length=40)
    spread_s: float | None = None
    theirs: float | None = Field(default=None, description="What the reference usually does, SI.")
    than: str | None = Field(default=None, max_length=200, description="Whom the driver was measured against.")
    worth_s: float | None = Field(default=None, description="What reaching the target was promised to gain, s a lap.")
    worth_u_s: float | None = None


class GivenCue(_Part):
    """A cue or a keep as a driver was given it."""

    id: int
    kind: Literal["cue", "keep"]
    sentence: list[Piece]
    text: str | None = Field(default=None, max_length=4000)
    passage: str = Field(max_length=60)
    corner: str | None = Field(default=None, max_length=200)
    figure: Figure
    direction: Literal["high", "low"]
    value: float
    now: float
    lap: int | None = None
    basis: Basis
    places: tuple[float, float, float | None, float | None]


class Given(_Part):
    """What a driver was given last, and the time before."""

    cues: list[GivenCue]
    before: list[GivenCue] | None = None


class CueFile(_Part):
    """A cue or a keep; ``id`` is how ``given`` names it."""

    id: int
    kind: Literal["cue", "keep"]
    rank: int
    sentence: list[Piece]
    text: str | None = Field(default=None, max_length=4000)
    passage: str = Field(max_length=60)
    corner: str | None = Field(default=None, max_length=200)
    latitude: float
    longitude: float
    figure: Figure
    direction: Literal["high", "low"]
    value: float
    now: float
    target_latitude: float | None = None
    target_longitude: float | None = None
    cause: str | None = Field(default=None, max_length=40)
    shown: str = Field(max_length=20)
    lap: int | None = None
    basis: Basis
    made_at: datetime
    understood: bool | None = None
    tried: bool | None = None
    unsafe: bool | None = None
    removed_at: datetime | None = None


class DebriefFile(_Part):
    """What a driver was asked after a run, and what they were given of it."""

    author: str = Field(max_length=200)
    losses: dict[str, tuple[float, float]]
    made_at: datetime
    given_at: datetime | None = None
    given: Given | None = None
    opened_at: datetime | None = None
    cues: list[CueFile]


class VoiceFile(_Part):
    """What a driver said of a run."""

    felt: Literal["good", "lost", "unsure", "question"]
    corner: str | None = Field(default=None, max_length=200)
    latitude: float | None = None
    longitude: float | None = None
    words: str | None = Field(default=None, max_length=4000)
    said_at: datetime


class NoteFile(_Part):
    """A note; ``run`` is the number of its run in this archive, from 0."""

    pin: Literal["place", "lap", "run", "car", "circuit", "driver", "tyres"]
    text: str = Field(max_length=8000)
    shared: bool
    author: str = Field(max_length=200)
    written_at: datetime
    changed_at: datetime | None = None
    circuit: str | None = Field(default=None, max_length=200)
    latitude: float | None = None
    longitude: float | None = None
    run: int | None = None
    moment_s: float | None = None
    car: str | None = Field(default=None, max_length=200)
    driver: str | None = Field(default=None, max_length=200)
    tyres: str | None = Field(default=None, max_length=200)


class DayFile(_Part):
    """What a coach wants a day measured against; runs by their number in this archive, from 0."""

    run: int = Field(description="One of the day's runs.")
    own_bests: bool = Field(default=False, description="Everybody against their own best lap.")
    reference: int | None = Field(default=None, description="The run of the lap that was chosen, also of another day.")
    begins_s: int | None = Field(default=None, description="The whole second of its log in which that lap begins.")


class RunFile(_Part):
    """A run: its log in the archive, and what is said of it."""

    file: str = Field(description="Path of the log in the archive.")
    file_name: str = Field(max_length=300, description="As it was called when it was handed in.")
    as_handed_in: bool = Field(description="Whether these are the bytes that were handed in; else Parquet.")
    driver: str = Field(max_length=200)
    car: str | None = Field(default=None, max_length=200)
    layout: str = Field(max_length=200)
    event: str = Field(max_length=200)
    day: str = Field(pattern=r"^\d{4}-\d{2}-\d{2}$")
    started: str | None = Field(default=None, description="ISO 8601, with its offset where that is known.")
    kind: str = Field(default="practice", max_length=20)
    conditions: str | None = Field(default=None, max_length=20)
    tyres: str | None = Field(default=None, max_length=200)
    notes: str | None = Field(default=None, max_length=8000)
    felt: str | None = Field(default=None, max_length=8000)
    confirmed: bool = False
    laps: list[LapDecision] = Field(default_factory=list)
    debrief: DebriefFile | None = None
    voices: list[VoiceFile] = Field(default_factory=list)


class LayoutFile(_Part):
    """A layout and the circuit it belongs to."""

    file: str
    name: str = Field(max_length=200)
    circuit: str = Field(max_length=200)


class TeamFile(_Part):
    """Everything of a team but its logs, layouts and dialects, which are files beside it."""

    version: int = Field(alias="lauftakt-team")
    team: str = Field(max_length=200)
    exported: str
    layouts: list[LayoutFile]
    dialects: list[str]
    runs: list[RunFile]
    notes: list[NoteFile] = Field(default_factory=list)
    days: list[DayFile] = Field(default_factory=list)
