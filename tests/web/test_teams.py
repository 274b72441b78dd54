"""No request sees another team's rows; nobody who is not a coach gets in. Every route is asked."""

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


def filled(rule: str, ids: dict[str, int]) -> str:
    for name, value in ids.items():
        rule = rule.replace(f"<int:{name}>", str(value))
    assert "<" not in rule, rule
    return rule


def ids_of(taught: Coach) -> dict[str, int]:
    runs = taught.get("/api/paddock").json["runs"]
    files = taught.get("/api/hand-ins").json["hand_ins"]
    return {"run_id": runs[0]["id"], "hand_in_id": files[0]["id"]}


def test_signed_out_gets_nothing(app: Any, taught: Coach) -> None:
    ids = ids_of(taught)
    nobody = Coach(app.test_client(), 0, "")
    nobody.csrf = nobody.get("/api/session").json["csrf"]
    asked = 0
    for method, rule in api_rules(app):
        if rule in OPEN:
            continue
        answer = nobody.client.open(filled(rule, ids), method=method, headers={"X-CSRFToken": nobody.csrf})
        assert answer.status_code in (401, 422), (method, rule, answer.status_code)
        assert not {"runs", "laps", "hand_ins"} & set(answer.json)
        asked += 1
    assert asked >= 10


def test_a_driver_is_no_coach(app: Any, database: Database, taught: Coach) -> None:
    driver = make_coach(app, database, role="driver")
    driver.sign_in()
    for path in ("/api/paddock", "/api/hand-ins", "/api/desk", "/api/runs/1"):
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
        if "<" in rule:
            bare = rule.replace("<int:run_id>", "").replace("<int:hand_in_id>", "")
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
    assert stranger.get("/api/paddock").json == {"events": [], "event": None, "reference_run": None, "runs": []}
    assert stranger.get("/api/hand-ins").json == {"hand_ins": [], "drivers": []}
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
