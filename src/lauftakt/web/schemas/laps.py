"""Laps of a day: what counts, and the sector sheet."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Choice, Conditions, Schema, Text
from lauftakt.web.schemas.runs import DriverOut, EventOut

Reason = Literal["track_limits", "traffic", "wet", "mistake", "warming_up", "by_hand"]
Key = Annotated[str, StringConstraints(max_length=40)]
Day = Annotated[str, StringConstraints(pattern=r"^\d{4}-\d{2}-\d{2}$")]


class SheetRun(Schema):
    id: int
    driver: int
    car: str | None
    kind: str
    started_at: str | None
    conditions: str | None
    tyres: str | None
    spreads_s: list[float | None] = Field(description="From lap to lap of this run, by column.")


class SheetLap(Schema):
    """A lap of the day. ``parts_s`` has a time for each column, null where it was not driven; ``held`` names the
    columns in which another car was probably in the way."""

    key: Key
    run: int
    number: int
    kind: str
    set_aside: str | None
    automatic: str | None
    said: bool | None
    note: str | None
    start_s: float
    time_s: float | None
    time_u_s: float | None
    parts_s: list[float | None]
    held: list[int]
    held_m: list[list[float]] = Field(description="Where another car was probably in the way, metres.")


class PartOut(Schema):
    best_s: float | None
    best_lap: Key | None
    median_s: float | None
    spread_s: float | None
    clean: int
    rank: int | None
    level: bool = Field(description="Best of all, or no further from it than the doubt of both.")


class SheetDriver(Schema):
    driver: DriverOut
    conditions: Conditions = Field(description="In which the laps were driven that it is of.")
    best_s: float | None
    best_lap: Key | None
    level: bool = Field(description="Best lap of all, or no further from it than the doubt of both.")
    median_s: float | None
    theoretical_s: float | None
    unbroken_s: float | None
    gap_s: float | None
    usual_gap_s: float | None = Field(description="What scatter alone would make of the gap.")
    judged: Literal["little", "usual", "much"] | None
    counting: int
    parts: list[PartOut]


class Column(Schema):
    name: str
    from_m: float
    to_m: float


class AgainstLap(Schema):
    """A lap of any day on this layout that others are measured against."""

    key: Key
    driver: str
    day: str
    number: int
    time_s: float
    parts_s: list[float | None]


class Composite(Schema):
    """The best parts of all joined into one lap, with whose they are."""

    time_s: float
    drivers: list[int]


class LapsOut(Schema):
    event: EventOut | None = Field(description="Null where the team has no run yet.")
    days: list[EventOut]
    columns: list[Column]
    runs: list[SheetRun]
    laps: list[SheetLap]
    drivers: list[SheetDriver] = Field(description="Quickest first.")
    composite: Composite | None
    against: AgainstLap | None
    renewing: bool


class LapsQuery(Schema):
    event: int | None = None
    columns: Literal["sectors", "passages"] = "sectors"
    against: Key | None = Field(default=None, description="A lap of any day that others are measured against.")


class AllLapsQuery(Schema):
    """Laps of any days; ``after`` is what the page before named as the next."""

    layout: int | None = None
    driver: int | None = None
    car: int | None = None
    event: int | None = None
    since: Day | None = None
    until: Day | None = None
    counting: bool = False
    reason: Annotated[str, StringConstraints(max_length=20)] | None = None
    order: Literal["newest", "quickest"] = "newest"
    after: Annotated[str, StringConstraints(max_length=200)] | None = None


class AnyLap(Schema):
    key: Key
    run: int
    number: int
    driver: DriverOut
    car: str | None
    day: str
    event: str
    layout: str
    layout_id: int
    run_kind: str
    started_at: str | None
    conditions: str | None
    tyres: str | None
    kind: str
    set_aside: str | None
    note: str | None
    time_s: float | None
    time_u_s: float | None
    best_of_run: bool


class AllLapsOut(Schema):
    laps: list[AnyLap]
    next: str | None
    drivers: list[DriverOut] = Field(description="With the first page: by what the list can be narrowed.")
    cars: list[Choice]
    layouts: list[Choice]


class LapsJudged(Schema):
    """The same of several laps: they count, they do not, or they are left to the program again."""

    laps: list[Key] = Field(min_length=1, max_length=500)
    counts: bool | None
    reason: Reason | None = None
    note: Text | None = None


class LapsChanged(Schema):
    laps: int
    action: int


class StintLap(Schema):
    key: Key
    number: int
    time_s: float
    counts: bool
    held: bool = Field(description="Another car was probably in the way in a part of it.")


class WindowOut(Schema):
    laps: int
    mean_s: float
    first: int | None = Field(description="Index of its first lap in the stint; null for the quickest, wherever.")


class FallOffOut(Schema):
    """Change of the pace, seconds per lap, with its 95 % interval."""

    per_lap_s: float
    low_s: float
    high_s: float
    clear: bool
    begins: int | None = Field(description="Index of the lap from which on it falls off.")
    after_s: float | None


Kelvin = Annotated[float, Field(ge=0, le=2000)]
Pascal = Annotated[float, Field(ge=-1_000_000, le=10_000_000)]


class Tyre(Schema):
    """A tyre after a stint: temperatures across the tread, K, wear in mm, pressures cold and hot, Pa."""

    inner_k: Kelvin | None = None
    middle_k: Kelvin | None = None
    outer_k: Kelvin | None = None
    wear_mm: float | None = Field(default=None, ge=0, le=100)
    cold_pa: Pascal | None = None
    hot_pa: Pascal | None = None


class Tyres(Schema):
    front_left: Tyre | None = None
    front_right: Tyre | None = None
    rear_left: Tyre | None = None
    rear_right: Tyre | None = None


class StintSaid(Schema):
    """What is said of a stint, named by its first lap. What is not named stays; null takes it away."""

    lap: Key
    cut: bool | None = None
    tried: Text | None = None
    tyres: Tyres | None = None


class TrafficSaid(Schema):
    """From here to there in a lap another car was in the way, or none was."""

    lap: Key
    from_m: float = Field(ge=0, le=1_000_000)
    to_m: float = Field(ge=0, le=1_000_000)
    held: bool


class StintOut(Schema):
    key: Key
    driver: DriverOut
    run: int
    number: int = Field(description="Of the driver's stints of the day.")
    started_at: str | None
    car: str | None
    conditions: str | None
    tyres: str | None
    notes: str | None
    tried: str | None
    cut: bool = Field(description="Somebody said that it begins here.")
    tyres_said: Tyres | None
    tyres_logged: Tyres | None
    ambient_k: float | None
    track_k: float | None
    fuel_used_m3: float | None
    fuel_used_share: float | None
    laps: list[StintLap]
    mean_s: float
    quickest: list[WindowOut]
    in_a_row: list[WindowOut]
    fall_off: FallOffOut | None


class DifferenceOut(Schema):
    """How much longer the second stint took over as many laps as count in both."""

    laps: int
    total_s: float
    total_u_s: float


class StintsOut(Schema):
    stints: list[StintOut]
    difference: DifferenceOut | None


class StintsQuery(Schema):
    event: int
    clean: bool = Field(default=True, description="Laps behind another car are left out of means and differences.")
    windows: str = Field(default="4,8,12", pattern=r"^\d{1,3}(,\d{1,3}){0,5}$", description="Laps, by commas.")
    first: Key | None = None
    second: Key | None = None
