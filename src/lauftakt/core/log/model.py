"""A log: what one device recorded in one go, as channels with their own clocks, in SI units."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


class Unusable(Exception):
    """The log (or layout) cannot be used; the message says in one sentence what is wrong and what to do."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(message)
        self.code = code


@dataclass(frozen=True)
class Warning:
    """Something that was repaired, left out or assumed; ``code`` is stable, ``message`` is for people."""

    code: str
    message: str


@dataclass(frozen=True)
class Recognition:
    """How a channel got its role.

    Attributes
    ----------
    by : ``name``, ``values``, ``dialect`` (somebody said so), ``derived`` (made of other channels) or ``none``
    confidence : of the role, 0 to 1
    flipped : the sign was turned, because the values contradict the convention (left and forwards are positive)
    unit : in which the values were taken to be written
    second : the role it would have otherwise, ``""`` for none, None where that is out of the question
    """

    by: str = "none"
    confidence: float = 0.0
    flipped: bool = False
    unit: str = ""
    second: str | None = None


@dataclass(frozen=True)
class RawChannel:
    """A channel as logged: ``values`` (n,) in ``unit``, ``time`` (n,) seconds from the log's first sample, rising."""

    name: str
    unit: str
    time: Array
    values: Array


@dataclass(frozen=True)
class RawLog:
    """What a file holds, before anybody says what its channels stand for; names differ from one another."""

    channels: tuple[RawChannel, ...]
    meta: dict[str, str] = field(default_factory=dict)
    warnings: tuple["Warning", ...] = ()


@dataclass(frozen=True)
class Channel:
    """One logged quantity.

    Attributes
    ----------
    name : what the logger called it
    unit : SI unit of ``values`` (see :data:`lauftakt.core.log.roles.ROLES`), or the logger's own where the role is None
    role : what it stands for, or None
    time : (n,) seconds from the log's first sample, strictly rising
    values : (n,) finite samples
    logged_unit : the unit in which the logger wrote them, for people to see
    recognised : how it got its role
    """

    name: str
    unit: str
    role: str | None
    time: Array
    values: Array
    logged_unit: str = ""
    recognised: Recognition = Recognition()

    @property
    def rate_hz(self) -> float:
        """Usual number of samples in a second (0 for fewer than two samples)."""
        return rate_of(self.time)


@dataclass(frozen=True)
class Log:
    """Channels of one run and what the file said about it (driver, car, circuit, date, kind)."""

    channels: tuple[Channel, ...]
    meta: dict[str, str] = field(default_factory=dict)
    warnings: tuple[Warning, ...] = ()

    def role(self, role: str) -> Channel | None:
        """The channel with a role, or None."""
        return next((c for c in self.channels if c.role == role), None)

    def positions(self) -> tuple[Channel, Channel] | None:
        """Latitude and longitude, or None where the log has no positions."""
        latitude, longitude = self.role("latitude"), self.role("longitude")
        return None if latitude is None or longitude is None else (latitude, longitude)


# Samples of a long clock that are looked at in one place.
LOOK = 2000


def rate_of(time: Array) -> float:
    """Usual number of samples in a second of (n,) seconds; 0 for fewer than two samples."""
    if len(time) < 2:
        return 0.0
    if len(time) <= 3 * LOOK:
        return float(1.0 / np.median(np.diff(time)))
    # A look at the beginning, the middle and the end of a long log.
    middle = len(time) // 2
    parts = time[:LOOK], time[middle : middle + LOOK], time[-LOOK:]
    return float(1.0 / np.median(np.concatenate([np.diff(part) for part in parts])))
