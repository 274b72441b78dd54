"""Loggers on the network: lists and fetches their runs, from addresses that the administrator allowed and no others.

The protocol is our own and small, see docs/formats.md: ``GET /runs`` lists, ``GET /runs/ID`` gives bytes and
understands ranges. A real device is slow, breaks off and has a wrong clock; all three are expected here.
"""

import contextlib
import hashlib
import json
import time
import urllib.error
import urllib.parse
import urllib.request
from dataclasses import dataclass
from datetime import UTC, datetime
from http.client import HTTPException
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from lauftakt.core.log.model import Unusable
from lauftakt.settings import NamedLogger, Settings
from lauftakt.store.accounts import team_for
from lauftakt.work.sources import Report

LIST_S = 6.0
READ_S = 15.0
MOST_TRIES = 8
MOST_LIST = 2_000_000
BLOCK = 1 << 16


class NoAnswer(Exception):
    """A logger that does not answer, or not sensibly; says so in a sentence."""


class NotAllowed(NoAnswer):
    """A logger that the administrator did not name."""


@dataclass(frozen=True)
class Recorded:
    """A run that a logger holds."""

    key: str
    name: str
    size: int
    sha256: str | None
    recorded_at: str | None


@dataclass(frozen=True)
class Listing:
    """What a logger holds, and by how many seconds its clock is ahead of ours (None: it does not tell)."""

    runs: tuple[Recorded, ...]
    clock_off_s: float | None


class _NoRedirect(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_: Any) -> None:
        return None


# Neither a proxy of the environment nor a redirection leads anywhere else than where the administrator pointed.
_opener = urllib.request.build_opener(urllib.request.ProxyHandler({}), _NoRedirect())


def loggers_of(session: Session, settings: Settings, team_id: int) -> list[NamedLogger]:
    """The loggers that the administrator gave to a team."""
    whose = {item.whose: team_for(session, item.whose) for item in settings.loggers}
    return [item for item in settings.loggers if whose[item.whose] == team_id]


def address_of(session: Session, settings: Settings, team_id: int, name: str) -> str:
    """The address of a logger that a team was given.

    Raises
    ------
    NotAllowed
    """
    for known in loggers_of(session, settings, team_id):
        if known.name == name:
            return known.address
    raise NotAllowed(f"“{name[:60]}” is not among the loggers that the administrator allowed.")


def list_runs(address: str) -> Listing:
    """Ask a logger what it holds.

    Raises
    ------
    NoAnswer
    """
    asked = datetime.now(UTC)
    try:
        with _opener.open(address + "/runs", timeout=LIST_S) as answer:
            data = answer.read(MOST_LIST + 1)
    except (OSError, HTTPException, ValueError) as error:
        raise NoAnswer("The logger does not answer. Is it switched on and in the same network?") from error
    middle = asked + (datetime.now(UTC) - asked) / 2
    try:
        if len(data) > MOST_LIST:
            raise ValueError("too long")
        found = json.loads(data)
        runs = tuple(_recorded(item) for item in found["runs"][:2000])
        clock = datetime.fromisoformat(found["clock"]) if found.get("clock") else None
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise NoAnswer("The logger's answer cannot be understood; is this address really a logger?") from error
    off = None if clock is None else ((clock if clock.tzinfo else clock.replace(tzinfo=UTC)) - middle).total_seconds()
    return Listing(runs, off)


def _recorded(item: Any) -> Recorded:
    digest = item.get("sha256")
    return Recorded(
        key=str(item["id"])[:200],
        name=str(item["name"])[:300],
        size=int(item["size"]),
        sha256=str(digest).lower() if digest else None,
        recorded_at=str(item["recorded_at"])[:40] if item.get("recorded_at") else None,
    )


def fetch(address: str, key: str, path: Path, most: int, report: Report) -> Listing:
    """Fetch one run, going on after every break where it broke; returns the listing it was taken from.

    Parameters
    ----------
    address : of an allowed logger
    key : of the run
    path : where to
    most : bytes
    report : progress; may raise

    Raises
    ------
    Unusable
        ``logger``, ``logger-broken``, ``file-large``
    """
    try:
        listing = list_runs(address)
    except NoAnswer as error:
        raise Unusable("logger", str(error)) from error
    wanted = next((run for run in listing.runs if run.key == key), None)
    if wanted is None:
        raise Unusable("logger", "The logger no longer holds this run.")
    if wanted.size > most:
        raise Unusable(
            "file-large", f"The run has {wanted.size / 1e6:,.0f} MB; the limit set here is {most / 1e6:,.0f} MB."
        )
    part = path.with_suffix(".fetch")
    part.unlink(missing_ok=True)
    part.touch()
    tries = 0
    try:
        while part.stat().st_size < wanted.size:
            before = part.stat().st_size
            # A break is no error here: what has come is kept, and counted below.
            with contextlib.suppress(OSError, HTTPException, ValueError):
                _go_on(address, wanted, part, report)
            if part.stat().st_size == before:
                tries += 1
                if tries >= MOST_TRIES:
                    raise Unusable(
                        "logger-broken",
                        f"The transfer from the logger broke off {tries} times in a row, at {before} of {wanted.size} "
                        "bytes. Move closer, or try again later.",
                    )
                time.sleep(min(0.2 * 2**tries, 3.0))
            else:
                tries = 0
        with part.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        if wanted.sha256 and digest != wanted.sha256:
            raise Unusable("logger-broken", "What came from the logger is not what it holds; fetch it again.")
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
    return listing


def _go_on(address: str, wanted: Recorded, part: Path, report: Report) -> None:
    have = part.stat().st_size
    request = urllib.request.Request(  # noqa: S310 (the administrator's own address)
        f"{address}/runs/{urllib.parse.quote(wanted.key, safe='')}", headers={"Range": f"bytes={have}-"}
    )
    with _opener.open(request, timeout=READ_S) as answer:
        if have and answer.status != 206:
            have = 0  # a device that does not know ranges begins anew
            part.write_bytes(b"")
        with part.open("r+b") as file:
            file.seek(have)
            while have < wanted.size and (block := answer.read1(min(BLOCK, wanted.size - have))):
                file.write(block)
                have += len(block)
                report(0.3 * have / max(wanted.size, 1), "fetching")
