"""Dates, clocks and names on their way in and out."""

from dataclasses import replace
from datetime import datetime
from pathlib import Path

import gpxpy
import numpy as np
import pyarrow as pa
import pytest
from asammdf import MDF

from lauftakt.core.log.model import Log, Warning
from lauftakt.core.log.text import one_line, printable
from lauftakt.formats.clock import seconds_of_text
from lauftakt.formats.days import day_order
from lauftakt.formats.gpx import write_gpx
from lauftakt.formats.mdf import write_mdf
from lauftakt.formats.metadata import dated
from lauftakt.formats.reading import read_log
from tests.day import Day


def first_of(cells: list[str]) -> tuple[str | None, list[str]]:
    warnings: list[Warning] = []
    found = seconds_of_text(pa.chunked_array([cells]), warnings)
    assert found is not None
    return found[1], [warning.code for warning in warnings]


def test_us_dates_do_not_change_meaning_at_the_thirteenth() -> None:
    """A log that passes midnight from the 12th to the 13th of May, month first."""
    cells = [f"05/12/2026 23:59:{s:02d}" for s in range(50, 60)] + [f"05/13/2026 00:00:{s:02d}" for s in range(10)]
    warnings: list[Warning] = []
    seconds, moment = seconds_of_text(pa.chunked_array([cells]), warnings)
    assert moment is not None
    assert moment.startswith("2026-05-12T23:59:50")
    assert seconds[-1] - seconds[0] == 19
    assert warnings == []


@pytest.mark.parametrize(
    ("cells", "day", "codes"),
    [
        (["16/05/2026 10:00:00", "16/05/2026 10:00:01"], "2026-05-16", []),
        (["05/16/2026 10:00:00", "05/16/2026 10:00:01"], "2026-05-16", []),
        (["05.06.2026 10:00:00", "05.06.2026 10:00:01"], "2026-06-05", []),
        (["05/06/2026 10:00:00", "05/06/2026 10:00:01"], "2026-06-05", ["date-ambiguous"]),
        (["05/06/2026 23:59:59", "05/07/2026 00:00:00"], "2026-05-06", []),
        (["06/05/2026 23:59:59", "07/05/2026 00:00:00"], "2026-05-06", []),
        (["05/05/2026 10:00:00", "05/05/2026 10:00:01"], "2026-05-05", []),
        (["2026-05-06 10:00:00", "2026-05-06 10:00:01"], "2026-05-06", []),
    ],
)
def test_the_order_is_decided_once_for_a_column(cells: list[str], day: str, codes: list[str]) -> None:
    moment, told = first_of(cells)
    assert moment is not None
    assert moment[:10] == day
    assert told == codes


def test_nothing_is_said_of_no_dates() -> None:
    assert day_order([]) == (False, None)


@pytest.mark.parametrize(
    ("given", "wanted"),
    [("16.05.2026", "2026-05-16"), ("05/16/2026", "2026-05-16"), ("04/05/2026", "2026-05-04")],
)
def test_a_date_of_a_files_head(given: str, wanted: str) -> None:
    assert dated({"date": given, "time": "9:40:00"})["date"] == f"{wanted}T09:40:00"


WRITERS = {"gpx": write_gpx, "mf4": write_mdf}


@pytest.fixture(scope="module")
def short(day: Day) -> Log:
    """The first forty seconds of a run: what is said of it does not depend on its length."""
    log = day.logs[0]
    ends = [np.searchsorted(channel.time, 40.0) for channel in log.channels]
    return replace(
        log,
        channels=tuple(
            replace(channel, time=channel.time[:end], values=channel.values[:end])
            for channel, end in zip(log.channels, ends, strict=True)
        ),
    )


def written(log: Log, tmp_path: Path, kind: str, **meta: str | None) -> tuple[Path, Log]:
    path = tmp_path / f"x.{kind}"
    own = {key: value for key, value in {**log.meta, **meta}.items() if value is not None}
    WRITERS[kind](replace(log, meta=own), path)
    return path, read_log(path)


@pytest.mark.parametrize("kind", WRITERS)
@pytest.mark.parametrize("name", ["R&D <b>", "Zoë \"Z\" 'O'", "]]>", "Müller 🏎"])
def test_names_survive_every_sign(short: Log, tmp_path: Path, kind: str, name: str) -> None:
    _, log = written(short, tmp_path, kind, driver=name, notes=name)
    assert (log.meta["driver"], log.meta["notes"]) == (name, name)


def test_gpx_is_read_by_the_independent_library(short: Log, tmp_path: Path) -> None:
    path, log = written(short, tmp_path, "gpx", driver="R&D <b>", date="2026-05-16T09:40:00+02:00")
    with path.open() as file:
        found = gpxpy.parse(file)
    points = found.tracks[0].segments[0].points
    assert found.tracks[0].name == "R&D <b>"
    assert len(points) == len(short.role("latitude").time)
    assert points[0].time.isoformat() == "2026-05-16T07:40:00+00:00"
    assert log.meta["date"] == "2026-05-16T09:40:00+02:00"


@pytest.mark.parametrize("kind", WRITERS)
def test_a_local_clock_comes_back_as_a_local_clock(short: Log, tmp_path: Path, kind: str) -> None:
    path, log = written(short, tmp_path, kind, date="2026-05-16T09:40:00")
    assert log.meta["date"] == "2026-05-16T09:40:00"
    if kind == "mf4":
        with MDF(path) as file:
            assert file.header.start_time == datetime(2026, 5, 16, 9, 40)


@pytest.mark.parametrize("kind", WRITERS)
def test_a_run_without_a_date_gets_none(short: Log, tmp_path: Path, kind: str) -> None:
    path, log = written(short, tmp_path, kind, date=None)
    assert "date" not in log.meta
    assert b"2000-01-01" not in path.read_bytes()


def test_text_loses_only_what_nothing_can_hold() -> None:
    assert printable("a\x00b\ud800c\x1b[31m") == "abc[31m"
    assert printable("two\nlines\x00", lines=True) == "two\nlines"
    assert one_line("  a \n b\t\x00c ", 5) == "a b c"[:5].strip()
    assert printable("Müller 🏎 名") == "Müller 🏎 名"
