"""Files and their fate; uploads."""

from typing import Annotated, Literal

from apiflask.fields import UploadFile
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from lauftakt.web.schemas.base import Choice, Line, Schema
from lauftakt.web.schemas.runs import DriverOut, RunDetail

State = Literal["waiting", "running", "taken", "refused", "cancelled", "failed"]


class FoundLayout(Schema):
    """A circuit not seen before; its shape, ``x`` and ``y`` (downwards), lies within 0 to 100."""

    name: str
    length_m: float
    corners: int
    reckoned: bool = Field(description="Whether it was drawn without positions.")
    x: list[float]
    y: list[float]


class RetryIn(Schema):
    """On which circuit a file is tried again, and whether that was driven the other way round; nothing leaves that to
    the program."""

    layout: int | None = None
    turned: bool = False


class HandInOut(Schema):
    id: int
    file_name: str
    size: int
    source: Literal["browser", "link", "folder", "logger", "stream", "shell"]
    origin: str | None
    created_at: str
    state: State
    progress: float
    step: str
    code: str | None
    message: str | None
    can_retry: bool
    can_place: bool = Field(description="It could not be placed, and can be tried on a circuit that somebody names.")
    run: RunDetail | None
    found: FoundLayout | None = Field(description="The circuit it was driven on, if it is new and has no name yet.")


class HandInForm(BaseModel):
    """A file, and the driver's name where the person chose one."""

    model_config = ConfigDict(extra="ignore", arbitrary_types_allowed=True)
    file: UploadFile
    driver: Line | None = None


class HandInQuery(Schema):
    """Which files are shown: ``age`` in days since they came (0: all), the others by id."""

    age: Annotated[int, Field(ge=0, le=10_000)] = 7
    event: int | None = None
    driver: int | None = None
    car: int | None = None
    circuit: int | None = None
    state: Literal["", "open", "taken", "trouble"] = ""
    runs: bool = Field(default=False, description="Only files that became runs, as for their labels.")
    before: int | None = None
    since: Annotated[str, StringConstraints(max_length=40)] | None = Field(
        default=None, description="The ``as_of`` of an earlier answer: only what changed since is given."
    )


class HandInChoices(Schema):
    """What filters and ways in offer."""

    drivers: list[DriverOut]
    cars: list[Choice]
    circuits: list[Choice]
    events: list[Choice]
    endings: list[str]
    upload_mb: int


class Skipped(Schema):
    """A file that was not taken, and why."""

    id: int
    file_name: str
    message: str


class Account(Schema):
    """What became of the files that came in one after the other, lately."""

    files: int
    waiting: int
    taken: int
    not_taken: int
    laps: int = Field(description="Timed laps of the runs that were taken.")
    sources: dict[str, int] = Field(description="How many files came in which way.")
    skipped: list[Skipped] = Field(description="Files that were not taken, the newest first, at most fifty.")
    hidden: int = Field(description="How many of these files the filters leave out.")


class HandInList(Schema):
    hand_ins: list[HandInOut]
    gone: list[int] = Field(description="Files taken off the list since.")
    as_of: str = Field(description="To be named as ``since`` by whoever looks again.")
    more: bool
    hidden: int = Field(description="Files that the filters leave out.")
    account: Account | None = Field(description="The files of the last hour that came together; none for a single one.")
    choices: HandInChoices | None = Field(description="What there is to choose from; only in a whole answer.")


class UploadOut(Schema):
    id: int
    size: int
    offset: int
    hand_in: HandInOut | None = None
