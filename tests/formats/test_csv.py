"""CSV logs, good and bad."""

import contextlib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.log.model import Unusable
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.reading import read_log
from tests.day import Day

ROWS = 60


def table(header: str, row, rows: int = ROWS, newline: str = "\n") -> str:
    return header + newline + newline.join(row(i) for i in range(rows)) + newline


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "log.csv"


def test_round_trip(day: Day, path: Path) -> None:
    log = day.logs[1]
    write_csv(log, path)
    again = read_log(path)
    assert again.meta == log.meta
    assert [c.role for c in again.channels] == [c.role for c in log.channels]
    for before, after in zip(log.channels, again.channels, strict=True):
        assert np.allclose(before.time, after.time, atol=1e-6)
        assert np.allclose(before.values, after.values, rtol=1e-5, atol=1e-2 if before.unit == "Pa" else 1e-5)


def test_units_come_out_as_si(path: Path) -> None:
    path.write_text(
        table(
            "time [ms],speed [mph],brake pressure [psi],oil temperature [°F],steering [deg]",
            lambda i: f"{i * 10},100,14.5037738,212,90",
        )
    )
    log = read_log(path)
    assert log.role("speed").values[0] == pytest.approx(44.704)
    assert log.role("brake_pressure").values[0] == pytest.approx(1e5, rel=1e-6)
    assert log.role("oil_temperature").values[0] == pytest.approx(373.15)
    assert log.role("steering").values[0] == pytest.approx(np.pi / 2)
    assert log.role("speed").time[-1] == pytest.approx(0.59)
    assert log.role("speed").logged_unit == "mph"


DIALECTS = {
    "semicolons and decimal commas": (";", ",", "\n", "utf-8", "time [s];speed [km/h];throttle [%]"),
    "tabs": ("\t", ".", "\n", "utf-8", "Time (s)\tSpeed (km/h)\tThrottle (%)"),
    "byte order mark and CRLF": (",", ".", "\r\n", "utf-8-sig", "time [s],speed [km/h],throttle [%]"),
    "utf-16": (",", ".", "\n", "utf-16", "time [s],speed [km/h],throttle [%]"),
    "latin": (";", ".", "\n", "cp1252", "time [s];speed [km/h];throttle [%];Öl [°C]"),
}


@pytest.mark.parametrize("name", DIALECTS)
def test_dialects(name: str, path: Path) -> None:
    delimiter, decimal, newline, encoding, header = DIALECTS[name]
    more = f"{delimiter}80{decimal}5" if "Öl" in header else ""

    def row(i: int) -> str:
        return delimiter.join([f"{i / 100:.2f}", f"{100 + i / 4:.2f}", "55.5"]).replace(".", decimal) + more.replace(
            ",", decimal
        )

    text = table(header, row, newline=newline)
    path.write_bytes(text.encode(encoding))
    log = read_log(path)
    assert log.role("speed").values[4] == pytest.approx(101 / 3.6)
    assert log.role("throttle").values[0] == pytest.approx(0.555)


def test_a_units_row_is_not_a_sample(path: Path) -> None:
    path.write_text(table("time,speed,throttle\ns,m/s,%", lambda i: f"{i / 10},30,100"))
    log = read_log(path)
    assert log.role("speed").values[0] == 30
    assert len(log.role("speed").time) == ROWS


def test_blank_is_not_sampled(path: Path) -> None:
    path.write_text(
        table("time [s],speed [m/s],oil temperature [degC]", lambda i: f"{i / 10},30,{80 if i % 10 == 0 else ''}")
    )
    oil = read_log(path).role("oil_temperature")
    assert len(oil.time) == 6
    assert oil.rate_hz == pytest.approx(1.0)


def test_metadata_and_unknown_keys(path: Path) -> None:
    path.write_text(
        "# driver:  Ada  \n# car: Coupé\n# shoe size: 43\n#\n" + table("time [s],speed [m/s]", lambda i: f"{i},1")
    )
    assert read_log(path).meta == {"driver": "Ada", "car": "Coupé"}


def test_text_columns_are_left_out_and_said(path: Path) -> None:
    path.write_text(table("time [s],speed [m/s],note", lambda i: f"{i},1,<script>alert({i})</script>"))
    log = read_log(path)
    assert [c.name for c in log.channels] == ["speed"]
    assert "channel-text" in {w.code for w in log.warnings}


def test_a_unit_that_does_not_fit_is_said(path: Path) -> None:
    path.write_text(table("time [s],speed [bar],throttle [furlongs]", lambda i: f"{i},1,2"))
    log = read_log(path)
    assert log.role("speed") is None
    assert [w.code for w in log.warnings].count("unit-unfit") == 2


def test_the_denser_of_two_rivals_wins(path: Path) -> None:
    path.write_text(table("time [s],speed [m/s],ground speed [m/s]", lambda i: f"{i},{'5' if i % 2 else ''},6"))
    log = read_log(path)
    assert log.role("speed").values[0] == 6
    assert "role-rival" in {w.code for w in log.warnings}


def test_ragged_rows_are_left_out_and_said(path: Path) -> None:
    text = table("time [s],speed [m/s]", lambda i: f"{i},1" if i != 7 else "7,1,2,3")
    path.write_text(text + "60,")
    log = read_log(path)
    assert "rows-skipped" in {w.code for w in log.warnings}
    assert len(log.role("speed").time) == ROWS - 1


def test_nan_and_infinity_are_no_samples(path: Path) -> None:
    path.write_text(table("time [s],speed [m/s]", lambda i: f"{i},{['nan', 'inf', '-inf', '4'][i % 4]}"))
    assert set(read_log(path).role("speed").values) == {4.0}


def test_time_that_falls_back_is_repaired(path: Path) -> None:
    path.write_text(table("time [s],speed [m/s]", lambda i: f"{i if i != 30 else 12},1"))
    log = read_log(path)
    assert "clock-repaired" in {w.code for w in log.warnings}
    assert len(log.role("speed").time) == ROWS - 1


BAD = {
    "empty": (b"", "file-empty"),
    "one line": (b"time [s],speed [km/h]\n", "columns"),
    "prose": (b"Dear coach,\nI forgot the logger.\n", "no-time"),
    "binary": (bytes(range(256)) * 40, "file-binary"),
    "no time": (table("a,b", lambda i: "1,2").encode(), "no-time"),
    "few rows": (table("time [s],speed", lambda i: f"{i},1", rows=5).encode(), "no-rows"),
    "time of text": (table("time,speed", lambda i: "noon,1").encode(), "clock"),
    "standing clock": (table("time [s],speed", lambda i: "5,1").encode(), "clock"),
    "too many columns": (("time," + ",".join(f"c{i}" for i in range(2000)) + "\n" + "1\n" * 30).encode(), "columns"),
    "only commas": (b",,,,\n,,,,\n,,,,\n", "columns"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_get_a_sentence(name: str, path: Path) -> None:
    data, code = BAD[name]
    path.write_bytes(data)
    with pytest.raises(Unusable) as told:
        read_log(path)
    assert told.value.code == code
    assert str(told.value).rstrip("”)").endswith(".") or "“time [s]”" in str(told.value)


@given(st.binary(max_size=600))
@settings(max_examples=150, deadline=None)
def test_any_bytes_are_read_or_refused(tmp_path_factory: pytest.TempPathFactory, data: bytes) -> None:
    path = tmp_path_factory.mktemp("any") / "x.csv"
    path.write_bytes(data)
    with contextlib.suppress(Unusable):
        read_log(path)


@given(
    st.lists(
        st.lists(st.text(alphabet="0123456789.,;-+e \"'#nai\t", max_size=8), min_size=1, max_size=5),
        min_size=20,
        max_size=40,
    )
)
@settings(max_examples=100, deadline=None)
def test_any_table_is_read_or_refused(tmp_path_factory: pytest.TempPathFactory, rows: list[list[str]]) -> None:
    path = tmp_path_factory.mktemp("any") / "x.csv"
    path.write_text("time [s],speed [km/h],throttle\n" + "\n".join(",".join(row) for row in rows))
    with contextlib.suppress(Unusable):
        for channel in read_log(path).channels:
            assert np.isfinite(channel.values).all()
            assert (np.diff(channel.time) > 0).all()
