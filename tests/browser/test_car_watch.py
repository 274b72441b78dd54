"""The car watch in the browser: limits set on the car's sheet, the time over one found and opened on the desk, traffic
corrected, a stint cut and described, all laps narrowed and laid on the desk."""

import re
from typing import Any

import numpy as np
from playwright.sync_api import Page, expect

from lauftakt.core.technique.watching import Limit, excursions
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.reading import read_raw
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from tests.browser.conftest import drop, sign_in
from tests.day import Day

EMAIL, PASSWORD = "watch@test.example", "a good password"


def test_from_a_limit_to_the_desk(page: Page, stack: Any, day: Day) -> None:
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    database = Database(stack.mariadb.url)
    with database.begin() as session:
        team = add_team(session, "Watchers")
        add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD)
    database.close()
    sign_in(page, EMAIL, PASSWORD)
    page.get_by_role("link", name="Hand-in").click()
    drop(page, [day.layout_file, day.files[0]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(2, timeout=60_000)
    drop(page, [day.files[1]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(3, timeout=60_000)

    # A limit that one of the logs is over.
    log = interpret(read_raw(day.files[0]))
    turning = log.role("engine_speed")
    assert turning is not None
    rpm = round(float(np.quantile(turning.values, 0.998)) * 30 / np.pi)
    limit = Limit("engine_speed", True, rpm * np.pi / 30)
    found = max(excursions(turning, limit, None, log.role("gear")), key=lambda one: one.end_s - one.begin_s)
    page.get_by_role("link", name="Laps", exact=True).click()
    page.get_by_role("tab", name="Car watch").click()
    expect(page.get_by_text("No limits are set.")).to_be_visible()
    page.get_by_role("button", name="sheet and limits").click()
    page.get_by_role("button", name="Add a limit").click()
    page.get_by_label("value", exact=True).fill(str(rpm))
    page.get_by_label("Mass (kg)").fill("1190")
    page.get_by_role("button", name="Keep", exact=True).click()
    longest = page.locator("section li").first
    expect(longest).to_contain_text(f"limit {rpm} rpm")
    expect(longest).to_contain_text(f"for {found.end_s - found.begin_s:.2f} s")
    longest.get_by_role("link", name="On the desk").click()
    page.wait_for_url("**/compare?*stretch=*")
    expect(page.locator(".strip").first).to_be_visible()
    page.go_back()

    # Its table filters and sorts, and keeps that in the address.
    page.get_by_role("button", name="Filter").click()
    page.get_by_label("Look for in driver").fill("hal")
    expect(page.locator("tr[data-row]")).to_have_count(len(day.runs[0].laps))
    page.get_by_role("button", name="time", exact=True).click()
    page.wait_for_url(re.compile(r"table=-?time"))
    page.reload()
    expect(page.locator("tr[data-row]")).to_have_count(len(day.runs[0].laps))
    quickest = min(lap.time_s for lap in day.runs[0].laps if lap.time_s is not None)
    first = page.locator("tr[data-row]").first
    expect(first).to_contain_text(f"{int(quickest // 60)}:{quickest % 60:05.2f}")

    # A stint is cut and said something of.
    page.get_by_role("tab", name="Long runs").click()
    expect(page.locator("tr.told")).to_have_count(2)
    page.get_by_role("button", name="Say something of it").first.click()
    page.get_by_label("What was tried").fill("Short shifts.")
    page.get_by_label("A new stint begins with").select_option(index=4)
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.locator("tr.told")).to_have_count(3)
    expect(page.locator("tr.told").first).to_contain_text("Short shifts")

    # All laps, the quickest first; one is measured against another.
    page.get_by_role("tab", name="All laps").click()
    page.get_by_label("Order", exact=True).select_option("quickest")
    page.get_by_label("All laps", exact=True).focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Space")
    expect(page.get_by_text("One lap chosen")).to_be_visible()
    page.locator("tr[data-row]").first.locator("button").click()
    page.wait_for_url("**/compare?*")
    expect(page.locator(".strip")).to_have_count(2)
    assert errors == []
