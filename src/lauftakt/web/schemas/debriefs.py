"""Debriefs: what is found of a driver, what they are asked to do and to keep, the sheet, and what became of it."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Clean, Conditions, OneLine, SaidPart, Schema
from lauftakt.web.schemas.compare import Cause, Metres
from lauftakt.web.schemas.runs import DriverOut, EventOut

Id = Annotated[int, Field(ge=1, le=2**31 - 1)]
CueKind = Literal["cue", "keep"]
Way = Literal["high", "low"]
CueText = Annotated[str, StringConstraints(strip_whitespace=True, max_length=600), Clean]
PlaceName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200), OneLine]
FigureCode = Annotated[str, StringConstraints(max_length=40, pattern=r"^[a-z_]+$")]
UnitsChoice = Literal["metric", "imperial"]
Felt = Literal["good", "lost", "unsure", "question"]
AnswerCode = Literal[
    "reached_paid", "reached", "moved", "no_change", "worse", "kept", "lost", "cannot_judge"
]  # fmt: skip


class TargetOut(Schema):
    """A figure of the registry at a passage, with a value and the way towards it. Places are metres from the start
    line."""

    figure: str
    label: str
    quantity: str
    direction: Way
    value: float
    now: float = Field(description="Median of the run after which it was asked.")


class ProposalOut(Schema):
    """A cue that could be given."""

    cause: str | None
    target: TargetOut
    lap: int | None = Field(description="Own lap that shows it.")
    shown: str = Field(description="``own best``, ``own laps``, or ``step``: towards the reference.")
    says: list[SaidPart]
    worth_s: float | None = Field(default=None, description="What reaching it gains, s a lap; null where that is open.")
    worth_u_s: float | None = Field(default=None, description="Standard deviation of that.")


class AnswerOut(Schema):
    """What became of a cue or a keep by a later run."""

    answer: AnswerCode
    why: str | None = Field(description="Why it cannot be judged: ``few``, ``traffic``, ``unknown``, or in words.")
    before: list[float | None] = Field(description="The target's figure in all clean laps before, SI.")
    after: list[float | None]
    before_laps: list[int]
    after_laps: list[int]
    change: float | None
    low: float | None = Field(description="Of the change, 95 %.")
    high: float | None
    luck: float | None = Field(description="How much of a change was expected because the worst is picked out.")
    whole: float | None = Field(description="How much of it the run as a whole did.")
    time_before_s: float | None
    time_after_s: float | None
    time_change_s: float | None
    time_low_s: float | None
    time_high_s: float | None
    time_luck_s: float | None
    time_whole_s: float | None
    figure_before: float | None = Field(description="Median of the figure before.")


class CueOut(Schema):
    id: int
    kind: CueKind
    rank: int
    passage: str
    corner: str | None
    says: list[SaidPart] = Field(description="The sentence, its figures in SI.")
    text: str | None = Field(description="The coach's own words, where they wrote any: they stand for the sentence.")
    target: TargetOut
    cause: str | None
    shown: str
    lap: int | None
    worth_s: float | None = Field(description="What the passage lost, s.")
    worth_u_s: float | None
    reference: float | None = Field(description="What the reference usually did there when it was asked, SI.")
    understood: bool | None
    tried: bool | None
    unsafe: bool | None


class VoiceOut(Schema):
    """What a driver said of a run."""

    felt: Felt
    corner: str | None
    words: str | None
    said_at: str


class DebriefHead(Schema):
    id: int
    run: int | None
    made_at: str
    given_at: str | None
    opened_at: str | None
    changed: bool = Field(description="Something changed since it was given.")
    cues: list[CueOut] = Field(description="Keeps first, then cues, as the driver reads them.")


class DebriefDriver(Schema):
    """One driver of a day: the latest run and how far the debrief is."""

    driver: DriverOut
    run: int
    runs: int
    started_at: str | None
    conditions: Conditions = Field(description="Of the latest run.")
    to_win_s: float | None = Field(description="Of the findings put forward; null while they are being computed.")
    debrief: DebriefHead | None = Field(description="Of the latest run.")
    before: DebriefHead | None = Field(description="The last one that was given before it.")
    answers: dict[int, AnswerCode] = Field(description="What became of the cues given before, by the latest run.")
    voices: list[VoiceOut]
    felt: str | None = Field(description="What the driver wrote of the run.")
    waits: bool = Field(description="Nothing was given after the latest run.")


class DebriefDay(Schema):
    state: Literal["ready", "coming", "failed", "none"]
    event: EventOut | None
    reference: str | None = Field(description="Whose lap the others are measured against.")
    drivers: list[DebriefDriver]


class DebriefDayQuery(Schema):
    event: int | None = Field(default=None, ge=1, le=2**31 - 1)


class FindingOut(Schema):
    passage: str | None
    corner: str | None
    from_m: float
    to_m: float
    loss_s: float
    loss_u_s: float
    seen: int
    of: int
    best_loss_s: float
    best_lap: str = Field(description="The own best passage's lap, as addresses of the desk name it.")
    put_forward: bool
    against: str
    says: list[SaidPart]
    causes: list[Cause]
    proposals: list[ProposalOut]
    felt: Felt | None = Field(description="What the driver felt there.")


class KeepProposal(Schema):
    passage: str
    corner: str | None
    loss_s: float | None = Field(description="Negative: quicker than the reference driver.")
    spread_s: float | None
    says: list[SaidPart]


class PrepareOut(Schema):
    """What a coach needs to prepare a debrief after one run."""

    state: Literal["ready", "coming", "failed", "none"]
    event: EventOut
    driver: DriverOut
    shows_laps: bool | None
    run: int
    runs: list["RunChoice"]
    laps: int
    best: str | None = Field(description="The best lap, as addresses of the desk name it.")
    reference: str | None = Field(description="The lap it is measured against.")
    reference_driver: str | None
    pictures: str = Field(description="Part of the address of pictures: changes with what they show.")
    findings: list[FindingOut]
    strengths: list[KeepProposal]
    debrief: DebriefHead | None
    before: DebriefHead | None
    answers: dict[int, AnswerOut] = Field(description="What became of the cues given before, by this run.")
    elsewhere: list["ElsewhereOut"]
    apart: str | None = Field(description="Why the run before does not compare, or only so far.")
    voices: list[VoiceOut]
    felt: str | None


class ElsewhereOut(Schema):
    """A passage that nothing was asked in and that became slower beyond doubt."""

    passage: str
    place: str = Field(description="Its corners.")
    change_s: float
    low_s: float
    high_s: float


class RunChoice(Schema):
    id: int
    started_at: str | None
    laps: int


class CueIn(Schema):
    """A cue or keep for the debrief after a run. Without a figure it is the one that a finding there puts forward, else
    the time in the passage; a stretch names the passage that holds its middle."""

    run: Id
    kind: CueKind
    passage: PlaceName | None = None
    from_m: Metres | None = None
    to_m: Metres | None = None
    corner: PlaceName | None = None
    figure: FigureCode | None = None
    direction: Way | None = None
    value: float | None = Field(default=None, allow_inf_nan=False, ge=-1e6, le=1e6)
    text: CueText | None = None
    leave: Id | None = Field(default=None, description="A cue that is left for it.")


class CueChange(Schema):
    text: CueText | None = Field(default=None, description="Empty: the sentence again.")
    value: float | None = Field(default=None, allow_inf_nan=False, ge=-1e6, le=1e6)
    rank: int | None = Field(default=None, ge=0, le=99)
    removed: bool | None = None


class RunCues(Schema):
    cues: list[CueOut]


class CueDone(Schema):
    cue: CueOut
    debrief: DebriefHead
    action: int | None = Field(description="By which it can be taken back.")


class GiveIn(Schema):
    given: bool


class SheetPiece(Schema):
    """One keep or cue of a sheet, with its pictures as SVG."""

    id: int
    kind: CueKind
    number: int = Field(description="Of the cues, from 1 on; 0 for keeps.")
    place: str
    says: str
    target: str | None
    worth: str | None
    map: str
    curves: str
    understood: bool | None
    tried: bool | None
    unsafe: bool | None


class DebriefSheet(Schema):
    """What a driver is given, in the words and units of whoever reads it."""

    id: int
    run: int | None
    team: str
    driver: str
    title: str
    about: str
    lead: str
    given_at: str | None
    changes: list[str] = Field(description="What changed since it was given before.")
    pieces: list[SheetPiece]
    legend: list[list[str]] = Field(description="Role and name of each line that is drawn.")
    note: str | None = Field(description="What is left out, and why.")


class DebriefSheetQuery(Schema):
    units: UnitsChoice = "metric"


class SheetFileQuery(Schema):
    units: UnitsChoice = "metric"
    format: Literal["pdf", "html", "png"] = "pdf"


class PictureQuery(Schema):
    passage: PlaceName
    corner: PlaceName | None = None
    units: UnitsChoice = "metric"
    of: Literal["map", "curves"] = "map"
    figure: FigureCode | None = None
    v: Annotated[str, StringConstraints(max_length=80)] = Field(default="", description="What is shown, for caches.")


class CheckOut(Schema):
    """What became of the cues of a debrief by a later run."""

    debrief: int
    run: int | None
    look: int
    apart: str | None
    answers: dict[int, AnswerOut]
    elsewhere: list[ElsewhereOut]


class CheckQuery(Schema):
    run: Id | None = Field(default=None, description="The run to check by; the latest one since, else.")


class VoiceIn(Schema):
    """What a driver says of a run: of a corner, or a question to the coach; ``felt`` null takes it back."""

    run: Id
    corner: PlaceName | None = None
    felt: Felt | None
    words: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000), Clean] | None = None


class CueAnswer(Schema):
    """What a driver says of a cue; what is left out stays."""

    understood: bool | None = None
    tried: bool | None = None
    unsafe: bool | None = None


class DriverRun(Schema):
    """A run of which a driver can say what they felt."""

    run: int
    started_at: str | None
    corners: list[str]
    voices: list[VoiceOut]


class OwnDebriefs(Schema):
    """What a driver was given, the newest first, and the latest run to say something of."""

    sheets: list["OwnSheet"]
    latest: DriverRun | None


class OwnSheet(Schema):
    id: int
    given_at: str
    title: str
