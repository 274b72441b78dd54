"""A coach's whole job in the browser: hand in, compare, read a figure, send the address to somebody."""

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import stretch_loss, time_delta
from tests.browser.conftest import drop
from tests.day import Day

pytestmark = pytest.mark.in_order


def loss_on_card(page: Page, driver: str) -> float:
    row = page.locator("tr[data-lap]").filter(has=page.get_by_role("button", name=driver, exact=True))
    text = row.locator("[data-figure=loss]").inner_text()
    return float(text.replace("−", "-").replace("+", ""))


def test_from_files_to_a_figure(signed_in: Page, day: Day, tmp_path: Path) -> None:
    page = signed_in
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))

    # The empty paddock says what comes next.
    page.get_by_role("link", name="Hand in the first logs").click()
    bad = tmp_path / "<img src=x onerror=alert(1)>.csv"
    bad.write_text("Dear coach,\nthe logger was off.\n")
    # The layout is made from the first run that is taken; who that is decides its last centimetres.
    drop(page, [day.layout_file, day.files[0]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(2, timeout=60_000)
    drop(page, [day.files[1], bad])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(3, timeout=60_000)
    expect(page.get_by_text("Refused", exact=True)).to_have_count(1)
    expect(page.get_by_text("No time column was found")).to_be_visible()
    expect(page.get_by_text("<img src=x onerror=alert(1)>.csv")).to_be_visible()
    expect(page.get_by_text("8 timed laps (set aside: 1 out, 1 in)")).to_be_visible()
    page.get_by_role("button", name="Channels (13)").first.click()
    expect(page.get_by_label("What brake pressure stands for")).to_have_value("brake_pressure")
    page.keyboard.press("Escape")

    # From a run on the paddock to the desk: one click.
    page.get_by_role("link", name="Paddock", exact=True).click()
    # What costs most is said before anything is opened; a click shows just that.
    row = page.get_by_role("row").filter(has_text="Ines")
    costs = row.get_by_role("link").filter(has_text=re.compile(r"T\d+.*: .*\d\ss"))
    expect(costs).to_be_visible(timeout=60_000)
    costs.click()
    page.wait_for_url("**/compare*passage=P*")
    expect(page.locator(".says")).to_contain_text("Ines")
    page.get_by_role("link", name="Paddock", exact=True).click()
    page.get_by_role("link", name="Compare Ines with the others").click()
    expect(page.get_by_title("Halvard, lap")).to_be_visible()

    # The hairpin, by keyboard, and its loss as the core has it.
    passage = next(p for p in day.layout.passages if "T5" in p.corners)
    for _ in range(int(passage.name[1:])):
        page.keyboard.press(".")
    expect(page.get_by_role("heading", name=re.compile("T5"))).to_be_visible()
    ines, halvard = day.runs[1], day.runs[0]
    lap, reference = ines.best_lap.number, halvard.best_lap.number
    low, high = passage_range(day.layout, day.layout.passages.index(passage))
    expected = stretch_loss(ines.traces[lap], halvard.traces[reference], low, high, False)
    expect(page.locator("[data-figure=loss]")).to_have_count(1)
    assert abs(loss_on_card(page, "Ines") - expected.loss_s) < 0.0051
    expect(page.locator(".says")).to_contain_text(re.compile(r"Ines .* than Halvard"))
    expect(page.locator(".says")).to_contain_text(re.compile(r"brakes \d+\sm earlier"))
    expect(page.locator(".says")).to_contain_text("n all 8 laps of this run")

    # What the loss is made of; a click on a part shows in the score how the lap would be without it.
    price = page.get_by_role("figure", name=re.compile("made of"))
    part = price.get_by_role("button", name="braking early")
    part.click()
    expect(part).to_have_attribute("aria-pressed", "true")
    expect(price).to_contain_text("quicker here")
    page.wait_for_url("**without=early_brake*")
    expect(page.locator(".standing")).to_contain_text("to the own best here")

    # The address restores the view.
    page.wait_for_url("**passage=*")
    page.wait_for_timeout(400)
    address = page.url
    page.goto(address)
    expect(page.get_by_role("heading", name=re.compile("T5"))).to_be_visible()
    assert abs(loss_on_card(page, "Ines") - expected.loss_s) < 0.0051

    # A stretch dragged in the score: the delta starts again there, and the card says what was lost in it.
    page.keyboard.press("u")
    expect(page.get_by_role("heading", name="Whole lap")).to_be_visible()
    score = page.get_by_role("application")
    box = score.bounding_box()
    assert box is not None
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] * 0.30, y)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.40, y, steps=6)
    page.mouse.move(box["x"] + box["width"] * 0.55, y, steps=6)
    page.mouse.up()
    expect(page.get_by_role("heading", name=re.compile("Stretch"))).to_be_visible()
    page.wait_for_url("**stretch=*")
    begin, end = (float(m) for m in re.search(r"stretch=(\d+)-(\d+)", page.url).groups())
    delta = np.interp([begin, end], day.layout.grid(), time_delta(ines.traces[lap], halvard.traces[reference]))
    page.wait_for_timeout(500)
    assert abs(loss_on_card(page, "Ines") - (delta[1] - delta[0])) < 0.02
    page.mouse.dblclick(box["x"] + box["width"] * 0.2, y)
    expect(page.get_by_role("heading", name="Whole lap")).to_be_visible()

    # Imperial units everywhere, kept with the account.
    page.get_by_role("button", name="Account and preferences").click()
    page.get_by_text("Imperial").click()
    expect(page.locator(".unit", has_text="mph")).to_be_visible()
    page.reload()
    expect(page.locator(".unit", has_text="mph")).to_be_visible()
    page.get_by_role("button", name="Account and preferences").click()
    page.get_by_text("Metric").click()
    page.keyboard.press("Escape")
    assert not errors


def test_another_lap_and_another_reference(signed_in: Page, day: Day) -> None:
    page = signed_in
    page.goto("/compare")
    expect(page.get_by_title("Ines, lap")).to_be_visible()
    page.keyboard.press("a")
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Lay Ines, lap 2 on the desk").check()
    dialog.get_by_role("button", name="Done").click()
    expect(page.locator(".strip", has_text="Ines")).to_have_count(2)
    page.keyboard.press("n")  # laps that come later lie below those that were there
    page.keyboard.press("v")
    expect(page.locator(".strip", has_text="ref.")).to_contain_text("Ines")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys on the desk")).to_be_visible()


def test_zoom_and_cursor_by_keyboard(signed_in: Page) -> None:
    page = signed_in
    page.goto("/compare")
    score = page.get_by_role("application")
    score.focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.locator(".here")).to_have_text("31 m")
    page.keyboard.press(".")
    page.keyboard.press("o")
    page.wait_for_url("**zoom=*")
    page.keyboard.press("u")
    expect(page.get_by_role("button", name="Whole lap")).to_have_count(1)


def test_signed_out_is_asked_to_sign_in_and_comes_back(page: Page, own_coach: str) -> None:
    page.goto("/compare?event=1")
    page.wait_for_url("**/sign-in?to=*")
    page.get_by_label("Address").fill(own_coach)
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("do not belong together")
    page.get_by_label("Password").fill("a good password")
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/compare?*")
