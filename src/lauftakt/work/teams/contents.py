"""What stands in the archive of a team beside the logs: labels, notes and decisions as JSON, checked when read."""

from pydantic import BaseModel, ConfigDict, Field

VERSION = 1
TEAM, SCHEMA = "team.json", "team.schema.json"


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class LapDecision(_Part):
    """What a person said of the lap that begins at a moment of its log."""

    begins_s: float
    counts: bool | None = None
    reason: str | None = Field(default=None, max_length=20)
    note: str | None = Field(default=None, max_length=4000)


class RunFile(_Part):
    """A run: its log in the archive, and what is said of it."""

    file: str = Field(description="Path of the log in the archive.")
    file_name: str = Field(max_length=300, description="As it was called when it was handed in.")
    as_handed_in: bool = Field(description="Whether these are the bytes that were handed in; else Parquet.")
    driver: str = Field(max_length=200)
    car: str | None = Field(default=None, max_length=200)
    layout: str = Field(max_length=200)
    event: str = Field(max_length=200)
    day: str = Field(pattern=r"^\d{4}-\d{2}-\d{2}$")
    started: str | None = Field(default=None, description="ISO 8601, with its offset where that is known.")
    kind: str = Field(default="practice", max_length=20)
    conditions: str | None = Field(default=None, max_length=20)
    tyres: str | None = Field(default=None, max_length=200)
    notes: str | None = Field(default=None, max_length=8000)
    felt: str | None = Field(default=None, max_length=8000)
    confirmed: bool = False
    laps: list[LapDecision] = Field(default_factory=list)


class LayoutFile(_Part):
    """A layout and the circuit it belongs to."""

    file: str
    name: str = Field(max_length=200)
    circuit: str = Field(max_length=200)


class TeamFile(_Part):
    """Everything of a team but its logs, layouts and dialects, which are files beside it."""

    version: int = Field(alias="lauftakt-team")
    team: str = Field(max_length=200)
    exported: str
    layouts: list[LayoutFile]
    dialects: list[str]
    runs: list[RunFile]
