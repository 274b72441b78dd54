"""The server over HTTPS: whoever stands still in the middle of anything keeps nobody else waiting."""

import contextlib
import socket
import ssl
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
import requests

from lauftakt.operate.certificate import make_certificate
from lauftakt.operate.mariadb import free_port
from lauftakt.operate.stack import SERVED_BY
from lauftakt.web.serving import HEAD_S
from tests.installation import until

APP = """
def app(environ, start_response):
    data = environ["wsgi.input"].read()
    start_response("200 OK", [("Content-Length", str(len(str(len(data)))))])
    return [str(len(data)).encode()]
"""


@dataclass
class Served:
    port: int
    certificate: Path

    @property
    def address(self) -> str:
        return f"https://127.0.0.1:{self.port}/"

    def reach(self) -> socket.socket:
        return socket.create_connection(("127.0.0.1", self.port), timeout=20)

    def reach_securely(self) -> ssl.SSLSocket:
        context = ssl.create_default_context(cafile=str(self.certificate))
        return context.wrap_socket(self.reach(), server_hostname="127.0.0.1")

    def shown(self) -> bytes | None:
        """The certificate that the server shows to whoever connects, whether it is trusted or not."""
        context = ssl._create_unverified_context()
        with context.wrap_socket(self.reach()) as there:
            return there.getpeercert(binary_form=True)

    def asked(self, session: requests.Session, data: bytes = b"") -> str:
        return session.post(self.address, data=data, verify=str(self.certificate), timeout=20).text


@pytest.fixture(scope="module")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    folder = tmp_path_factory.mktemp("served")
    (folder / "counting.py").write_text(APP)
    certificate, key = make_certificate(folder / "own", ["127.0.0.1"])
    found = Served(free_port(), certificate)
    command = [
        str(Path(sys.executable).parent / "gunicorn"), "--bind", f"127.0.0.1:{found.port}", *SERVED_BY,
        "--threads", "2", "--certfile", str(certificate), "--keyfile", str(key), "counting:app",
    ]  # fmt: skip
    process = subprocess.Popen(command, cwd=folder)

    def is_up() -> bool:
        try:
            return found.asked(requests.Session()) == "0"
        except requests.ConnectionError:
            return False

    try:
        until(is_up, 20)
        yield found
    finally:
        process.terminate()
        process.wait(20)


def test_a_renewed_certificate_is_taken_over_while_it_serves(served: Served) -> None:
    before = served.shown()
    assert served.asked(requests.Session()) == "0"
    key = served.certificate.with_name("key.pem")
    # A pair of which only one half is new yet is not taken.
    old_key = key.read_bytes()
    key.write_bytes(b"no key")
    make_certificate(served.certificate.parent, ["127.0.0.1"])
    assert key.read_bytes() not in (old_key, b"no key")
    until(lambda: served.shown() != before, 30, 0.5)
    assert served.asked(requests.Session(), b"abc") == "3"


def hello(served: Served) -> bytes:
    """The first words of a handshake."""
    coming, going = ssl.MemoryBIO(), ssl.MemoryBIO()
    with pytest.raises(ssl.SSLWantReadError):
        ssl.create_default_context().wrap_bio(coming, going, server_hostname="x").do_handshake()
    return going.read()


def half_a_hello(served: Served) -> socket.socket:
    there = served.reach()
    there.sendall(hello(served)[:40])
    return there


def a_hello(served: Served) -> socket.socket:
    there = served.reach()
    there.sendall(hello(served))
    return there


def half_a_head(served: Served) -> socket.socket:
    there = served.reach_securely()
    there.sendall(b"POST / HTTP/1.1\r\nHost: x\r\n")
    return there


def half_a_body(served: Served) -> socket.socket:
    there = served.reach_securely()
    there.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 400\r\n\r\nab")
    return there


@pytest.mark.parametrize("how", [Served.reach, half_a_hello, a_hello, Served.reach_securely, half_a_head, half_a_body])
def test_whoever_stands_still_keeps_nobody_waiting(served: Served, how: Callable[[Served], socket.socket]) -> None:
    still = [how(served) for _ in range(12)]
    session = requests.Session()
    began = time.monotonic()
    assert [served.asked(session, b"abc") for _ in range(4)] == ["3"] * 4
    assert served.asked(requests.Session(), b"abcd") == "4"
    # Whoever stood still would be waited for until its head is late.
    assert time.monotonic() - began < HEAD_S
    for each in still:
        each.close()


def answer(there: socket.socket) -> bytes:
    came = b""
    while len(came.partition(b"\r\n\r\n")[2]) < 1:
        more = there.recv(4000)
        assert more
        came += more
    return came


def test_a_head_in_drops_is_read(served: Served) -> None:
    with served.reach_securely() as there:
        for letter in b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 3\r\n\r\nabc":
            there.sendall(bytes([letter]))
            time.sleep(0.005)
        assert answer(there).endswith(b"3")
        # And the next one over the same connection.
        there.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 2\r\n\r\n")
        time.sleep(0.2)
        there.sendall(b"ab")
        assert answer(there).endswith(b"2")


def test_a_large_body_is_read_whole(served: Served) -> None:
    assert served.asked(requests.Session(), b"x" * 20_000_000) == "20000000"


def test_what_is_not_encrypted_is_refused_and_nobody_is_disturbed(served: Served) -> None:
    with served.reach() as there, contextlib.suppress(ConnectionResetError):
        there.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
        assert b"200" not in there.recv(4000)
    assert served.asked(requests.Session()) == "0"
