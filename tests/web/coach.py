"""Somebody who uses the API in the tests."""

import io
import itertools
from dataclasses import dataclass
from typing import Any

from flask.testing import FlaskClient

from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database

_count = itertools.count()


@dataclass
class Coach:
    """Somebody signed in, with the token that changing requests need."""

    client: FlaskClient
    team_id: int
    email: str
    csrf: str = ""

    def sign_in(self, password: str = "secret word") -> Any:
        self.csrf = self.client.get("/api/session").json["csrf"]
        answer = self.post("/api/session", json={"email": self.email, "password": password})
        self.csrf = (answer.json or {}).get("csrf", self.csrf)
        return answer

    def get(self, path: str, **kwargs: Any) -> Any:
        return self.client.get(path, **kwargs)

    def post(self, path: str, **kwargs: Any) -> Any:
        return self.client.post(path, headers={"X-CSRFToken": self.csrf}, **kwargs)

    def patch(self, path: str, **kwargs: Any) -> Any:
        return self.client.patch(path, headers={"X-CSRFToken": self.csrf}, **kwargs)

    def put(self, path: str, **kwargs: Any) -> Any:
        return self.client.put(path, headers={"X-CSRFToken": self.csrf}, **kwargs)

    def delete(self, path: str) -> Any:
        return self.client.delete(path, headers={"X-CSRFToken": self.csrf})

    def hand_in(self, name: str, data: bytes, driver: str | None = None) -> Any:
        form: dict[str, Any] = {"file": (io.BytesIO(data), name)}
        if driver is not None:
            form["driver"] = driver
        return self.post("/api/hand-ins", data=form, content_type="multipart/form-data")


def make_coach(app: Any, database: Database, role: str = "coach") -> Coach:
    number = next(_count)
    with database.begin() as session:
        team = add_team(session, f"Team {number}")
        account = add_account(
            session, team, email=f"coach{number}@team.example", name="C", password="secret word", role=role
        )
        return Coach(app.test_client(), team.id, account.email)
