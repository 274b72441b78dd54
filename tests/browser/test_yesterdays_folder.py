"""A folder that an older version made opens in the browser with the same laps, decisions and links, also where the
migration was killed in the middle."""

import json
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from lauftakt.operate.dumps import load
from lauftakt.operate.mariadb import PrivateMariaDB
from lauftakt.operate.stack import Stack

KEPT = Path(__file__).parents[1] / "kept"
TOLD: dict[str, Any] = json.loads((KEPT / "tables-0003.json").read_text())

# Dies by itself at a statement in the middle, as a process that is killed does: nothing is cleaned up.
KILLED = """
import itertools, os, signal, sys
from sqlalchemy import event
from lauftakt.store.database import Database
database, left = Database(sys.argv[1]), itertools.count(150, -1)
def die(*_):
    if next(left) <= 0:
        os.kill(os.getpid(), signal.SIGKILL)
event.listen(database.engine, "before_cursor_execute", die)
database.migrate()
"""


@pytest.fixture(scope="module")
def yesterday(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    var = tmp_path_factory.mktemp("yesterday")
    server = PrivateMariaDB(var / "database")
    server.start()
    load(server, KEPT / "tables-0003.sql.gz")
    done = subprocess.run([sys.executable, "-c", KILLED, server.url], capture_output=True, text=True)
    assert done.returncode == -9, done.stderr
    server.stop()
    (var / "secret").write_text(TOLD["secret"])
    stack = Stack(var)
    told: list[str] = []
    try:
        stack.start_database(told.append).close()
        assert list((var / "backup").glob("before-*.sql.gz")), told
        stack.start_application(told.append)
        yield stack
    finally:
        stack.stop()


def test_yesterdays_folder_opens(page: Page, yesterday: Stack) -> None:
    page.set_default_timeout(20_000)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"{yesterday.address}/")
    page.get_by_label("Address").fill(TOLD["email"])
    page.get_by_label("Password").fill(TOLD["password"])
    page.get_by_role("button", name="Sign in").click()
    for driver, run in TOLD["runs"].items():
        row = page.get_by_role("row").filter(has=page.get_by_role("link", name=f"Compare {driver} with the others"))
        minutes, seconds = divmod(run["best_s"], 60)
        expect(row).to_contain_text(f"{int(minutes)}:{seconds:05.2f}")
        expect(row).to_contain_text(f"{run['counting']} of {len(run['laps'])} count")
    # An address that was sent to somebody names laps by their numbers.
    laps = ",".join(TOLD["desk_laps"])
    page.goto(f"{yesterday.address}/compare?laps={laps}&ref={TOLD['desk_laps'][0]}&passage=P3")
    expect(page.locator(".strip")).to_have_count(len(TOLD["desk_laps"]))
    expect(page.locator(".says")).to_contain_text(re.compile("here|reference"))
    # Newer numbers come by themselves; then the desk says nothing of them any more.
    expect(page.get_by_text("Newer numbers")).to_have_count(0, timeout=60_000)
    expect(page.locator(".strip")).to_have_count(len(TOLD["desk_laps"]))
    # A decision of a coach is still one, and can be taken back.
    page.goto(f"{yesterday.address}/hand-in?age=0")
    halvard = page.locator("[data-hand-in]").filter(has_text="halvard")
    halvard.get_by_role("button", name="Laps").click()
    expect(halvard.get_by_role("listitem").filter(has_text="set aside by hand")).to_have_count(1)
    # The driver's link still opens.
    page.goto(f"{yesterday.address}/give/{TOLD['link']}")
    expect(page.get_by_role("heading", name=re.compile("Ines"))).to_be_visible()
