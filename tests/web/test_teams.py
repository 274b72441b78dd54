"""No request sees another team's rows; nobody who is not a coach gets in. Every route is asked."""

import re
from typing import Any

import pytest

from lauftakt.store.database import Database
from tests.web.coach import Coach, make_coach

OPEN = {"/api/session", "/api/openapi.json"}


def api_rules(app: Any) -> list[tuple[str, str]]:
    return sorted(
        (method, rule.rule)
        for rule in app.url_map.iter_rules()
        if rule.rule.startswith("/api/")
        for method in rule.methods - {"HEAD", "OPTIONS"}
    )


def filled(rule: str, ids: dict[str, Any]) -> str:
    for name, value in ids.items():
        rule = rule.replace(f"<int:{name}>", str(value)).replace(f"<{name}>", str(value))
    assert "<" not in rule, rule
    return rule


def ids_of(taught: Coach) -> dict[str, Any]:
    """One row of each kind that is ours."""
    day = taught.get("/api/paddock").json
    files = taught.get("/api/hand-ins").json["hand_ins"]
    links = taught.get("/api/links").json["links"]
    if not links:
        taught.post("/api/links", json={"driver": "Ines"})
        links = taught.get("/api/links").json["links"]
    dialects = taught.get("/api/dialects").json["dialects"]
    run_id = day["runs"][0]["id"]
    if not dialects:
        gear = [{"name": "gear", "role": "gear"}]
        taught.patch(f"/api/runs/{run_id}/channels", json={"channels": gear, "name": "Ours"})
        dialects = taught.get("/api/dialects").json["dialects"]
    upload = taught.post("/api/uploads", json={"name": "begun.csv", "size": 10}).json
    return {
        "run_id": run_id,
        "hand_in_id": files[0]["id"],
        "event_id": day["event"]["id"],
        "link_id": links[0]["id"],
        "dialect_id": dialects[0]["id"],
        "upload_id": upload["id"],
        "number": 2,
        "token": "x.y",
    }


def test_signed_out_gets_nothing(app: Any, taught: Coach) -> None:
    ids = ids_of(taught)
    nobody = Coach(app.test_client(), 0, "")
    nobody.csrf = nobody.get("/api/session").json["csrf"]
    asked = 0
    for method, rule in api_rules(app):
        if rule in OPEN:
            continue
        answer = nobody.client.open(filled(rule, ids), method=method, headers={"X-CSRFToken": nobody.csrf})
        # A link that was never given out is not known; everything else wants somebody signed in.
        wanted = (400, 404, 415, 422) if "<token>" in rule else (401, 415, 422)
        assert answer.status_code in wanted, (method, rule, answer.status_code)
        assert not {"runs", "laps", "hand_ins", "links"} & set(answer.json)
        asked += 1
    assert asked >= 10


def test_a_driver_is_no_coach(app: Any, database: Database, taught: Coach) -> None:
    driver = make_coach(app, database, role="driver")
    driver.sign_in()
    for path in ("/api/paddock", "/api/hand-ins", "/api/desk", "/api/runs/1", "/api/links", "/api/loggers"):
        assert driver.get(path).status_code == 403


def foreign(taught: Coach) -> list[tuple[str, str, Any]]:
    """Every request that can name somebody else's row."""
    ids = ids_of(taught)
    desk = taught.get("/api/desk").json
    keys, reference = ",".join(lap["key"] for lap in desk["laps"]), desk["reference"]
    event = desk["event"]["id"]
    return [
        ("GET", f"/api/runs/{ids['run_id']}", None),
        ("PATCH", f"/api/runs/{ids['run_id']}", {"driver": "Thief"}),
        ("POST", "/api/runs/labels", {"runs": [ids["run_id"]], "change": {"driver": "Thief"}}),
        ("PATCH", f"/api/runs/{ids['run_id']}/laps/2", {"counts": False}),
        ("GET", f"/api/runs/{ids['run_id']}/channels", None),
        ("PATCH", f"/api/runs/{ids['run_id']}/channels", {"channels": [{"name": "gear", "role": ""}]}),
        ("GET", f"/api/runs/{ids['run_id']}/file", None),
        ("GET", f"/api/events/{event}/file", None),
        ("PATCH", f"/api/dialects/{ids['dialect_id']}", {"name": "Thief's"}),
        ("DELETE", f"/api/dialects/{ids['dialect_id']}", None),
        ("GET", f"/api/dialects/{ids['dialect_id']}/file", None),
        ("DELETE", f"/api/links/{ids['link_id']}", None),
        ("POST", f"/api/links/{ids['link_id']}/restore", None),
        ("GET", f"/api/uploads/{ids['upload_id']}", None),
        ("PATCH", f"/api/uploads/{ids['upload_id']}", None),
        ("DELETE", f"/api/uploads/{ids['upload_id']}", None),
        ("POST", f"/api/hand-ins/{ids['hand_in_id']}/retry", None),
        ("POST", f"/api/hand-ins/{ids['hand_in_id']}/restore", None),
        ("GET", f"/api/paddock?event={event}", None),
        ("GET", f"/api/desk?laps={keys}&reference={reference}", None),
        ("GET", f"/api/desk?run={ids['run_id']}", None),
        ("GET", f"/api/desk?event={event}", None),
        ("GET", f"/api/curves?laps={keys}&reference={reference}", None),
        ("GET", f"/api/card?laps={keys}&reference={reference}&passage=P1", None),
        ("GET", f"/api/choices?event={event}", None),
        ("POST", f"/api/hand-ins/{ids['hand_in_id']}/cancel", None),
        ("DELETE", f"/api/hand-ins/{ids['hand_in_id']}", None),
    ]


def test_another_team_finds_nothing(app: Any, taught: Coach, stranger: Coach) -> None:
    requests = foreign(taught)
    named = {
        (method, path.split("?")[0].translate(str.maketrans("", "", "0123456789"))) for method, path, _ in requests
    }
    for method, rule in api_rules(app):
        # Whatever takes an id or a lap must be among those asked; the others answer from the session alone.
        if "<" in rule and "<token>" not in rule:
            bare = re.sub(r"<[^>]*>", "", rule)
            assert (method, bare) in named, (method, rule)
    for method, path, body in requests:
        # First with our own sign-in: the curves' cache must not serve what it keeps to others.
        if method == "GET":
            assert taught.get(path).status_code == 200, path
        answer = stranger.client.open(path, method=method, json=body, headers={"X-CSRFToken": stranger.csrf})
        assert answer.status_code == 404, (method, path, answer.status_code)
        assert answer.json["code"] == "not-found"


def test_lists_hold_only_what_is_ours(taught: Coach, stranger: Coach) -> None:
    assert len(taught.get("/api/paddock").json["runs"]) == 2
    for path in ("/api/paddock", "/api/hand-ins", "/api/links", "/api/dialects"):
        for name, value in stranger.get(path).json.items():
            assert name in ("endings", "upload_mb", "more", "hidden", "reachable") or not value, (path, name)
    answer = stranger.get("/api/desk")
    assert answer.status_code == 404
    assert answer.json["code"] == "empty"


def test_the_thief_changed_nothing(taught: Coach, stranger: Coach) -> None:
    for method, path, body in foreign(taught):
        stranger.client.open(path, method=method, json=body, headers={"X-CSRFToken": stranger.csrf})
    names = {run["driver"]["name"] for run in taught.get("/api/paddock").json["runs"]}
    assert names == {"Halvard", "Ines"}
    assert len(taught.get("/api/hand-ins").json["hand_ins"]) == 3


@pytest.mark.parametrize(
    "path",
    ["/api/desk?laps=1", "/api/desk?laps=x.y", "/api/desk?laps=1.1&reference=;", "/api/card?laps=1.1&reference=1.1"],
)
def test_requests_that_mean_nothing_are_told_so(coach: Coach, path: str) -> None:
    answer = coach.get(path)
    assert answer.status_code in (404, 422)
    assert answer.json["message"]
