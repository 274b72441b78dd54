"""A coach who works by the API as a browser would: signs in, sends files by tus, tries again what did not answer."""

import base64
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import requests

PASSWORD = "eleven brown horses"
PIECE = 256 * 1024


@dataclass
class Coach:
    """Somebody signed in; ``waits``: how long they waited for answers that did not come, seconds."""

    address: str
    email: str
    session: requests.Session = field(default_factory=requests.Session)
    waits: float = 0.0
    stopped: bool = False

    def ask(self, method: str, path: str, *, patience: float = 120.0, **more: Any) -> requests.Response:
        """Ask until there is an answer that is no 5xx; whoever was signed out signs in again."""
        began = time.monotonic()
        while not self.stopped:
            try:
                answer = self.session.request(method, self.address + path, timeout=20, **more)
                if answer.status_code == 401 or (answer.status_code == 400 and answer.json().get("code") == "token"):
                    self.sign_in()
                    continue
                if answer.status_code < 500 and answer.status_code != 429:
                    return answer
            except (requests.RequestException, ValueError):
                pass
            if time.monotonic() - began > patience:
                raise TimeoutError(f"{method} {path}: no answer in {patience:.0f} s")
            time.sleep(0.1)
            self.waits += 0.1
        raise InterruptedError

    def sign_in(self) -> None:
        """Sign in, as often as it takes."""
        while not self.stopped:
            try:
                told = self.session.get(self.address + "/api/session", timeout=10).json()
                self.session.headers["X-CSRFToken"] = told["csrf"]
                answer = self.session.post(
                    self.address + "/api/session", json={"email": self.email, "password": PASSWORD}, timeout=10
                )
                if answer.status_code == 200:
                    self.session.headers["X-CSRFToken"] = answer.json()["csrf"]
                    return
            except (requests.RequestException, ValueError, KeyError):
                pass
            time.sleep(0.2)

    def send(self, path: Path, *, pause: Callable[[], None] = lambda: None) -> dict[str, Any]:
        """Send one file in pieces, going on where it broke; returns its hand-in."""
        data = path.read_bytes()
        said = {"filename": path.name, "modified": "1"}
        metadata = ",".join(f"{key} {base64.b64encode(value.encode()).decode()}" for key, value in said.items())
        tus = {"Tus-Resumable": "1.0.0"}
        head = {**tus, "Upload-Length": str(len(data)), "Upload-Metadata": metadata}
        upload = self.ask("POST", "/api/uploads", headers=head).json()["id"]
        while True:
            found = self.ask("GET", f"/api/uploads/{upload}")
            if found.status_code == 404:
                upload = self.ask("POST", "/api/uploads", headers=head).json()["id"]
                continue
            told = found.json()
            if told["hand_in"]:
                return dict(told["hand_in"])
            at = told["offset"]
            piece = {**tus, "Upload-Offset": str(at), "Content-Type": "application/offset+octet-stream"}
            self.ask("PATCH", f"/api/uploads/{upload}", headers=piece, data=data[at : at + PIECE])
            pause()

    def hand_ins(self) -> list[dict[str, Any]]:
        """All files of the team, with what became of them."""
        rows: list[dict[str, Any]] = []
        while True:
            more = f"&before={rows[-1]['id']}" if rows else ""
            page = self.ask("GET", f"/api/hand-ins?age=0{more}").json()
            rows += page["hand_ins"]
            if not page["more"]:
                return rows

    def settled(self, patience: float = 240.0) -> list[dict[str, Any]]:
        """The same, once nothing waits any more."""
        end = time.monotonic() + patience
        while True:
            rows = self.hand_ins()
            if all(row["state"] not in ("waiting", "running") and not row.get("renewing") for row in rows):
                return rows
            if time.monotonic() > end:
                waiting = [(row["file_name"], row["state"], row["step"]) for row in rows if row["state"] != "taken"]
                raise TimeoutError(f"still waiting after {patience:.0f} s: {waiting[:5]}")
            time.sleep(0.3)
