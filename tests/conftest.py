"""Shared by all tests: the school's day with its truth, and a real MariaDB for each worker."""

import itertools
import json
import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.demo.drive import drive_run
from lauftakt.demo.line import racing_line
from lauftakt.demo.next_runs import write_next_runs
from lauftakt.demo.scenario import random_scenario
from lauftakt.demo.school import write_day
from lauftakt.demo.season import write_season
from lauftakt.formats.geojson import read_layout
from lauftakt.formats.reading import read_log
from lauftakt.operate.mariadb import PrivateMariaDB
from lauftakt.store.database import Database
from tests import cheaply, costs, once
from tests.day import Day

_count = itertools.count()
WRITTEN = pytest.StashKey[int]()


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--write-numbers", action="store_true", help="keep the numbers of tests/kept/numbers.json anew")
    parser.addoption("--costs", action="store_true", help="print CPU seconds by file, with those of what tests start")


def pytest_configure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        once.begin_sharing()
    if config.getoption("--costs"):
        config.pluginmanager.register(costs.Costs())


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    """What fails is said at once, by whoever collects the reports, and not only at the end."""
    if report.failed and "PYTEST_XDIST_WORKER" not in os.environ:
        crash = getattr(report.longrepr, "reprcrash", None)
        print(f"\nFAILED {report.nodeid} ({report.when}): {crash.message.splitlines()[0] if crash else ''}", flush=True)


def pytest_unconfigure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        once.end_sharing()


# A proof is the same each time: a red run is of a change and not of chance. Examples drawn anew come with
# `script/test --shuffled` and with the long tests.
settings.register_profile("proof", derandomize=True, deadline=None, print_blob=True)
settings.register_profile("search", deadline=None, print_blob=True)
settings.load_profile("search" if os.environ.get("LAUFTAKT_TESTS_RANDOM") else "proof")


def pytest_itemcollected(item: pytest.Item) -> None:
    item.stash[WRITTEN] = next(_count)


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """A story stays in its order whatever the others' is; without chance, what takes longest begins first."""
    stories: dict[Path, list[int]] = {}
    for place, item in enumerate(items):
        if item.get_closest_marker("in_order"):
            stories.setdefault(item.path, []).append(place)
    for places in stories.values():
        told = sorted((items[place] for place in places), key=lambda item: item.stash[WRITTEN])
        for place, item in zip(places, told, strict=True):
            items[place] = item
    if not config.pluginmanager.hasplugin("randomly"):
        items.sort(key=lambda item: _turn(item.path))


def _turn(path: Path) -> int:
    """When a file's turn comes: long ones first, so that both workers end together."""
    parts = path.relative_to(Path(__file__).parent).parts
    if len(parts) == 1:
        return 0 if path.stem in ("test_benchmarks", "test_withstanding") else 2
    return {"browser": 1, "store": 2, "web": 3, "work": 4}.get(parts[0], 5)


# The simulator drives the same runs for many tests.
for compute in (racing_line, drive_run, random_scenario):
    once.remember_everywhere(compute)

cheaply.use()


def _driven_day(folder: Path) -> Day:
    layout_file, *files = write_day(folder, truth=True)
    logs = [read_log(path) for path in files]
    layout, _ = make_layout(logs[0], read_layout(layout_file.read_bytes(), "?"))
    runs = [analyse_run(log, layout) for log in logs]
    truth = json.loads((folder / "truth.json").read_text())
    return Day(layout_file, files, [truth[path.name] for path in files], logs, layout, runs)


@pytest.fixture(scope="session")
def day() -> Day:
    return once.made_once("day", _driven_day)


@pytest.fixture(scope="session")
def next_files() -> dict[str, Path]:
    """The afternoon after the debrief, by the driver's name in small letters."""
    found = once.made_once("afternoon", write_next_runs)
    return {path.stem.rsplit("-", 1)[1]: path for path in found}


@pytest.fixture(scope="session")
def season_files() -> list[Path]:
    """The instructor and a student, who forgets on the third day what he did on the second, over three days."""
    return once.made_once("season", lambda folder: write_season(folder, drivers=("Halvard", "Okan"), laps=6))


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateMariaDB]:
    server = PrivateMariaDB(tmp_path_factory.mktemp("mariadb"))
    server.start()
    yield server
    server.stop()


@pytest.fixture(scope="session")
def database(mariadb: PrivateMariaDB, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    os.environ["LAUFTAKT_DATABASE_URL"] = mariadb.url
    os.environ["LAUFTAKT_VAR"] = str(tmp_path_factory.mktemp("var"))
    found = Database(mariadb.url)
    found.migrate()
    yield found
    found.close()
