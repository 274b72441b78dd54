"""The desk."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Clean, Conditions, OneLine, SaidPart, Schema
from lauftakt.web.schemas.runs import DriverOut, EventOut


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


class MarkAt(Schema):
    name: str
    at_m: float


class LayoutOut(Schema):
    id: int
    name: str
    length_m: float
    corners: list[CornerOut]
    passages: list[PassageOut]
    splits_m: list[float]
    marks: list[MarkAt] = Field(description="What can be seen from the driver's seat.")
    closed: bool
    heading_deg: float = Field(description="By how much the map is turned.")
    x: list[float] = Field(description="East of the start line, metres, every few metres along the centre line.")
    y: list[float]
    s: list[float]


class Difference(Schema):
    what: Literal["car", "tyres", "conditions", "day"]
    own: str | None
    reference: str | None


class MadeOut(Schema):
    """What a lap is that nobody drove as a whole: best sectors or passages joined, or the median of laps."""

    kind: Literal["sectors", "passages", "median"]
    laps: int = Field(description="How many laps it is made of.")
    day: str | None = Field(description="Where it is of one day.")


class DeskLap(Schema):
    """One lap on the desk; one that was made of others has neither run nor number, and a driver if it is of one.

    ``key`` names it for ever, by its run and the second at which it begins in the log; ``curves`` names its lap of one
    analysis, whose curves never change.
    """

    key: str
    curves: str
    run: int | None
    number: int | None
    made: MadeOut | None
    driver: DriverOut | None
    car: str | None
    conditions: Conditions | None = Field(description="In which it was driven; null of a made lap.")
    time_s: float
    time_u_s: float | None
    set_aside: str | None
    sector_times_s: list[float]
    delta_s: float
    delta_u_s: float
    best_of_run: bool
    best_of_all: bool = Field(description="Fastest of the line-up, or no further from the fastest than their doubt.")
    roles: list[str]
    differs: list[Difference] = Field(description="In which else than the driving it differs from the reference.")


class LapDoubt(Schema):
    """Standard deviation of one lap's delta at the places of :class:`DoubtOut`."""

    lap: str
    delta_u_s: list[float]


class DoubtOut(Schema):
    s_m: list[float]
    laps: list[LapDoubt]


class NamelessChannel(Schema):
    code: str
    label: str
    unit: str


class DeskOut(Schema):
    event: EventOut
    layout: LayoutOut
    reference: str
    laps: list[DeskLap]
    nameless: list[NamelessChannel] = Field(description="Channels that stand for no role.")
    renewing: bool = Field(description="Newer numbers are coming.")
    missing: list[str] = Field(description="Addresses that lead to no lap any more.")
    version: int = Field(description="Number of the layout version on which the laps are measured.")
    present_version: int


class Cause(Schema):
    """Why time is lost here: a code of the core with what it costs, and the figure it rests on for the driver and the
    reference; SI units."""

    cause: str
    cost_s: float = Field(description="Negative where the driver is better.")
    cost_u_s: float
    figure: str | None
    own: float | None
    theirs: float | None


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
    brake_point_u_m: float | None = Field(description="Standard deviation of the difference to the reference lap's.")
    full_throttle_u_m: float | None
    inferred: list[Literal["brake", "throttle"]] = Field(description="Pedals that were not logged but inferred.")
    causes: list[Cause]
    brought_in_s: float = Field(description="With causes and the unexplained it adds up to the loss.")
    unexplained_s: float
    says: list[SaidPart] = Field(description="What the lap loses here and why, as sentences.")


class Habit(Schema):
    """How a driver does in this part over all laps of the run that count."""

    run: int
    losing: int = Field(description="Laps that lose more than twice their uncertainty.")
    of: int
    best_lap: int
    best_loss_s: float
    median_loss_s: float


class CardOut(Schema):
    from_m: float
    to_m: float
    passage: str | None
    corner: str | None = Field(
        description="The corner that the figures belong to; null in a stretch with fewer than two."
    )
    corners: list[str] = Field(description="Corners of the passage or stretch whose figures can be asked for.")
    figures: list[FiguresOut]
    habits: list[Habit] = Field(description="Of every run of the line-up, the reference's first.")
    median_loss_s: float | None = Field(
        description="Of all laps that count and were driven in the reference's conditions."
    )
    of: int = Field(description="How many laps those are.")
    of_conditions: Conditions | None = Field(
        description="In which those were driven, where laps of other conditions lie there as well and are left out."
    )


class WithoutOut(Schema):
    """A lap as it would be without one cause: SI units, at places along the circuit."""

    lap: str
    cause: str
    s_m: list[float]
    speed: list[float]
    won_s: float


class LapChoice(Schema):
    key: str
    number: int
    time_s: float
    set_aside: str | None


class RunChoices(Schema):
    run: int
    event: int
    day: str
    driver: DriverOut
    car: str | None
    conditions: Conditions | None
    started_at: str | None
    best: str | None = Field(description="The best lap that counts.")
    laps: list[LapChoice]


class ChoicesOut(Schema):
    runs: list[RunChoices]
    next: int | None = Field(description="To be named as ``after`` for further runs; null at the end.")


Keys = Annotated[str, StringConstraints(max_length=3000)]
# By commas; a name that holds one is percent-encoded.
Roles = Annotated[str, StringConstraints(max_length=4000), Clean]


Metres = Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)]


class DeskQuery(Schema):
    """Either laps (``run-second``, by commas) and a reference, or a run or an event to propose a line-up for."""

    laps: Keys | None = None
    reference: Keys | None = None
    run: int | None = None
    event: int | None = None
    version: int | None = Field(
        default=None, ge=1, description="Number of the layout version on which laps are wanted, where they still are."
    )


class CurvesQuery(Schema):
    """Laps of analyses (``analysis.number``, by commas); ``build`` keeps the browser from showing another program's."""

    laps: Keys
    reference: Keys
    roles: Roles = "speed"
    build: Annotated[str, StringConstraints(max_length=40)] = ""


class BandsQuery(CurvesQuery):
    """The same, and where the delta starts with 0."""

    from_m: Metres = 0.0


class SamplesQuery(Schema):
    """Laps of analyses (``analysis.number``, by commas), logged channels, and a short piece of the circuit."""

    laps: Keys
    roles: Roles = "speed"
    from_m: Metres
    to_m: Metres


class LapSamples(Schema):
    lap: str
    role: str
    rate_hz: float
    s_m: list[float] = Field(description="Where the lap was when each sample was taken.")
    values: list[float] = Field(description="In SI units.")


class SamplesOut(Schema):
    channels: list[LapSamples]


class DoubtQuery(Schema):
    """Laps of analyses (``analysis.number``, by commas), and where the delta starts with 0."""

    laps: Keys
    reference: Keys
    from_m: Metres = 0.0
    build: Annotated[str, StringConstraints(max_length=40)] = ""


class CardQuery(Schema):
    """Laps of analyses (``analysis.number``, by commas), and a passage or the ends of a stretch."""

    laps: Keys
    reference: Keys
    passage: Annotated[str, StringConstraints(max_length=40)] | None = None
    from_m: Metres | None = None
    to_m: Metres | None = None
    corner: Annotated[str, StringConstraints(max_length=200)] | None = Field(
        default=None, description="Of a passage or stretch with several, the one whose figures are wanted."
    )


class WithoutQuery(CardQuery):
    """The card's lap (one alone) and the cause that is taken away."""

    cause: Annotated[str, StringConstraints(max_length=40)]


class ChoicesQuery(Schema):
    """The runs of an event, or with ``everywhere`` those of all days on its layout, the newest first."""

    event: int
    everywhere: bool = False
    after: int | None = None


FillingKind = Literal["bests", "near_best", "first_and_last", "today_and_ever", "best_of_two", "winners"]


class FillingQuery(Schema):
    """A quick filling of the desk with laps that count, of an event or of all days on its layout."""

    kind: FillingKind
    event: int
    driver: int | None = None
    other: int | None = None
    run: int | None = None
    within_share: Annotated[float, Field(gt=0, le=0.2, allow_inf_nan=False)] | None = Field(
        default=None, description="How much slower than the best a lap near it may be, as a share of its time."
    )
    within_s: Annotated[float, Field(gt=0, le=60, allow_inf_nan=False)] | None = Field(
        default=None, description="The same in seconds."
    )


class FillingOut(Schema):
    laps: list[str] = Field(description="As the desk's address names them, the reference first.")
    reference: str


LineUpName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), OneLine]
# What stands behind the question mark of the desk's address.
DeskAddress = Annotated[str, StringConstraints(min_length=6, max_length=4000, pattern=r"^laps=[\w.~%=&,:*+-]*$")]


class LineUpsQuery(Schema):
    """Any event on the layout."""

    event: int


class LineUpIn(Schema):
    event: int
    name: LineUpName
    address: DeskAddress


class LineUpChange(Schema):
    name: LineUpName | None = None
    address: DeskAddress | None = None


class LineUpOut(Schema):
    id: int
    name: str
    address: str
    kept_at: str


class LineUpsOut(Schema):
    line_ups: list[LineUpOut]


Stave = Annotated[str, StringConstraints(min_length=1, max_length=400), Clean]


class StaveSet(Schema):
    name: LineUpName
    staves: list[Stave] = Field(max_length=24)


class Staves(Schema):
    """Which staves somebody wants to see: channels by their codes, those that share a stave in lines;
    heights in pixels where they were changed."""

    staves: list[Stave] | None = Field(default=None, max_length=24)
    folded: list[Stave] = Field(default_factory=list, max_length=24)
    heights: dict[Stave, Annotated[int, Field(ge=40, le=900)]] = Field(default_factory=dict, max_length=60)
    sets: list[StaveSet] = Field(default_factory=list, max_length=30)


class HeldUpQuery(Schema):
    """Laps of analyses (``analysis.number``, by commas)."""

    laps: Keys


class HeldUpLap(Schema):
    lap: str
    parts: list[tuple[float, float]] = Field(description="From and to, m from the start line.")


class HeldUpOut(Schema):
    laps: list[HeldUpLap]


class LapFiguresOut(Schema):
    """Every figure of one lap in a part, by its code; SI units, null where it does not happen."""

    lap: str
    held_up: bool
    values: dict[str, float | None]
    parts_s: list[float | None] = Field(description="Loss in entry, middle, exit and straight; empty in a stretch.")
    others_s: float | None = Field(description="Time beyond the median of the other laps on the desk.")


class ScatterOut(Schema):
    """A figure over the laps of a run that count: in the order of ``numbers``, and how it changes."""

    values: list[float | None]
    slope: float = Field(description="For each lap.")
    clear: bool = Field(description="Whether that is more than chance.")


class RunFiguresOut(Schema):
    run: int
    numbers: list[int]
    figures: dict[str, ScatterOut]


class PartFiguresOut(Schema):
    """The card in depth."""

    corner: str | None
    laps: list[LapFiguresOut]
    runs: list[RunFiguresOut]


class SideOut(Schema):
    """One of two laps in a passage or sector; SI units."""

    time_s: float
    entry_speed: float
    min_speed: float
    exit_speed: float
    mean_speed: float
    peak_braking: float
    mean_braking: float | None


class BesideRow(Schema):
    name: str
    corners: list[str]
    from_m: float
    to_m: float
    loss_s: float | None
    loss_u_s: float | None
    own: SideOut | None
    reference: SideOut | None


class BesideQuery(Schema):
    """One lap of an analysis (``analysis.number``) beside another, in all passages or sectors."""

    laps: Keys
    reference: Keys
    by: Literal["passages", "sectors"] = "passages"


class BesideOut(Schema):
    rows: list[BesideRow]


class StretchesQuery(Schema):
    """One lap of an analysis against another."""

    laps: Keys
    reference: Keys


class StretchOut(Schema):
    from_m: float
    to_m: float
    loss_s: float
    loss_u_s: float
    corners: list[str] = Field(description="Whose apexes lie in it, else those that it touches.")


class StretchesOut(Schema):
    stretches: list[StretchOut] = Field(description="The largest first, gains among them.")
