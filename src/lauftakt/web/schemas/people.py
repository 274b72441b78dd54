"""Accounts, sign-ins, the people of a team, and how they come in."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from lauftakt.web.schemas.base import Name, Schema
from lauftakt.web.schemas.session import Dates, Look, Units

Address = Annotated[str, StringConstraints(strip_whitespace=True, min_length=3, max_length=190)]
# As typed: neither trimmed nor checked here, since the message should say what is wrong with it.
Password = Annotated[str, StringConstraints(max_length=1000)]
Role = Literal["owner", "coach", "assistant"]


class SignInOut(Schema):
    id: int
    device: str
    created_at: str
    used_at: str
    here: bool = Field(description="Whether this is the one that asks.")


class MyAccount(Schema):
    """One's own account."""

    name: str
    email: str
    role: Literal["owner", "coach", "assistant", "driver"]
    team: str
    sign_ins: list[SignInOut]


class AccountChange(Schema):
    """What is left out stays; a new address needs the password."""

    name: Name | None = None
    email: Address | None = None
    password: Password | None = None


class PasswordChange(Schema):
    present: Password
    new: Password


class PersonOut(Schema):
    id: int
    name: str
    email: str
    role: Literal["owner", "coach", "assistant", "driver"]
    used_at: str | None
    me: bool


class InvitationOut(Schema):
    id: int
    role: Role
    address: str
    qr_svg: str
    expires_at: str


class TeamOut(Schema):
    name: str
    demo: bool
    people: list[PersonOut]
    invitations: list[InvitationOut]
    reachable: bool = Field(description="Whether the invitations' address can be reached from another machine.")
    demo_here: bool = Field(description="Whether the demo school is a team of this installation.")


class TeamChange(Schema):
    name: Name


class PersonChange(Schema):
    role: Role
    was: Role | None = Field(default=None, description="What the person was before, as whoever asks saw it.")


class InvitationNew(Schema):
    role: Literal["coach", "assistant", "owner"]
    days: Annotated[int, Field(ge=1, le=60)] = 7


class InvitationPage(Schema):
    """What whoever opens an invitation sees."""

    team: str
    role: Role
    expires_at: str
    shortest: int


class Newcomer(Schema):
    name: Name
    email: Address
    password: Password


class FirstCode(Schema):
    code: Annotated[str, StringConstraints(max_length=100)]


class FirstTeam(FirstCode):
    """The first team of an installation, with its owner."""

    team: Name
    name: Name
    email: Address
    password: Password
    units: Units = "metric"
    look: Look = "system"
    dates: Dates = "en-GB"


class FirstOut(Schema):
    open: bool = Field(description="Whether the code opens this installation's first page.")
    shortest: int = Field(description="Characters a password needs.")


class Removal(Schema):
    """What goes when something is removed."""

    kind: str
    title: str
    runs: int
    laps: int
    events: list[str]
    drivers: list[str]
    cars: list[str]
    circuits: list[str]
    links: int
    action: int | None = Field(description="What takes it back; none before it was done.")


class Forgotten(Schema):
    """What is, or was, kept of a driver who wishes to be forgotten."""

    name: str
    runs: int
    hand_ins: int
    links: int
    accounts: int
    actions: int = Field(description="Entries of the log of what was done that lose what they say.")
    mentions: dict[str, int] = Field(description="Afterwards: where the name still stands, and in how many rows.")
