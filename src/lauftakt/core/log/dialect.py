"""A logger's dialect: what a person once said about the channels of one kind of logger, recognised by their names."""

import hashlib
import re
from collections.abc import Iterable
from dataclasses import dataclass, field

# A logger that gained or lost a few channels is still the same logger; so is one of whose many names nearly all are
# known, whatever else it logs, or has stopped to log.
ALIKE = 0.8
KNOWN, MANY = 0.9, 8


@dataclass(frozen=True)
class Choice:
    """What is known of one channel; what is None is left to the program.

    Attributes
    ----------
    role : a role's code, ``""`` for "stands for nothing here", None where nobody said
    unit : in which the values are written, whatever the file says
    flipped : whether the sign has to be turned
    """

    role: str | None = None
    unit: str | None = None
    flipped: bool | None = None

    @property
    def says_nothing(self) -> bool:
        """Whether everything is left to the program."""
        return self.role is None and self.unit is None and self.flipped is None


@dataclass(frozen=True)
class Dialect:
    """``names`` of the channels by which the logger is recognised, ``choices`` by channel name."""

    names: frozenset[str]
    choices: dict[str, Choice] = field(default_factory=dict)


def plain(name: str) -> str:
    """A channel's name without case, blanks and signs, but with letters of every script."""
    return re.sub(r"[\W_]+", "", name.lower())


def fingerprint(names: Iterable[str]) -> str:
    """Recognises a set of channel names, whatever their order: 64 hex digits."""
    return hashlib.sha256("\n".join(sorted({plain(name) for name in names})).encode()).hexdigest()


def likeness(own: Iterable[str], other: Iterable[str]) -> float:
    """Share of the names that two loggers have in common, 0 to 1 (Jaccard 1901)."""
    a, b = {plain(name) for name in own}, {plain(name) for name in other}
    return len(a & b) / len(a | b) if a | b else 0.0


def same_logger(own: Iterable[str], other: Iterable[str]) -> float:
    """How surely two sets of channel names are of one kind of logger, 0 to 1; 0 where they are not.

    A number behind a name that occurs twice is no part of it.
    """
    a, b = ({plain(re.sub(r" \(\d+\)$", "", name)) for name in names} for names in (own, other))
    alike, common = likeness(a, b), len(a & b)
    within = common / min(len(a), len(b)) if a and b else 0.0
    if alike >= ALIKE:
        return alike
    return ALIKE * within if within >= KNOWN and common >= MANY else 0.0
