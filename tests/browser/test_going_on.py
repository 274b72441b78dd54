"""Parts are killed while a coach looks: the page says so, waits, and goes on; a file on its way arrives once."""

import os
import signal
from typing import Any

from playwright.sync_api import Page, expect

from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from tests.browser.conftest import drop, sign_in
from tests.browser.test_reach import found_by_axe
from tests.day import Day

EMAIL, PASSWORD = "goes-on@test.example", "a good password"


def test_pages_and_files_go_on_when_parts_were_killed(page: Page, stack: Any, base_url: str, day: Day) -> None:
    database = Database(stack.mariadb.url)
    with database.begin() as session:
        team = add_team(session, "Those who go on")
        add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD)
    database.close()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    sign_in(page, EMAIL, PASSWORD)
    page.goto("/running")
    expect(page.get_by_text("Nothing is running.").first).to_be_visible()
    assert found_by_axe(page) == []

    os.kill(stack.mariadb._process.pid, signal.SIGKILL)
    page.get_by_role("link", name="Laps", exact=True).click()
    band = page.get_by_text("The database is starting again. Nothing is lost")
    expect(band).to_be_visible(timeout=15_000)
    assert found_by_axe(page) == []
    expect(band).to_be_hidden(timeout=40_000)
    expect(page.get_by_role("button", name="Try again")).to_have_count(0)

    # A file is on its way when the server is killed; it arrives, once.
    page.goto("/hand-in")
    drop(page, [day.layout_file])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(1, timeout=60_000)
    server = next(part for part in stack._parts if part.name == "server")
    drop(page, [day.files[0]])
    os.killpg(server.process.pid, signal.SIGKILL)
    expect(page.get_by_text("Taken", exact=True)).to_have_count(2, timeout=90_000)
    page.reload()
    expect(page.locator("[data-hand-in]")).to_have_count(2)

    # The work is told, and that of a day follows.
    page.get_by_role("button", name="Account").click()
    page.get_by_role("link", name="What is running").click()
    expect(page.get_by_text(day.files[0].name)).to_be_visible()
    expect(page.get_by_text("Done", exact=True).first).to_be_visible()
    page.set_viewport_size({"width": 360, "height": 740})
    assert page.evaluate("document.documentElement.scrollWidth") <= 360
    assert errors == []
