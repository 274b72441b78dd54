"""Logger dialects as JSON, so that one team can hand what it learnt to another: see docs/formats.md."""

import json
from typing import Any

from lauftakt.core.log.dialect import Choice, Dialect
from lauftakt.core.log.model import Unusable
from lauftakt.core.log.roles import ROLES
from lauftakt.core.log.text import printable

VERSION = 1
MOST_NAMES = 1200


def write_dialect(name: str, dialect: Dialect) -> bytes:
    """A dialect file."""
    choices = {
        channel: {"role": choice.role, "unit": choice.unit, "flipped": choice.flipped}
        for channel, choice in sorted(dialect.choices.items())
    }
    return json.dumps(
        {"lauftakt-dialect": VERSION, "name": name, "names": sorted(dialect.names), "channels": choices},
        indent=1,
        ensure_ascii=False,
    ).encode()


def read_dialect(data: bytes) -> tuple[str, Dialect]:
    """Name and dialect from a file (the inverse of :func:`write_dialect`).

    Raises
    ------
    Unusable
        ``dialect-file``
    """
    try:
        found: Any = json.loads(data.decode("utf-8-sig"))
        if found["lauftakt-dialect"] != VERSION:
            raise Unusable("dialect-file", "The dialect was written by another version and cannot be read.")
        names = [_text(name, 300) for name in found["names"]]
        choices = {_text(channel, 300): _choice(choice) for channel, choice in found["channels"].items()}
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise Unusable("dialect-file", "The file is not a whole dialect; export it again.") from error
    if not names or len(names) > MOST_NAMES or not set(choices) <= set(names):
        raise Unusable("dialect-file", "The dialect's channels and names do not belong together.")
    return _text(found.get("name") or "A logger", 200), Dialect(frozenset(names), choices)


def _text(value: object, longest: int) -> str:
    if not isinstance(value, str):
        raise TypeError(value)
    return printable(value)[:longest]


def _choice(found: Any) -> Choice:
    role, unit, flipped = found.get("role"), found.get("unit"), found.get("flipped")
    if role not in (None, "") and role not in ROLES:
        raise Unusable("dialect-file", f"The dialect names a role that is not known: “{_text(role, 40)}”.")
    if flipped not in (None, True, False):
        raise ValueError(flipped)
    return Choice(role=role, unit=None if unit is None else _text(unit, 60), flipped=flipped)
