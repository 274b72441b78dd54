"""Every changing route asked twice at the same moment: one of the two may be refused, neither fails."""

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest

from tests.web.coach import Coach
from tests.web.test_teams import ANNOUNCED, Team_, body_of, cells, team

__all__ = ["team"]
# Ends the sign-ins that the others ask with, or the team itself.
LAST = ("/api/account/sign-ins", "/api/account/password", "/api/team", "/api/session")


def order(item: tuple[str, str]) -> tuple[bool, bool, tuple[str, str]]:
    method, rule = item
    return method == "DELETE" or rule.endswith("/undo"), rule.startswith(LAST), item


@pytest.fixture
def devices(app: Any, team: Team_) -> list[Coach]:
    owner = team.viewers["owner"]
    found = [Coach(app.test_client(), owner.team_id, owner.email) for _ in range(2)]
    for device in found:
        device.sign_in()
    return found


def test_no_route_fails_when_it_is_asked_twice_at_once(team: Team_, devices: list[Coach]) -> None:
    changing = sorted((item for item in cells() if item[0] != "GET"), key=order)
    assert len(changing) > 60
    failed = {}
    for method, rule in changing:

        def ask(device: Coach, method: str = method, rule: str = rule) -> Any:
            headers = {"X-CSRFToken": device.csrf, **ANNOUNCED}
            return device.client.open(team.path(rule), method=method, headers=headers, **body_of(team, method, rule))

        with ThreadPoolExecutor(2) as pool:
            answers = list(pool.map(ask, devices))
        # 503: two who lock each other out for a moment are told to try again.
        bad = [answer.data[:200] for answer in answers if answer.status_code >= 500 and answer.status_code != 503]
        if bad:
            failed[f"{method} {rule}"] = bad
    assert failed == {}
