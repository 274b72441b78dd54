"""A debrief from beginning to end: prepared, given, read on a phone, tried in the next run, and honestly checked.

It hands in a further run of a driver, so it comes behind the tests of the desk.
"""

import io
import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect
from pypdf import PdfReader

from tests.browser.conftest import drop
from tests.browser.test_laying_out import on_the_desk
from tests.browser.test_reach import found_by_axe
from tests.browser.test_the_desk import rests
from tests.day import Day


def link_of(page: Page, driver: str) -> str:
    """A driver's personal link, as the page that is signed in would make it."""
    csrf = page.request.get("/api/session").json()["csrf"]
    headers = {"X-CSRFToken": csrf}
    answer = page.request.post("/api/links", data={"driver": driver, "days": 3}, headers=headers)
    return str(answer.json()["address"])


@pytest.fixture
def prepared(signed_in: Page, day: Day) -> Page:
    """The place Debrief with the day compared, on Ines."""
    page = signed_in
    on_the_desk(page, day)
    page.get_by_role("link", name="Debrief", exact=True).click()
    page.get_by_role("link", name=re.compile("^Ines")).click()
    expect(page.get_by_role("heading", name="Ines")).to_be_visible()
    expect(page.get_by_role("region", name="What costs time").locator("article").first).to_be_visible(timeout=60_000)
    return page


def test_from_the_finding_to_the_answer(
    prepared: Page, browser: Browser, base_url: str, day: Day, next_files: dict[str, Path]
) -> None:
    page = prepared
    tray = page.get_by_role("complementary", name="In this debrief")
    expect(tray).to_contain_text("Nothing yet")
    assert found_by_axe(page) == []
    # A cue from the dearest finding, with what the driver has shown; one from the next; and something good.
    rows = page.get_by_role("region", name="What costs time").locator("article")
    expect(rows.first).to_contain_text("T5")
    rows.nth(0).get_by_role("button", name="Ask for this").click()
    expect(tray.locator("li")).to_have_count(1)
    expect(rows.nth(0).get_by_role("button", name="Asked already")).to_be_disabled()
    expect(tray).to_contain_text(re.compile(r"T5: brake \d+\sm later than now\. You did it in lap \d"))
    rows.nth(1).get_by_role("button", name="Ask for this").click()
    expect(tray.locator("li")).to_have_count(2)
    expect(tray).to_contain_text("bad news alone")
    page.get_by_role("region", name="What is good").get_by_role("button", name="Tell to keep it").first.click()
    expect(tray.locator("li")).to_have_count(3)
    expect(tray.locator("li").first).to_contain_text("Keep")
    # What a cue brings along is not asked for beside it.
    rows.nth(0).get_by_label(re.compile("Figure that is asked for")).select_option(label="time in the passage")
    rows.nth(0).get_by_role("button", name="Ask for this").click()
    expect(page.get_by_text("brings this along already")).to_be_visible()
    # A third and a fourth: one is left, and is back after undo.
    rows.nth(2).get_by_role("button", name="Ask for this").click()
    expect(tray.locator("li")).to_have_count(4)
    rows.nth(2).get_by_label(re.compile("Figure that is asked for")).select_option(index=1)
    rows.nth(2).get_by_role("button", name="Ask for this").click()
    leaving = page.get_by_role("dialog", name="Which one is left?")
    expect(leaving.get_by_role("button", name=re.compile("T5: brake"))).to_be_visible()
    assert found_by_axe(page) == []
    leaving.get_by_role("button", name="Close").click()
    tray.get_by_role("button", name=re.compile("Withdraw")).last.click()
    expect(tray.locator("li")).to_have_count(3)
    # In the coach's own words.
    tray.get_by_role("button", name=re.compile("other words")).nth(1).click()
    words = page.get_by_role("dialog").get_by_label("In your own words")
    words.fill("Brake when the birch is beside you, not before.")
    page.get_by_role("dialog").get_by_role("button", name="Keep").click()
    expect(tray).to_contain_text("the birch is beside you")
    # Given with one key.
    page.locator("h1").click()
    page.keyboard.press("e")
    expect(tray.get_by_role("status")).to_contain_text("given")
    # The way to the driver is right there.
    tray.get_by_role("button", name="Make a personal link").click()
    way = page.get_by_role("dialog", name="Personal link of Ines")
    expect(way.get_by_role("img")).to_be_visible()
    assert found_by_axe(page) == []
    way.get_by_role("button", name="Close").click()
    expect(tray.get_by_role("button", name="Personal link")).to_be_visible()
    # On paper the same words, on one page.
    with page.expect_download() as loading:
        tray.get_by_role("link", name="Paper (PDF)").click()
    pages = PdfReader(io.BytesIO(Path(loading.value.path()).read_bytes())).pages
    assert len(pages) == 1
    assert "Brake when the birch is beside you" in " ".join(pages[0].extract_text().split())
    tray.get_by_role("link", name="Show large").click()
    expect(page.get_by_role("heading", name="Ines")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("Driven lines through")).first).to_be_visible()
    assert found_by_axe(page) == []
    page.get_by_role("link", name="Back to preparing").click()
    expect(tray).to_be_visible()

    # On the driver's phone, without an account.
    phone = browser.new_context(viewport={"width": 360, "height": 740}, base_url=base_url).new_page()
    phone.goto(link_of(page, "Ines"))
    expect(phone.get_by_text("Brake when the birch is beside you")).to_be_visible()
    expect(phone.get_by_role("heading", name="How was it, corner by corner?")).to_have_count(0)
    phone.get_by_role("button", name="Understood").first.click()
    expect(phone.get_by_role("button", name="Understood").first).to_have_attribute("aria-pressed", "true")
    assert found_by_axe(phone) == []
    assert phone.evaluate("() => document.documentElement.scrollWidth <= innerWidth")
    with phone.expect_download() as loading:
        phone.get_by_role("link", name="Keep on this phone").click()
    kept = Path(loading.value.path()).read_bytes()
    assert len(kept) < 200_000
    assert b"Brake when the birch is beside you" in kept
    # The next run comes by the link; what was felt is said before anything is seen.
    drop(phone, [next_files["ines"]])
    expect(phone.get_by_role("heading", name="How was it, corner by corner?")).to_be_visible(timeout=90_000)
    phone.get_by_role("button", name="T5: good").click()
    phone.get_by_role("button", name="T1: unsure").click()
    phone.get_by_label("T1: What happened there").fill("Slid wide twice")
    phone.get_by_label("T1: What happened there").blur()
    phone.get_by_label("A question to your coach").fill("May I brake later still?")
    phone.get_by_role("button", name="Send").click()
    expect(phone.get_by_text("May I brake later still?")).to_be_visible()
    phone.context.close()

    # The coach reads the answer.
    page.goto("/debrief")
    page.get_by_role("link", name=re.compile("^Ines")).click()
    became = page.get_by_role("region", name="What became of the last debrief")
    expect(became.locator("article")).to_have_count(3, timeout=90_000)
    expect(became.locator("article").nth(1)).to_contain_text("reached, and it paid")
    expect(
        became.locator("article").nth(1).get_by_role("img", name=re.compile("brake point of every clean lap"))
    ).to_be_visible()
    expect(page.get_by_role("region", name="What the driver says")).to_contain_text("Slid wide twice")
    expect(page.get_by_role("region", name="What the driver says")).to_contain_text("May I brake later still?")
    assert found_by_axe(page) == []


def test_a_cue_is_given_from_the_desk(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.locator("[data-strip]", has_text="Halvard").first.click()
    page.keyboard.press("g")
    expect(page.get_by_text("a cue needs a place")).to_be_visible()
    page.keyboard.press(".")
    expect(page.locator(".card .says")).to_be_visible()
    page.keyboard.press("g")
    expect(page.get_by_text("Halvard is asked for it.")).to_be_visible()
    # What is asked already stands at the button; the same place cannot be kept as well.
    expect(page.get_by_text("Already asked:")).to_be_visible()
    page.keyboard.press("b")
    expect(page.get_by_text("a place cannot be both")).to_be_visible()
    page.keyboard.press(".")
    expect(page.get_by_text("Already asked:")).to_have_count(0)
    page.keyboard.press("b")
    expect(page.get_by_text("Halvard is told to keep it.")).to_be_visible()
    page.get_by_role("link", name="Debrief", exact=True).click()
    page.get_by_role("link", name=re.compile("^Halvard")).click()
    tray = page.get_by_role("complementary", name="In this debrief")
    expect(tray.locator("li")).to_have_count(2)
