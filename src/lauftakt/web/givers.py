"""Who hands in: somebody signed in, or the holder of a driver's personal link."""

import io
import secrets
from datetime import timedelta
from typing import cast

import segno
from flask import current_app, request
from itsdangerous import BadSignature, URLSafeSerializer

from lauftakt.core.log.text import one_line
from lauftakt.settings import Settings
from lauftakt.store.database import now
from lauftakt.store.models import Driver, HandInLink, Team
from lauftakt.web.access import Problem, database
from lauftakt.web.policy import Viewer
from lauftakt.work.intake import Giver

DAYS = 14
MOST_DAYS = 366


def settings_of_app() -> Settings:
    """The settings this application was made with."""
    return cast(Settings, current_app.config["LAUFTAKT"])


def myself(viewer: Viewer, driver_name: str | None = None) -> Giver:
    """Whoever is signed in, with the driver's name that they typed."""
    typed = one_line(driver_name or "", 200) or None
    return Giver(viewer.team_id, "browser", driver_name=typed, account_id=viewer.account_id)


def signer(what: str) -> URLSafeSerializer:
    """Signs the secret part of one kind of link."""
    return URLSafeSerializer(settings_of_app().secret, salt=what)


def read_token(what: str, token: str) -> tuple[int, str] | None:
    """The number and the nonce of the row that a signed token stands for; None for whatever was never given out.

    Only the very letters that were given out count: the last letter of a signature holds bits that say nothing, so
    that several spellings would open the same.
    """
    try:
        number, nonce = signer(what).loads(token)
        if signer(what).dumps([number, nonce]) != token:
            return None
        return int(number), str(nonce)
    except (BadSignature, ValueError, TypeError):
        return None


def token_of(link: HandInLink) -> str:
    """The secret part of a link's address; made from the row, never kept."""
    return str(signer("hand-in link").dumps([link.id, link.nonce]))


def new_link(team: int, driver_id: int, days: int) -> HandInLink:
    """A link's row, to be added by the caller."""
    return HandInLink(
        team_id=team,
        driver_id=driver_id,
        nonce=secrets.token_hex(12),
        created_at=now(),
        expires_at=now() + timedelta(days=min(max(days, 1), MOST_DAYS)),
    )


def link_of(token: str) -> tuple[HandInLink, Driver]:
    """The link and driver that a token stands for.

    Raises
    ------
    Problem
        404 for what was never given out, 410 for what was revoked or ran out.
    """
    read = read_token("hand-in link", token)
    with database().begin() as session:
        row = session.get(HandInLink, read[0]) if read else None
        if read is None or row is None or not secrets.compare_digest(row.nonce, read[1]):
            raise Problem(404, "no-link", "This link is not known. Ask your coach for a new one.")
        if session.get(Team, row.team_id) is None:  # removed
            raise Problem(404, "no-link", "This link is not known. Ask your coach for a new one.")
        if row.revoked_at is not None:
            raise Problem(410, "link-revoked", "This link was taken back. Ask your coach for a new one.")
        if row.expires_at < now():
            raise Problem(410, "link-expired", "This link has run out. Ask your coach for a new one.")
        if row.last_used_at is None or now() - row.last_used_at > timedelta(seconds=20):
            row.last_used_at = now()
        if row.driver is None:
            raise Problem(410, "link-revoked", "This link was taken back. Ask your coach for a new one.")
        return row, row.driver


def viewer_of(link: HandInLink) -> Viewer:
    """The holder of a link."""
    return Viewer("link", link.team_id, driver_id=link.driver_id, link_id=link.id)


def by_link(token: str) -> Giver:
    """The giver behind a link: that driver, whatever else a request says."""
    link, driver = link_of(token)
    return Giver(link.team_id, "link", driver_id=driver.id, driver_name=driver.name, link_id=link.id)


def public_address() -> str:
    """The address under which phones reach this server."""
    return settings_of_app().public_url or request.host_url.rstrip("/")


LOOPBACK = ("http://127.", "http://localhost", "https://127.", "https://localhost")


def reachable() -> bool:
    """Whether another machine can open this server's links."""
    return not public_address().startswith(LOOPBACK)


def picture_of(address: str) -> str:
    """An address as a QR code, SVG."""
    picture = io.BytesIO()
    segno.make(address, error="m").save(
        picture, kind="svg", xmldecl=False, svgns=True, scale=4, border=2, omitsize=True
    )
    return picture.getvalue().decode()
