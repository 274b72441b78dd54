"""Runs, their labels and laps."""

from typing import Annotated, Literal

from pydantic import Field

from lauftakt.web.schemas.base import Conditions, Line, Name, Schema, Text


class DriverOut(Schema):
    id: int
    name: str
    colour: int
    reference_only: bool


class DriverChange(Schema):
    """Each may be left out: then it stays."""

    colour: int | None = Field(default=None, ge=0, le=11)
    reference_only: bool | None = None
    shows_laps: bool | None = Field(default=None, description="Whether other students may be shown their laps.")


class DriverChanged(Schema):
    driver: DriverOut
    action: int | None = Field(description="By which it can be taken back; null where nothing changed.")


class JoinIn(Schema):
    """The driver that is kept."""

    into: int


class LayoutJoined(Schema):
    """A circuit that was taken for two is one again; its runs are being placed on the one that was kept."""

    name: str
    runs: int
    action: int


class Joined(Schema):
    driver: DriverOut
    runs: int
    action: int


class EventOut(Schema):
    id: int
    name: str
    day: str
    circuit: str
    length_m: float
    layout: int
    runs: int


class RunOut(Schema):
    id: int
    driver: DriverOut
    car: str | None
    kind: str
    started_at: str | None
    file_name: str
    laps: int
    counting: int
    best_lap: int | None
    best_s: float | None
    level: bool = Field(description="Whether the gap is within the doubt of both laps: nobody can say who was faster.")
    gap_s: float | None = Field(description="Best lap minus the lap that the run is measured against.")
    conditions: Conditions | None
    reference: bool = Field(description="Whether the best lap is what others are measured against.")
    theoretical_best_s: float | None


class LapOut(Schema):
    number: int
    kind: str
    set_aside: str | None
    automatic: str | None = Field(description="Why the computation sets it aside.")
    said: bool | None = Field(description="What a person said: true it counts, false it does not, null nothing.")
    note: str | None
    start_s: float
    time_s: float | None
    time_u_s: float | None
    sector_times_s: list[float]


class WarningOut(Schema):
    code: str
    message: str


class Overlap(Schema):
    run: int
    laps: dict[str, int]
    message: str


class RunDetail(Schema):
    run: RunOut
    event: EventOut
    speed_scale: float
    conditions: Literal["dry", "damp", "wet"] | None
    tyres: str | None
    notes: str | None
    felt: str | None
    confirmed: bool
    labels_from: dict[str, str] = Field(description="Where each label came from.")
    renewing: bool = Field(description="Newer numbers are coming.")
    original: bool = Field(description="The file as it was handed in is kept.")
    channels: int
    unsure: int = Field(description="Channels whose role is not sure.")
    dialect: str | None
    overlaps: list[Overlap]
    laps: list[LapOut]
    warnings: list[WarningOut]


class Labels(Schema):
    """Only what is named is changed; null or an empty text takes a label away."""

    driver: Name | None = None
    car: Line | None = None
    circuit: Line | None = None
    event: Line | None = None
    kind: Literal["practice", "qualifying", "race", "test"] | None = None
    conditions: Conditions | None = None
    tyres: Line | None = None
    notes: Text | None = None
    felt: Text | None = None
    started_at: Line | None = None
    confirmed: bool | None = None


class ManyLabels(Schema):
    """The same change for several runs."""

    runs: Annotated[list[int], Field(min_length=1, max_length=200)]
    change: Labels
    was: dict[int, dict[str, str | bool | None]] | None = Field(
        default=None, max_length=200, description="Labels by run, as whoever asks saw them; refused where others are."
    )


class ManyRuns(Schema):
    runs: list[RunDetail]
    action: int | None = Field(default=None, description="What was done, to be taken back by its number.")


class RunChanged(RunDetail):
    """A run after a change, with the number by which it is taken back."""

    action: int | None


class Notes(Schema):
    notes: Text | None = None


class DriverWords(Schema):
    """What only the driver knows."""

    felt: Text | None = None
    conditions: Conditions | None = None
    tyres: Line | None = None


class LapJudged(Schema):
    """True: it counts; false: it does not; null: as the computation says. What is not named stays."""

    counts: bool | None = None
    reason: Literal["track_limits", "traffic", "wet", "mistake", "warming_up", "by_hand"] | None = None
    note: Text | None = None
