"""Starting and stopping on one machine: what may be half made, in use or left over."""

import os
import socket
from pathlib import Path

import pymysql
import pytest

from lauftakt.operate import stack as stack_module
from lauftakt.operate.mariadb import CannotStart, PrivateMariaDB, system_user
from lauftakt.operate.stack import How, Stack
from lauftakt.store.database import Database


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


def test_a_server_that_starts_leaves_the_temporary_tables_of_another(tmp_path: Path) -> None:
    """A server that starts clears its temporary folder: in a shared one it removed what others were using."""
    first, second = PrivateMariaDB(tmp_path / "first"), PrivateMariaDB(tmp_path / "second: other")
    first.start()
    try:
        with first.connect() as connection, connection.cursor() as cursor:
            cursor.execute("CREATE TEMPORARY TABLE lauftakt.kept (id INT) ENGINE=Aria")
            cursor.execute("INSERT INTO lauftakt.kept VALUES (1)")
            cursor.execute("FLUSH TABLES")
            second.start()
            second.stop()
            assert cursor.execute("SELECT id FROM lauftakt.kept") == 1
            cursor.execute("DROP TEMPORARY TABLE lauftakt.kept")
            assert not connection.show_warnings()
    finally:
        first.stop()


def test_a_port_in_use_is_said_before_anything_starts(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        stack = Stack(tmp_path, How(port=port))
        with pytest.raises(CannotStart, match=f"Port {port} is in use"):
            stack.start_database(quiet)
        stack.stop()
    assert not (tmp_path / "database").exists()


def test_a_port_that_is_taken_meanwhile_is_left_to_others(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two that start in the same second both see a port as free, and a server needs seconds until it holds one."""
    looked: list[int] = []

    def seems_free(port: int, everywhere: bool = False) -> bool:
        looked.append(port)
        return len(looked) == 1 or is_free(port, everywhere)

    is_free = stack_module._is_free
    monkeypatch.setattr(stack_module, "_is_free", seems_free)
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        (tmp_path / "port").write_text(str(taken.getsockname()[1]))
        stack = Stack(tmp_path)
        stack._listen()
        assert stack.port not in (0, taken.getsockname()[1])
        other = Stack(tmp_path / "other")
        other.var.mkdir()
        (other.var / "port").write_text(str(stack.port))
        other._listen()
        assert other.port not in (0, stack.port)
    stack.stop()
    other.stop()


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


def test_the_machines_other_users_stay_outside(tmp_path: Path) -> None:
    server = PrivateMariaDB(tmp_path / "database")
    server.start()
    try:
        assert server.folder.stat().st_mode & 0o077 == 0
        assert server.socket.parent.stat().st_mode & 0o077 == 0
        kept = server.folder / "password"
        assert kept.stat().st_mode & 0o177 == 0
        assert len(kept.read_text()) >= 32
        assert not (server.folder / "init.sql").exists()
        for user, password in (("root", ""), ("lauftakt", "lauftakt"), ("lauftakt", ""), ("", "")):
            with pytest.raises(pymysql.Error):
                pymysql.connect(host="127.0.0.1", port=server.port, user=user, password=password)
        # By the socket, too, only the system's user under their own name.
        with pytest.raises(pymysql.Error):
            pymysql.connect(unix_socket=str(server.socket), user="lauftakt", password="")
        with server.connect() as connection, connection.cursor() as cursor:
            cursor.execute("SELECT User, Host FROM mysql.user ORDER BY 1, 2")
            names = {user for user, _ in cursor.fetchall()}
        assert names == {"lauftakt", "mariadb.sys", system_user()}
        assert Database(server.url).versions()[0] is None
    finally:
        server.stop()


def test_a_folder_that_an_older_version_left_open_is_closed(tmp_path: Path) -> None:
    server = PrivateMariaDB(tmp_path / "database")
    server.start()
    with server.connect() as connection, connection.cursor() as cursor:
        cursor.execute("CREATE USER 'root'@'127.0.0.1' IDENTIFIED BY ''")
        cursor.execute("GRANT ALL ON *.* TO 'root'@'127.0.0.1'")
        cursor.execute("CREATE USER ''@'localhost'")
        cursor.execute("ALTER USER 'lauftakt'@'127.0.0.1' IDENTIFIED BY 'lauftakt'")
        cursor.execute("CREATE TABLE lauftakt.kept (id INT)")
    pymysql.connect(host="127.0.0.1", port=server.port, user="root", password="").close()
    server.stop()
    (server.folder / "password").unlink()
    server.folder.chmod(0o755)
    server.start()
    try:
        for user, password in (("root", ""), ("lauftakt", "lauftakt"), ("", "")):
            with pytest.raises(pymysql.Error):
                pymysql.connect(host="127.0.0.1", port=server.port, user=user, password=password)
        assert server.folder.stat().st_mode & 0o077 == 0
        with server.connect() as connection, connection.cursor() as cursor:
            assert cursor.execute("SHOW TABLES IN lauftakt") == 1
    finally:
        server.stop()


def test_a_server_that_outlived_its_start_is_stopped(tmp_path: Path) -> None:
    first, second = PrivateMariaDB(tmp_path / "database"), PrivateMariaDB(tmp_path / "database")
    first.start()
    second.start()
    assert first._process is not None
    assert first._process.wait(20) is not None
    second.stop()
