"""The demo's coach: prepares and gives debriefs through the API, as anybody would at the screen."""

import json
import time
from collections.abc import Callable, Sequence
from http.cookiejar import CookieJar
from typing import Any, cast
from urllib.error import HTTPError, URLError
from urllib.request import HTTPCookieProcessor, Request, build_opener

from lauftakt.demo.next_runs import NEXT
from lauftakt.demo.season import DAYS

WAIT_S, LOOK_S = 240.0, 1.0
# Each student is asked for so many things, and told one that is good.
CUES = 2
SCHOOL_DAY = "2026-05-16"
# Who was given a debrief on each day of the season.
GIVEN = {
    "2026-03-28": ["Ines", "Okan", "Freya", "Jonas"],
    "2026-04-11": ["Ines", "Freya"],
    "2026-04-25": ["Ines", "Jonas"],
}


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
    """Give every student of the season's days and of the school's day the debrief of their first run of the day, where
    none was given yet.

    Parameters
    ----------
    address, email, password : of the application and of its coach
    say : told what happens
    """
    try:
        desk = Desk(address, email, password)
        for day, students in (*((one.day, GIVEN[one.day]) for one in DAYS), (SCHOOL_DAY, [one.of for one in NEXT])):
            waiting = _first_runs(desk, day, students)
            if waiting:
                say(f"Preparing the debriefs of {day} …")
            for run in waiting:
                _prepare(desk, run)
    except (HTTPError, URLError, TimeoutError) as error:
        # The demo goes on without them; whoever looks can prepare them.
        say(f"The debriefs could not be prepared: {error}")


def _first_runs(desk: Desk, day: str, students: Sequence[str]) -> list[int]:
    """First runs of students on a day after which nothing was given."""
    found = []
    for event in desk.ask("GET", "/api/paddock")["events"]:
        if event["day"] != day:
            continue
        runs = desk.ask("GET", f"/api/paddock?event={event['id']}")["runs"]
        first: dict[str, int] = {}
        for run in sorted(runs, key=lambda run: run["started_at"] or ""):
            first.setdefault(run["driver"]["name"], run["id"])
        found += [run for name, run in first.items() if name in students and _ready(desk, run)["debrief"] is None]
    return found


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
