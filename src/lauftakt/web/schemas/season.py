"""Over days: a driver's progress, the school as a whole, a day's course, the calendar, and search."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Clean, SaidPart, Schema
from lauftakt.web.schemas.debriefs import AnswerCode, CueOut, Id, UnitsChoice
from lauftakt.web.schemas.runs import DriverOut, EventOut

Stage = Literal["waiting", "open", "reached", "kept", "lost_again", "came_back", "cannot_judge"]
Grip = Literal["dry", "damp", "wet"]
CornerKind = Literal["slow", "ordinary", "fast", "linked", "crest"]
DayText = Annotated[str, StringConstraints(pattern=r"^\d{4}-\d{2}-\d{2}$")]


class FollowState(Schema):
    """How far it is known: ``coming`` while something is being worked out, ``failed`` where it could not be,
    ``stopped`` where somebody stopped it."""

    state: Literal["ready", "coming", "failed", "stopped"]
    left: int = Field(description="Runs and debriefs that are not followed as everything is now.")
    job: int | None = Field(description="The work under way, to be watched and cancelled.")


class SeasonLayout(Schema):
    id: int
    name: str
    runs: int
    days: int


class SeasonQuery(Schema):
    """``layout``: the one driven most recently where none is named."""

    layout: Id | None = None


class TrimOut(Schema):
    """Runs of one car, on one set of tyres, in the dry, damp or wet: they are told as one."""

    id: int
    car: str | None
    tyres: str | None
    grip: Grip
    runs: int


class RunPaceOut(Schema):
    """A run beside others of its driver. Times in s; ``*_u_s`` is one standard deviation."""

    run: int
    event: int
    event_name: str
    day: str
    started_at: str | None
    kind: str
    trim: int
    laps: int
    best_s: float
    best_u_s: float | None
    theoretical_s: float | None
    median_s: float | None
    median_u_s: float | None
    spread_s: float | None
    spread_low_s: float | None
    spread_high_s: float | None
    differs: list[Literal["layout", "car", "tyres", "conditions"]] = Field(
        description="What is another than in the run before it: these two do not compare."
    )


class RecordOut(Schema):
    """A best lap that was quicker than all before it in its trim."""

    run: int
    day: str
    trim: int
    best_s: float
    best_u_s: float | None
    by_s: float | None = Field(description="Quicker than the record before; null for the first.")
    by_u_s: float | None
    level: bool = Field(description="Level with the one before within the doubt.")


class PassageOver(Schema):
    """How steady a driver is in a passage: the first run of a trim against its last."""

    name: str
    corners: str
    kind: CornerKind | None
    before_s: float
    after_s: float
    factor: float
    low: float
    high: float
    says: Literal["steadier", "less steady", "level"]


class EffectOut(Schema):
    """A share of the pace (positive: slower) with its 95 % interval, and what that is in a lap, s."""

    share: float
    low: float
    high: float
    in_lap_s: float
    in_lap_low_s: float
    in_lap_high_s: float
    by: int = Field(description="How many drivers tell of it.")
    clear: bool = Field(description="More than chance, all that are shown beside each other taken together.")


class LookOut(Schema):
    """A later run in which it was looked at whether a cue was followed."""

    run: int
    day: str
    event: int
    answer: AnswerCode
    stage: Stage
    slipped: bool | None
    why: str | None
    before: float | None
    after: float | None
    change: float | None
    low: float | None
    high: float | None
    time_change: float | None
    time_low: float | None
    time_high: float | None


class CueOver(Schema):
    """A cue, or a keep, through the runs after it."""

    cue: CueOut
    debrief: int
    run: int
    event: int
    day: str
    given_at: str
    place: str = Field(description="The corner, or the passage by its corners.")
    stage: Stage
    held: int = Field(description="In how many runs since it was reached it was looked at and was there.")
    looks: list[LookOut]


class SeasonTotals(Schema):
    days: int
    runs: int
    laps: int
    hours: float | None = Field(description="Logged driving; null where no log told.")


class DriverSeason(Schema):
    """A driver over days."""

    follow: FollowState
    driver: DriverOut
    drivers: list[DriverOut] = Field(description="Whom else could be looked at.")
    layouts: list[SeasonLayout]
    layout: int | None
    totals: SeasonTotals
    trims: list[TrimOut]
    runs: list[RunPaceOut]
    records: list[RecordOut]
    steadiness: list[PassageOver]
    steady_trim: int | None = Field(description="The trim that the passages are told of.")
    steady_runs: list[int] = Field(description="Its first and last run.")
    change: EffectOut | None = Field(
        description="From the first day here to the last, after days and cars; null where nothing tells."
    )
    anchored: list[str] = Field(description="By whose runs days are told: those who stay as they are.")
    cues: list[CueOver] = Field(description="The newest first.")
    more_cues: int


class DriverSeasonQuery(SeasonQuery):
    cues: Annotated[int, Field(ge=1, le=400)] = 40


class SchoolDriver(Schema):
    driver: DriverOut
    days: int
    runs: int
    first_day: str
    last_day: str
    best_s: float
    change: EffectOut | None
    by_kind: dict[CornerKind, EffectOut]


class SchoolDay(Schema):
    """What a day did to everybody's pace, against the first."""

    day: str
    event: int
    name: str
    grip: Grip
    drivers: int
    runs: int
    first: bool
    effect: EffectOut | None


class SchoolCar(Schema):
    """What a car on its tyres does, against the one driven most."""

    car: str | None
    tyres: str | None
    drivers: int
    runs: int
    usual: bool
    effect: EffectOut | None


class LyingOut(Schema):
    """What a student loses to the day's quickest in a kind of corner, or in a passage, s a lap."""

    name: str
    corners: str
    kind: CornerKind | None
    passages: int
    loss_s: float
    low_s: float
    high_s: float
    students: int


class WorkingOut(Schema):
    """Cues that ask for the same figure."""

    figure: str
    label: str
    given: int
    judged: int
    reached: int
    paid: int
    lost: int
    share: float | None
    low: float | None
    high: float | None


class SchoolSeason(Schema):
    """A team's drivers over days on one layout."""

    follow: FollowState
    layouts: list[SeasonLayout]
    layout: int | None
    mean_lap_s: float | None = Field(description="By which shares are brought to seconds: the median of all runs.")
    drivers: list[SchoolDriver]
    days: list[SchoolDay]
    cars: list[SchoolCar]
    anchored: list[str]
    scatter: float | None = Field(description="By how much a run lies off by itself, as a share.")
    slow_ms: float | None = Field(description="Corners with a lower lowest speed are slow ones.")
    fast_ms: float | None
    kinds: list[LyingOut]
    passages: list[LyingOut]
    tried: EffectOut | None = Field(description="What was asked for with ``since`` and ``with_drivers``.")
    tried_why: str | None = Field(description="Why that cannot be told, where it cannot.")
    cues: list[WorkingOut]


class SchoolQuery(SeasonQuery):
    """``since`` and ``with_drivers``: whether something that these drivers did from a day on shows."""

    since: DayText | None = None
    with_drivers: Annotated[str, StringConstraints(pattern=r"^\d{1,9}(,\d{1,9}){0,199}$")] | None = None


class CourseRun(Schema):
    run: int
    started_at: str | None
    laps: int
    best_s: float
    median_s: float | None
    spread_s: float | None
    given: list[CueOut] = Field(description="What was asked after this run.")
    debrief: int | None
    checked: list["CourseCheck"] = Field(description="What was looked at in this run.")


class CourseCheck(Schema):
    cue: CueOut
    answer: AnswerCode
    stage: Stage
    asked_on: str
    why: str | None


class CourseDriver(Schema):
    driver: DriverOut
    runs: list[CourseRun]


class DayCourse(Schema):
    """A day from the first run to the last, driver by driver."""

    follow: FollowState
    event: EventOut | None
    drivers: list[CourseDriver]
    layout: int | None
    sheets: int = Field(description="Debriefs that can be printed.")


class DayQuery(Schema):
    event: Id | None = None


class WorkedOn(Schema):
    figure: str
    label: str
    cues: int


class CalendarDay(Schema):
    event: EventOut
    drivers: int
    laps: int
    debriefs: int
    notes: int
    worked_on: list[WorkedOn]


class CalendarOut(Schema):
    days: list[CalendarDay]
    next: str | None


class CalendarQuery(Schema):
    before: Annotated[str, StringConstraints(max_length=40)] | None = None


class FindQuery(Schema):
    q: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=100), Clean]


class Hit(Schema):
    """Something that was found: what it is, how it is called, a word more, and where it opens."""

    kind: Literal["driver", "circuit", "car", "day", "note", "cue", "tyres"]
    title: str
    says: list[SaidPart] = Field(description="A cue's sentence, in place of a title.")
    about: str
    day: str | None
    address: str


class FindOut(Schema):
    hits: list[Hit]
    more: dict[str, int] = Field(description="By kind, how many more there are.")


class DayPaperQuery(Schema):
    units: UnitsChoice = "metric"
    names: bool = Field(default=False, description="Whether drivers are named, beside each other.")


class DaySheetsAsked(Schema):
    units: UnitsChoice = "metric"


class NotesPaperQuery(Schema):
    units: UnitsChoice = "metric"
