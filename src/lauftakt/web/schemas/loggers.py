"""Loggers on the network."""

from typing import Annotated

from pydantic import Field

from lauftakt.web.schemas.base import Line, Name, Schema
from lauftakt.web.schemas.hand_ins import HandInOut


class LoggerRun(Schema):
    key: str
    name: str
    size: int
    recorded_at: str | None
    fetched: bool


class LoggerOut(Schema):
    name: str
    runs: list[LoggerRun]
    clock_off_s: float | None = Field(description="How far the device's clock is ahead of ours.")
    trouble: str | None


class LoggerList(Schema):
    loggers: list[LoggerOut]


class LoggerFetch(Schema):
    logger: Name
    keys: Annotated[list[Line], Field(min_length=1, max_length=200)]
    driver: Line | None = None


class Fetching(Schema):
    hand_ins: list[HandInOut]
