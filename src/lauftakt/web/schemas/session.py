"""Who is signed in."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Schema


class SignIn(Schema):
    email: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=190)]
    password: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class Preferences(Schema):
    """Each may be left out: then it stays."""

    units: Literal["metric", "imperial"] | None = None
    look: Literal["system", "light", "dark"] | None = None
    shortcuts: bool | None = None


class Me(Schema):
    name: str
    team: str
    role: Literal["owner", "coach", "assistant", "driver"]
    units: Literal["metric", "imperial"]
    look: Literal["system", "light", "dark"]
    shortcuts: bool


class Session(Schema):
    """Who is signed in, if anybody, and the token that changing requests carry in ``X-CSRFToken``."""

    me: Me | None
    csrf: str
    build: str = Field(description="Of the program; part of the address of everything that is kept in the browser.")
