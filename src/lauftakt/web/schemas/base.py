"""What all schemas share."""

from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, StringConstraints

from lauftakt.core.log.text import printable


class Schema(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Problem(Schema):
    """An error in plain words."""

    code: str
    message: str


def _clean(value: object) -> object:
    """Text without what no name, file or database can hold."""
    return printable(value, lines=True) if isinstance(value, str) else value


def _one_line(value: object) -> object:
    """The same in one line: a name with a line break in it would be two in a list, a file or a letter."""
    return printable(" ".join(value.split())) if isinstance(value, str) else value


Clean = BeforeValidator(_clean)
OneLine = BeforeValidator(_one_line)
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200), OneLine]


Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000), Clean]


Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), OneLine]


Conditions = Literal["dry", "damp", "wet"]


class Choice(Schema):
    id: int
    name: str


class SaidPart(Schema):
    """A part of a sentence: text, or a figure in SI units, to be set in the reader's."""

    text: str | None = None
    value: float | None = None
    quantity: str | None = None
    unit: bool = Field(default=True, description="Whether the unit is said.")
