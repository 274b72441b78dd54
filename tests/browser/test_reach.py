"""The desk is within everybody's reach: axe finds nothing, in light and dark, whole and zoomed, with dialogs open."""

from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_laying_out import on_the_desk
from tests.day import Day

AXE = Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js"
# Kept by the rules of WCAG 2.2 at AA.
RULES = {"runOnly": {"type": "tag", "values": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]}}


def found_by_axe(page: Page) -> list[str]:
    page.evaluate(AXE.read_text())
    found: dict[str, Any] = page.evaluate("rules => axe.run(document, rules)", RULES)
    return [
        f"\n{rule['id']}: {node['target']} {node.get('failureSummary', '')}"
        for rule in found["violations"]
        for node in rule["nodes"]
    ]


@pytest.mark.parametrize("look", ["light", "dark"])
def test_axe_finds_nothing_on_the_desk(signed_in: Page, day: Day, look: str) -> None:
    page = signed_in
    page.emulate_media(color_scheme=look)  # type: ignore[arg-type]
    on_the_desk(page, day)
    expect(page.get_by_role("region", name="Where to look first")).to_be_visible()
    assert found_by_axe(page) == []
    page.keyboard.press(".")
    page.keyboard.press("o")
    expect(page.locator(".card .says")).to_be_visible()
    page.wait_for_timeout(300)
    assert found_by_axe(page) == []
    for key, name in (("s", "Staves"), ("a", "Laps on the desk"), ("?", "Keys on the desk")):
        page.keyboard.press(key)
        dialog = page.get_by_role("dialog", name=name)
        expect(dialog).to_be_visible()
        page.wait_for_timeout(300)
        assert found_by_axe(page) == [], name
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
    page.get_by_role("button", name="All figures").click()
    dialog = page.get_by_role("dialog", name="All figures")
    expect(dialog.get_by_role("columnheader", name="lowest speed", exact=False).first).to_be_visible()
    assert found_by_axe(page) == []


def test_figures_sort_and_a_proposed_stretch_is_marked(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    # The data says where to look: a click marks it, and the card says why.
    first = page.get_by_role("region", name="Where to look first").get_by_role("button").first
    lost = first.locator("b").inner_text()
    first.click()
    expect(page.locator(".card h2")).to_contain_text("Stretch")
    expect(page.locator("tr.chosen [data-figure=loss]")).to_contain_text(lost.replace("+", "+"))
    page.wait_for_url("**stretch=**")
    page.keyboard.press("u")
    # A sector, and a stretch that is typed.
    page.get_by_role("button", name="Sector 2").click()
    expect(page.locator(".card h2")).to_contain_text("Stretch")
    page.keyboard.press("u")
    form = page.get_by_role("form", name="Stretch")
    form.get_by_label("From").fill("600")
    form.get_by_label("to m", exact=True).fill("601")
    expect(form.get_by_role("button", name="Mark")).to_be_disabled()
    form.get_by_label("to m", exact=True).fill("1100")
    page.keyboard.press("Enter")
    expect(page.locator(".card h2")).to_contain_text("600 to 1100 m")

    page.get_by_role("button", name="All figures").click()
    dialog = page.get_by_role("dialog", name="All figures")
    head = dialog.get_by_role("button", name="lowest speed, km/h")
    head.click()
    column = dialog.get_by_role("columnheader", name="lowest speed, km/h")
    expect(column).to_have_attribute("aria-sort", "ascending")
    head.click()
    expect(column).to_have_attribute("aria-sort", "descending")
    index = column.evaluate("node => node.cellIndex")
    cells = dialog.locator("tbody tr")
    values = [
        float(cells.nth(row).locator("th, td").nth(index).locator("span").first.inner_text())
        for row in range(cells.count())
    ]
    assert values == sorted(values, reverse=True)
    expect(dialog.get_by_role("img").first).to_be_visible()
    page.keyboard.press("Escape")

    page.get_by_role("button", name="Whole lap").first.click()
    page.get_by_role("button", name="All passages of these two").click()
    table = page.get_by_role("dialog", name="beside Halvard")
    expect(table.get_by_role("row")).to_have_count(len(day.layout.passages) + 1)
    table.get_by_role("button", name="Sectors").click()
    expect(table.get_by_role("row")).to_have_count(4)
    table.get_by_role("button", name="Passages").click()
    table.get_by_role("button", name=day.layout.passages[3].called).click()
    expect(page.locator(".card h2")).to_contain_text(day.layout.passages[3].called)
