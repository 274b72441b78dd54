"""Starting and stopping on one machine: what may be half made, in use or left over."""

import os
import socket
from pathlib import Path

import pytest

from lauftakt.operate.mariadb import CannotStart, PrivateMariaDB
from lauftakt.operate.stack import Stack


@pytest.fixture(autouse=True)
def own_settings(monkeypatch: pytest.MonkeyPatch) -> None:
    """A stack names its database in the environment; afterwards everything is as it was."""
    for name in ("LAUFTAKT_DATABASE_URL", "LAUFTAKT_VAR"):
        monkeypatch.setenv(name, os.environ.get(name, ""))


def quiet(_: str) -> None:
    """Says nothing."""


def test_a_half_made_data_folder_is_made_anew(tmp_path: Path) -> None:
    (tmp_path / "data").mkdir()
    (tmp_path / "data" / "ibdata1").write_bytes(b"half")
    (tmp_path / "new-left").mkdir()
    server = PrivateMariaDB(tmp_path)
    server.start()
    server.stop()
    assert (tmp_path / "data" / "mysql").is_dir()
    assert not list(tmp_path.glob("new-*"))
    # And again, from what is there now.
    server.start()
    server.stop()


def test_a_port_in_use_is_said_before_anything_starts(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        stack = Stack(tmp_path, port=port)
        with pytest.raises(CannotStart, match=f"Port {port} is in use"):
            stack.start_database(quiet)
        stack.stop()
    assert not (tmp_path / "database").exists()


def test_one_start_for_each_folder(tmp_path: Path) -> None:
    first, second = Stack(tmp_path), Stack(tmp_path)
    database = first.start_database(quiet)
    database.close()
    try:
        with pytest.raises(CannotStart, match="already runs"):
            second.start_database(quiet)
        second.stop()
        assert first.mariadb.socket.exists()
    finally:
        first.stop()
    again = Stack(tmp_path)
    again.start_database(quiet).close()
    again.stop()
