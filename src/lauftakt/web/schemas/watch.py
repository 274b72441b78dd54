"""The car watch: figures by lap, limits, what was over them, and what creeps towards them."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.core.technique.watching import Verdict
from lauftakt.web.schemas.base import Line, OneLine, Schema, Text
from lauftakt.web.schemas.laps import Key
from lauftakt.web.schemas.runs import DriverOut

Statistic = Literal["low", "p05", "mean", "p95", "high"]
Role = Annotated[str, StringConstraints(max_length=60, pattern=r"^[a-z0-9_]+$")]
Figure = Annotated[str, StringConstraints(max_length=80, pattern=r"^[a-z0-9_]+:(low|p05|mean|p95|high)$")]
Value = Annotated[float, Field(ge=-1e9, le=1e9)]
Day = Annotated[str, StringConstraints(pattern=r"^\d{4}-\d{2}-\d{2}$")]
SetName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), OneLine]


class CarLimit(Schema):
    """What a channel must not be; SI units. ``when_role`` names a channel over whose value alone it holds."""

    role: Role
    over: bool
    value: Value
    least_s: float = Field(default=0.0, ge=0, le=600)
    when_role: Role | None = None
    when_over: Value = 0.0


class SetUp(Schema):
    day: Day
    text: Text


class CarSheet(Schema):
    """What is known of a car; SI units (kg, W)."""

    mass_kg: float | None = Field(default=None, gt=0, le=100_000)
    power_w: float | None = Field(default=None, gt=0, le=10_000_000)
    gears: list[Annotated[float, Field(gt=0, le=100)]] = Field(
        default_factory=list, max_length=12, description="Ratios of the gears, the first one first."
    )
    final_drive: float | None = Field(default=None, gt=0, le=100)
    tyres: Line = ""
    set_ups: list[SetUp] = Field(default_factory=list, max_length=500)
    limits: list[CarLimit] = Field(default_factory=list, max_length=40)


class SheetIn(CarSheet):
    was: CarSheet | None = Field(default=None, description="The sheet as whoever asks saw it.")


class CarOut(Schema):
    id: int
    name: str
    sheet: CarSheet


class CarKept(Schema):
    action: int


class WatchFigure(Schema):
    code: Figure
    role: str
    statistic: Statistic
    label: str
    quantity: str
    driver: bool = Field(description="What the driver did, rather than the car.")


class WatchRole(Schema):
    role: str
    label: str
    quantity: str
    driver: bool


class WatchRun(Schema):
    id: int
    driver: DriverOut
    car: int | None
    day: str
    event: int
    started_at: str | None
    best_lap: Key | None
    ambient_k: float | None = Field(description="Mean air temperature, where it was logged.")


class WatchLap(Schema):
    """A lap with a value for each figure; null where nothing was logged. ``over_s``: seconds beyond any limit."""

    key: Key
    run: int
    number: int
    kind: str
    set_aside: str | None
    time_s: float | None
    since_s: float = Field(description="Its beginning, seconds into the run.")
    over_s: float
    values: list[float | None]


class ExcursionOut(Schema):
    """A time beyond a limit. ``at_m`` is where the value was furthest beyond, null in a lap without a time."""

    run: int
    lap: Key | None
    number: int | None
    limit: CarLimit
    label: str
    quantity: str
    from_s: float
    duration_s: float
    extreme: float
    from_m: float | None
    to_m: float | None
    at_m: float | None
    gear_before: int | None
    gear_after: int | None


class TrendOut(Schema):
    """A figure that creeps within a run, or over the runs of a day (``run`` null)."""

    run: int | None
    car: int | None
    role: str
    label: str
    quantity: str
    over_s: float = Field(description="From the first lap or run that was looked at to the last.")
    by: float = Field(description="Change over that time, with its 95 % interval.")
    by_low: float
    by_high: float
    left_s: float | None = Field(description="Until the limit, at this pace; null where none is near.")


class GrowthOut(Schema):
    """Whether what a driver does grew from the first lap that counts to the last."""

    driver: DriverOut
    role: str
    label: str
    quantity: str
    laps: int
    by: float = Field(description="Change over those laps, with its 95 % interval.")
    by_low: float
    by_high: float
    verdict: Verdict


class FigureSetOut(Schema):
    id: int
    name: str
    figures: list[Figure]


class WatchOut(Schema):
    roles: list[WatchRole]
    figures: list[WatchFigure]
    runs: list[WatchRun]
    laps: list[WatchLap]
    excursions: list[ExcursionOut]
    more_excursions: int = Field(description="Further ones that are not listed.")
    trends: list[TrendOut]
    growths: list[GrowthOut] = Field(description="The driver's part, for whoever drove six laps that count.")
    cars: list[CarOut]
    sets: list[FigureSetOut]
    missing: list[str] = Field(description="Limits of channels that nobody logged, or whose unit is not known.")


class WatchQuery(Schema):
    """The runs of a day, or all runs of a car or a driver, newest sixty."""

    event: int | None = None
    car: int | None = None
    driver: int | None = None
    figures: Annotated[str, StringConstraints(max_length=2000, pattern=r"^[a-z0-9_:,]*$")] | None = None


class FigureSetIn(Schema):
    name: SetName
    figures: list[Figure] = Field(min_length=1, max_length=24)
