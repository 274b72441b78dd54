"""A logger on the network: slow, breaking off, with a wrong clock; and addresses that nobody allowed."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from lauftakt.core.log.model import Unusable
from lauftakt.demo.logger_device import serve_logger
from lauftakt.work import fetching
from lauftakt.work.fetching import NoAnswer, address_of, fetch, list_runs
from lauftakt.work.intake import Giver, add_hand_in
from tests.day import Day
from tests.work.conftest import Team


@contextmanager
def device(folder: Path, **faults: object) -> Iterator[str]:
    server = serve_logger(folder, "127.0.0.1", 0, **faults)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
        server.server_close()


def nothing(_share: float, _step: str) -> None:
    """Nobody wants to know."""


@pytest.fixture
def recorded(day: Day, tmp_path: Path) -> Path:
    folder = tmp_path / "device"
    folder.mkdir()
    (folder / "run one.csv").write_bytes(day.files[0].read_bytes())
    return folder


@pytest.mark.parametrize("knows_ranges", [True, False])
def test_broken_transfers_end_whole(recorded: Path, tmp_path: Path, knows_ranges: bool) -> None:
    with device(recorded, breaks=0.6, delay_s=0.01, knows_ranges=knows_ranges, seed=3) as address:
        run = list_runs(address).runs[0]
        assert run.name == "run one.csv"
        fetch(address, run.key, tmp_path / "got", 10**9, nothing)
    assert (tmp_path / "got").read_bytes() == (recorded / "run one.csv").read_bytes()
    assert not (tmp_path / "got.fetch").exists()


def test_a_device_that_always_breaks_is_told(recorded: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(fetching.time, "sleep", lambda _s: None)
    monkeypatch.setattr(fetching, "_go_on", lambda *_: None)
    with device(recorded) as address, pytest.raises(Unusable) as told:
        fetch(address, list_runs(address).runs[0].key, tmp_path / "got", 10**9, nothing)
    assert told.value.code == "logger-broken"
    assert list(tmp_path.glob("got*")) == []


def test_other_bytes_than_announced_are_refused(
    recorded: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with device(recorded) as address:
        listing = list_runs(address)
        lying = fetching.Listing((fetching.Recorded(**{**listing.runs[0].__dict__, "sha256": "0" * 64}),), None)
        monkeypatch.setattr(fetching, "list_runs", lambda _address: lying)
        with pytest.raises(Unusable) as told:
            fetch(address, lying.runs[0].key, tmp_path / "got", 10**9, nothing)
    assert told.value.code == "logger-broken"
    assert not (tmp_path / "got").exists()


def test_a_wrong_clock_is_put_right(recorded: Path, team: Team, day: Day, monkeypatch: pytest.MonkeyPatch) -> None:
    with device(recorded, clock_off_s=3600.0) as address:
        monkeypatch.setenv("LAUFTAKT_LOGGERS", f"Box={address} for {team.coach}")
        listing = list_runs(address)
        assert listing.clock_off_s == pytest.approx(3600, abs=2)
        with team.database.begin() as session:
            giver = Giver(team.id, "logger", origin=f"Box\n{listing.runs[0].key}")
            job = add_hand_in(session, giver, "run one.csv", listing.runs[0].size, "").job.id
        team.work([job])
    row = team.hand_ins()[0]
    assert row.state == "taken", row.message
    assert row.size == (recorded / "run one.csv").stat().st_size
    # The log says 09:40 by a clock that is an hour ahead.
    assert (row.run.started_at.hour, row.run.started_at.minute) == (8, 40)
    assert row.run.labels_from["started"] == "logger's clock"


def test_only_allowed_loggers_are_asked(recorded: Path, team: Team, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(NoAnswer, match="allowed"), team.database.begin() as session:
        address_of(session, team.settings, team.id, "http://169.254.169.254/")
    with device(recorded) as address:
        monkeypatch.setenv("LAUFTAKT_LOGGERS", f"Box={address} for {team.coach}")
        with team.database.begin() as session:
            job = add_hand_in(session, Giver(team.id, "logger", origin="Other\nx"), "x.csv", 1, "").job.id
        team.work([job])
    row = team.hand_ins()[0]
    assert (row.state, row.code) == ("refused", "logger")


def test_a_redirection_is_not_followed(tmp_path: Path) -> None:
    from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

    asked: list[str] = []

    class Redirecting(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked.append(self.path)
            self.send_response(302)
            self.send_header("Location", "/secret")
            self.end_headers()

        def log_message(self, *_: object) -> None:
            """Quiet."""

    server = ThreadingHTTPServer(("127.0.0.1", 0), Redirecting)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    with pytest.raises(NoAnswer):
        list_runs(f"http://127.0.0.1:{server.server_address[1]}")
    server.shutdown()
    server.server_close()
    assert asked == ["/runs"]


@pytest.mark.parametrize("answer", [b"", b"[]", b'{"runs": [{}]}', b'{"runs": [{"id": 1, "name": 2, "size": "x"}]}'])
def test_nonsense_from_a_device_is_told(answer: bytes, monkeypatch: pytest.MonkeyPatch) -> None:
    import io

    monkeypatch.setattr(fetching._opener, "open", lambda *_, **__: io.BytesIO(answer))
    with pytest.raises(NoAnswer, match="cannot be understood"):
        list_runs("http://127.0.0.1:1")


def test_a_device_that_is_off_is_told() -> None:
    with pytest.raises(NoAnswer, match="does not answer"):
        list_runs("http://127.0.0.1:9")
