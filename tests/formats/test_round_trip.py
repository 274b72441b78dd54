"""Every format out and in again; every dialect of CSV; held channels, mirrored axes."""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from lxml import etree

from lauftakt.core.log.dialect import Choice, Dialect, fingerprint, likeness
from lauftakt.core.log.held import held_samples
from lauftakt.core.log.model import Log, RawLog
from lauftakt.core.pipeline import analyse_run
from lauftakt.formats.columnar import write_columnar
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.dialects import read_dialect, write_dialect
from lauftakt.formats.gpx import write_gpx
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.mdf import write_mdf
from lauftakt.formats.reading import read_log, read_raw
from lauftakt.formats.track_geojson import write_track
from tests.day import Day
from tests.dialects import WRITERS

WHOLE: dict[str, Callable[[Log, Path], None]] = {
    "a.csv": write_csv,
    "a.parquet": write_columnar,
    "a.arrow": lambda log, path: write_columnar(log, path, "arrow"),
    "a.mf4": write_mdf,
}


@pytest.mark.parametrize("name", WHOLE)
def test_a_log_is_written_where_it_is_to_be(name: str, day: Day, tmp_path: Path) -> None:
    """An export is written under another name until it is whole."""
    path = tmp_path / "225.part"
    WHOLE[name](day.logs[1], path)
    assert [item.name for item in tmp_path.iterdir()] == ["225.part"]


@pytest.mark.parametrize("name", WHOLE)
def test_what_is_written_is_read_again(day: Day, tmp_path: Path, name: str) -> None:
    log = day.logs[1]
    WHOLE[name](log, tmp_path / name)
    again = read_log(tmp_path / name)
    assert again.meta == log.meta
    assert again.warnings == ()
    for channel in log.channels:
        other = again.role(channel.role)
        assert other is not None
        assert np.allclose(other.time, channel.time, atol=1e-4)
        assert np.allclose(other.values, channel.values, rtol=1e-5, atol=1e-5 * np.ptp(channel.values))


def test_a_track_is_read_again(day: Day, tmp_path: Path) -> None:
    log = day.logs[1]
    write_gpx(log, tmp_path / "a.gpx")
    again = read_log(tmp_path / "a.gpx")
    assert again.meta == log.meta
    assert np.allclose(again.role("latitude").values, log.role("latitude").values, atol=1e-8)
    speed = log.role("speed")
    at = np.interp(again.role("speed").time, speed.time, speed.values)
    assert np.allclose(again.role("speed").values, at, atol=1e-3)


@pytest.mark.parametrize("date", ["2026-05-16T10:05:00+02:00", "2026-05-16T10:05:00", None])
def test_a_track_is_valid_against_the_schema(day: Day, tmp_path: Path, date: str | None) -> None:
    log = day.logs[1]
    named = {key: value for key, value in log.meta.items() if key != "date"} | ({"date": date} if date else {})
    write_gpx(replace(log, meta=named | {"notes": "<b>&\x0c\x00 two\nlines"}), tmp_path / "a.gpx")
    schema = etree.XMLSchema(file=str(Path(__file__).parents[1] / "kept" / "gpx-1.1.xsd"))
    track = etree.parse(str(tmp_path / "a.gpx"))
    schema.assertValid(track)
    # What is not in its place is seen.
    track.getroot().append(etree.Element("{http://www.topografix.com/GPX/1/1}metadata"))
    assert not schema.validate(track)


def test_a_path_leaves_as_geojson(day: Day, tmp_path: Path) -> None:
    import json

    write_track(day.logs[0], tmp_path / "a.geojson")
    feature = json.loads((tmp_path / "a.geojson").read_text())["features"][0]
    points = np.array(feature["geometry"]["coordinates"])
    assert np.allclose(points[:, 1], day.logs[0].role("latitude").values, atol=1e-8)
    assert len(feature["properties"]["times_s"]) == len(feature["properties"]["speeds_kmh"]) == len(points)


@pytest.mark.parametrize("name", WRITERS)
def test_six_kinds_of_loggers_give_the_same_laps(day: Day, tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    WRITERS[name](day.logs[2], path)
    log = read_log(path)
    run = analyse_run(log, day.layout)
    times = [lap.time_s for lap in run.laps if lap.time_s]
    expected = [lap.time_s for lap in day.runs[2].laps if lap.time_s]
    # Half the rate, coarser steps or no pedals cost some milliseconds; a wrong unit or sign would cost seconds.
    assert times == pytest.approx(expected, abs=0.03)
    if name != "2026-05-16-odd.txt":
        assert datetime.fromisoformat(log.meta["date"]).replace(tzinfo=None) == datetime(2026, 5, 16, 10, 5)
    assert (
        log.role("speed").rate_hz
        == pytest.approx(50 if name in ("german.csv", "2026-05-16-odd.txt") else 100, rel=0.01)
        or name == "phone.gpx"
    )


def test_held_channels_are_taken_back_to_their_samples(day: Day, tmp_path: Path) -> None:
    WRITERS["2026-05-16-odd.txt"](day.logs[0], tmp_path / "a.txt")
    log = read_log(tmp_path / "a.txt")
    assert "channel-held" in {warning.code for warning in log.warnings}
    assert log.role("latitude").rate_hz == pytest.approx(10, rel=0.01)
    assert len(log.role("latitude").time) == len(log.role("longitude").time)


def test_mirrored_axes_are_turned_round(day: Day) -> None:
    for role in ("lateral_acceleration", "longitudinal_acceleration", "yaw_rate", "steering"):
        channels = tuple(replace(c, values=-c.values) if c.role == role else c for c in day.logs[0].channels)
        raw = raw_of(replace(day.logs[0], channels=channels))
        log = interpret(raw)
        assert [w.code for w in log.warnings] == ["axis-mirrored"], role
        assert log.role(role).recognised.flipped
        assert np.allclose(log.role(role).values, day.logs[0].role(role).values, atol=1e-9)
        # What somebody said of the sign stays as it was said.
        said = interpret(raw, Dialect(frozenset(), {log.role(role).name: Choice(role, None, False)}))
        assert not said.role(role).recognised.flipped


def raw_of(log: Log) -> RawLog:
    from lauftakt.core.log.model import RawChannel

    return RawLog(tuple(RawChannel(c.name, c.unit, c.time, c.values) for c in log.channels), log.meta)


@pytest.mark.parametrize(("step", "jitter"), [(5, 0), (10, 1), (100, 0), (3.333, 0)])
def test_held_samples(step: float, jitter: int) -> None:
    random = np.random.default_rng(1)
    true = random.standard_normal(400).cumsum()
    at = np.floor(np.arange(400) * step + random.integers(0, jitter + 1, 400)).astype(int)
    held = true[np.searchsorted(at, np.arange(at[-1] + 1), side="right") - 1]
    kept = held_samples(held)
    assert kept is not None
    assert abs(len(kept) - 400) <= 4
    assert np.array_equal(np.unique(held[kept]), np.unique(true))


def test_what_is_not_held_stays() -> None:
    random = np.random.default_rng(2)
    assert held_samples(random.standard_normal(1000)) is None
    assert held_samples(np.ones(1000)) is None
    assert held_samples(np.repeat(random.integers(1, 6, 60), random.integers(20, 90, 60)).astype(float)) is None
    slow = np.round(np.linspace(60, 90, 5000) + 0.02 * random.standard_normal(5000), 1)
    assert held_samples(slow) is None


CSV = {
    "pipes": "time|speed [km/h]|throttle [%]\n" + "".join(f"{i / 10}|90|50\n" for i in range(40)),
    "a delimiter at the end": "time [s];speed [km/h];throttle [%];\n"
    + "".join(f"{i / 10};90;50;\n" for i in range(40)),
    "quoted decimal commas": 'time,"speed [km/h]","throttle [%]"\n'
    + "".join(f'"{i / 10}","90,0","50,0"\n'.replace(".", ",", 1) for i in range(40)),
    "metadata without signs": "Driver,Ada\nVehicle,Coupé\n\ntime,speed,throttle\ns,km/h,%\n"
    + "".join(f"{i / 10},90,50\n" for i in range(40)),
    "slashes before comments": "// Driver: Ada\n// Track: Nowhere\ntime;speed (km/h);throttle (%)\n"
    + "".join(f"{i / 10};90;50\n" for i in range(40)),
    "clock of milliseconds since 1970": "timestamp,speed [km/h],throttle [%]\n"
    + "".join(f"{1_778_918_400_000 + i * 100},90,50\n" for i in range(40)),
    "clock times over midnight": "time,speed [km/h],throttle [%]\n"
    + "".join(f"{'23:59' if i < 20 else '00:00'}:{(58 + i / 10) % 60:04.1f},90,50\n" for i in range(40)),
    "day, month, year": "time,speed [km/h],throttle [%]\n"
    + "".join(f"16.05.2026 10:05:{i / 10:04.1f},90,50\n" for i in range(40)),
    "utf-16 without a mark": ("time,speed [km/h],throttle [%]\n" + "".join(f"{i / 10},90,50\n" for i in range(40))),
}


@pytest.mark.parametrize("name", CSV)
def test_dialects_of_csv(tmp_path: Path, name: str) -> None:
    path = tmp_path / "a.csv"
    path.write_bytes(CSV[name].encode("utf-16-le" if "utf-16" in name else "utf-8"))
    log = read_log(path)
    speed, throttle = log.role("speed"), log.role("throttle")
    assert speed.values == pytest.approx([25.0] * 40)
    assert throttle.values == pytest.approx([0.5] * 40)
    assert speed.time == pytest.approx(np.arange(40) / 10, abs=1e-6)
    if "metadata" in name or "slashes" in name:
        assert log.meta["driver"] == "Ada"
    if "since 1970" in name or "day" in name:
        assert log.meta["date"].startswith("2026-05-16T")


def test_a_dialect_leaves_and_comes_back() -> None:
    dialect = Dialect(
        frozenset({"An1", "An2", "An3"}), {"An2": Choice("brake_pressure", "psi", None), "An1": Choice("")}
    )
    assert read_dialect(write_dialect("Öd <b>", dialect)) == ("Öd <b>", dialect)


def test_loggers_are_recognised_by_their_names() -> None:
    own = [f"An{i}" for i in range(10)]
    assert fingerprint(own) == fingerprint([name.upper() + " " for name in reversed(own)])
    assert fingerprint(own) != fingerprint(own[1:])
    assert likeness(own, own[1:]) == pytest.approx(0.9)
    assert likeness([], []) == 0.0


def test_names_that_a_spreadsheet_would_run_are_written_as_text(tmp_path: Path) -> None:
    from lauftakt.core.log.model import Channel

    clock = np.arange(50.0)
    evil = Channel("=cmd|'/c calc'!A1", "1", None, clock, clock)
    write_csv(Log((evil, Channel('a,"b', "1", None, clock, clock))), tmp_path / "a.csv")
    header = (tmp_path / "a.csv").read_text().splitlines()[0]
    assert ",=" not in header
    assert [c.name for c in read_raw(tmp_path / "a.csv").channels][1] == 'a,"b'
