"""The demo's coach: prepares and gives the morning's debriefs through the API, as anybody would at the screen."""

import json
import time
from collections.abc import Callable
from http.cookiejar import CookieJar
from typing import Any, cast
from urllib.error import HTTPError, URLError
from urllib.request import HTTPCookieProcessor, Request, build_opener

from lauftakt.demo.next_runs import NEXT

WAIT_S, LOOK_S = 240.0, 1.0
# Each student is asked for so many things, and told one that is good.
CUES = 2


class Desk:
    """A signed-in connection to a running application."""

    def __init__(self, address: str, email: str, password: str) -> None:
        self._address, self._csrf = address.rstrip("/"), ""
        self._opener = build_opener(HTTPCookieProcessor(CookieJar()))
        self._csrf = self.ask("GET", "/api/session")["csrf"]
        self._csrf = self.ask("POST", "/api/session", {"email": email, "password": password})["csrf"]

    def ask(self, method: str, path: str, body: dict[str, Any] | None = None) -> dict[str, Any]:
        headers = {"Content-Type": "application/json", "X-CSRFToken": self._csrf}
        data = None if body is None else json.dumps(body).encode()
        request = Request(f"{self._address}{path}", data=data, headers=headers, method=method)  # noqa: S310
        with self._opener.open(request, timeout=60) as answer:
            text = answer.read()
        return cast("dict[str, Any]", json.loads(text)) if text else {}


def give_debriefs(address: str, email: str, password: str, say: Callable[[str], None]) -> None:
    """Give every student of the school's day the debrief of the morning, where none was given yet.

    Parameters
    ----------
    address, email, password : of the application and of its coach
    say : told what happens
    """
    try:
        desk = Desk(address, email, password)
        morning = _morning(desk)
        if not morning:
            return
        say("Preparing the morning's debriefs …")
        for run in morning:
            _prepare(desk, run)
    except (HTTPError, URLError, TimeoutError) as error:
        # The demo goes on without them; whoever looks can prepare them.
        say(f"The morning's debriefs could not be prepared: {error}")


def _morning(desk: Desk) -> list[int]:
    """Runs of the students' morning after which nothing was given."""
    students = {each.of for each in NEXT}
    for event in desk.ask("GET", "/api/paddock")["events"]:
        runs = desk.ask("GET", f"/api/paddock?event={event['id']}")["runs"]
        own = sorted((run for run in runs if run["driver"]["name"] in students), key=lambda run: run["started_at"])
        first: dict[str, int] = {}
        for run in own:
            first.setdefault(run["driver"]["name"], run["id"])
        if set(first) == students:
            return [run for run in first.values() if _ready(desk, run)["debrief"] is None]
    return []


def _ready(desk: Desk, run: int) -> dict[str, Any]:
    """What is known of a run, once the day is compared."""
    until = time.monotonic() + WAIT_S
    found = desk.ask("GET", f"/api/debriefs/runs/{run}")
    while found["state"] == "coming" and time.monotonic() < until:
        time.sleep(LOOK_S)
        found = desk.ask("GET", f"/api/debriefs/runs/{run}")
    return found


def _prepare(desk: Desk, run: int) -> None:
    found = _ready(desk, run)
    dearest = [one for one in found["findings"] if one["put_forward"] and one["passage"]][:CUES]
    for one in dearest:
        desk.ask("POST", "/api/cues", {"run": run, "kind": "cue", "passage": one["passage"]})
    for one in found["strengths"][:1]:
        desk.ask("POST", "/api/cues", {"run": run, "kind": "keep", "passage": one["passage"]})
    debrief = desk.ask("GET", f"/api/debriefs/runs/{run}")["debrief"]
    if debrief is not None:
        desk.ask("POST", f"/api/debriefs/{debrief['id']}/give", {"given": True})
