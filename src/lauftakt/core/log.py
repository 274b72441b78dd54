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
class Channel:
    """One logged quantity.

    Attributes
    ----------
    name : what the logger called it
    unit : SI unit of ``values`` (see :data:`lauftakt.core.roles.ROLES`), or the logger's own where the role is None
    role : what it stands for, or None
    time : (n,) seconds from the log's first sample, strictly rising
    values : (n,) finite samples
    logged_unit : the unit in which the logger wrote them, for people to see
    """

    name: str
    unit: str
    role: str | None
    time: Array
    values: Array
    logged_unit: str = ""

    @property
    def rate_hz(self) -> float:
        """Usual number of samples in a second (0 for fewer than two samples)."""
        if len(self.time) < 2:
            return 0.0
        return float(1.0 / np.median(np.diff(self.time)))


@dataclass(frozen=True)
class Log:
    """Channels of one run and what the file said about it (driver, car, circuit, date, kind)."""

    channels: tuple[Channel, ...]
    meta: dict[str, str] = field(default_factory=dict)
    warnings: tuple[Warning, ...] = ()

    def role(self, role: str) -> Channel | None:
        """The channel with a role, or None."""
        return next((c for c in self.channels if c.role == role), None)
