"""A whole installation that runs: database, workers, collector and server, as a school's, for tests that break it."""

import contextlib
import os
import signal
import subprocess
import threading
import time
from base64 import b64encode
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import requests

from lauftakt.operate.stack import How, Stack
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database

PASSWORD = "a long word for a coach"


@dataclass
class Installation:
    """A stack that is watched as it is in earnest, and its coach."""

    stack: Stack
    said: list[str] = field(default_factory=list)
    _stopping: threading.Event = field(default_factory=threading.Event)
    _ended: threading.Event = field(default_factory=threading.Event)
    _keeper: threading.Thread | None = None

    def begin(self) -> None:
        """Watch it, as whoever started it does."""
        self._keeper = threading.Thread(target=self._keep, daemon=True)
        self._keeper.start()

    def _keep(self) -> None:
        while not self._stopping.wait(0.2):
            self.stack.watch(self.said.append)
        self._ended.wait(120)  # what a thread started ends with it

    def end(self) -> None:
        """Stop everything; done twice it does nothing."""
        self._stopping.set()
        time.sleep(0.3)
        self.stack.stop(self.said.append)
        self._ended.set()
        if self._keeper is not None:
            self._keeper.join(90)

    @property
    def api(self) -> str:
        return self.stack.address + "/api"

    def processes(self, what: str) -> list[int]:
        """The processes of a part, its main one first."""
        if what == "database":
            assert self.stack.mariadb._process is not None
            return [self.stack.mariadb._process.pid]
        part = next(part for part in self.stack._parts if part.name == what)
        told = subprocess.run(["ps", "-o", "pid=", "-s", str(part.process.pid)], capture_output=True, text=True)
        return [part.process.pid, *sorted({int(line) for line in told.stdout.split()} - {part.process.pid})]

    def kill(self, what: str) -> None:
        """Kill the main process of a part."""
        os.kill(self.processes(what)[0], signal.SIGKILL)

    def database(self) -> Database:
        return Database(self.stack.mariadb.url)

    def coach(self, name: str) -> "Client":
        """A team of its own with a signed-in coach."""
        client = Client(self.api, self.coach_account(name))
        client.sign_in(f"{name}@team.example")
        return client

    def coach_account(self, name: str) -> int:
        """A team of its own with a coach; returns its number."""
        database = self.database()
        with database.begin() as session:
            team = add_team(session, f"Team of {name}")
            add_account(session, team, email=f"{name}@team.example", name=name, password=PASSWORD, role="owner")
            number = team.id
        database.close()
        return number


@dataclass
class Client:
    """Somebody who is signed in."""

    api: str
    team_id: int
    session: requests.Session = field(default_factory=requests.Session)

    def sign_in(self, email: str) -> None:
        self._token()
        answer = self.session.post(self.api + "/session", json={"email": email, "password": PASSWORD}, timeout=20)
        assert answer.status_code == 200, answer.text
        self._token()

    def _token(self) -> None:
        told = self.session.get(self.api + "/session", timeout=20).json()
        self.session.headers["X-CSRFToken"] = told["csrf"]
        self.session.headers["Referer"] = self.api

    def get(self, path: str, **more: Any) -> requests.Response:
        return self.session.get(self.api + path, timeout=30, **more)

    def post(self, path: str, **more: Any) -> requests.Response:
        return self.session.post(self.api + path, timeout=60, **more)

    def hand_in(self, name: str, data: bytes) -> requests.Response:
        return self.post("/hand-ins", files={"file": (name, data)})

    def send(self, name: str, data: bytes) -> Any:
        """Send a file in pieces, by the protocol; what is told of it at the end."""
        tus = {"Tus-Resumable": "1.0.0"}
        said = {
            **tus,
            "Upload-Length": str(len(data)),
            "Upload-Metadata": f"filename {b64encode(name.encode()).decode()}",
        }
        upload = self.post("/uploads", headers=said).json()["id"]
        for at in range(0, len(data), 300_000):
            head = {**tus, "Upload-Offset": str(at), "Content-Type": "application/offset+octet-stream"}
            piece = data[at : at + 300_000]
            answer = self.session.patch(f"{self.api}/uploads/{upload}", headers=head, data=piece, timeout=30)
            assert answer.status_code == 204, answer.text
        return self.get(f"/uploads/{upload}").json()

    def fates(self) -> dict[str, str]:
        """What became of each file."""
        return {row["file_name"]: row["state"] for row in self.get("/hand-ins?age=0").json()["hand_ins"]}


def until(found: Callable[[], Any], seconds: float = 60.0, step: float = 0.1) -> Any:
    """Wait for something to be so; what the server cannot answer meanwhile is asked for again."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        with contextlib.suppress(requests.ConnectionError, requests.Timeout, KeyError):
            value = found()
            if value:
                return value
        time.sleep(step)
    raise AssertionError(f"not so within {seconds} s")


def installed(var: Path, **how: Any) -> Iterator[Installation]:
    """Start one, and stop it at the end."""
    before = dict(os.environ)
    more = how.pop("more", None)
    found = Installation(Stack(var, How(**how), more=more))
    try:
        found.stack.start_database(found.said.append).close()
        found.stack.start_application(found.said.append)
        found.begin()
        yield found
    finally:
        found.end()
        os.environ.clear()
        os.environ.update(before)
