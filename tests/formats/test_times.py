# ruff: noqa: E501
"""Times as loggers write them: text, figures, dates beside them, clocks that are set; and the rows they stand in."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.feather as feather
import pyarrow.parquet as pq
import pytest
from asammdf import MDF, Signal

from lauftakt.core.log.model import RawLog, Unusable
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.reading import read_log, read_raw
from tests.day import Day

ROWS = 400
BEGIN = datetime(2026, 5, 16, 9, 30, 0, tzinfo=UTC)


def moment(i: int) -> datetime:
    return BEGIN + timedelta(seconds=i / 10)


def clock_of(raw: RawLog) -> np.ndarray:
    return raw.channels[0].time


def text_of(when: Callable[[int], str], header: str = "Time", more: str = "") -> str:
    rows = [f"{when(i)}{more},{100 + i % 50}" for i in range(ROWS)]
    return "\n".join([f"{header},Speed [km/h]", *rows]) + "\n"


SECONDS = (BEGIN - datetime(1970, 1, 1, tzinfo=UTC)).total_seconds()
EXCEL = SECONDS / 86400 + 25569
COUNTED: dict[str, tuple[str, Callable[[int], str], str | None]] = {
    "seconds": ("Time [s]", lambda i: f"{i / 10:.1f}", None),
    "milliseconds by the name": ("time_ms", lambda i: f"{i * 100}", None),
    "milliseconds by their size": ("Time", lambda i: f"{i * 100}", None),
    "Excel serial days": ("Time", lambda i: f"{EXCEL + i / 864000:.10f}", "2026-05-16T09:30:00"),
    "parts of a day": ("Time", lambda i: f"{0.4 + i / 864000:.10f}", None),
    "seconds of the day past midnight": ("Time of day [s]", lambda i: f"{(86390 + i / 10) % 86400:.1f}", None),
    "epoch in s": ("Timestamp", lambda i: f"{SECONDS + i / 10:.3f}", "2026-05-16T09:30:00"),
    "epoch in ms": ("Timestamp", lambda i: f"{SECONDS * 1e3 + i * 100:.0f}", "2026-05-16T09:30:00"),
    "epoch in µs": ("Timestamp", lambda i: f"{SECONDS * 1e6 + i * 100_000:.0f}", "2026-05-16T09:30:00"),
    "epoch in ns": ("Timestamp", lambda i: f"{round(SECONDS) * 10**9 + i * 10**8}", "2026-05-16T09:30:00"),
    "hours, minutes, seconds in a row": ("UTC", lambda i: f"{moment(i):%H%M%S.%f}"[:8], None),
    "AM and PM": ("Time", lambda i: f"{moment(i + 90_000):%I:%M:%S.%f %p}", None),
    "dates with AM and PM": ("Time", lambda i: f"{moment(i):%m/%d/%Y %I:%M:%S.%f %p}", "2026-05-16T09:30:00"),
    "milliseconds behind a colon": ("Zeit", lambda i: f"{moment(i):%H:%M:%S}:{i % 10}00", None),
    "a month by its name": ("Time", lambda i: f"{moment(i):%d-%b-%Y %H:%M:%S.%f}", "2026-05-16T09:30:00"),
    "a datetime index without a name": ("", lambda i: f"{moment(i):%Y-%m-%d %H:%M:%S.%f}", "2026-05-16T09:30:00"),
    "summer time that ends in the log": (
        "Time", lambda i: f"{moment(i):%Y-%m-%dT}{11 if i < 200 else 10}:{moment(i):%M:%S.%f}{'+02:00' if i < 200 else '+01:00'}", "2026-05-16T11:30:00",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", COUNTED)
def test_a_clock_is_read_whatever_it_counts(name: str, tmp_path: Path) -> None:
    header, when, date = COUNTED[name]
    path = tmp_path / "log.csv"
    path.write_text(text_of(when, header))
    raw = read_raw(path)
    assert clock_of(raw) == pytest.approx(np.arange(ROWS) / 10, abs=2e-3)
    assert (raw.meta.get("date") or "")[:19] == (date or "")


@pytest.mark.parametrize("shift", [3600, -3600])
def test_a_clock_that_is_set_by_an_hour_goes_on(shift: int, tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    path.write_text(text_of(lambda i: f"{moment(i + (10 * shift if i >= 150 else 0)):%H:%M:%S.%f}"))
    raw = read_raw(path)
    assert clock_of(raw) == pytest.approx(np.arange(ROWS) / 10, abs=1e-3)
    assert "clock-set" in {warning.code for warning in raw.warnings}


def test_of_several_times_the_one_that_fits_the_rows(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    rows = [f"{moment(i):%H:%M:%S},{i % 90},{i / 10:.1f},{100 + i % 50}" for i in range(ROWS)]
    path.write_text("\n".join(["UTC Time,Lap Time [s],Elapsed Time,Speed [km/h]", *rows]) + "\n")
    raw = read_raw(path)
    assert clock_of(raw) == pytest.approx(np.arange(ROWS) / 10)


@pytest.mark.parametrize("day", ["2026-05-16", "16.05.2026", "20260516"])
def test_a_date_beside_the_time_names_the_day(day: str, tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    rows = [f"{day},{moment(i):%H:%M:%S.%f},{100 + i % 50}" for i in range(ROWS)]
    path.write_text("\n".join(["Date,Time,Speed [km/h]", *rows]) + "\n")
    raw = read_raw(path)
    assert raw.meta["date"][:19] == "2026-05-16T09:30:00"
    assert [channel.name for channel in raw.channels] == ["Speed"]


def test_damaged_rows_are_named_and_the_good_ones_used(tmp_path: Path) -> None:
    rows = [f"{i / 10:.1f},{100 + i % 50},5" for i in range(ROWS)]
    rows[10] += ",,"  # only blanks too many
    rows[20] = '2.0,"120,5'
    rows[30] = "3.0,120"
    rows[40] = "1.0,120,5"
    path = tmp_path / "log.csv"
    path.write_text("\n".join(["time [s],speed [km/h],gear", *rows]) + "\n")
    raw = read_raw(path)
    told = {warning.code: warning.message for warning in raw.warnings}
    assert "lines 22 and 32" in told["rows-skipped"]
    assert "time did not rise" in told["clock-repaired"]
    assert len(raw.channels[0].time) == ROWS - 3
    path.write_text("time [s],speed [km/h]\n" + "".join(f"{i % 250 / 10},{i % 50}\n" for i in range(500)))
    raw = read_raw(path)
    assert "row 252" in next(w.message for w in raw.warnings if w.code == "clock-restarted")
    assert len(raw.channels[0].time) == 250


def test_figures_typed_as_text(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    rows = [f"{i / 10:.1f};{'1.234,5' if i % 2 else '987,5'};{'N' if i < 9 else i % 5 + 1};{20 + i % 9} bar;{'on' if i % 3 else 'off'};word {i}" for i in range(ROWS)]  # fmt: skip
    path.write_text("\n".join(["time [s];engine speed [rpm];gear;brake pressure;ABS;note", *rows]) + "\n")
    raw = read_raw(path)
    held = {channel.name: channel.values for channel in raw.channels}
    assert set(held["engine speed"]) == {1234.5, 987.5}
    assert set(held["gear"]) == {0, 1, 2, 3, 4, 5}
    assert held["brake pressure"].max() == 28
    assert set(held["ABS"]) == {0, 1}
    assert "note" not in held


def test_merged_headers(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    head = ["Time,Brake,,Wheel speed,", ",Front,Rear,FL,FR", "s,bar,bar,km/h,km/h"]
    path.write_text("\n".join([*head, *(f"{i / 10:.1f},1,2,3,4" for i in range(ROWS))]) + "\n")
    raw = read_raw(path)
    assert [(c.name, c.unit) for c in raw.channels] == [
        ("Brake Front", "bar"), ("Brake Rear", "bar"), ("Wheel speed FL", "km/h"), ("Wheel speed FR", "km/h"),
    ]  # fmt: skip
    assert [c.role for c in read_log(path).channels] == [
        "brake_pressure", "rear_brake_pressure", "wheel_front_left", "wheel_front_right",
    ]  # fmt: skip


def test_tables_of_other_libraries(tmp_path: Path) -> None:
    clock = [moment(i) for i in range(ROWS)]
    gears = pa.array(["N", "1", "2", "3"] * (ROWS // 4)).dictionary_encode()
    table = pa.table({"__index_level_0__": pa.array(clock, pa.timestamp("us", "UTC")), "('Engine', 'Speed', 'rpm')": pa.array(np.arange(ROWS) * 10.0),
                      "Gear": gears, "views": pa.array(["a", "b"] * (ROWS // 2)).cast(pa.string_view()), "nested": pa.array([{"a": 1}] * ROWS)})  # fmt: skip
    for name, write in (("log.parquet", pq.write_table), ("log.feather", feather.write_feather)):
        path = tmp_path / name
        write(table.drop_columns(["views"]) if name == "log.parquet" else table, path)
        raw = read_raw(path)
        assert [(c.name, c.unit) for c in raw.channels] == [("Engine Speed", "rpm"), ("Gear", "")]
        assert clock_of(raw) == pytest.approx(np.arange(ROWS) / 10)
        assert raw.meta["date"].startswith("2026-05-16T09:30:00")
        assert set(raw.channels[1].values) == {0, 1, 2, 3}
    feather.write_feather(table.select(["('Engine', 'Speed', 'rpm')"]), tmp_path / "old.feather", version=1)
    with pytest.raises(Unusable, match="Feather"):
        read_raw(tmp_path / "old.feather")


def test_a_track_of_the_first_version_has_its_speed_and_names_no_driver(tmp_path: Path) -> None:
    points = "".join(
        f'<trkpt lat="{53 + i / 1e5}" lon="10.1"><time>{moment(i * 10):%Y-%m-%dT%H:%M:%SZ}</time>'
        f"<course>0</course><speed>{11.1 + i % 3}</speed></trkpt>"
        for i in range(60)
    )
    path = tmp_path / "track.gpx"
    path.write_text(
        '<gpx version="1.0" creator="box" xmlns="http://www.topografix.com/GPX/1/0"><trk><name>Sunday at the hill</name>'
        f"<trkseg>{points}</trkseg></trk></gpx>"
    )
    log = read_log(path)
    assert "driver" not in log.meta
    assert set(log.role("speed").values) == {11.1, 12.1, 13.1}


def test_what_is_written_runs_as_no_formula(day: Day, tmp_path: Path) -> None:
    from dataclasses import replace

    log = replace(day.logs[0], meta={"driver": 'Ada, =1+1, "quoted"', "notes": "=cmd()|x;@sum"})
    write_csv(log, tmp_path / "log.csv")
    import csv

    with (tmp_path / "log.csv").open(encoding="utf-8", newline="") as file:
        for row in [next(csv.reader([line])) for line in file.readlines()[:3]]:
            assert not any(cell.strip().startswith(("=", "+", "-", "@")) for cell in row)
    assert read_raw(tmp_path / "log.csv").meta == log.meta


def test_a_gear_in_words_and_dotted_names_in_mdf(tmp_path: Path) -> None:
    clock = np.arange(ROWS) / 10
    words = {
        **{f"val_{i}": i for i in range(4)},
        **{f"text_{i}": text for i, text in enumerate((b"N", b"1st", b"2nd", b"R"))},
    }
    with MDF(version="4.10") as file:
        file.append(
            [
                Signal(np.arange(ROWS, dtype="u1") % 4, clock, name="ECU1.Drive.Gear", conversion=words),
                Signal(60.0 + np.arange(ROWS) % 40, clock, unit="km/h", name="CAN.Vehicle.Speed"),
            ]
        )
        file.save(tmp_path / "log.mf4")
    log = read_log(tmp_path / "log.mf4")
    assert set(log.role("gear").values) == {0, 1, 2, -1}
    assert log.role("speed").name == "CAN.Vehicle.Speed"
