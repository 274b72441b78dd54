"""Videos that carry their own channels are logs; others say so."""

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.log.model import Log, Unusable
from lauftakt.core.pipeline import analyse_run
from lauftakt.formats.cues import Cues
from lauftakt.formats.reading import kind_of, read_log, read_raw
from tests.day import Day
from tests.formats.videos import STEP_MS, mp4, webm


def _told(log: Log, say: Callable[[float, float, float], str]) -> list[str]:
    """What a camera beside the logger would have told ten times a second."""
    latitude, longitude = log.positions()
    speed = log.role("speed")
    at = np.arange(latitude.time[0], latitude.time[-1], STEP_MS / 1000)
    columns = [np.interp(at, c.time, c.values) for c in (latitude, longitude, speed)]
    return [say(*values) for values in zip(*columns, strict=True)]


WAYS: dict[str, tuple[str, Callable[[float, float, float], str]]] = {
    "json in mett": ("mett", lambda a, b, v: json.dumps({"gps": {"lat": a, "lon": b}, "speed [km/h]": v * 3.6})),
    "lines in tx3g": ("tx3g", lambda a, b, v: f"lat: {a:.7f}\nlon: {b:.7f}\nspeed: {v * 3.6:.2f} km/h"),
    "json in wvtt": ("wvtt", lambda a, b, v: json.dumps([{"lat": a, "lon": b, "v_kmh": v * 3.6}])),
    "webm": ("webm", lambda a, b, v: f"latitude={a:.7f}; longitude={b:.7f}; speed={v:.3f} m/s"),
    "places": ("mett", lambda a, b, v: f"{a:+.7f}{b:+.7f}/\nspeed: {v:.3f} m/s"),
}


@pytest.mark.parametrize("name", WAYS)
def test_a_video_with_channels_is_a_log(day: Day, tmp_path: Path, name: str) -> None:
    kind, say = WAYS[name]
    cues = _told(day.logs[1], say)
    path = tmp_path / "onboard.bin"
    path.write_bytes(webm(cues) if kind == "webm" else mp4(cues, kind))
    assert kind_of(path) == "video"
    run = analyse_run(read_log(path), day.layout)
    times = [lap.time_s for lap in run.laps if lap.time_s]
    assert times == pytest.approx([lap.time_s for lap in day.runs[1].laps if lap.time_s], abs=0.05)


def test_rows_of_a_table_have_the_first_cue_as_header(tmp_path: Path) -> None:
    cues = ["lat,lon,speed [km/h]", *(f"{48 + i * 1e-4:.5f},11.5,{30 + i}" for i in range(40))]
    path = tmp_path / "a.mp4"
    path.write_bytes(mp4(cues, "mett"))
    raw = read_raw(path)
    assert [(c.name, c.unit) for c in raw.channels] == [("lat", ""), ("lon", ""), ("speed", "km/h")]
    assert np.allclose(np.diff(raw.channels[2].time), STEP_MS / 1000)
    assert raw.channels[2].values[3] == 33


def test_sentences_of_a_receiver() -> None:
    cues = Cues()
    good = "$GPRMC,093015.25,A,4807.0380,N,01131.0000,W,022.4,084.4,160526,,,A"
    (found,) = cues.read(good)
    assert found["latitude"][0] == pytest.approx(48 + 7.038 / 60)
    assert found["longitude"][0] == pytest.approx(-(11 + 31 / 60))
    assert found["speed"] == (22.4, "kn")
    assert cues.read(good.replace(",A,", ",V,", 1)) == []
    assert cues.read(good + "*00") == []


def test_several_samples_of_one_packet_lie_apart(tmp_path: Path) -> None:
    cues = [json.dumps({"samples": [{"speed": 10 + i}, {"speed": 11 + i}]}) for i in range(30)]
    path = tmp_path / "a.mp4"
    path.write_bytes(mp4(cues, "mett"))
    (channel,) = read_raw(path).channels
    assert np.allclose(np.diff(channel.time), STEP_MS / 2000)


@pytest.mark.parametrize("cues", [[], ["Have a nice day"] * 30, ["\x00\x01"] * 30])
def test_a_video_without_channels_says_so(tmp_path: Path, cues: list[str]) -> None:
    path = tmp_path / "a.mp4"
    path.write_bytes(mp4(cues, "mett"))
    with pytest.raises(Unusable, match="hand in the log") as told:
        read_raw(path)
    assert told.value.code == "video-plain"


@given(cut=st.integers(0, 3000), at=st.integers(0, 3000), byte=st.integers(0, 255))
@settings(max_examples=60, deadline=None)
def test_a_damaged_video_is_read_or_refused(
    tmp_path_factory: pytest.TempPathFactory, cut: int, at: int, byte: int
) -> None:
    data = bytearray(mp4([json.dumps({"lat": 48 + i * 1e-4, "lon": 11.5}) for i in range(40)], "mett"))
    data[at % len(data)] = byte
    path = tmp_path_factory.mktemp("videos") / "a.mp4"
    path.write_bytes(bytes(data[: max(12, len(data) - cut)]))
    try:
        raw = read_raw(path)
    except Unusable:
        return
    assert all(np.isfinite(channel.values).all() for channel in raw.channels)


@given(st.text(max_size=200))
@settings(max_examples=200, deadline=None)
def test_any_text_is_a_cue(text: str) -> None:
    for start in ("", "{", "[", "$GPRMC,", "lat: "):
        Cues().read(start + text)
