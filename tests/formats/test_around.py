"""Any file a person can read is read: whatever stands around the table, however it is packed, in any open notation."""

import contextlib
import gzip
import json
from pathlib import Path

import numpy as np
import pytest
import zstandard
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.log.model import Log, Unusable
from lauftakt.formats.reading import kind_of, read_log, read_raw
from tests.formats import around

DRIVE = around.drive()


def given_as(data: bytes, folder: Path) -> Path:
    """The file as it lies in the inbox: its name says nothing."""
    path = folder / "7.file"
    path.write_bytes(data)
    return path


def check(log: Log, *, speed: bool = True) -> None:
    latitude = log.role("latitude")
    assert latitude is not None
    assert len(latitude.time) == around.ROWS
    assert latitude.time[-1] - latitude.time[0] == pytest.approx(DRIVE["time"][-1] - DRIVE["time"][0], abs=1e-3)
    assert np.allclose(latitude.values, DRIVE["latitude"], atol=2e-7)
    if speed:
        found = log.role("speed") or log.role("receiver_speed")
        assert found is not None
        assert np.allclose(found.values * 3.6, DRIVE["speed"], atol=1e-3)


@pytest.mark.parametrize("name", around.TABLES)
def test_the_table_is_found_whatever_stands_around_it(name: str, tmp_path: Path) -> None:
    log = read_log(given_as(around.TABLES[name](), tmp_path))
    check(log)
    assert log.role("throttle") is not None
    if name.startswith("preamble"):
        assert log.meta["driver"] == "Ines"
    if "Start,10" in around.TABLES[name]().decode("latin-1"):
        assert log.meta["date"] == "2026-05-03T10:31:05"


def test_a_head_that_is_repeated_is_no_damage(tmp_path: Path) -> None:
    codes = {warning.code for warning in read_log(given_as(around.TABLES["head repeated"](), tmp_path)).warnings}
    assert not codes & {"rows-skipped", "clock-repaired"}


@pytest.mark.parametrize("name", around.NOTATIONS)
def test_a_notation_is_read(name: str, tmp_path: Path) -> None:
    log = read_log(given_as(around.NOTATIONS[name](), tmp_path))
    check(log, speed=name != "KML places")
    if name == "NMEA":
        assert log.meta["date"] == "2026-05-03T23:59:50+00:00"
    if "GeoJSON" in name or "KML" in name:
        assert log.meta["date"].startswith("2026-05-03T10:31:00")
    if name in ("spreadsheet", "OpenDocument", "GeoJSON line"):
        assert log.meta["driver"] == "Ines"


BEGINNINGS = [b"\x1f\x8b\x08", b"\x28\xb5\x2f\xfd", b"BZh9", b"$GPRMC,", b"<kml", b"PK\x03\x04", b"["]
WORDS = st.text(alphabet="abcdeLapTimeSpeed 0123456789.:-%/äß", max_size=14)
LINES = st.one_of(
    st.just(""),
    st.lists(WORDS, min_size=1, max_size=4).map(",".join),
    st.builds("{}: {}".format, WORDS, st.floats(0, 1e4).map("{:.2f}".format)),
    st.builds("# {}".format, WORDS),
    st.builds('"{}","{}"'.format, WORDS, WORDS),
)


@given(
    before=st.lists(LINES, max_size=30),
    head=st.sampled_from(["head in two rows", "plain", "head in three rows, rates", "head in three rows, groups"]),
    gap=st.sampled_from(["", "\n"]),
)
@settings(max_examples=60, deadline=None)
def test_any_preamble_leaves_the_table_what_it_is(
    tmp_path_factory: pytest.TempPathFactory, before: list[str], head: str, gap: str
) -> None:
    text = "\n".join([*before, "---", gap]).encode() + around.TABLES[head]()
    log = read_log(given_as(text, tmp_path_factory.mktemp("any")))
    check(log)
    assert log.role("throttle") is not None


def test_damaged_sentences_are_left_out_and_named(tmp_path: Path) -> None:
    lines = around.nmea(36_000.0).split(b"\r\n")
    lines[41] = lines[41].replace(b",A,48", b",A,49")
    lines[77] = lines[77][:20]
    log = read_log(given_as(b"\r\n".join(lines), tmp_path))
    told = next(warning for warning in log.warnings if warning.code == "rows-skipped")
    assert "lines 42 and 78" in told.message
    latitude = log.role("latitude")
    assert latitude is not None
    assert np.abs(latitude.values - 48.2).max() < 0.01


def test_a_receiver_that_has_no_fix_yet_says_nothing_of_places(tmp_path: Path) -> None:
    void = [around.sentence(f"GNRMC,1000{i // 10:02d}.{i % 10}00,V,,,,,,,030526,,,N") for i in range(100)]
    log = read_log(given_as("\r\n".join(void).encode() + b"\r\n" + around.nmea(36_060.0), tmp_path))
    check(log)


def test_a_line_without_times_is_refused_with_what_to_do(tmp_path: Path) -> None:
    line = "<kml><Placemark><LineString><coordinates>11,48,0 11.1,48,0</coordinates></LineString></Placemark></kml>"
    with pytest.raises(Unusable, match="line without times") as told:
        read_log(given_as(line.encode(), tmp_path))
    assert told.value.code == "no-time"
    entity = b'<!DOCTYPE x [<!ENTITY a "b">]><kml><name>&a;</name></kml>'
    with pytest.raises(Unusable, match="entities"):
        read_log(given_as(entity, tmp_path))


@pytest.mark.parametrize("pack", [gzip.compress, zstandard.compress])
def test_a_packed_file_that_ends_too_early_says_so(pack: object, tmp_path: Path) -> None:
    assert callable(pack)
    data = pack(around.TABLES["plain"]())
    path = given_as(data[: len(data) // 2], tmp_path)
    with pytest.raises(Unusable) as told:
        read_raw(path)
    assert told.value.code == "packed"
    nested = given_as(pack(around.spreadsheet()), tmp_path)
    assert kind_of(nested) == "archive"
    with pytest.raises(Unusable, match="archive"):
        read_raw(nested)


def test_what_is_no_log_stays_what_it_is(tmp_path: Path, day: object) -> None:
    layout = {"type": "FeatureCollection", "features": [
        {"type": "Feature", "properties": {"role": "start"},
         "geometry": {"type": "LineString", "coordinates": [[11.0, 48.0], [11.0, 48.1]]}},
    ]}  # fmt: skip
    assert kind_of(given_as(json.dumps(layout).encode(), tmp_path)) == "layout"
    assert kind_of(given_as(gzip.compress(json.dumps(layout, indent=2).encode()), tmp_path)) == "layout"
    assert kind_of(given_as(b'{"lauftakt-dialect": 1, "roles": [[1]]}', tmp_path)) == "layout"
    assert kind_of(given_as(b"[Time],[Speed]\n0,1\n", tmp_path)) == "csv"


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=4),
        lambda inner: st.lists(inner, max_size=30) | st.dictionaries(st.text(max_size=6), inner, max_size=6),
        max_leaves=60,
    )
)
@settings(max_examples=150, deadline=None)
def test_any_json_is_read_or_refused(tmp_path_factory: pytest.TempPathFactory, value: object) -> None:
    path = given_as(json.dumps([value] * 25).encode(), tmp_path_factory.mktemp("any"))
    with contextlib.suppress(Unusable):
        read_log(path)
    path.write_bytes(b"\n".join(json.dumps({"time": i, "x": value}).encode() for i in range(25)))
    with contextlib.suppress(Unusable):
        read_log(path)


@given(
    st.binary(max_size=400),
    st.sampled_from(BEGINNINGS),
)
@settings(max_examples=150, deadline=None)
def test_any_bytes_behind_a_known_beginning_are_read_or_refused(
    tmp_path_factory: pytest.TempPathFactory, data: bytes, begin: bytes
) -> None:
    with contextlib.suppress(Unusable):
        read_log(given_as(begin + data, tmp_path_factory.mktemp("any")))
