"""The recorder of a simulator's stream: by itself while the car moves, lap by lap, one switch."""

import socket
import threading
import time
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.demo.simulator_stream import packets
from lauftakt.formats.packets import SIZE, Sample, decode, encode, encode_labels
from lauftakt.formats.reading import read_log
from lauftakt.operate.mariadb import free_udp_port
from lauftakt.store.database import mine
from lauftakt.store.models import Job, LiveStream
from lauftakt.work.collecting import StreamKeeper
from lauftakt.work.recording import Recorder, left_over
from tests.work.conftest import Team


@pytest.fixture(scope="module")
def stream() -> list[tuple[float, bytes]]:
    return list(packets(1, "Sim Sally", rate_hz=20.0))


def feed(recorder: Recorder, stream: list[tuple[float, bytes]]) -> None:
    for at, data in stream:
        found = decode(data)
        if isinstance(found, Sample):
            recorder.take(found, at)
        else:
            recorder.label(found[1])


def test_a_run_is_recorded_by_itself(stream: list[tuple[float, bytes]], tmp_path: Path) -> None:
    recorder = Recorder(tmp_path)
    feed(recorder, stream[: len(stream) // 2])
    assert recorder.state == "recording"
    spool = next(tmp_path.glob("*.stream"))
    feed(recorder, stream[len(stream) // 2 :])
    assert [number for number, _ in recorder.laps][:2] == [0, 1]
    assert recorder.laps[0][1] is None  # it began somewhere in that lap
    assert recorder.laps[1][1] == pytest.approx(116, abs=4)
    recorder.tick(stream[-1][0] + 3)
    assert recorder.state == "recording"
    recorder.tick(stream[-1][0] + 10)
    assert recorder.state == "waiting"
    assert not spool.exists()
    log = read_log(recorder.finished[0])
    assert log.meta["driver"] == "Sim Sally"
    assert log.warnings == ()
    assert {"latitude", "speed", "throttle", "brake_pedal", "lap_number"} <= {c.role for c in log.channels}


def test_a_name_runs_in_no_recording(stream: list[tuple[float, bytes]], tmp_path: Path) -> None:
    recorder = Recorder(tmp_path, driver="a,=1+1")
    feed(recorder, stream[: len(stream) // 3])
    recorder.end()
    log = read_log(recorder.finished[0])
    assert log.meta["driver"] == "a,=1+1"
    assert recorder.finished[0].read_text().startswith('"# driver: a,=1+1"')


def test_a_standing_car_is_not_recorded(stream: list[tuple[float, bytes]], tmp_path: Path) -> None:
    recorder = Recorder(tmp_path)
    sample = next(found for _, data in stream if isinstance(found := decode(data), Sample))
    for number in range(200):
        recorder.take(replace(sample, speed=0.5, number=number, time=number / 20), number / 20)
    assert recorder.state == "standing"
    assert list(tmp_path.iterdir()) == []


def test_lost_and_late_packets(stream: list[tuple[float, bytes]], tmp_path: Path) -> None:
    recorder = Recorder(tmp_path, driver="Said Before")
    samples = [pair for pair in stream if isinstance(decode(pair[1]), Sample)][:400]
    shuffled = [*samples[:100], *samples[110:200], samples[105], samples[199], *samples[200:]]
    feed(recorder, shuffled)
    assert recorder.lost == 10
    recorder.end()
    text = recorder.finished[0].read_text().splitlines()
    assert "# driver: Said Before" in text
    times = [float(line.split(",")[0]) for line in text if line[0].isdigit()]
    assert times == sorted(set(times))


def test_a_new_start_of_the_simulator_is_a_new_run(stream: list[tuple[float, bytes]], tmp_path: Path) -> None:
    recorder = Recorder(tmp_path)
    samples = [found for _, data in stream if isinstance(found := decode(data), Sample)][200:600]
    for sample in samples:
        recorder.take(sample, sample.time)
    for sample in samples:
        recorder.take(replace(sample, run=2), 100 + sample.time)
    recorder.end()
    assert len(recorder.finished) == 2


def test_what_a_killed_recorder_had_is_found_again(stream: list[tuple[float, bytes]], tmp_path: Path) -> None:
    feed(Recorder(tmp_path), stream[:2000])  # and never ended
    found = left_over(tmp_path)
    assert len(found) == 1
    assert found[0].suffix == ".csv"


@given(st.binary(max_size=SIZE + 4))
def test_any_datagram_is_ours_or_not(data: bytes) -> None:
    found = decode(data)
    assert found is None or isinstance(found, Sample)


@given(st.binary(max_size=300))
def test_any_label_is_ours_or_not(data: bytes) -> None:
    found = decode(b"LTL1\1\0\0\0" + data)
    assert found is None or isinstance(found, tuple)


def test_labels_are_only_labels() -> None:
    found = decode(encode_labels(7, {"driver": "A\x00\nB", "evil": "x", "car": "C" * 900}))
    assert found == (7, {"driver": "AB", "car": "C" * 200})


def test_not_a_number_is_not_a_sample(stream: list[tuple[float, bytes]]) -> None:
    sample = next(found for _, data in stream if isinstance(found := decode(data), Sample))
    assert decode(encode(replace(sample, speed=float("nan")))) is None
    again = decode(encode(sample))
    assert again == sample


def test_from_the_switch_to_a_run(team: Team, stream: list[tuple[float, bytes]]) -> None:
    port = free_udp_port()
    keeper = StreamKeeper(team.database, replace(team.settings, stream_port=port, stream_for=team.coach))
    with team.database.begin() as session:
        session.add(LiveStream(team_id=team.id, wanted=True, laps=[], driver_name="Kim"))
    keeper.step(0.05)
    sending = threading.Event()

    def send() -> None:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
            for number, (_, data) in enumerate(stream):
                sender.sendto(data, ("127.0.0.1", port))
                if number % 20 == 0:
                    time.sleep(0.002)
        sending.set()

    threading.Thread(target=send, daemon=True).start()
    while not sending.is_set():
        keeper.step(0.1)
    keeper.step(0.3)

    def told() -> LiveStream:
        with team.database.begin() as session:
            return session.scalars(mine(LiveStream, team.id)).one()

    assert told().state == "recording"
    assert told().laps[1][1] == pytest.approx(116, abs=4)
    with team.database.begin() as session:
        session.scalars(mine(LiveStream, team.id)).one().wanted = False
    keeper.step(0.05)
    keeper.close()
    assert told().state == "off"
    rows = team.hand_ins()
    assert [row.source for row in rows] == ["stream"]
    with team.database.begin() as session:
        job = session.scalars(mine(Job, team.id)).one().id
    team.work([job])
    row = team.hand_ins()[0]
    assert row.state == "taken", row.message
    assert row.run.driver.name == "Kim"
