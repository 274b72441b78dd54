"""After a day's use, with everything that goes wrong in one, no log of the installation names a person or a secret."""

import contextlib
import os
import signal
import threading
import time
from collections.abc import Iterator
from urllib.parse import quote

import pytest
import requests

from lauftakt.operate.nights import Nights
from lauftakt.store.database import Database
from tests.installation import PASSWORD, Client, Installation, installed, until
from tests.private import Used, logs

pytestmark = pytest.mark.in_order

# What people typed, and machines handed out; whatever of it stands in a log is a fault.
WRONG, DRIVER, OTHER, NOTE = "wrong-word-Quux77", "Zörg Quibblethwaite", "Bexley Fnordsson", "his father is Xanthippus"
COACH, INVITED = "agatha.quimby", "invited.zebulon@school.example"
FILE = "Quibblethwaite_morning.csv"
LOG = "time [s],Pilot Plinkerton,speed [km/h]\n" + "".join(f"{i / 10},{i % 7},{i % 90}\n" for i in range(900))
BROKEN = b"time [s],speed [km/h]\n0,Ludwigsdottir\n1,\xff\xfe\n"


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Installation]:
    more = {"LAUFTAKT_LEASE_S": "3", "LAUFTAKT_DATABASE_S": "5", "LAUFTAKT_BACKUPS": "1"}
    yield from installed(tmp_path_factory.mktemp("private"), port=0, workers=1, more=more)


@pytest.mark.long
def test_no_log_names_a_person_or_a_secret(place: Installation) -> None:
    used = Used()
    coach = place.coach(COACH)
    used.keep(password=PASSWORD, coach=f"{COACH}@team.example", csrf=str(coach.session.headers["X-CSRFToken"]))
    used.keep(cookie=next(iter(coach.session.cookies)).value or "", coach_name=COACH)
    used.keep(wrong=WRONG, driver=DRIVER, other=OTHER, note=NOTE, invited=INVITED, file=FILE, column="Plinkerton")
    used.keep(cell="Ludwigsdottir", secret=(place.stack.var / "secret").read_text().strip())
    used.keep(database=place.stack.mariadb.url.partition("://")[2].partition(":")[2].partition("@")[0])

    # Ways in that are right, and wrong.
    for _ in range(7):
        stranger = Client(place.api, 0)
        stranger._token()
        body = {"email": f"{COACH}@team.example", "password": WRONG}
        assert stranger.session.post(place.api + "/session", json=body, timeout=20).status_code in (401, 429)
    link = coach.post("/links", json={"driver": DRIVER}).json()
    token = link["address"].rpartition("/")[2]
    used.keep(link=token)
    invitation = coach.post("/invitations", json={"role": "assistant"}).json()["address"].rpartition("/")[2]
    used.keep(invitation=invitation)
    person = {"name": OTHER, "email": INVITED, "password": PASSWORD}
    joined = Client(place.api, 0)
    joined._token()
    answer = joined.post(f"/invitation/{invitation}", json=person)
    assert answer.status_code < 300, answer.text

    # Files that come in, by the link, too; some are damaged.
    coach.hand_in(FILE, LOG.encode())
    coach.hand_in(f"{OTHER}.csv", BROKEN)
    giver = Client(place.api, 0)
    giver._token()
    giver.api += f"/link/{token}"
    assert giver.get("").status_code == 200
    giver.send(FILE, BROKEN)
    until(lambda: all(state == "refused" for state in coach.fates().values()) and coach.fates(), 60)

    # Whatever the database and the server are asked while they go away.
    busy = threading.Event()

    def go_on_asking() -> None:
        while not busy.is_set():
            with contextlib.suppress(requests.RequestException, KeyError, AssertionError):
                coach.post("/links", json={"driver": OTHER})
                coach.hand_in(FILE, BROKEN)
                giver.send(FILE, BROKEN + str(time.monotonic()).encode())
                coach.get(f"/find?q={quote(DRIVER)}")

    asking = threading.Thread(target=go_on_asking)
    asking.start()
    try:
        for part in ("database", "worker", "server"):
            time.sleep(1.0)
            place.kill(part)
            until(lambda part=part: f"The {part} runs again." in place.said, 40)
            until(lambda: coach.get("/paddock").status_code == 200, 40)
        os.kill(place.processes("worker")[1], signal.SIGKILL)
    finally:
        busy.set()
        asking.join(60)
    assert coach.post(f"/drivers/{link['driver']['id']}/forget").status_code == 200
    nights = Nights(place.stack.var, Database(place.stack.mariadb.url), threading.Event())
    nights.look()
    nights.database.close()

    written = logs(place.stack.var)
    assert {"server.log", "worker.log", "collector.log", "mariadb.log", "backup.log"} <= {p.name for p in written}
    assert any(len(data) > 200 for path, data in written.items() if path.name == "server.log"), "nothing went wrong"
    told = {str(path.relative_to(place.stack.var)): used.found_in(data) for path, data in written.items()}
    assert {name: what for name, what in told.items() if what} == {}
    # What the start says is kept by a service's journal.
    assert used.found_in("\n".join(place.said).encode()) == []


@pytest.mark.parametrize("name", [DRIVER, "Plinkerton", WRONG])
def test_the_search_finds_what_stands_there(name: str) -> None:
    used = Used()
    used.keep(it=name)
    for data in (name.encode(), quote(name).encode(), repr([name]).encode(), name.upper().encode()):
        assert used.found_in(b"2026 WARNING " + data + b" failed") == ["it"]
    assert used.found_in(b"2026 WARNING it failed") == []
