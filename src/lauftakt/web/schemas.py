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
    """The event to show; which events are listed: ``age`` in days since their day (0: all), the others by id."""

    event: int | None = None
    driver: int | None = None
    car: int | None = None
    circuit: int | None = None
    age: Annotated[int, Field(ge=0, le=10_000)] = 0


class Delivery(Schema):
    """How far a driver of the event's team is with handing in."""

    driver: DriverOut
    state: Literal["in", "busy", "trouble", "missing"]
    runs: int
    laps: int
    link: bool = Field(description="A link was sent and can still be used.")


class PaddockOut(Schema):
    events: list[EventOut]
    event: EventOut | None
    reference_run: int | None
    runs: list[RunOut]
    deliveries: list[Delivery]
    drivers: list["Choice"]
    cars: list["Choice"]
    circuits: list["Choice"]


class LapOut(Schema):
    number: int
    kind: str
    set_aside: str | None
    automatic: str | None = Field(description="Why the computation sets it aside.")
    by_hand: bool | None = Field(description="What a person said: true aside, false it counts, null nothing.")
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
    channels: int
    unsure: int = Field(description="Channels whose role is not sure.")
    dialect: str | None
    overlaps: list[Overlap]
    laps: list[LapOut]
    warnings: list[WarningOut]


Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000)]
Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]
Conditions = Literal["dry", "damp", "wet"]


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


class ManyRuns(Schema):
    runs: list[RunDetail]


class DriverWords(Schema):
    """What only the driver knows."""

    felt: Text | None = None
    conditions: Conditions | None = None
    tyres: Line | None = None


class LapJudged(Schema):
    """True: it counts; false: it does not; null: as the computation says."""

    counts: bool | None


class ChannelOut(Schema):
    name: str
    unit: str
    taken_unit: str = Field(description="In which unit the values were taken to be written.")
    role: str | None
    role_name: str | None
    by: Literal["name", "values", "dialect", "none"]
    confidence: float
    flipped: bool
    rate_hz: float
    low: float | None
    high: float | None
    picture: list[int] = Field(description="Lowest and highest value of each part in turn, 0 to 100 of the range.")
    corrected: bool = Field(description="Somebody said so for this kind of logger.")


class RoleOut(Schema):
    code: str
    name: str
    unit: str


class ChannelsOut(Schema):
    run: int
    hand_in: int | None
    dialect: str | None
    dialect_id: int | None
    channels: list[ChannelOut]
    roles: list[RoleOut]


class ChoiceIn(Schema):
    """What is said of one channel; null leaves it to the program, an empty role means that it stands for nothing."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=300)]
    role: Annotated[str, StringConstraints(max_length=60)] | None = None
    unit: Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)] | None = None
    flipped: bool | None = None


class ChoicesIn(Schema):
    channels: Annotated[list[ChoiceIn], Field(min_length=1, max_length=1200)]
    name: Line | None = None


class Renewed(Schema):
    """The logger's dialect, and the hand-ins whose runs are being understood anew by it."""

    dialect_id: int
    hand_ins: list[int]


class DialectOut(Schema):
    id: int
    name: str
    channels: int
    known: int
    runs: int


class DialectList(Schema):
    dialects: list[DialectOut]


class DialectName(Schema):
    name: Name


State = Literal["waiting", "running", "taken", "refused", "cancelled", "failed"]


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
    run: RunDetail | None


class HandInForm(BaseModel):
    """A file, and the driver's name where the person chose one."""

    model_config = ConfigDict(extra="ignore", arbitrary_types_allowed=True)
    file: UploadFile
    driver: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] | None = None


class Choice(Schema):
    id: int
    name: str


class HandInQuery(Schema):
    """Which files are shown: ``age`` in days since they came (0: all), the others by id."""

    age: Annotated[int, Field(ge=0, le=10_000)] = 7
    event: int | None = None
    driver: int | None = None
    car: int | None = None
    circuit: int | None = None
    state: Literal["", "open", "taken", "trouble"] = ""
    before: int | None = None


class HandInList(Schema):
    hand_ins: list[HandInOut]
    more: bool
    hidden: int = Field(description="Files that the filters leave out.")
    drivers: list[DriverOut]
    cars: list[Choice]
    circuits: list[Choice]
    events: list[Choice]
    endings: list[str]
    upload_mb: int


class UploadBegin(Schema):
    name: Annotated[str, StringConstraints(min_length=1, max_length=1000)]
    size: Annotated[int, Field(ge=0)]
    modified: Annotated[int, Field(ge=0)] = 0
    driver: Line | None = None


class UploadOut(Schema):
    id: int
    size: int
    offset: int
    hand_in: HandInOut | None = None


class LinkNew(Schema):
    driver: Name
    days: Annotated[int, Field(ge=1, le=366)] = 14


class LinkOut(Schema):
    id: int
    driver: DriverOut
    address: str
    qr_svg: str
    created_at: str
    expires_at: str
    last_used_at: str | None


class LinkList(Schema):
    links: list[LinkOut]
    drivers: list[DriverOut]
    reachable: bool = Field(description="Whether the links' address can be reached from another machine.")


class LinkPage(Schema):
    driver: DriverOut
    team: str
    expires_at: str
    upload_mb: int
    hand_ins: list[HandInOut]


class LoggerRun(Schema):
    key: str
    name: str
    size: int
    recorded_at: str | None
    fetched: bool


class LoggerOut(Schema):
    name: str
    runs: list[LoggerRun]
    clock_off_s: float | None = Field(description="How far the device's clock is ahead of ours.")
    trouble: str | None


class LoggerList(Schema):
    loggers: list[LoggerOut]


class LoggerFetch(Schema):
    logger: Name
    keys: Annotated[list[Line], Field(min_length=1, max_length=200)]
    driver: Line | None = None


class Fetching(Schema):
    hand_ins: list[HandInOut]


class StreamLap(Schema):
    number: int
    time_s: float | None


class StreamOut(Schema):
    """The recorder of a simulator's stream."""

    available: bool
    port: int
    wanted: bool
    state: Literal["off", "waiting", "standing", "recording", "trouble"]
    message: str | None
    driver: str | None
    laps: list[StreamLap]
    packets: int
    lost: int


class StreamChange(Schema):
    wanted: bool
    driver: Line | None = None


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


Format = Literal["csv", "parquet", "mdf4", "gpx", "geojson"]


class ExportQuery(Schema):
    format: Format = "csv"
    lap: int | None = None


class EventExportQuery(Schema):
    format: Format = "csv"
