"""Shared by all tests: the school's day with its truth, and a real MariaDB for the whole session."""

import json
import os
from collections.abc import Iterator
from pathlib import Path

import pytest

from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.demo.next_runs import write_next_runs
from lauftakt.demo.school import write_day
from lauftakt.demo.season import write_season
from lauftakt.formats.geojson import read_layout
from lauftakt.formats.reading import read_log
from lauftakt.operate.mariadb import PrivateMariaDB
from lauftakt.store.database import Database
from tests.day import Day


@pytest.fixture(scope="session")
def day(tmp_path_factory: pytest.TempPathFactory) -> Day:
    folder = tmp_path_factory.mktemp("day")
    layout_file, *files = write_day(folder, truth=True)
    logs = [read_log(path) for path in files]
    layout, _ = make_layout(logs[0], read_layout(layout_file.read_bytes(), "?"))
    runs = [analyse_run(log, layout) for log in logs]
    truth = json.loads((folder / "truth.json").read_text())
    return Day(layout_file, files, [truth[path.name] for path in files], logs, layout, runs)


@pytest.fixture(scope="session")
def next_files(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """The afternoon after the debrief, by the driver's name in small letters."""
    return {path.stem.rsplit("-", 1)[1]: path for path in write_next_runs(tmp_path_factory.mktemp("afternoon"))}


@pytest.fixture(scope="session")
def season_files(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """The instructor and a student, who forgets on the third day what he did on the second, over three days."""
    return write_season(tmp_path_factory.mktemp("season"), drivers=("Halvard", "Okan"), laps=6)


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
