"""One reference for the whole day: named on every screen, changed in one place, taken back; and a day in the wet."""

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import drop
from tests.browser.test_reach import found_by_axe
from tests.day import Day

# Whether the right end of a link can be clicked: it may have to be scrolled to, but lies under nothing.
TOUCHED = """link => {
  link.scrollIntoView({ block: 'center' });
  const box = link.getBoundingClientRect();
  return document.elementFromPoint(box.right - 3, box.top + box.height / 2)?.closest('a') === link;
}"""

pytestmark = pytest.mark.in_order


def go(page: Page, place: str) -> None:
    page.get_by_role("navigation", name="Lauftakt").get_by_role("link", name=place, exact=True).click()


def strips(page: Page) -> Any:
    return page.locator("[data-strip]")


def test_a_day_is_measured_against_another_lap_on_every_screen(signed_in: Page, day: Day) -> None:
    page = signed_in
    page.get_by_role("link", name="Hand in the first logs").click()
    drop(page, [day.layout_file, *day.files[:3]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(4, timeout=90_000)
    go(page, "Paddock")
    expect(page.get_by_text(re.compile(r"Halvard, lap \d+, 1:"))).to_be_visible()

    # On the coach's laptop nothing of a row is cut off, its buttons least of all.
    page.set_viewport_size({"width": 1280, "height": 800})
    edge = page.get_by_role("main").evaluate("main => main.getBoundingClientRect().right")
    for button in page.get_by_role("main").get_by_role("link", name="Compare").all():
        box = button.bounding_box()
        assert box is not None
        assert box["x"] + box["width"] <= edge
        assert button.evaluate(TOUCHED), button.inner_text()
    page.get_by_role("button", name="Change", exact=True).click()
    sheet = page.get_by_role("dialog")
    expect(sheet.get_by_role("button", name=re.compile("^Okan"))).to_be_visible()
    assert found_by_axe(page) == []
    sheet.get_by_role("button", name=re.compile("^Okan")).click()
    expect(sheet).to_have_count(0)
    expect(page.get_by_text(re.compile(r"Okan, lap \d+, 1:"))).to_be_visible()
    expect(page.get_by_role("row").filter(has_text="Okan")).to_contain_text("ref.")
    page.get_by_role("link", name="Compare all drivers").click()
    expect(strips(page).first).to_contain_text("Okan")
    expect(strips(page).first).to_contain_text("ref.")
    go(page, "Debrief")
    expect(page.get_by_text("Measured against Okan.")).to_be_visible()
    go(page, "Paddock")
    page.get_by_role("button", name="Change", exact=True).click()
    page.get_by_role("dialog").get_by_role("button", name=re.compile("^The usual reference")).click()
    expect(page.get_by_text(re.compile(r"Halvard, lap \d+, 1:"))).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text(re.compile(r"Okan, lap \d+, 1:"))).to_be_visible()


def test_a_run_in_the_wet_is_compared_with_its_like(signed_in: Page) -> None:
    page = signed_in
    token = page.evaluate("() => fetch('/api/session').then((answer) => answer.json())")["csrf"]
    runs = page.request.get("/api/paddock").json()["runs"]
    okan = next(run for run in runs if run["driver"]["name"] == "Okan")
    page.request.patch(f"/api/runs/{okan['id']}", data={"conditions": "wet"}, headers={"X-CSRFToken": token})
    page.goto("/paddock")
    row = page.get_by_role("row").filter(has_text="Okan")
    expect(row).to_contain_text("in the wet")
    expect(page.get_by_role("row").filter(has_text="Ines")).to_contain_text("in the dry")
    # What a coach chose holds for its own conditions; the others have what follows from their runs.
    expect(page.get_by_text(re.compile(r"Halvard, lap \d+, 1:[\d.]+ in the dry"))).to_be_visible()
    row.get_by_role("link", name=re.compile("^Compare")).click()
    expect(strips(page)).to_have_count(1)
    expect(strips(page).first).to_contain_text("wet")
