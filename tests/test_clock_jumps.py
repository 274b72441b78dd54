"""The machine's clock jumps by a day, there and back, while an installation works."""

import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.day import Day
from tests.installation import Client, Installation, installed, until

pytestmark = [pytest.mark.in_order, pytest.mark.long]


# Shows a process another time of day, and leaves the clock by which it waits as it is: as when a clock is set.
SET_CLOCK = r"""
#define _GNU_SOURCE
#include <fcntl.h>
#include <stdlib.h>
#include <sys/syscall.h>
#include <sys/time.h>
#include <time.h>
#include <unistd.h>

static long ahead(void) {
    char text[24] = {0};
    const char *path = getenv("CLOCK_AHEAD");
    int file = path ? open(path, O_RDONLY | O_CLOEXEC) : -1;
    if (file < 0) return 0;
    if (read(file, text, sizeof text - 1) < 0) text[0] = 0;
    close(file);
    return atol(text);
}

int clock_gettime(clockid_t which, struct timespec *told) {
    int trouble = syscall(SYS_clock_gettime, which, told);
    if (!trouble && (which == CLOCK_REALTIME || which == CLOCK_REALTIME_COARSE)) told->tv_sec += ahead();
    return trouble;
}

int gettimeofday(struct timeval *told, void *zone) {
    struct timespec moment;
    clock_gettime(CLOCK_REALTIME, &moment);
    told->tv_sec = moment.tv_sec, told->tv_usec = moment.tv_nsec / 1000;
    return 0;
}

time_t time(time_t *told) {
    struct timespec moment;
    clock_gettime(CLOCK_REALTIME, &moment);
    if (told) *told = moment.tv_sec;
    return moment.tv_sec;
}
"""
A_DAY = 86_400


def library(folder: Path) -> Path:
    """The clock above, as it is loaded before the system's own."""
    if shutil.which("cc") is None:
        pytest.fail("This test needs a C compiler: Debian's package gcc.")
    (folder / "clock.c").write_text(SET_CLOCK)
    subprocess.run(
        ["cc", "-shared", "-fPIC", "-O1", "-o", str(folder / "clock.so"), str(folder / "clock.c")], check=True
    )
    return folder / "clock.so"


@pytest.fixture(scope="module")
def clock(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("clock") / "offset"
    path.write_text("0")
    return path


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory, clock: Path) -> Iterator[Installation]:
    more = {"LD_PRELOAD": str(library(clock.parent)), "CLOCK_AHEAD": str(clock), "LAUFTAKT_LEASE_S": "3"}
    yield from installed(tmp_path_factory.mktemp("installation"), port=0, workers=2, more=more)


def test_it_is_a_clock_of_ours_only(place: Installation, clock: Path) -> None:
    clock.write_text(str(A_DAY))
    told = "import time, datetime; print(time.time(), datetime.datetime.now().timestamp(), time.monotonic())"
    shown = [
        subprocess.run([sys.executable, "-c", told], env=env, capture_output=True, text=True, check=True).stdout
        for env in (place.stack.environment, None)
    ]
    clock.write_text("0")
    ours, others = ([float(word) for word in line.split()] for line in shown)
    assert [round((a - b) / A_DAY) for a, b in zip(ours, others, strict=True)] == [1, 1, 0]


def test_work_goes_on_over_both_jumps(place: Installation, clock: Path, day: Day) -> None:
    coach = place.coach("ada")
    files = iter(day.files)

    def works(name: str) -> None:
        coach._token()
        assert coach.get("/paddock").status_code == 200, name
        answer = coach.hand_in(f"{name}.csv", b"no log\n")
        assert answer.status_code < 300, (name, answer.text)
        until(lambda: coach.fates()[f"{name}.csv"] == "refused", 40)

    def hand_in_and_set(ahead: int) -> str:
        """The clock is set while a file is being computed."""
        path = next(files)
        coach.hand_in(path.name, path.read_bytes())
        until(lambda: coach.fates()[path.name] == "running", 40, 0.05)
        clock.write_text(str(ahead))
        return path.name

    coach.hand_in(day.layout_file.name, day.layout_file.read_bytes())
    until(lambda: coach.fates()[day.layout_file.name] == "taken", 60)
    works("before")
    on_its_way = hand_in_and_set(A_DAY)
    until(lambda: coach.fates()[on_its_way] == "taken", 90)
    works("a day on")
    # Wrong passwords of tomorrow lock nobody out today.
    stranger = Client(place.api, 0)
    for _ in range(30):
        stranger._token()
        stranger.post("/session", json={"email": "ada@team.example", "password": "wrong"})
    on_its_way = hand_in_and_set(0)
    until(lambda: coach.fates()[on_its_way] == "taken", 90)
    works("back again")
    again = Client(place.api, coach.team_id)
    again.sign_in("ada@team.example")
    on_its_way = hand_in_and_set(-A_DAY)
    until(lambda: coach.fates()[on_its_way] == "taken", 90)
    works("a day before")
    # A worker that dies now leaves a job that is done by another one, soon.
    path = next(files)
    coach.hand_in(path.name, path.read_bytes())
    until(lambda: coach.fates()[path.name] == "running", 40, 0.05)
    clock.write_text(str(-2 * A_DAY))
    place.kill("worker")
    until(lambda: coach.fates()[path.name] == "taken", 120)
    clock.write_text("0")
    works("at last")
    assert not [line for line in place.said if "ended by itself" in line and "worker" not in line]
