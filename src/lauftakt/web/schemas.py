"""What the API takes and gives; the TypeScript client is generated from these."""

from typing import Annotated, Literal

from apiflask.fields import UploadFile
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]


class Schema(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Problem(Schema):
    """An error in plain words."""

    code: str
    message: str


class SignIn(Schema):
    email: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=190)]
    password: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class Preferences(Schema):
    """Each may be left out: then it stays."""

    units: Literal["metric", "imperial"] | None = None
    look: Literal["system", "light", "dark"] | None = None
    shortcuts: bool | None = None


class Me(Schema):
    name: str
    team: str
    role: Literal["coach", "driver"]
    units: Literal["metric", "imperial"]
    look: Literal["system", "light", "dark"]
    shortcuts: bool


class Session(Schema):
    """Who is signed in, if anybody, and the token that changing requests carry in ``X-CSRFToken``."""

    me: Me | None
    csrf: str


class DriverOut(Schema):
    id: int
    name: str
    colour: int


class EventOut(Schema):
    id: int
    name: str
    day: str
    circuit: str
    length_m: float
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
    gap_s: float | None = Field(description="Best lap minus the reference driver's best lap of the event.")
    theoretical_best_s: float | None


class PaddockQuery(Schema):
    event: int | None = None


class PaddockOut(Schema):
    events: list[EventOut]
    event: EventOut | None
    reference_run: int | None
    runs: list[RunOut]


class ChannelOut(Schema):
    name: str
    unit: str
    role: str | None
    role_name: str | None
    rate_hz: float


class LapOut(Schema):
    number: int
    kind: str
    set_aside: str | None
    start_s: float
    time_s: float | None
    time_u_s: float | None
    sector_times_s: list[float]


class WarningOut(Schema):
    code: str
    message: str


class RunDetail(Schema):
    run: RunOut
    event: EventOut
    speed_scale: float
    channels: list[ChannelOut]
    laps: list[LapOut]
    warnings: list[WarningOut]


class RunChange(Schema):
    driver: Name


class HandInOut(Schema):
    id: int
    file_name: str
    size: int
    state: Literal["waiting", "running", "taken", "refused", "cancelled", "failed"]
    progress: float
    step: str
    code: str | None
    message: str | None
    run: RunDetail | None


class HandInForm(BaseModel):
    """A file, and the driver's name where the person chose one."""

    model_config = ConfigDict(extra="ignore", arbitrary_types_allowed=True)
    file: UploadFile
    driver: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] | None = None


class HandInList(Schema):
    hand_ins: list[HandInOut]
    drivers: list[DriverOut]


class CornerOut(Schema):
    name: str
    direction: Literal["left", "right"]
    entry_m: float
    apex_m: float
    exit_m: float
    group: int


class PassageOut(Schema):
    name: str
    corners: list[str]
    from_m: float
    to_m: float


class LayoutOut(Schema):
    id: int
    name: str
    length_m: float
    corners: list[CornerOut]
    passages: list[PassageOut]
    splits_m: list[float]
    x: list[float] = Field(description="East of the start line, metres, every few metres along the centre line.")
    y: list[float]
    s: list[float]


class DeskLap(Schema):
    """One lap on the desk; ``key`` is ``run.lap``."""

    key: str
    run: int
    number: int
    driver: DriverOut
    car: str | None
    time_s: float
    time_u_s: float | None
    set_aside: str | None
    sector_times_s: list[float]
    delta_s: float
    delta_u_s: float
    best_of_run: bool
    roles: list[str]


class DeskOut(Schema):
    event: EventOut
    layout: LayoutOut
    reference: str
    laps: list[DeskLap]


class Cause(Schema):
    """Why a lap loses here: a code of the core, and the figure it rests on for this lap and the reference; SI units."""

    cause: str
    figure: str
    own: float
    theirs: float


class FiguresOut(Schema):
    """Figures of one lap in a part of the circuit; SI units; null where it does not happen there."""

    lap: str
    loss_s: float
    loss_u_s: float
    whole: bool
    entry_speed: float | None
    min_speed: float | None
    min_speed_m: float | None
    exit_speed: float | None
    brake_point_m: float | None
    brake_release_m: float | None
    throttle_pickup_m: float | None
    full_throttle_m: float | None
    inferred: bool
    causes: list[Cause]


class FindingOut(Schema):
    """What the core finds about a driver in a passage over all laps that count."""

    loss_s: float
    loss_u_s: float
    cause: str
    second_cause: str | None
    seen_in: list[int]
    of: int
    parts: dict[str, float]


class Habit(Schema):
    """How a driver does in this part over all laps of the run that count."""

    run: int
    losing: int = Field(description="Laps that lose more than twice their uncertainty.")
    of: int
    best_lap: int
    best_loss_s: float
    median_loss_s: float
    finding: FindingOut | None = Field(description="Only in passages, and only where more is lost than chance.")


class CardOut(Schema):
    from_m: float
    to_m: float
    passage: str | None
    figures: list[FiguresOut]
    habits: list[Habit]


class LapChoice(Schema):
    key: str
    number: int
    time_s: float
    set_aside: str | None


class RunChoices(Schema):
    run: int
    driver: DriverOut
    started_at: str | None
    laps: list[LapChoice]


class ChoicesOut(Schema):
    runs: list[RunChoices]


Keys = Annotated[str, StringConstraints(max_length=800)]
Metres = Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)]


class DeskQuery(Schema):
    """Either laps (``run.lap``, by commas) and a reference, or a run or an event to propose a line-up for."""

    laps: Keys | None = None
    reference: Keys | None = None
    run: int | None = None
    event: int | None = None


class CurvesQuery(Schema):
    laps: Keys
    reference: Keys
    roles: Keys = "speed"


class CardQuery(Schema):
    laps: Keys
    reference: Keys
    passage: Annotated[str, StringConstraints(max_length=40)] | None = None
    from_m: Metres | None = None
    to_m: Metres | None = None


class ChoicesQuery(Schema):
    event: int
