"""Channels, roles and dialects."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Line, Name, Schema


class ChannelOut(Schema):
    name: str
    unit: str
    taken_unit: str = Field(description="In which unit the values were taken to be written.")
    role: str | None
    role_name: str | None
    by: Literal["name", "values", "dialect", "none"]
    confidence: float
    second: str | None = Field(description="The role it would have otherwise; empty for none, null where it is clear.")
    flipped: bool
    rate_hz: float
    low: float | None
    high: float | None
    picture: list[int] = Field(description="Lowest and highest value of each part in turn, 0 to 100 of the range.")
    corrected: bool = Field(description="Somebody said so for this kind of logger.")


class RoleOut(Schema):
    code: str
    name: str
    unit: str


class ChannelsOut(Schema):
    run: int | None = Field(description="None for a file that could not be placed.")
    hand_in: int | None
    dialect: str | None
    dialect_id: int | None
    channels: list[ChannelOut]
    roles: list[RoleOut]


class ChoiceIn(Schema):
    """What is said of one channel; null leaves it to the program, an empty role means that it stands for nothing."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=300)]
    role: Annotated[str, StringConstraints(max_length=60)] | None = None
    unit: Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)] | None = None
    flipped: bool | None = None


class ChoicesIn(Schema):
    channels: Annotated[list[ChoiceIn], Field(min_length=1, max_length=1200)]
    name: Line | None = None


class Renewed(Schema):
    """The logger's dialect, and the runs that are being understood anew by it."""

    dialect_id: int
    runs: list[int]
    action: int


class DialectOut(Schema):
    id: int
    name: str
    channels: int
    known: int
    runs: int


class DialectList(Schema):
    dialects: list[DialectOut]


class DialectName(Schema):
    name: Name
