"""Where a driver loses time as a habit, why, and how that is said."""

from lauftakt.core.findings.causes import Evidence, explain
from lauftakt.core.findings.finding import Finding, find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.telling import tell

__all__ = ["Contender", "Evidence", "Finding", "explain", "find", "tell"]
