"""CPU seconds by file of tests, with what they start: servers, workers, a browser (``script/test --costs``)."""

import os
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

import pytest

TICKS = os.sysconf("SC_CLK_TCK")
SHOWN = 40
SPENT = "lauftakt-cpu"


def spent_by(root: int) -> float:
    """CPU seconds of a process and of all that it started, those that ended included."""
    total, waiting = 0, [root]
    while waiting:
        pid = waiting.pop()
        try:
            stat = Path(f"/proc/{pid}/stat").read_text().rsplit(") ", 1)[1].split()
            total += sum(int(value) for value in stat[11:15])
            for task in Path(f"/proc/{pid}/task").iterdir():
                waiting.extend(int(child) for child in (task / "children").read_text().split())
        except (OSError, IndexError):
            continue  # it ended meanwhile; its parent counts it
    return total / TICKS


class Costs:
    """What each test spent, its share of fixtures included; told by whoever collects the reports."""

    def __init__(self) -> None:
        self.files: dict[str, float] = defaultdict(float)

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_makereport(self, item: pytest.Item, call: pytest.CallInfo[None]) -> Iterator[None]:
        report = yield
        now = spent_by(os.getpid())
        report.user_properties.append((SPENT, now - item.stash.get(BEFORE, now)))
        item.stash[BEFORE] = now
        return report

    @pytest.hookimpl(tryfirst=True)
    def pytest_runtest_setup(self, item: pytest.Item) -> None:
        item.stash[BEFORE] = spent_by(os.getpid())

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        if "PYTEST_XDIST_WORKER" not in os.environ and (told := [v for k, v in report.user_properties if k == SPENT]):
            self.files[report.nodeid.split("::")[0]] += told[-1]

    def pytest_terminal_summary(self, terminalreporter: pytest.TerminalReporter) -> None:
        if not self.files:
            return
        terminalreporter.section("CPU seconds by file")
        for name, seconds in sorted(self.files.items(), key=lambda file: -file[1])[:SHOWN]:
            terminalreporter.write_line(f"{seconds:8.1f}  {name}")
        terminalreporter.write_line(f"{sum(self.files.values()):8.1f}  all {len(self.files)} files")


BEFORE = pytest.StashKey[float]()
