"""Where a driver loses time as a habit, why, and how that is said."""

from lauftakt.core.findings.causes import explain
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.statement import Finding
from lauftakt.core.findings.words import tell

__all__ = ["Contender", "Evidence", "Finding", "explain", "find", "tell"]
