"""The day at a glance."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Choice, Conditions, Line, SaidPart, Schema
from lauftakt.web.schemas.runs import DriverOut, EventOut, RunOut


class PaddockQuery(Schema):
    """The event to show; which events are listed: ``age`` in days since their day (0: all), the others by id."""

    event: int | None = None
    driver: int | None = None
    car: int | None = None
    circuit: int | None = None
    before: Annotated[str, StringConstraints(max_length=40)] | None = Field(
        default=None, description="The ``next`` of an earlier answer: events older than those."
    )
    age: Annotated[int, Field(ge=0, le=10_000)] = 0


class Delivery(Schema):
    """How far a driver of the event's team is with handing in."""

    driver: DriverOut
    state: Literal["in", "busy", "trouble", "missing"]
    runs: int
    laps: int
    link: bool = Field(description="A link was sent and can still be used.")
    debrief: Literal["waits", "prepared", "given"] | None = Field(
        description="How far the latest run's debrief is; null for who is only a reference, or has no lap that counts."
    )
    latest: int | None = Field(description="That run.")


class MeasuredAgainst(Schema):
    """The lap that some of a day's runs are measured against."""

    conditions: Conditions
    runs: list[int]
    lap: str = Field(description="As addresses of the desk name it.")
    run: int
    number: int
    driver: DriverOut
    day: str
    car: str | None
    time_s: float
    chosen: bool = Field(description="A coach chose it; else it follows from the day's runs.")


class ReferenceChosen(Schema):
    """What a day is to be measured against."""

    lap: Line | None = Field(
        default=None, description="A lap's address, ``own-bests``, or null for what follows from the day's runs."
    )


class DayMeasured(Schema):
    measured: list[MeasuredAgainst]
    own_bests: bool


class ReferenceDone(DayMeasured):
    action: int | None = Field(description="To be named to take it back; null where nothing changed.")


class RunReading(Schema):
    """What a day's comparison says of one run."""

    run: int
    lap: str = Field(description="Its best lap, as addresses of the desk name it.")
    strip: list[float] = Field(
        description="Loss rate of that lap beyond doubt, s/m, in equal parts of the circuit; empty for the reference."
    )
    says: list[SaidPart] = Field(description="What costs most over the run; empty where nothing is worth a run.")
    passage: str | None
    reference: str = Field(description="The lap it is measured against, as addresses of the desk name it.")
    against: str | None = Field(description="``reference``, or ``own best``: the own quickest passages.")


class DayReading(Schema):
    """What costs each run of a day most. ``coming``: it is being computed; ``failed``: it could not be; ``none``: there
    is nothing to compare."""

    state: Literal["ready", "coming", "failed", "none"]
    runs: list[RunReading]


class PaddockOut(Schema):
    events: list[EventOut]
    next: str | None = Field(description="To be named as ``before`` for older events; null at the end.")
    event: EventOut | None
    measured: list[MeasuredAgainst] = Field(
        description="What the runs are measured against, by their conditions; by driver where it is the own bests."
    )
    own_bests: bool = Field(description="A coach wants everybody measured against the own best.")
    runs: list[RunOut]
    deliveries: list[Delivery]
    drivers: list["Choice"]
    cars: list["Choice"]
    circuits: list["Choice"]
    backup: str | None = Field(description="What is wrong with the backups, if anything.")
