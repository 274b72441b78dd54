"""What a log holds: channels with their roles and the evidence for them, dialects of loggers, repairs of clocks and
positions, and whether two logs are one.
"""

from lauftakt.core.log.dialect import Choice, Dialect
from lauftakt.core.log.model import Channel, Log, RawChannel, RawLog, Recognition, Unusable, Warning, rate_of
from lauftakt.core.log.roles import ROLES, Role

__all__ = [
    "ROLES",
    "Channel",
    "Choice",
    "Dialect",
    "Log",
    "RawChannel",
    "RawLog",
    "Recognition",
    "Role",
    "Unusable",
    "Warning",
    "rate_of",
]
