"""Laps come onto the desk by keyboard, by search and by a question that is often asked, and go again."""

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import drop
from tests.day import Day


def on_the_desk(page: Page, day: Day) -> None:
    """Two runs of the day, whether another job handed them in before or not."""
    there = {run["driver"]["name"] for run in page.request.get("/api/paddock").json()["runs"]}
    if not {"Halvard", "Ines"} <= there:
        page.goto("/hand-in")
        drop(page, [day.layout_file, *day.files[:2]])
        expect(page.get_by_text(re.compile("Taken|handed in already|Refused")).nth(2)).to_be_visible(timeout=60_000)
    page.goto("/compare")
    expect(page.get_by_role("button", name="Change laps")).to_be_visible(timeout=60_000)


def test_laying_out_by_keyboard_and_by_question(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    ines = day.runs[1]

    # By keyboard alone: a opens, a word narrows, an arrow goes on, v measures against the lap, Enter lays it out.
    page.keyboard.press("a")
    dialog = page.get_by_role("dialog")
    find = dialog.get_by_role("searchbox")
    find.fill("ines")
    expect(dialog.get_by_role("region", name="Halvard")).to_have_count(0)
    first = dialog.get_by_role("checkbox", name=re.compile("Lay Ines, lap 1 "))
    first.focus()
    page.keyboard.press("ArrowRight")
    second = dialog.get_by_role("checkbox", name=re.compile("Lay Ines, lap 2 "))
    expect(second).to_be_focused()
    page.keyboard.press("v")
    expect(second).to_have_attribute("aria-label", re.compile("the reference$"))
    page.keyboard.press("Space")  # the reference stays
    expect(second).to_have_attribute("aria-checked", "true")
    # One stop of the Tab key for all laps.
    page.keyboard.press("Tab")
    expect(dialog.get_by_role("button", name="Done")).to_be_focused()
    second.focus()
    page.keyboard.press("Enter")
    expect(dialog).to_have_count(0)
    page.wait_for_url(re.compile(r"ref=\d+-"))
    expect(page.locator(".strip", has_text="ref.")).to_contain_text("Ines")

    # A question: the first laps of a run and its last; a note tells how to go back.
    page.keyboard.press("a")
    dialog.get_by_label("Which laps").select_option(label="First laps of a run and its last")
    run = dialog.get_by_label("Run", exact=True)
    texts = run.locator("option").all_inner_texts()
    run.select_option(index=next(index for index, text in enumerate(texts) if "Ines" in text))
    dialog.get_by_role("button", name="Lay out").click()
    expect(dialog).to_have_count(0)
    numbers = [lap.number for lap in ines.counting]
    wanted = {*numbers[:3], *numbers[-3:]}
    row = page.locator(".strip", has_text="Ines")
    expect(row).to_have_count(len(wanted))
    told = page.locator("[data-scope=toast][data-part=root]", has_text="6 laps are laid out.")
    told.get_by_role("button", name="Undo").click()
    expect(row).not_to_have_count(len(wanted))

    # Another: the driver's best of the day against the best that was ever driven with the car.
    page.keyboard.press("a")
    dialog.get_by_label("Which laps").select_option(label="Today’s best and the car’s best ever")
    lay = dialog.get_by_role("button", name="Lay out")
    expect(lay).to_be_disabled()
    dialog.get_by_label("Driver", exact=True).select_option(label="Ines")
    lay.click()
    expect(page.locator(".strip")).to_have_count(2)
    expect(page.locator(".strip", has_text="ref.")).to_contain_text("Halvard")
    # Closing the dialog leaves everything as it was.
    page.wait_for_url(re.compile(r"laps=\d+-\d+(,|%2C)\d+-\d+&"))
    before = page.url
    page.keyboard.press("a")
    dialog.get_by_role("searchbox").fill("nobody at all")
    expect(dialog.get_by_text("No lap fits “nobody at all”.")).to_be_visible()
    page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)
    assert page.url == before
