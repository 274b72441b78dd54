"""The desk's pictures: driven lines, steadiness, grip, and how often a channel has which value."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Schema
from lauftakt.web.schemas.compare import Keys, Metres, Roles

Build = Annotated[str, StringConstraints(max_length=40)]


class DrivenQuery(Schema):
    """Laps of analyses (``analysis.number``, by commas)."""

    laps: Keys
    build: Build = ""


class CornerPoints(Schema):
    """Where a lap did what in a corner: m from the start line, and metres across, left positive; null where it did not,
    or where that is not known."""

    corner: str
    brake_m: float | None
    turn_in_m: float | None
    slowest_m: float | None
    throttle_m: float | None
    offset_turn_in: float | None
    offset_apex: float | None
    offset_exit: float | None


class LapPoints(Schema):
    lap: str
    corners: list[CornerPoints]


class PointsOut(Schema):
    laps: list[LapPoints]


class SteadyQuery(Schema):
    """One lap of an analysis (``analysis.number``), whose run is looked at, and the reference."""

    laps: Keys
    reference: Keys


class SpreadOut(Schema):
    """How far laps lie apart: a standard deviation, and the ends of its interval (95 %); ``middle`` is their median."""

    value: float
    low: float
    high: float
    middle: float
    laps: int


class SteadyCornerOut(Schema):
    corner: str
    figures: dict[str, SpreadOut] = Field(
        description="By code, SI units; ``brake_peak`` as a share of the run's hardest braking."
    )


class LooseOut(Schema):
    corner: str
    figure: str


class SteadyPassageOut(Schema):
    """How steadily and how fast a driver takes a passage; null where too few laps tell."""

    name: str
    numbers: list[int] = Field(description="Laps that count and were not held up there.")
    times_s: list[float]
    time: SpreadOut | None = Field(description="Without what placing adds.")
    loss_s: float | None = Field(description="Median against ``against``.")
    loss_u_s: float | None
    against: str = Field(description="``reference``, ``reference lap`` or ``own best``.")
    level_s: float = Field(description="A loss or a spread within this is none that matters.")
    fast: bool | None
    steady: bool | None
    fast_sure: bool
    steady_sure: bool
    slope_s: float = Field(description="Change of the time for each lap.")
    slope_clear: bool
    apart: list[int] = Field(description="Laps whose time stands alone.")
    corners: list[SteadyCornerOut]
    loosest: LooseOut | None = Field(description="What is looser here than elsewhere with this driver.")


class SteadyOut(Schema):
    """All passages in their order, and the names of those that are judged, the strong ones first."""

    lap: str
    laps: int
    passages: list[SteadyPassageOut]
    strong_first: list[str]


class GripQuery(Schema):
    """Laps of analyses (``analysis.number``, by commas), and the ends of a stretch (which may cross the line)."""

    laps: Keys
    reference: Keys
    from_m: Metres | None = None
    to_m: Metres | None = None


class EnvelopeOut(Schema):
    """What a run reached in every direction over the laps that count: rad from the left on, turning towards gaining
    speed; m/s^2; null where too little was driven in it."""

    direction: list[float]
    level: list[float | None]
    level_u: list[float | None]


class CornerGripOut(Schema):
    corner: str
    level: float | None = Field(description="m/s^2: median over the laps of what each reached.")
    level_u: float | None
    laps: int
    beside: Literal["more", "less", "level"] | None = Field(description="Beside the reference's run, beyond doubt.")


class RunGripOut(Schema):
    run: int
    laps: int
    slowed: float = Field(description="Share of the reference's time that less grip everywhere costs; 0: it does not.")
    envelope: EnvelopeOut
    corners: list[CornerGripOut]


class LapGripOut(Schema):
    lap: str
    run: int | None
    used: float | None = Field(description="Mean share of its run's envelope that the lap uses in the stretch.")
    of_reference: float | None = Field(description="The same of what the reference's run reached.")


class GripOut(Schema):
    runs: list[RunGripOut]
    laps: list[LapGripOut]


class NumbersQuery(Schema):
    """A line-up as :class:`DeskQuery` names it, channels by commas, and the ends of a stretch."""

    laps: Keys
    reference: Keys
    version: int | None = Field(default=None, ge=1)
    roles: Roles = ""
    from_m: Metres | None = None
    to_m: Metres | None = None
    format: Literal["csv", "json"] = "csv"


class OftenQuery(Schema):
    """Laps of analyses, a channel (a role, or ``~`` and a name), and the ends of a stretch."""

    laps: Keys
    role: Annotated[str, StringConstraints(min_length=1, max_length=700)]
    from_m: Metres | None = None
    to_m: Metres | None = None
    factor: Annotated[float, Field(gt=1e-9, lt=1e9, allow_inf_nan=False)] = Field(
        default=1.0, description="Of the unit in which edges are even numbers: times SI, plus ``zero``."
    )
    zero: Annotated[float, Field(gt=-1e6, lt=1e6, allow_inf_nan=False)] = 0.0
    build: Build = ""


class OftenLap(Schema):
    lap: str
    shares: list[float] = Field(description="Of the time in the stretch; empty where the channel is not known.")


class OftenOut(Schema):
    """How much of its time a channel spends between edges, SI units."""

    edges: list[float]
    laps: list[OftenLap]
