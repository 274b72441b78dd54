#!/usr/bin/env python3
"""Every address of the API is asked with whatever its description allows, and with real ids, by everybody there is.

Usage: .venv/bin/python benchmarks/knocking.py [--calls 10000] [--seed 1]

A school with two drivers' runs, notes, a debrief, links and invitations is made in a database of its own. Then requests
are generated from the API's own description (Schemathesis), half of them with the ids of rows that are there, and asked
as owner, coach, assistant, driver, another team's owner, and by nobody. Answers of 500 and above are counted, but 503
(the database is away) and 507 (the disk is full), which say what to do. What deletes is asked last.
"""

import argparse
import os
import sys
import tempfile
from collections import Counter
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, Phase, given, seed, settings
from imports import write_runs
from schemathesis import openapi
from sqlalchemy import delete, func, select

from lauftakt import settings as own
from lauftakt.operate.mariadb import PrivateMariaDB
from lauftakt.store.accounts import add_account, add_team, set_password
from lauftakt.store.database import Database, mine
from lauftakt.store.models import (
    Account,
    Action,
    Car,
    Circuit,
    CueRow,
    Debrief,
    DialectRow,
    Driver,
    Event,
    FigureSet,
    HandIn,
    HandInLink,
    Invitation,
    Job,
    LayoutRow,
    LayoutVersion,
    LineUpRow,
    MarkRow,
    Note,
    Run,
    SectorSet,
    SignIn,
    SignInTry,
    Team,
    Upload,
)  # fmt: skip
from lauftakt.web.application import create_app
from lauftakt.web.limits import limiter
from lauftakt.work import queue
from lauftakt.work.direct import hand_in_now
from lauftakt.work.doing import work_on
from lauftakt.work.intake import Giver

PASSWORD = "eleven brown horses"
ROLES = ("owner", "coach", "assistant", "driver", "stranger", "nobody")
ALLOWED = (503, 507)
OF: dict[str, Any] = {
    "run_id": Run, "hand_in_id": HandIn, "event_id": Event, "driver_id": Driver, "link_id": HandInLink,
    "dialect_id": DialectRow, "upload_id": Upload, "job_id": Job, "action_id": Action, "sign_in_id": SignIn,
    "invitation_id": Invitation, "layout_id": LayoutRow, "mark_id": MarkRow, "set_id": SectorSet,
    "version_id": LayoutVersion, "car_id": Car, "figure_set_id": FigureSet, "line_up_id": LineUpRow, "note_id": Note,
    "debrief_id": Debrief, "cue_id": CueRow, "account_id": Account, "circuit_id": Circuit,
}  # fmt: skip


class School:
    """A school, and whoever asks it something."""

    def __init__(self, database: Database, app: Any, folder: Path) -> None:
        self.database, self.app = database, app
        self._known: dict[str, list[int]] | None = None
        with database.begin() as session:
            team, other = add_team(session, "A school"), add_team(session, "Another")
            self.team_id = team.id
            for role in ROLES[:3]:
                add_account(session, team, email=f"{role}@knock.example", name=role, password=PASSWORD, role=role)
            add_account(session, other, email="stranger@knock.example", name="S", password=PASSWORD, role="owner")
        for path in write_runs(folder, 2, 2):
            hand_in_now(database, own.load().inbox, Giver(self.team_id, "shell"), path)
        with database.begin() as session:
            driver = session.scalars(mine(Driver, self.team_id).order_by(Driver.id)).first()
            account = add_account(
                session, session.get_one(type(team), self.team_id), email="driver@knock.example", name="D",
                password=PASSWORD, role="driver",
            )  # fmt: skip
            account.driver_id = driver.id if driver else None
        self.clients = {role: self.app.test_client() for role in ROLES}
        self.tokens = {role: self.sign_in(role) for role in ROLES}
        self._fill()

    def sign_in(self, role: str) -> str:
        client = self.clients[role]
        token = client.get("/api/session").json["csrf"]
        if role == "nobody":
            return str(token)
        body = {"email": f"{role}@knock.example", "password": PASSWORD}
        answer = client.post("/api/session", json=body, headers={"X-CSRFToken": token})
        if answer.status_code != 200:
            self._let_in(role)
            answer = client.post("/api/session", json=body, headers={"X-CSRFToken": token})
        return str(answer.json.get("csrf", token))

    def _let_in(self, role: str) -> None:
        """Somebody was removed, or has another password by now: they come again."""
        email = f"{role}@knock.example"
        with self.database.begin() as session:
            session.execute(delete(SignInTry))
            account = session.scalar(select(Account).where(Account.email == email))
            if account is None:
                team = session.get_one(Team, self.team_id)
                add_account(session, team, email=email, name=role, password=PASSWORD, role=role)
            else:
                set_password(session, account, PASSWORD)
                account.role = "owner" if role == "stranger" else role

    def _fill(self) -> None:
        """Rows of most kinds, as people make them."""
        owner, head = self.clients["owner"], {"X-CSRFToken": self.tokens["owner"]}
        day = owner.get("/api/paddock").json
        run, event = day["runs"][0]["id"], day["event"]["id"]
        lap = owner.get("/api/desk").json["laps"][0]["key"]
        layout = owner.get("/api/circuits").json["circuits"][0]["id"]
        tus = {"Tus-Resumable": "1.0.0", "Upload-Length": "9", "Upload-Metadata": "filename YS5jc3Y="}
        asked: list[tuple[str, str, Any]] = [
            ("POST", "/api/links", {"driver": "Ines"}), ("POST", "/api/invitations", {"role": "coach"}),
            ("POST", "/api/notes", {"pin": "lap", "text": "Ours", "lap": lap}),
            ("POST", "/api/cues", {"run": run, "kind": "cue", "passage": "P1"}),
            ("POST", f"/api/layouts/{layout}/marks", {"name": "board", "at_m": 10.0}),
            ("POST", "/api/figure-sets", {"name": "Ours", "figures": ["gear:low"]}),
            ("POST", f"/api/runs/{run}/export", {"format": "csv"}), ("PATCH", f"/api/runs/{run}", {"notes": "First."}),
            ("PATCH", f"/api/runs/{run}/channels", {"channels": [{"name": "gear", "role": "gear"}], "name": "Ours"}),
            ("POST", "/api/line-ups", {"event": event, "name": "Two", "address": f"laps={run}.2"}),
            ("PATCH", f"/api/runs/{run}", {"car": "Blue"}),
        ]  # fmt: skip
        owner.post("/api/uploads", headers=head | tus)
        for method, path, body in asked:
            owner.open(path, method=method, json=body, headers=head)

    def ids(self, anew: bool = True) -> dict[str, list[int]]:
        """The ids that are there now, by their names in addresses; ``anew`` where some may have come or gone."""
        if self._known is None or anew:
            self._known = self._ids()
        return self._known

    def _ids(self) -> dict[str, list[int]]:
        with self.database.begin() as session:
            return {
                name: [row.id for row in session.scalars(mine(model, self.team_id).limit(20))]
                for name, model in OF.items()
            }


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--calls", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        server = PrivateMariaDB(folder / "database")
        server.start()
        os.environ |= {"LAUFTAKT_DATABASE_URL": server.url, "LAUFTAKT_VAR": str(folder / "var")}
        try:
            return knock(folder, server, asked.calls, asked.seed)
        finally:
            server.stop()


def knock(folder: Path, server: PrivateMariaDB, calls: int, first_seed: int) -> int:
    database = Database(server.url)
    database.migrate()
    limiter.enabled = False
    found = own.load()
    found.inbox.mkdir(parents=True, exist_ok=True)
    # Work is done at once, so that what it stores is asked for, too.
    queue.run_job.delay = lambda job_id: work_on(database, found.inbox, job_id, retry=False)
    app = create_app(found, database, front_end=folder)
    app.config["PROPAGATE_EXCEPTIONS"] = False
    (folder / "logs").mkdir()
    school = School(database, app, folder / "logs")
    description = openapi.from_wsgi("/api/openapi.json", app)
    operations = [item.ok() for item in description.get_all_operations()]
    operations.sort(
        key=lambda one: (one.method.upper() == "DELETE", one.path.endswith(("/team", "/session")), one.path)
    )
    each = max(1, calls // len(operations))
    told: Counter[int] = Counter()
    broken: Counter[str] = Counter()
    for number, operation in enumerate(operations):
        ask(school, operation, each, first_seed + number, told, broken)
    total = sum(told.values())
    print(f"{len(operations)} addresses, {total} calls by {len(ROLES)} kinds of people")
    print("answers:", ", ".join(f"{status} {count}" for status, count in sorted(told.items())))
    print(f"answers of 500 and above but {ALLOWED}: {sum(broken.values())}")
    for what, count in sorted(broken.items()):
        print(f"  {what} ({count} times)")
    with database.begin() as session:
        failed = session.scalar(select(func.count()).select_from(Job).where(Job.code == "internal")) or 0
    print(f"jobs that failed for a reason of our own: {failed}")
    database.close()
    return 1 if broken or failed else 0


def ask(school: School, operation: Any, calls: int, number: int, told: Counter[int], broken: Counter[str]) -> None:
    """Ask one address so many times, each time by somebody else."""
    ids, turns = school.ids(anew=operation.method.upper() != "GET"), [0]

    @seed(number)
    @settings(
        max_examples=calls, deadline=None, database=None, phases=(Phase.generate,),
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=operation.as_strategy())
    def once(case: Any) -> None:
        turns[0] += 1
        turn, role = turns[0], ROLES[turns[0] % len(ROLES)]
        path = dict(case.path_parameters or {})
        for name in path:
            real = ids.get(name)
            if real and turn % 2 == 0:
                path[name] = real[turn // 2 % len(real)]
        case.path_parameters = path
        head = {"X-CSRFToken": school.tokens[role], "Tus-Resumable": "1.0.0"}
        try:
            sent = case.as_transport_kwargs(headers=head)
        except Exception as error:  # what cannot be written as a request is none
            print(f"  {case.method} {operation.path}: no request: {type(error).__name__}", file=sys.stderr)
            return
        answer = school.clients[role].open(
            case.formatted_path, method=case.method.upper(), query_string=sent.get("params"),
            headers=dict(sent["headers"]), json=sent.get("json"), data=sent.get("data"),
        )  # fmt: skip
        told[answer.status_code] += 1
        if answer.status_code >= 500 and answer.status_code not in ALLOWED:
            broken[f"{case.method} {operation.path}: {answer.status_code}"] += 1
        if answer.status_code == 401 and role != "nobody":
            school.tokens[role] = school.sign_in(role)

    once()


if __name__ == "__main__":
    sys.exit(main())
