"""An installation whose parts are killed, whose clients stand still, and whose workers freeze: it goes on by itself."""

import contextlib
import itertools
import os
import signal
import socket
import subprocess
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import pytest
import requests
from sqlalchemy import func, select, text, update
from sqlalchemy.exc import OperationalError

from lauftakt.operate.mariadb import CannotStart
from lauftakt.operate.watch import FIRST_S, FROZEN_S, LONGEST_S, Watch, is_frozen
from lauftakt.store.database import mine
from lauftakt.store.models import HandIn, Job, Run
from lauftakt.work.jobs import add_job
from tests.day import Day
from tests.disks import small_disk
from tests.installation import PASSWORD, Client, Installation, installed, until
from tests.private import Used, logs

pytestmark = pytest.mark.in_order


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Installation]:
    more = {"LAUFTAKT_LEASE_S": "3", "LAUFTAKT_BODY_S": "25", "LAUFTAKT_DATABASE_S": "5"}
    used = Used()
    used.keep(password=PASSWORD, coach="ada@team.example")
    for found in installed(tmp_path_factory.mktemp("installation"), port=0, workers=2, servers=2, more=more):
        used.keep(secret=(found.stack.var / "secret").read_text().strip())
        yield found
        # Everything that ended here in the middle of something wrote about it.
        told = {path.name: used.found_in(data) for path, data in logs(found.stack.var).items()}
        assert not any(told.values()), told


@pytest.fixture(scope="module")
def coach(place: Installation) -> Client:
    return place.coach("ada")


# ---- parts that end --------------------------------------------------------------------------------------------------


def test_a_killed_database_is_started_again_and_said_so(place: Installation, coach: Client) -> None:
    place.kill("database")
    answers = []

    def back() -> bool:
        answers.append(coach.get("/paddock"))
        return answers[-1].status_code == 200

    until(back, 40, 0.05)
    away = [answer for answer in answers if answer.status_code != 200]
    assert away, "nobody noticed"
    assert {answer.status_code for answer in away} == {503}
    assert away[0].json()["code"] == "database"
    assert "The database is starting again. Nothing is lost" in away[0].json()["message"]
    assert "Retry-After" in away[0].headers
    assert any("database ended by itself" in line for line in place.said)


@pytest.mark.parametrize("part", ["server", "worker", "collector"])
def test_a_killed_part_is_started_again(place: Installation, coach: Client, part: str) -> None:
    before = place.processes(part)
    place.kill(part)
    until(lambda: f"The {part} runs again." in place.said, 30)
    until(lambda: coach.get("/paddock").status_code == 200, 30)
    # Whatever the killed one had started is gone, too.
    until(lambda: not any(os.path.exists(f"/proc/{number}") for number in before), 10)
    if part == "worker":
        number = coach.hand_in(f"after-{part}.csv", b"no log\n").json()["id"]
        until(lambda: coach.fates()[f"after-{part}.csv"] == "refused", 30)
        assert number


def test_a_database_that_stands_still_is_not_waited_for_without_end(place: Installation, coach: Client) -> None:
    frozen = place.processes("database")[0]
    os.kill(frozen, signal.SIGSTOP)
    try:
        began = time.monotonic()
        answer = coach.get("/paddock")
        took = time.monotonic() - began
    finally:
        os.kill(frozen, signal.SIGCONT)
    assert answer.status_code == 503
    assert answer.json()["code"] == "database"
    assert took < 20
    until(lambda: coach.get("/paddock").status_code == 200, 20)


class Part:
    """Ends as often as it is told to, and does not start as often as it is told to."""

    name = "part"
    main_process: int | None = None

    def __init__(self) -> None:
        self.has_ended, self.fails, self.starts = False, 0, 0

    def start_again(self) -> None:
        self.starts += 1
        if self.fails:
            self.fails -= 1
            raise CannotStart("no room") if self.fails % 2 else OSError("no room for its log")
        self.has_ended = False


def test_a_part_that_ends_again_and_again_is_started_later_and_later() -> None:
    moment, part, said = [0.0], Part(), []
    watch = Watch(part, clock=lambda: moment[0])
    assert watch.look(said.append)
    assert said == []
    part.has_ended, part.fails = True, 8
    times = []
    while part.has_ended:
        moment[0] += 0.25
        before = part.starts
        watch.look(said.append)
        if part.starts > before:
            times.append(moment[0])
    gaps = [b - a for a, b in itertools.pairwise(times)]
    assert gaps[0] <= 4 * FIRST_S
    assert all(b >= a - 0.3 for a, b in itertools.pairwise(gaps))
    assert LONGEST_S - 1 <= gaps[-1] <= LONGEST_S + 1
    assert said[-1] == "The part runs again."
    # Having run for long, it is started soon again.
    moment[0] += 1000
    part.has_ended = True
    began = moment[0]
    while part.has_ended:
        moment[0] += 0.25
        watch.look(said.append)
    assert moment[0] - began < 2


def test_a_part_that_stands_still_is_ended_and_started_again() -> None:
    moment, part, said = [0.0], Part(), []
    with subprocess.Popen(["sleep", "600"]) as still:
        part.main_process = still.pid
        watch = Watch(part, clock=lambda: moment[0])
        still.send_signal(signal.SIGSTOP)
        until(lambda: is_frozen(still.pid), 5, 0.01)
        assert watch.look(said.append)
        # It went on in between: that counts from the beginning.
        moment[0] = FROZEN_S - 1
        still.send_signal(signal.SIGCONT)
        until(lambda: not is_frozen(still.pid), 5, 0.01)
        assert watch.look(said.append)
        still.send_signal(signal.SIGSTOP)
        until(lambda: is_frozen(still.pid), 5, 0.01)
        moment[0] = FROZEN_S + 1
        assert watch.look(said.append)
        assert still.poll() is None
        moment[0] = 2 * FROZEN_S + 2
        assert not watch.look(said.append)
        assert still.wait(5) == -signal.SIGKILL
    part.has_ended = True
    watch.look(said.append)
    moment[0] += FIRST_S
    assert watch.look(said.append)
    assert said[0] == "The part stands still; it is ended."
    assert said[-1] == "The part runs again."


@pytest.mark.long
@pytest.mark.parametrize("part", ["server", "worker", "collector", "database"])
def test_a_frozen_main_process_is_replaced(place: Installation, coach: Client, part: str) -> None:
    frozen = place.processes(part)[0]
    os.kill(frozen, signal.SIGSTOP)
    until(lambda: not os.path.exists(f"/proc/{frozen}"), FROZEN_S + 30)
    until(lambda: f"The {part} runs again." in place.said[-1:], 60)
    assert f"The {part} stands still; it is ended." in place.said
    until(lambda: coach.get("/paddock").status_code == 200, 30)
    coach.hand_in(f"thawed-{part}.csv", b"no log\n")
    until(lambda: coach.fates()[f"thawed-{part}.csv"] == "refused", 60)


@pytest.mark.long
def test_a_server_that_froze_is_replaced_after_a_minute(place: Installation, coach: Client) -> None:
    frozen = place.processes("server")[1]
    os.kill(frozen, signal.SIGSTOP)
    until(lambda: not os.path.exists(f"/proc/{frozen}"), 100)
    until(lambda: len(place.processes("server")) >= 3, 20)
    assert [requests.get(f"{place.stack.address}/health", timeout=20).status_code for _ in range(6)] == [200] * 6


# ---- clients that stand still ----------------------------------------------------------------------------------------

STALLED = {
    "say nothing": "",
    "begin a head": "POST /api/session HTTP/1.1\r\nHost: x\r\n",
    "begin a small body": "POST /api/session HTTP/1.1\r\nHost: x\r\n{known}Content-Length: 400\r\n\r\n{{",
    "begin a large body": "POST /api/session HTTP/1.1\r\nHost: x\r\n{known}Content-Length: 4000000\r\n\r\n{{",
}


def begun(how: str, coach: Client) -> bytes:
    """What somebody who is known to the server sends before they stand still."""
    cookies = "; ".join(f"{cookie.name}={cookie.value}" for cookie in coach.session.cookies)
    token = coach.session.headers["X-CSRFToken"]
    known = f"Cookie: {cookies}\r\nX-CSRFToken: {token}\r\nContent-Type: application/json\r\n"
    return STALLED[how].format(known=known).encode()


@pytest.mark.parametrize("how", STALLED)
def test_clients_that_stand_still_keep_nobody_waiting(place: Installation, coach: Client, how: str) -> None:
    stalled = [socket.create_connection(("127.0.0.1", place.stack.port)) for _ in range(120)]
    try:
        for each in stalled:
            each.sendall(begun(how, coach))
        time.sleep(0.3)
        waits = []
        for _ in range(8):
            began = time.monotonic()
            assert coach.get("/session").status_code == 200
            waits.append(time.monotonic() - began)
        assert max(waits) < 10.0, waits  # as long as a body may take, otherwise
    finally:
        for each in stalled:
            each.close()


@pytest.mark.long
def test_a_body_that_comes_in_drops_is_told_and_ended(place: Installation, coach: Client) -> None:
    with socket.create_connection(("127.0.0.1", place.stack.port)) as slow:
        slow.settimeout(80)
        slow.sendall(begun("begin a large body", coach))
        began, answer = time.monotonic(), b""
        while not answer and time.monotonic() - began < 80:
            try:
                slow.sendall(b" ")
                slow.settimeout(0.5)
                answer = slow.recv(4000)
            except TimeoutError:
                continue
        assert b" 408 " in answer.split(b"\r\n")[0]
        assert b'"slow"' in answer
        assert time.monotonic() - began < 60


def test_limits_hold_for_all_server_processes_together(place: Installation, coach: Client) -> None:
    assert len(place.processes("server")) >= 3  # the main one and two that answer

    def ask(_: int) -> int:
        own = {**coach.session.headers, "Tus-Resumable": "1.0.0"}
        address = f"{place.api}/link/nobody/uploads"
        return requests.post(address, headers=own, cookies=coach.session.cookies, timeout=30).status_code

    with ThreadPoolExecutor(8) as pool:
        codes = list(pool.map(ask, range(640)))
    assert codes.count(429) >= 30, codes.count(429)
    assert codes.count(429) <= 60


# ---- work ------------------------------------------------------------------------------------------------------------


def test_a_worker_that_froze_and_thawed_changes_nothing(place: Installation, coach: Client, day: Day) -> None:
    coach.hand_in(day.layout_file.name, day.layout_file.read_bytes())
    until(lambda: coach.fates().get(day.layout_file.name) == "taken", 60)
    coach.hand_in(day.files[0].name, day.files[0].read_bytes())
    database = place.database()

    def is_placing() -> bool:
        with database.begin() as session:
            job = session.scalar(mine(Job, coach.team_id).where(Job.kind == "import").order_by(Job.id.desc()).limit(1))
            return bool(job and job.state == "running" and job.step in ("recognising", "placing"))

    until(is_placing, 60, 0.01)
    with database.begin() as session:
        busy = session.scalar(mine(HandIn, coach.team_id).where(HandIn.state == "running"))
        assert busy is not None
    # All that work now: which of them has it is nobody's to know.
    frozen = place.processes("worker")[1:]

    def freeze_between_transactions() -> bool:
        for number in frozen:
            os.kill(number, signal.SIGSTOP)
        with contextlib.suppress(OperationalError), database.begin() as session:
            query = select(Job).where(Job.team_id == coach.team_id, Job.state == "running")
            session.scalars(query.with_for_update(nowait=True)).one()
            return True
        for number in frozen:
            os.kill(number, signal.SIGCONT)
        return False

    # One that is frozen while it holds the row's lock would be waited for, whoever comes.
    until(freeze_between_transactions, 20, 0.01)
    # Another machine's worker would take it; here it is a new pool, since all of this one's are frozen.
    time.sleep(3.5)
    from lauftakt.work.doing import work_on

    with database.begin() as session:
        job_id = session.scalars(select(Job.id).where(Job.team_id == coach.team_id, Job.state == "running")).one()
    work_on(database, place.stack.var / "inbox", job_id)
    assert coach.fates()[day.files[0].name] == "taken"
    for number in frozen:
        os.kill(number, signal.SIGCONT)
    # The thawed worker stops, and takes the next job.
    coach.hand_in("next.csv", b"no log\n")
    until(lambda: coach.fates()["next.csv"] == "refused", 60)
    assert coach.fates()[day.files[0].name] == "taken"
    with database.begin() as session:
        assert session.scalar(select(func.count()).where(Run.team_id == coach.team_id)) == 1
        assert session.get_one(Job, job_id).attempts == 2
    database.close()


def test_a_file_does_not_wait_for_all_renewals(place: Installation, coach: Client) -> None:
    database = place.database()
    with database.begin() as session:
        run = session.scalars(select(Run.id).where(Run.team_id == coach.team_id)).one()
        late = [add_job(session, coach.team_id, "renew", ("run", run)).id for _ in range(80)]

    def begun() -> int:
        with database.begin() as session:
            return session.scalar(select(func.count()).where(Job.id.in_(late), Job.started_at.is_not(None))) or 0

    until(lambda: begun() >= 2, 40)
    coach.hand_in("between.csv", b"no log\n")
    before = begun()
    until(lambda: coach.fates()["between.csv"] == "refused", 60)
    meanwhile = begun() - before
    with database.begin() as session:
        session.execute(update(Job).where(Job.id.in_(late), Job.state == "waiting").values(state="cancelled"))
    database.close()
    assert before < 60
    # Those that workers had already, and one for each of the other line.
    assert meanwhile <= 8


@pytest.mark.long
def test_a_worker_that_grew_is_replaced_between_two_jobs(tmp_path: Path) -> None:
    more = {"LAUFTAKT_WORKER_MB": "1"}
    with contextmanager(installed)(tmp_path / "var", port=0, workers=1, more=more) as found:
        coach = found.coach("emil")
        seen = set()
        for number in range(4):
            seen.add(tuple(found.processes("worker")[1:]))
            coach.hand_in(f"{number}.csv", b"no log\n")
            until(lambda number=number: coach.fates().get(f"{number}.csv") == "refused", 40)
            time.sleep(1.0)
        assert len(seen) >= 3
        assert not any("ended by itself" in line for line in found.said)


@pytest.mark.long
def test_frozen_workers_do_not_make_the_queue_grow(place: Installation, coach: Client) -> None:
    database = place.database()

    def messages(only: str = "") -> int:
        with database.engine.connect() as connection:
            return int(connection.execute(text(f"SELECT COUNT(*) FROM kombu_message {only}")).scalar() or 0)

    frozen = place.processes("worker")[1:]
    for number in frozen:
        os.kill(number, signal.SIGSTOP)
    try:
        for number in range(200):
            assert coach.hand_in(f"waits-{number}.csv", b"no log\n").status_code == 201
        before = messages("WHERE visible = 1")
        time.sleep(75)  # longer than after which a message counts as lost
        assert messages("WHERE visible = 1") <= before + 4
    finally:
        for number in frozen:
            os.kill(number, signal.SIGCONT)
    until(lambda: messages("WHERE visible = 1") == 0, 120)
    until(lambda: messages() == 0, 60)
    began = time.monotonic()
    coach.hand_in("after-all.csv", b"no log\n")
    until(lambda: coach.fates()["after-all.csv"] == "refused", 20)
    assert time.monotonic() - began < 20
    database.close()


# ---- the end ---------------------------------------------------------------------------------------------------------


def test_an_ending_is_in_order(place: Installation) -> None:
    """Each part is gone before the next is asked; this stops what the other tests here used."""
    living = {name: place.processes(name)[0] for name in ("server", "collector", "worker", "database")}
    ends: dict[str, float] = {}

    def watch() -> None:
        while len(ends) < len(living):
            for name, number in living.items():
                if name not in ends and not os.path.exists(f"/proc/{number}"):
                    ends[name] = time.monotonic()
            time.sleep(0.002)

    thread = threading.Thread(target=watch)
    thread.start()
    before = len(place.said)
    place.end()
    thread.join(30)
    assert sorted(ends, key=lambda name: ends[name]) == list(living)
    assert [line.split(" the ")[1][:-2] for line in place.said[before:]] == list(living)


# ---- a disk that is full, with everything on it ----------------------------------------------------------------------


@pytest.mark.long
def test_everything_on_one_small_disk_goes_on_when_there_is_room_again(tmp_path: Path, day: Day) -> None:
    """The disk is filled to its last byte by somebody else while files are taken in, and freed again."""
    with small_disk(tmp_path / "disk", 1400) as disk:
        more = {"LAUFTAKT_RESERVE_MB": "300", "LAUFTAKT_LEASE_S": "3"}
        with contextmanager(installed)(disk.folder / "var", port=0, more=more) as found:
            coach = found.coach("dora")
            coach.hand_in(day.layout_file.name, day.layout_file.read_bytes())
            until(lambda: coach.fates().get(day.layout_file.name) == "taken", 60)
            for path in day.files[:3]:
                coach.hand_in(path.name, path.read_bytes())
            disk.fill(leave=0)
            time.sleep(8)
            # Whatever can answer says what is wrong; nothing is taken that cannot be kept.
            with contextlib.suppress(requests.RequestException):
                assert coach.hand_in("more.csv", b"no log\n" * 1000).status_code in (503, 507)
            disk.empty()
            until(lambda: coach.get("/paddock").status_code == 200, 90)
            names = [path.name for path in day.files[:3]]
            until(lambda: [coach.fates().get(name) for name in names] == ["taken"] * 3, 180)
            coach.hand_in(day.files[3].name, day.files[3].read_bytes())
            until(lambda: coach.fates().get(day.files[3].name) == "taken", 60)
            assert len(coach.get("/paddock").json()["runs"]) == 4
