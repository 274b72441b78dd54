"""Accounts, sign-ins that the server ends, invitations, the first team, the demo school beside it."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from argon2 import PasswordHasher
from sqlalchemy import delete, select

from lauftakt import settings
from lauftakt.demo.team import EMAIL, PASSWORD, close_known_password
from lauftakt.store.accounts import Refused, add_account, add_team, check_new_password
from lauftakt.store.database import INCLUDE_REMOVED, Database, now
from lauftakt.store.models import Account, Invitation, Run, SignIn, SignInTry, Team
from lauftakt.store.removing import delete_team
from lauftakt.store.sign_ins import IDLE, LONGEST, MOST_FOR_ONE
from tests.web.coach import Coach, make_coach

NEW = "an altogether new one"


@pytest.fixture
def owner(app: Any, database: Database) -> Coach:
    found = make_coach(app, database, role="owner")
    found.sign_in()
    return found


def elsewhere(app: Any, who: Coach) -> Coach:
    """The same person on another device."""
    found = Coach(app.test_client(), who.team_id, who.email)
    assert found.sign_in().status_code == 200
    return found


def nobody(app: Any) -> Coach:
    found = Coach(app.test_client(), 0, "")
    found.csrf = found.get("/api/session").json["csrf"]
    return found


def test_signing_out_ends_a_copied_cookie(app: Any, owner: Coach) -> None:
    thief = app.test_client()
    thief.set_cookie("lauftakt", owner.client.get_cookie("lauftakt").value)
    assert thief.get("/api/paddock").status_code == 200
    owner.delete("/api/session")
    assert owner.get("/api/paddock").status_code == 401
    assert thief.get("/api/paddock").status_code == 401


def test_a_session_is_ended_from_another_device(app: Any, owner: Coach) -> None:
    other = elsewhere(app, owner)
    rows = owner.get("/api/account").json["sign_ins"]
    assert sorted(row["here"] for row in rows) == [False, True]
    there = next(row["id"] for row in rows if not row["here"])
    assert owner.delete(f"/api/account/sign-ins/{there}").status_code == 204
    assert other.get("/api/paddock").status_code == 401
    assert owner.get("/api/paddock").status_code == 200
    third = elsewhere(app, owner)
    assert owner.delete("/api/account/sign-ins").status_code == 204
    assert third.get("/api/paddock").status_code == 401
    assert len(owner.get("/api/account").json["sign_ins"]) == 1


@pytest.mark.parametrize(
    "age", [lambda row: setattr(row, "used_at", now() - IDLE), lambda row: setattr(row, "created_at", now() - LONGEST)]
)
def test_sign_ins_run_out(owner: Coach, database: Database, age: Callable[[SignIn], None]) -> None:
    with database.begin() as session:
        age(session.scalars(select(SignIn).where(SignIn.team_id == owner.team_id)).one())
    assert owner.get("/api/paddock").status_code == 401
    assert owner.get("/api/session").json["me"] is None


def test_a_changed_password_signs_everybody_else_out(app: Any, owner: Coach) -> None:
    other = elsewhere(app, owner)
    path = "/api/account/password"
    wrong = owner.post(path, json={"present": "not it", "new": NEW})
    assert (wrong.status_code, wrong.json["code"]) == (403, "password")
    short = owner.post(path, json={"present": "secret word", "new": "short"})
    assert (short.status_code, short.json["code"]) == (422, "password-short")
    assert owner.post(path, json={"present": "secret word", "new": NEW}).status_code == 204
    assert owner.get("/api/paddock").status_code == 200
    assert other.get("/api/paddock").status_code == 401
    assert other.sign_in().status_code == 401
    assert other.sign_in(NEW).status_code == 200


@pytest.mark.parametrize("new", ["  blanks at both ends  ", "no-break\u00a0blank\u200b and \t tab", "lang " * 40])
def test_whoever_changes_a_password_signs_in_with_just_that(app: Any, owner: Coach, new: str) -> None:
    """Nothing is stripped or cut on one way and kept on the other: that would lock somebody out."""
    done = owner.post("/api/account/password", json={"present": "secret word", "new": new})
    assert done.status_code == 204, done.json
    other = Coach(app.test_client(), owner.team_id, owner.email)
    assert other.sign_in(new).status_code == 200
    assert other.sign_in(new.strip() + "x").status_code == 401


@pytest.mark.parametrize(
    "password", ["password123", "Password!!", "qwertyuiop", "aaaaaaaaaaaa", "anna@school.de", "annaschool"]
)
def test_passwords_that_are_tried_first_are_refused(password: str) -> None:
    with pytest.raises(Refused):
        check_new_password(password, "anna@school.de", "Anna School")


def test_long_ones_will_do() -> None:
    for password in ("late apex every time", "kurve drei ist zu schnell", "x7#kQ!pz0L"):
        check_new_password(password, "anna@school.de", "Anna")


def test_an_address_is_changed_with_the_password(app: Any, owner: Coach) -> None:
    taken = make_coach(app, app.extensions["lauftakt"]).email
    change = lambda **values: owner.patch("/api/account", json=values)  # noqa: E731
    assert change(email="new@team.example").status_code == 403
    assert change(email=taken, password="secret word").json["code"] == "address-taken"
    assert change(email="no address", password="secret word").json["code"] == "address"
    mine = f"new-{owner.team_id}@team.example"
    assert change(email=mine.upper(), password="secret word", name="  New\x00 name ").status_code == 204
    me = owner.get("/api/session").json["me"]
    assert (me["email"], me["name"]) == (mine, "New name")


def test_tries_are_counted_for_an_address_from_a_place(app: Any, database: Database, owner: Coach) -> None:
    guesser = Coach(app.test_client(), 0, owner.email)
    codes = [guesser.sign_in("wrong").status_code for _ in range(MOST_FOR_ONE + 2)]
    assert codes == [401] * MOST_FOR_ONE + [429] * 2
    assert guesser.sign_in("secret word").status_code == 429
    # The right person comes from elsewhere, and others from here are not kept out.
    elsewhere_ = app.test_client()
    elsewhere_.environ_base["REMOTE_ADDR"] = "192.0.2.7"
    assert Coach(elsewhere_, 0, owner.email).sign_in().status_code == 200
    assert make_coach(app, database).sign_in().status_code == 200
    with database.begin() as session:
        keys = session.scalars(select(SignInTry.key)).all()
        assert all(len(key) == 64 and owner.email not in key for key in keys)
        session.execute(delete(SignInTry))


def test_weak_hashes_are_renewed_at_sign_in(app: Any, database: Database, owner: Coach) -> None:
    weak = PasswordHasher(time_cost=1, memory_cost=1024, parallelism=1).hash("secret word")
    with database.begin() as session:
        session.scalars(select(Account).where(Account.email == owner.email)).one().password_hash = weak
    assert elsewhere(app, owner)
    with database.begin() as session:
        assert session.scalars(select(Account).where(Account.email == owner.email)).one().password_hash != weak


def join(app: Any, link: str, **values: Any) -> tuple[Coach, Any]:
    guest = nobody(app)
    told = {"name": "Second", "email": f"{link[-12:].lower()}@team.example", "password": NEW, **values}
    answer = guest.post(f"/api/invitation/{link}", json=told)
    guest.csrf = (answer.json or {}).get("csrf", guest.csrf)
    return guest, answer


def test_a_second_coach_comes_by_a_link(app: Any, owner: Coach) -> None:
    made = owner.post("/api/invitations", json={"role": "coach"}).json
    assert "<svg" in made["qr_svg"]
    link = made["address"].rsplit("/", 1)[-1]
    told = nobody(app).get(f"/api/invitation/{link}").json
    assert (told["role"], told["team"]) == ("coach", owner.get("/api/team").json["name"])
    _, answer = join(app, link, password="short")
    assert answer.json["code"] == "password-short"
    _, answer = join(app, link, email=owner.email)
    assert answer.json["code"] == "address-taken"
    guest, answer = join(app, link)
    assert answer.json["me"]["role"] == "coach"
    assert guest.get("/api/paddock").status_code == 200
    assert guest.post("/api/invitations", json={"role": "coach"}).status_code == 403
    assert [person["role"] for person in owner.get("/api/team").json["people"]] == ["owner", "coach"]
    _, again = join(app, link)
    assert (again.status_code, again.json["code"]) == (410, "link-used")


def test_invitations_are_taken_back_and_run_out(app: Any, owner: Coach, database: Database) -> None:
    first, second = (owner.post("/api/invitations", json={"role": "assistant"}).json for _ in range(2))
    assert owner.delete(f"/api/invitations/{first['id']}").status_code == 204
    with database.begin() as session:
        session.get_one(Invitation, second["id"]).expires_at = now() - timedelta(minutes=1)
    codes = [join(app, row["address"].rsplit("/", 1)[-1])[1].json["code"] for row in (first, second)]
    assert codes == ["link-revoked", "link-expired"]
    assert join(app, "made.up")[1].status_code == 404
    assert owner.get("/api/team").json["invitations"] == []


def test_people_change_and_leave(app: Any, owner: Coach, database: Database) -> None:
    link = owner.post("/api/invitations", json={"role": "coach"}).json["address"].rsplit("/", 1)[-1]
    guest, _ = join(app, link)
    me, other = (person["id"] for person in owner.get("/api/team").json["people"])
    assert owner.patch(f"/api/people/{me}", json={"role": "coach"}).json["code"] == "last-owner"
    assert owner.delete(f"/api/people/{me}").json["code"] == "last-owner"
    assert guest.patch(f"/api/people/{me}", json={"role": "coach"}).status_code == 403
    assert owner.patch(f"/api/people/{other}", json={"role": "assistant"}).status_code == 204
    assert guest.get("/api/session").json["me"]["role"] == "assistant"
    assert owner.delete(f"/api/people/{other}").status_code == 204
    assert guest.get("/api/paddock").status_code == 401
    summaries = [item["summary"] for item in owner.get("/api/actions").json["actions"]]
    assert summaries[:2] == ["Second left the team.", "Second is assistant now."]
    whos = [item["who"] for item in owner.get("/api/actions").json["actions"]]
    assert whos[2] == "somebody who left"


@pytest.fixture
def empty(app: Any, database: Database, monkeypatch: pytest.MonkeyPatch) -> Any:
    """The installation as it is before the first team: others of this database do not count here."""
    from lauftakt.web import first, sessions

    monkeypatch.setattr(first, "has_own_team", lambda _: False)
    monkeypatch.setattr(sessions, "has_own_team", lambda _: False)
    code = settings.load().first_code
    code.write_text("the-code")
    yield code
    code.unlink(missing_ok=True)


def test_the_first_browser_makes_the_first_team_by_the_code_alone(app: Any, empty: Any) -> None:
    guest = nobody(app)
    assert guest.get("/api/session").json["empty"]
    told = {
        "team": "School", "name": "Ada", "email": "ada@school.example", "password": NEW, "units": "imperial",
        "look": "dark", "dates": "de-DE",
    }  # fmt: skip
    assert guest.post("/api/first/open", json={"code": "guessed"}).json["open"] is False
    assert guest.post("/api/first", json={**told, "code": "guessed"}).json["code"] == "first-code"
    assert guest.post("/api/first/open", json={"code": "the-code"}).json["open"] is True
    assert guest.post("/api/first", json={**told, "code": "the-code", "password": "short"}).status_code == 422
    answer = guest.post("/api/first", json={**told, "code": "the-code"})
    me = answer.json["me"]
    assert (answer.status_code, me["role"], me["units"], me["look"], me["dates"]) == (
        201, "owner", "imperial", "dark", "de-DE",
    )  # fmt: skip
    assert not empty.exists()
    assert guest.get("/api/paddock").json["runs"] == []
    assert nobody(app).post("/api/first", json={**told, "code": "the-code"}).json["code"] == "first-code"


def test_the_demos_password_opens_nothing_in_an_own_installation(app: Any, database: Database) -> None:
    with database.begin() as session:
        team = add_team(session, "The demo's", demo=True)
        add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD, role="owner")
    known = Coach(app.test_client(), 0, EMAIL)
    assert known.sign_in(PASSWORD).status_code == 200
    with database.begin() as session:
        close_known_password(session)
    assert known.get("/api/paddock").status_code == 401
    assert known.sign_in(PASSWORD).status_code == 401
    with database.begin() as session:
        delete_team(session, session.scalars(select(Account.team_id).where(Account.email == EMAIL)).one())


@pytest.mark.parametrize(
    "guessed",
    ["Ellerholm2026!", "ellerholm-park-1", "Halvard Ines 99", "Lauftakt2026", "ada.school.2025", "Ada Ellerholm"],
)
def test_words_that_stand_around_are_no_password(guessed: str) -> None:
    known = ("ada@school.example", "Ada Halvard Ines", "Ellerholm Park school")
    with pytest.raises(Refused, match="guessed"):
        check_new_password(guessed, *known)
    check_new_password("ellerholm brakes too late", *known)
    check_new_password("late apex every time", *known)


def test_a_database_that_takes_no_changes_is_unwell_and_says_so(owner: Coach, mariadb: Any) -> None:
    assert owner.get("/health").status_code == 200
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SET GLOBAL read_only = 1")
        try:
            answer = owner.get("/health")
            assert (answer.status_code, answer.json["well"]) == (503, False)
            assert "takes no changes" in answer.json["message"]
            refused = owner.patch("/api/team", json={"name": "Another"})
            assert (refused.status_code, refused.json["code"]) == (503, "read-only")
        finally:
            cursor.execute("SET GLOBAL read_only = 0")
    assert owner.patch("/api/team", json={"name": "Another"}).status_code == 204


def test_no_first_page_without_a_code(app: Any) -> None:
    settings.load().first_code.unlink(missing_ok=True)
    for code in ("", "x"):
        assert nobody(app).post("/api/first/open", json={"code": code}).json["open"] is False


def test_the_demo_school_is_a_team_of_its_own_and_goes(app: Any, owner: Coach, database: Database) -> None:
    coach = make_coach(app, database)
    coach.sign_in()
    assert coach.post("/api/demo").status_code == 403
    assert coach.delete("/api/demo").status_code == 403
    visitor = elsewhere(app, owner)
    answer = visitor.post("/api/demo")
    visitor.csrf = answer.json["csrf"]
    assert answer.json["me"]["demo"]
    assert answer.json["me"]["team"] != owner.get("/api/session").json["me"]["team"]
    assert len(visitor.get("/api/paddock").json["runs"]) == 11
    # The password that is printed in the demo's documents opens nothing.
    known = Coach(app.test_client(), 0, answer.json["me"]["email"])
    assert known.sign_in("ellerholm").status_code == 401
    assert owner.get("/api/team").json["demo_here"]
    assert owner.delete("/api/demo").status_code == 200
    assert visitor.get("/api/paddock").status_code == 401
    assert not owner.get("/api/team").json["demo_here"]
    with database.begin() as session:
        team = session.scalars(select(Team).where(Team.demo), execution_options=INCLUDE_REMOVED).one()
        assert team.removed_at is not None
        assert session.scalars(select(Run).where(Run.team_id == team.id)).first() is not None


def test_a_team_is_removed_by_typing_its_name(app: Any, owner: Coach) -> None:
    name = owner.get("/api/team").json["name"]
    answer = owner.client.delete("/api/team", json={"name": "x"}, headers={"X-CSRFToken": owner.csrf})
    assert answer.json["code"] == "name"
    answer = owner.client.delete("/api/team", json={"name": name}, headers={"X-CSRFToken": owner.csrf})
    assert answer.status_code == 200
    assert owner.get("/api/paddock").status_code == 401
    assert owner.sign_in().status_code == 401
