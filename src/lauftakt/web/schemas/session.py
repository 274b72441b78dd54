"""Who is signed in."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Schema


class SignIn(Schema):
    email: Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=190)]
    password: Annotated[str, StringConstraints(min_length=1, max_length=200)]


Units = Literal["metric", "imperial"]
Look = Literal["system", "light", "dark"]
# In which language dates are written; ``browser``: in the browser's.
Dates = Literal["browser", "en-GB", "en-US", "de-DE", "fr-FR", "es-ES", "it-IT", "nl-NL"]


class Preferences(Schema):
    """Each may be left out: then it stays."""

    units: Units | None = None
    look: Look | None = None
    dates: Dates | None = None
    shortcuts: bool | None = None


class Me(Schema):
    name: str
    email: str
    team: str
    demo: bool = Field(description="Whether the team is the made-up school.")
    role: Literal["owner", "coach", "assistant", "driver"]
    units: Units
    look: Look
    dates: Dates
    shortcuts: bool


class Session(Schema):
    """Who is signed in, if anybody, and the token that changing requests carry in ``X-CSRFToken``."""

    me: Me | None
    csrf: str
    empty: bool = Field(description="Nobody is signed in, and nobody has a team here yet.")
    build: str = Field(description="Of the program; part of the address of everything that is kept in the browser.")
