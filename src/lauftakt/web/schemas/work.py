"""Jobs, exports, and the log of what was done."""

from typing import Annotated, Any, Literal

from pydantic import Field

from lauftakt.web.schemas.base import Schema

Kind = Literal["import", "renew", "export", "reline", "compare", "follow", "remove", "seal", "demo", "backup", "sheets"]
JobState = Literal["waiting", "running", "done", "refused", "cancelled", "failed"]
Format = Literal["csv", "parquet", "mdf4", "gpx", "geojson"]


class LapExportQuery(Schema):
    lap: int
    format: Format = "csv"


class ExportAsked(Schema):
    format: Format = "csv"


class JobOut(Schema):
    """Long work: how far it is, and how it ended. A finished export gives its file at ``/api/jobs/ID/file``."""

    id: int
    kind: Kind
    state: JobState
    progress: float
    step: str
    waits_for: Literal["layout", "store", "disk"] | None
    message: str | None
    result: dict[str, Any]


class ActionOut(Schema):
    """Something that was done."""

    id: int
    at: str
    who: str
    summary: str
    undone: bool
    can_undo: bool


class ActionList(Schema):
    actions: list[ActionOut]
    next: int | None = Field(description="To be named as ``before`` for older ones; null at the end.")


class ActionQuery(Schema):
    before: int | None = None
    limit: Annotated[int, Field(ge=1, le=200)] = 60


class UndoIn(Schema):
    anyway: bool = Field(default=False, description="Also where the same was changed since.")


class ChannelEntryOut(Schema):
    """A channel that can be drawn along the circuit."""

    code: str
    label: str
    quantity: str
    drawn: Literal["free", "zero", "signed", "steps"]
    told: Literal["high", "low", "mean", "last"]


class FigureEntryOut(Schema):
    code: str
    label: str
    quantity: str
    good: Literal["high", "low"] | None = Field(description="Which of two values is better by itself.")
    about: Literal["pace", "braking", "middle", "throttle", "line"]


class RegistryOut(Schema):
    channels: list[ChannelEntryOut]
    figures: list[FigureEntryOut]
