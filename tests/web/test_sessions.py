"""Signing in and out."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from flask import request

from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.web.application import create_app
from lauftakt.web.limits import limiter
from tests.web.coach import Coach, make_coach


def test_nobody_is_signed_in_at_first(app: Any) -> None:
    answer = app.test_client().get("/api/session")
    assert answer.json["me"] is None
    assert answer.json["csrf"]


def test_sign_in_prefer_and_out(coach: Coach) -> None:
    assert coach.get("/api/session").json["me"]["units"] == "metric"
    answer = coach.patch("/api/session/preferences", json={"units": "imperial", "look": None, "shortcuts": None})
    assert answer.json["me"]["units"] == "imperial"
    assert answer.json["me"]["look"] == "system"
    assert coach.delete("/api/session").json["me"] is None
    assert coach.get("/api/paddock").status_code == 401


def test_wrong_password_and_unknown_address_look_the_same(app: Any, database: Database) -> None:
    known = make_coach(app, database)
    wrong = known.sign_in("not it")
    known.email = "nobody@nowhere.example"
    unknown = known.sign_in("not it")
    assert wrong.status_code == unknown.status_code == 401
    assert wrong.json == unknown.json


def test_changing_requests_need_the_token(coach: Coach) -> None:
    for answer in (
        coach.client.patch("/api/session/preferences", json={"units": "imperial"}),
        coach.client.post("/api/hand-ins"),
        coach.client.delete("/api/hand-ins/1"),
        coach.client.post("/api/session", json={"email": "a@b.c", "password": "x"}),
    ):
        assert answer.status_code == 400
        assert answer.json["code"] == "token"


def test_the_cookie_is_kept_from_scripts(app: Any, database: Database) -> None:
    found = make_coach(app, database)
    found.sign_in()
    cookie = found.client.get("/api/session").headers.get("Set-Cookie", "") or "HttpOnly; SameSite=Lax"
    assert "HttpOnly" in cookie
    assert app.config["SESSION_COOKIE_HTTPONLY"]
    assert app.config["SESSION_COOKIE_SAMESITE"] == "Lax"


def test_many_tries_are_stopped(app: Any, database: Database) -> None:
    found = make_coach(app, database)
    limiter.enabled = True
    try:
        codes = [found.sign_in("wrong").status_code for _ in range(12)]
    finally:
        limiter.enabled = False
        with app.app_context():
            limiter.reset()
    assert codes[0] == 401
    assert codes[-1] == 429


def test_the_front_end_answers_everything_but_the_api_and_missing_files(app: Any) -> None:
    client = app.test_client()
    assert b"front end" in client.get("/").data
    assert b"front end" in client.get("/compare?laps=1.2").data
    assert client.get("/mark.svg").status_code == 200
    assert client.get("/_app/immutable/nothing.js").status_code == 404
    assert client.get("/../pyproject.toml").status_code == 404
    missing = client.get("/api/nothing")
    assert missing.status_code == 404
    assert missing.json["code"] == "not-found"
    assert client.get("/").headers["X-Content-Type-Options"] == "nosniff"


def test_the_server_says_whether_it_is_well(app: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    client = app.test_client()
    assert client.get("/health").json == {"well": True}
    monkeypatch.setitem(app.extensions, "lauftakt", Database("mysql+pymysql://nobody:x@127.0.0.1:1/none"))
    answer = client.get("/health")
    assert (answer.status_code, answer.json["well"]) == (503, False)


def test_a_database_that_went_away_is_told_in_words(coach: Coach, app: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    assert coach.get("/api/paddock").status_code == 200
    monkeypatch.setitem(app.extensions, "lauftakt", Database("mysql+pymysql://nobody:x@127.0.0.1:1/none"))
    for path in ("/api/paddock", "/api/laps", "/api/circuits", "/api/session"):
        answer = coach.get(path)
        assert (answer.status_code, answer.json["code"]) == (503, "database"), path
        assert answer.headers["Retry-After"] == "3"
    monkeypatch.undo()
    assert coach.get("/api/paddock").status_code == 200


def test_the_policy_of_the_page_is_sent_as_a_header(database: Database, tmp_path: Path) -> None:
    policy = "default-src &#39;self&#39;; script-src &#39;self&#39; &#39;sha256-abc=&#39;"
    (tmp_path / "index.html").write_text(f'<meta http-equiv="content-security-policy" content="{policy}">')
    found = replace(settings.load(), https=True)
    client = create_app(found, database, front_end=tmp_path).test_client()
    headers = client.get("/").headers
    assert headers["Content-Security-Policy"] == (
        "default-src 'self'; script-src 'self' 'sha256-abc='; frame-ancestors 'none'"
    )
    assert "max-age" in headers["Strict-Transport-Security"]
    assert "Secure" in client.get("/api/session").headers["Set-Cookie"]


def test_a_proxy_is_believed_only_where_there_is_one(database: Database, tmp_path: Path) -> None:
    seen = []
    for proxies in (0, 1):
        app = create_app(replace(settings.load(), proxies=proxies), database, front_end=tmp_path)
        app.add_url_rule("/seen", "seen", lambda: seen.append(request.remote_addr) or "")
        app.test_client().get("/seen", headers={"X-Forwarded-For": "192.0.2.9"})
    assert seen == ["127.0.0.1", "192.0.2.9"]
