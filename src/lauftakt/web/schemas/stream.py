"""The recorder of a simulator's stream."""

from typing import Literal

from lauftakt.web.schemas.base import Line, Schema


class StreamLap(Schema):
    number: int
    time_s: float | None


class StreamOut(Schema):
    """The recorder of a simulator's stream."""

    available: bool
    port: int
    wanted: bool
    state: Literal["off", "waiting", "standing", "recording", "trouble"]
    message: str | None
    driver: str | None
    laps: list[StreamLap]
    packets: int
    lost: int


class StreamChange(Schema):
    wanted: bool
    driver: Line | None = None
