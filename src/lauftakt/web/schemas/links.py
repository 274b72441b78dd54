"""Personal links."""

from typing import Annotated

from pydantic import Field

from lauftakt.web.schemas.base import Name, Schema
from lauftakt.web.schemas.hand_ins import HandInOut
from lauftakt.web.schemas.runs import DriverOut


class LinkNew(Schema):
    driver: Name
    days: Annotated[int, Field(ge=1, le=366)] = 14


class LinkOut(Schema):
    id: int
    driver: DriverOut
    address: str
    qr_svg: str
    created_at: str
    expires_at: str
    last_used_at: str | None


class LinkList(Schema):
    links: list[LinkOut]
    drivers: list[DriverOut]
    reachable: bool = Field(description="Whether the links' address can be reached from another machine.")


class LinkQuery(Schema):
    before: int | None = Field(default=None, description="Hand-ins older than this one.")


class LinkPage(Schema):
    driver: DriverOut
    team: str
    expires_at: str
    upload_mb: int
    hand_ins: list[HandInOut]
    more: bool = Field(description="Whether there are older ones.")
