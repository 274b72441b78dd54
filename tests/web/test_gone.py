"""What is gone opens nothing: every way in, by whoever was let in once, against everything that can be taken away.

The ways by a link are those of the application's own table, so that a new one is tried without being written down here.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select
from werkzeug.routing import Rule

from lauftakt import settings
from lauftakt.settings import NamedLogger
from lauftakt.store.accounts import add_account, team_for
from lauftakt.store.database import INCLUDE_REMOVED, Database, now
from lauftakt.store.models import Account, Driver, Job, LiveStream, Team
from lauftakt.work import jobs, open_jobs
from lauftakt.work.collecting import StreamKeeper, watch_of
from lauftakt.work.demo_school import begin_demo_school, demo_of
from lauftakt.work.fetching import NotAllowed, address_of
from tests.web.coach import Coach, make_coach

Mends = Callable[[], None]


@dataclass
class School:
    """A team with an owner who looks, a coach who may leave, a driver with a link, and an invitation."""

    owner: Coach
    coach: Coach
    driver: int
    link: str
    invitation: str
    database: Database

    def account(self, who: Coach) -> int:
        with self.database.begin() as session:
            return session.scalars(select(Account.id).where(Account.email == who.email)).one()


@pytest.fixture
def school(app: Any, database: Database) -> School:
    owner = make_coach(app, database, role="owner")
    owner.sign_in()
    with database.begin() as session:
        team = session.get_one(Team, owner.team_id)
        email = f"second-{owner.email}"
        add_account(session, team, email=email, name="D", password="secret word", role="owner")
        driver = Driver(team_id=team.id, name="Zoë", colour=0)
        session.add(driver)
        session.flush()
        number = driver.id
    coach = Coach(app.test_client(), owner.team_id, email)
    coach.sign_in()
    link = coach.post("/api/links", json={"driver": "Zoë", "days": 5}).json["address"].rsplit("/", 1)[1]
    invitation = coach.post("/api/invitations", json={"role": "owner", "days": 5}).json["address"].rsplit("/", 1)[1]
    found = School(owner, coach, number, link, invitation, database)
    assert owner.get(f"/api/link/{link}").status_code == 200
    assert owner.get(f"/api/invitation/{invitation}").status_code == 200
    return found


def remove_team(school: School) -> None:
    with school.database.begin() as session:
        session.get_one(Team, school.owner.team_id).removed_at = now()


def remove_driver(school: School) -> None:
    assert school.owner.delete(f"/api/removals/driver/{school.driver}").status_code == 200


def replace_link(school: School) -> None:
    assert school.owner.post("/api/links", json={"driver": "Zoë", "days": 5}).status_code == 201


def take_link_back(school: School) -> None:
    (row,) = school.owner.get("/api/links").json["links"]
    assert school.owner.delete(f"/api/links/{row['id']}").status_code == 204


def remove_person(school: School) -> None:
    assert school.owner.delete(f"/api/people/{school.account(school.coach)}").status_code == 204


def make_less(school: School) -> None:
    path = f"/api/people/{school.account(school.coach)}"
    assert school.owner.patch(path, json={"role": "assistant"}).status_code == 204


def ways(app: Any, start: str) -> Iterator[tuple[str, str]]:
    """Method and address of every way in by a token."""
    rules: list[Rule] = sorted(app.url_map.iter_rules(), key=str)
    for rule in rules:
        path = str(rule)
        if path.startswith(start + "<token>"):
            for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"}):
                yield method, path


BODIES: dict[str, Any] = {
    "/api/link/<token>/voices": {"run": 1, "felt": "good"},
    "/api/invitation/<token>": {"email": "new@x.example", "name": "New", "password": "an altogether new one"},
}


def knock(app: Any, start: str, token: str) -> dict[str, int]:
    """What every way in by a token answers somebody who is not signed in."""
    client = app.test_client()
    csrf = client.get("/api/session").json["csrf"]
    headers = {
        "X-CSRFToken": csrf,
        "Tus-Resumable": "1.0.0",
        "Upload-Length": "9",
        "Upload-Metadata": "filename YS5jc3Y=",
    }
    answers = {}
    for method, path in ways(app, start):
        where = path.replace("<token>", token)
        for kind in ("int:upload_id", "int:debrief_id", "int:cue_id", "int:run_id"):
            where = where.replace(f"<{kind}>", "1")
        sent: dict[str, Any] = {"headers": headers}
        if "uploads/" in path and method == "PATCH":
            sent = {
                "headers": {**headers, "Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"},
                "data": b"x",
            }
        elif method not in ("GET", "DELETE") and not path.endswith("/uploads"):
            sent["json"] = BODIES.get(path, {})
        answers[f"{method} {path}"] = client.open(where, method=method, **sent).status_code
    return answers


@pytest.mark.parametrize("gone", [remove_team, remove_driver, replace_link, take_link_back])
def test_a_link_of_what_is_gone_opens_nothing(app: Any, school: School, gone: Callable[[School], None]) -> None:
    gone(school)
    answers = knock(app, "/api/link/", school.link)
    assert len(answers) >= 11
    assert {way: code for way, code in answers.items() if code not in (404, 410)} == {}


@pytest.mark.parametrize("gone", [remove_team, remove_person, make_less])
def test_an_invitation_of_what_is_gone_lets_nobody_in(app: Any, school: School, gone: Callable[[School], None]) -> None:
    gone(school)
    answers = knock(app, "/api/invitation/", school.invitation)
    assert len(answers) == 2
    assert {way: code for way, code in answers.items() if code not in (404, 410)} == {}


@pytest.mark.parametrize("gone", [remove_team, remove_person])
def test_who_is_gone_is_signed_out_and_does_not_come_back(
    app: Any, school: School, gone: Callable[[School], None]
) -> None:
    gone(school)
    assert school.coach.get("/api/paddock").status_code == 401
    assert school.coach.get("/api/session").json["me"] is None
    assert Coach(app.test_client(), 0, school.coach.email).sign_in().status_code == 401


def test_work_of_a_removed_team_waits(school: School) -> None:
    database, team = school.database, school.owner.team_id
    with database.begin() as session:
        job = jobs.add_job(session, team, "compare", ("event", 1)).id
        running = jobs.add_job(session, team, "compare", ("event", 1)).id
        session.get_one(Job, job).created_at = now() - jobs.LEASE
    ours = jobs.claim(database, running)
    assert ours is not None
    remove_team(school)
    assert job not in open_jobs.due(database)
    assert jobs.claim(database, job) is None
    assert jobs.progress(database, ours, 0.5, "comparing"), "what is under way is stopped"
    with database.begin() as session:
        gone = session.scalars(select(Team).where(Team.id == team), execution_options=INCLUDE_REMOVED).one()
        gone.removed_at = None
    assert job in open_jobs.due(database)
    assert jobs.claim(database, job) is not None


@pytest.mark.parametrize("gone", [remove_team, remove_person])
def test_devices_of_what_is_gone_are_nobodys(school: School, gone: Callable[[School], None], tmp_path: Path) -> None:
    database, team, address = school.database, school.owner.team_id, school.coach.email
    found = replace(
        settings.load(), watch=tmp_path, watch_for=address, stream_for=address, stream_port=1,
        loggers=(NamedLogger("Box", "http://127.0.0.1:9", address),),
    )  # fmt: skip
    (tmp_path / "a.csv").write_text("x")
    watch = watch_of(database, found)
    assert watch is not None
    watch.look(database, found.inbox)
    with database.begin() as session:
        session.add(LiveStream(team_id=team, wanted=True, laps=[]))
        assert address_of(session, found, team, "Box") == "http://127.0.0.1:9"
    gone(school)
    assert watch.look(database, found.inbox) == []
    assert watch_of(database, found) is None
    keeper = StreamKeeper(database, found)
    keeper.step(0.01)
    assert keeper.socket is None
    with database.begin() as session, pytest.raises(NotAllowed):
        address_of(session, found, team, "Box")


def test_devices_belong_to_one_team(school: School, app: Any) -> None:
    database = school.database
    other = make_coach(app, database, role="owner")
    other.sign_in()
    found = replace(
        settings.load(), stream_for=school.owner.email, stream_port=5,
        loggers=(NamedLogger("Box", "http://127.0.0.1:9", school.owner.email), NamedLogger("Any", "http://127.0.0.1:9")),
    )  # fmt: skip
    app.config["LAUFTAKT"], before = found, app.config["LAUFTAKT"]
    try:
        assert [row["name"] for row in school.owner.get("/api/loggers").json["loggers"]] == ["Box"]
        assert other.get("/api/loggers").json["loggers"] == [], "with several teams, what is nobody's is nobody's"
        assert other.post("/api/loggers/fetch", json={"logger": "Box", "keys": ["1"]}).json["code"] == "no-logger"
        assert school.owner.get("/api/stream").json["available"]
        assert not other.get("/api/stream").json["available"]
        assert other.patch("/api/stream", json={"wanted": True}).json["code"] == "no-stream"
        assert school.owner.patch("/api/stream", json={"wanted": True}).status_code == 200
        assert school.owner.patch("/api/stream", json={"wanted": False}).status_code == 200
    finally:
        app.config["LAUFTAKT"] = before
    with database.begin() as session:
        assert team_for(session) is None


def test_two_teams_look_around_in_two_schools(school: School, app: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("lauftakt.web.first.send", lambda _: None)
    other = make_coach(app, school.database, role="owner")
    other.sign_in()
    visitors = []
    for who in (school.owner, other):
        visitor = Coach(app.test_client(), who.team_id, who.email)
        visitor.sign_in()
        visitor.csrf = visitor.post("/api/demo").json["csrf"]
        visitors.append(visitor)
    first, second = (visitor.get("/api/session").json["me"]["email"] for visitor in visitors)
    assert first != second
    assert other.delete("/api/demo").status_code == 200
    assert visitors[1].get("/api/paddock").status_code == 401
    assert visitors[0].get("/api/paddock").status_code == 200, "another team's school stays"
    assert school.owner.get("/api/team").json["demo_here"]
    assert not other.get("/api/team").json["demo_here"]
    with school.database.begin() as session:
        again, _ = begin_demo_school(session, school.owner.team_id)
        assert again.email == first
        found = session.scalars(demo_of(school.owner.team_id)).one()
        assert session.scalars(demo_of(found.id)).one() is found, "whoever is in it stays in it"
    owner = school.owner
    name = owner.get("/api/team").json["name"]
    owner.client.delete("/api/team", json={"name": name}, headers={"X-CSRFToken": owner.csrf})
    assert visitors[0].get("/api/paddock").status_code == 401, "it goes with its team"
