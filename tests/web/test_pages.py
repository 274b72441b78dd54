"""Places have pages of their own, each under the policy that names its own script."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.web.application import create_app


def page(policy: str, says: str) -> str:
    return f'<meta http-equiv="content-security-policy" content="{policy}"><p>{says}</p>'


@pytest.fixture
def client(database: Database, tmp_path: Path) -> Any:
    (tmp_path / "index.html").write_text(page("default-src 'self'; script-src 'sha256-one'", "any place"))
    (tmp_path / "compare.html").write_text(page("default-src 'self'; script-src 'sha256-two'", "the desk"))
    return create_app(replace(settings.load()), database, front_end=tmp_path).test_client()


def test_a_place_with_a_page_of_its_own_gets_it_and_its_policy(client: Any) -> None:
    desk = client.get("/compare?laps=1-2")
    assert "the desk" in desk.text
    assert "sha256-two" in desk.headers["Content-Security-Policy"]
    assert "frame-ancestors 'none'" in desk.headers["Content-Security-Policy"]
    assert desk.headers["Cache-Control"] == "no-cache"
    for other in ("/", "/give/abc.def", "/laps"):
        answer = client.get(other)
        assert "any place" in answer.text
        assert "sha256-one" in answer.headers["Content-Security-Policy"]


def test_pages_are_not_files(client: Any) -> None:
    for path in ("/compare.html", "/index.html", "/../compare.html"):
        assert client.get(path).status_code == 404
