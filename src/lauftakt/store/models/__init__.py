"""Tables, by subject. Every row belongs to a team."""

from lauftakt.store.models.analyses import Analysis, Curves, LapFigures, LapRow, RunPaceRow, SectorTime
from lauftakt.store.models.base import Base, Owned, Removable
from lauftakt.store.models.circuits import Circuit, Event, LayoutRow, LayoutVersion, MarkRow, SectorSet
from lauftakt.store.models.comparisons import Comparison, ComparisonMember, FindingRow, LineUpRow
from lauftakt.store.models.debriefs import CueCourse, CueRow, Debrief, Voice
from lauftakt.store.models.hand_ins import HandIn, HandInLink, LiveStream, Upload, WatchedFile
from lauftakt.store.models.notes import Note
from lauftakt.store.models.people import Account, Car, Driver, Invitation, SignIn, SignInTry, Team
from lauftakt.store.models.runs import (
    ChannelRow,
    DialectRow,
    FigureSet,
    HeldWord,
    LapWord,
    Original,
    OriginalPart,
    Run,
    RunOverlap,
    Samples,
    StintWord,
)
from lauftakt.store.models.work import Action, Job, RequestCount

__all__ = [
    "Account",
    "Action",
    "Analysis",
    "Base",
    "Car",
    "ChannelRow",
    "Circuit",
    "Comparison",
    "ComparisonMember",
    "CueCourse",
    "CueRow",
    "Curves",
    "Debrief",
    "DialectRow",
    "Driver",
    "Event",
    "FigureSet",
    "FindingRow",
    "HandIn",
    "HandInLink",
    "HeldWord",
    "Invitation",
    "Job",
    "LapFigures",
    "LapRow",
    "LapWord",
    "LayoutRow",
    "LayoutVersion",
    "LineUpRow",
    "LiveStream",
    "MarkRow",
    "Note",
    "Original",
    "OriginalPart",
    "Owned",
    "Removable",
    "RequestCount",
    "Run",
    "RunOverlap",
    "RunPaceRow",
    "Samples",
    "SectorSet",
    "SectorTime",
    "SignIn",
    "SignInTry",
    "StintWord",
    "Team",
    "Upload",
    "Voice",
    "WatchedFile",
]
