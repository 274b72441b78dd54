"""Long work as it is listed."""

from typing import Literal

from pydantic import Field

from lauftakt.web.schemas.base import Schema
from lauftakt.web.schemas.work import JobState, Kind


class RunningQuery(Schema):
    before: int | None = Field(default=None, ge=1, le=2**31 - 1, description="Only what has a smaller number.")
    trouble: bool = Field(default=False, description="Of what ended, only what failed or was refused.")


class RunningJob(Schema):
    id: int
    kind: Kind
    about: str = Field(description="What it is about: a file, a run, a day, a circuit; empty for the whole team.")
    about_day: str | None = Field(description="Its day, where it has one.")
    address: str | None = Field(description="The page on which that is looked at.")
    state: JobState
    progress: float
    step: str
    waits_for: Literal["layout", "store", "disk"] | None = Field(description="What it cannot go on without.")
    ahead: int = Field(description="How many others are taken before it, while it waits for a worker.")
    stopping: bool = Field(description="Whether somebody asked it to stop.")
    tries: int
    message: str | None
    who: str | None = Field(description="Who asked for it.")
    created_at: str
    started_at: str | None
    finished_at: str | None
    can_cancel: bool
    can_retry: bool
    file: bool = Field(description="Whether it made a file to be fetched.")


class RunningOut(Schema):
    under_way: list[RunningJob] = Field(description="At most forty; ``open`` says how many there are.")
    open: int
    ended: list[RunningJob]
    more: bool
    disk: str | None = Field(description="A sentence, where there is too little room on the disk.")
