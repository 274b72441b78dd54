"""As a service: behind nginx, under systemd, with workers elsewhere, and an update that fails."""

import os
import socket
import subprocess
import sys
import threading
import time
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
import requests
from sqlalchemy import text

from lauftakt.operate.certificate import make_certificate
from lauftakt.operate.dumps import bring_up_to_date, load
from lauftakt.operate.mariadb import CannotStart, PrivateMariaDB, free_port
from lauftakt.operate.service import Service
from lauftakt.operate.stack import WORKED_BY
from lauftakt.operate.version import last_commit, note_commit, own_commit
from lauftakt.store.database import Database
from tests.day import Day
from tests.installation import Client, Installation, installed, until
from tests.tools import needed

KEPT = Path(__file__).parent / "kept"


def service(place: Path, port: int, folder: Path) -> Service:
    certificate, key = make_certificate(folder, ["127.0.0.1"])
    return Service(place, "lauftakt.example", "root", port, certificate=certificate, key=key)


def test_the_unit_is_understood(tmp_path: Path) -> None:
    path = tmp_path / "lauftakt.service"
    path.write_text(service(tmp_path, 8180, tmp_path / "c").unit)
    found = subprocess.run([needed("systemd-analyze"), "verify", str(path)], capture_output=True, text=True)
    assert found.returncode == 0, found.stderr
    assert "lauftakt.service" not in found.stderr


def test_the_command_prints_and_writes_both(tmp_path: Path) -> None:
    program = Path(sys.executable).parent / "lauftakt"
    command = [program, "service", "lauftakt.example", "--var", tmp_path, "--port", "8321", "--user", "ada"]
    told = subprocess.run(command, capture_output=True, text=True).stdout
    assert f"--var {tmp_path} --port 8321" in told
    assert "User=ada" in told
    assert "server 127.0.0.1:8321;" in told
    assert subprocess.run([*command, "--to", tmp_path / "out"], capture_output=True).returncode == 0
    assert (tmp_path / "out" / "lauftakt.nginx").read_text() in told
    hostile = [program, "service", "x; root /;", "--var", tmp_path]
    assert subprocess.run(hostile, capture_output=True).returncode == 2


# ---- behind nginx, with work carried by Redis -----------------------------------------------------------------------


@pytest.fixture(scope="module")
def redis(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    server = needed("redis-server")
    port = free_port()
    running = subprocess.Popen(
        [
            server,
            "--port",
            str(port),
            "--bind",
            "127.0.0.1",
            "--save",
            "",
            "--dir",
            str(tmp_path_factory.mktemp("redis")),
        ],
        stdout=subprocess.DEVNULL,
    )
    yield f"redis://127.0.0.1:{port}/0"
    running.terminate()
    running.wait(20)


@pytest.fixture(scope="module")
def place(redis: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Installation]:
    more = {"LAUFTAKT_PROXIES": "1", "LAUFTAKT_HTTPS": "1", "LAUFTAKT_LEASE_S": "3", "LAUFTAKT_BROKER_URL": redis}
    yield from installed(tmp_path_factory.mktemp("behind"), port=0, more=more)


@contextmanager
def before(var: Path, port: int, folder: Path) -> Iterator[str]:
    """The address of nginx before a port, with the configuration that is printed; only its ports differ."""
    nginx = needed("nginx")
    plain, secure = free_port(), free_port()
    site = service(var, port, folder / "certificate").nginx
    site = site.replace("listen 80;", f"listen 127.0.0.1:{plain};").replace("listen 443 ssl;", f"listen {secure} ssl;")
    conf = folder / "nginx.conf"
    temporary = "".join(
        f"{kind}_temp_path {folder}/{kind};\n" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    conf.write_text(
        f"user root;\npid {folder}/pid;\nerror_log {folder}/error.log;\nevents {{}}\n"
        f"http {{\naccess_log off;\n{temporary}{site}\n}}\n"
    )
    tested = subprocess.run([nginx, "-t", "-c", str(conf)], capture_output=True, text=True)
    assert tested.returncode == 0, tested.stderr
    running = subprocess.Popen([nginx, "-c", str(conf), "-g", "daemon off;"])
    warnings.simplefilter("ignore")
    address = f"https://127.0.0.1:{secure}"
    try:
        until(lambda: requests.get(address + "/health", verify=False, timeout=5) is not None, 60)
        yield address
    finally:
        running.terminate()
        running.wait(20)


@pytest.fixture
def front(place: Installation, tmp_path: Path) -> Iterator[str]:
    """The address of nginx before the installation."""
    with before(place.stack.var, place.stack.port, tmp_path) as address:
        until(lambda: requests.get(address + "/health", verify=False, timeout=5).status_code == 200, 60)
        yield address


def test_an_upload_and_a_desk_behind_nginx(place: Installation, front: str, day: Day) -> None:
    coach = Client(front + "/api", place.coach_account("bea"))
    coach.session.verify = coach.session.trust_env = False
    coach.sign_in("bea@team.example")
    for path in (day.layout_file, *day.files[:2]):
        assert coach.send(path.name, path.read_bytes())["hand_in"]
        until(lambda path=path: coach.fates().get(path.name) == "taken", 60)
    run = coach.get("/paddock").json()["runs"][0]["id"]
    desk = coach.get(f"/desk?laps={run}.2").json()
    assert desk["laps"][0]["key"]
    laps = desk["laps"][0]["curves"]
    curves = coach.get(f"/curves?laps={laps}&reference={laps}&roles=speed&build=x")
    assert curves.status_code == 200
    assert len(curves.content) > 1000
    # The address in links is the one by which it was reached, and whoever asks is not the proxy.
    assert coach.session.cookies.get_dict()
    other = requests.get(front + "/api/session", headers={"X-Forwarded-For": "1.2.3.4"}, verify=False, timeout=10)
    assert other.status_code == 200


def test_clients_that_stand_still_before_nginx_keep_nobody_waiting(front: str) -> None:
    port = int(front.rsplit(":", 1)[1])
    stalled = [socket.create_connection(("127.0.0.1", port)) for _ in range(150)]
    try:
        began = time.monotonic()
        assert requests.get(front + "/health", verify=False, timeout=10).status_code == 200
        assert time.monotonic() - began < 10.0  # nginx waits a minute for a head
    finally:
        for each in stalled:
            each.close()


def test_whoever_asks_while_the_server_is_started_again_is_answered(place: Installation, front: str) -> None:
    """The port is held meanwhile: a caller waits instead of being turned away; one that was cut off is told so."""
    place.kill("server")
    answers: list[int] = []
    for _ in range(5):
        try:
            answers.append(requests.get(front + "/api/session", verify=False, timeout=60).status_code)
        except requests.exceptions.ChunkedEncodingError:  # it was killed in the middle of this answer
            answers.append(503)
    assert answers[-1] == 200
    assert set(answers) <= {200, 503}


def test_nginx_says_that_nothing_answers_behind_it(place: Installation, tmp_path: Path) -> None:
    with before(place.stack.var, free_port(), tmp_path) as address:
        away = requests.get(address + "/api/session", verify=False, timeout=20)
    assert away.status_code == 503
    assert away.json()["code"] == "server"
    assert away.headers["Retry-After"] == "3"


# ---- workers elsewhere -----------------------------------------------------------------------------------------------


@pytest.mark.long
def test_workers_on_another_machine_share_the_inbox_the_exports_and_nothing_else(
    redis: str, tmp_path: Path, day: Day
) -> None:
    here = tmp_path / "here"
    with contextmanager(installed)(here, port=0, workers=0, more={"LAUFTAKT_BROKER_URL": redis}) as found:
        there = tmp_path / "there"
        there.mkdir()
        for shared in ("inbox", "exports"):
            (here / shared).mkdir(exist_ok=True)
            (there / shared).symlink_to(here / shared)
        environment = {
            **os.environ, "LAUFTAKT_DATABASE_URL": found.stack.mariadb.url, "LAUFTAKT_BROKER_URL": redis,
            "LAUFTAKT_VAR": str(there), "LAUFTAKT_SECRET": "x" * 40, "OPENBLAS_NUM_THREADS": "1",
        }  # fmt: skip
        with (tmp_path / "worker.log").open("wb") as log:
            worker = subprocess.Popen(
                [Path(sys.executable).parent / "celery", *WORKED_BY, "--concurrency", "1"],
                env=environment, stdout=log, stderr=log, start_new_session=True,
            )  # fmt: skip
        try:
            coach = found.coach("cleo")
            for path in (day.layout_file, day.files[0]):
                coach.hand_in(path.name, path.read_bytes())
                until(lambda path=path: coach.fates().get(path.name) == "taken", 60)
            run = coach.get("/paddock").json()["runs"][0]["id"]
            job = coach.post(f"/runs/{run}/export", json={"format": "csv"}).json()["id"]
            until(lambda job=job: coach.get(f"/jobs/{job}").json()["state"] == "done", 60)
            assert b"time [s]" in coach.get(f"/jobs/{job}/file").content[:4000]
            assert not list((here / "inbox").glob("*.file"))
        finally:
            worker.terminate()
            worker.wait(30)


# ---- an update that fails --------------------------------------------------------------------------------------------


def test_an_update_that_fails_brings_the_database_back(tmp_path: Path) -> None:
    server = PrivateMariaDB(tmp_path / "database")
    server.start()
    try:
        load(server, KEPT / "tables-0003.sql.gz")
        note_commit(tmp_path)
        database = Database(server.url)
        with database.engine.connect() as connection:
            before = {
                name: connection.execute(text(f"CHECKSUM TABLE `{name}`")).one()[1]
                for (name,) in connection.execute(text("SHOW TABLES"))
            }
        stop = threading.Event()
        cuts = []

        def cut() -> None:
            """Cut the connection that changes the tables, once it has changed some of them."""
            while not stop.wait(0.001):
                with server.connect() as own, own.cursor() as cursor:
                    cursor.execute("SELECT version_num FROM lauftakt.alembic_version")
                    if cursor.fetchone() in (("0003",), ("0004",)):
                        continue
                    cursor.execute("SELECT id FROM information_schema.processlist WHERE user = 'lauftakt'")
                    for (number,) in cursor.fetchall():
                        cursor.execute(f"KILL {number}")
                        cuts.append(number)
                    return

        cutter = threading.Thread(target=cut)
        cutter.start()
        said: list[str] = []
        with pytest.raises(CannotStart, match="database is as it was before") as told:
            bring_up_to_date(database, server, tmp_path / "backup", said.append)
        stop.set()
        cutter.join()
        assert cuts
        commit = last_commit(tmp_path)
        if own_commit() is not None:
            assert commit == own_commit()
            assert f"git checkout {commit[:12]}" in str(told.value)
        with database.engine.connect() as connection:
            after = {
                name: connection.execute(text(f"CHECKSUM TABLE `{name}`")).one()[1]
                for (name,) in connection.execute(text("SHOW TABLES"))
            }
        assert after == before
        assert database.versions()[0] == "0003"
        # Tried again, it works.
        bring_up_to_date(database, server, tmp_path / "backup", said.append)
        assert database.versions()[0] == database.versions()[1]
        database.close()
    finally:
        server.stop()
