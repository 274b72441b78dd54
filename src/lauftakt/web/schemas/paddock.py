"""The day at a glance."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Choice, Schema
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


class PaddockOut(Schema):
    events: list[EventOut]
    next: str | None = Field(description="To be named as ``before`` for older events; null at the end.")
    event: EventOut | None
    reference_run: int | None
    runs: list[RunOut]
    deliveries: list[Delivery]
    drivers: list["Choice"]
    cars: list["Choice"]
    circuits: list["Choice"]
    backup: str | None = Field(description="What is wrong with the backups, if anything.")
