"""The demo day as the tests see it."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.log.model import Log
from lauftakt.core.run import AnalysedRun


@dataclass(frozen=True)
class Day:
    """The demo day: files, truth, and the core's view of it."""

    layout_file: Path
    files: list[Path]
    truth: dict[str, Any]
    logs: list[Log]
    layout: Layout
    runs: list[AnalysedRun]

    def of(self, driver: str) -> int:
        return next(i for i, log in enumerate(self.logs) if log.meta["driver"] == driver)
