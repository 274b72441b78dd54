"""From an empty machine to a school's own team: first start, people, sessions, removal, the demo school."""

import os
import time
from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import update

from lauftakt.operate.own_stack import first_code
from lauftakt.operate.stack import Stack
from lauftakt.store.database import Database, now
from lauftakt.store.models import SignIn
from tests.browser.conftest import drop
from tests.day import Day

pytestmark = pytest.mark.in_order
EMAIL, PASSWORD = "ada@riverside.example", "late apex every time"
SECOND, SECOND_PASSWORD = "ben@riverside.example", "brake a little later"


@pytest.fixture(scope="module")
def own(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Stack, str, Database]]:
    """An empty installation as script/start begins it, its code, and its database."""
    kept = {name: os.environ.get(name) for name in ("LAUFTAKT_DATABASE_URL", "LAUFTAKT_VAR")}
    made = Stack(tmp_path_factory.mktemp("own"))
    try:
        database = made.start_database(lambda _: None)
        code = first_code(made.var, database)
        assert code is not None
        made.start_application(lambda _: None)
        yield made, code, database
        database.close()
    finally:
        made.stop()
        for name, value in kept.items():
            if value is not None:
                os.environ[name] = value


def opened(browser: Browser, own: tuple[Stack, str, Database], **options: Any) -> Page:
    context = browser.new_context(base_url=own[0].address, viewport={"width": 1280, "height": 800}, **options)
    context.set_default_timeout(20_000)
    return context.new_page()


def sign_in(page: Page, email: str, password: str) -> None:
    page.goto("/sign-in")
    page.get_by_label("E-mail address").fill(email)
    page.get_by_label("Password", exact=True).fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/paddock")


def test_from_an_empty_machine_to_the_first_comparison(
    browser: Browser, own: tuple[Stack, str, Database], day: Day
) -> None:
    page = opened(browser, own)
    page.goto("/")
    expect(page.get_by_text("Nobody has a team here yet")).to_be_visible()
    page.goto("/first#guessed")
    expect(page.get_by_role("heading", name="This page was used already")).to_be_visible()
    begun = time.monotonic()
    page.goto("about:blank")
    page.goto(f"/first#{own[1]}")
    page.get_by_label("Name of the team").fill("Riverside driving school")
    page.get_by_label("Your name").fill("Ada")
    page.get_by_label("E-mail address").fill(EMAIL)
    page.get_by_label("Password").fill("password123")
    page.get_by_label("Dates").select_option("de-DE")
    page.get_by_role("button", name="Make the team").click()
    expect(page.get_by_text("among those that are tried first")).to_be_visible()
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Make the team").click()
    page.wait_for_url("**/hand-in")
    steps = page.get_by_label("The first comparison")
    expect(steps.locator("[aria-current=step]")).to_contain_text("Hand in logs")
    drop(page, day.files[:2])
    expect(page.get_by_text("A circuit not seen before")).to_be_visible(timeout=60_000)
    expect(page.get_by_text("2 of 2 files taken")).to_be_visible(timeout=60_000)
    page.get_by_placeholder("Name of the circuit").fill("The Meadows")
    page.get_by_role("button", name="Keep the name").click()
    expect(steps.locator("[aria-current=step]")).to_contain_text("Compare")
    steps.get_by_role("link", name="See the first comparison").click()
    expect(page.get_by_role("row").or_(page.locator("canvas")).first).to_be_visible()
    expect(page.locator("canvas").first).to_be_visible()
    seconds = time.monotonic() - begun
    print(f"\nfrom the first page to the first comparison: {seconds:.1f} s")
    page.goto("/paddock")
    expect(page.get_by_role("heading", level=2)).to_contain_text("16. Mai 2026")
    page.context.close()
    # The code has done its work.
    late = opened(browser, own)
    late.goto(f"/first#{own[1]}")
    expect(late.get_by_role("heading", name="This page was used already")).to_be_visible()
    late.context.close()


def test_a_second_coach_comes_by_a_link_on_a_phone(browser: Browser, own: tuple[Stack, str, Database]) -> None:
    page = opened(browser, own)
    sign_in(page, EMAIL, PASSWORD)
    page.goto("/account")
    page.get_by_role("button", name="Make an invitation").click()
    link = page.get_by_label("Copy the link").input_value()
    phone = browser.new_context(viewport={"width": 390, "height": 780}, has_touch=True, is_mobile=True).new_page()
    phone.set_default_timeout(20_000)
    phone.goto(link)
    expect(phone.get_by_role("heading")).to_contain_text("Come into Riverside driving school")
    assert phone.evaluate("document.documentElement.scrollWidth <= innerWidth")
    phone.get_by_label("Your name").fill("Ben")
    phone.get_by_label("E-mail address").fill(SECOND)
    phone.get_by_label("Password").fill(SECOND_PASSWORD)
    phone.get_by_role("button", name="Come in").click()
    phone.wait_for_url("**/paddock")
    phone.goto(link)
    expect(phone.get_by_text("used already")).to_be_visible()
    phone.context.close()
    page.reload()
    expect(page.get_by_text(SECOND)).to_be_visible()
    page.get_by_label("Role of Ben").select_option("assistant")
    expect(page.get_by_text("Kept.")).to_be_visible()
    page.context.close()


def test_a_changed_password_and_a_session_ended_elsewhere(browser: Browser, own: tuple[Stack, str, Database]) -> None:
    laptop, phone = opened(browser, own), opened(browser, own)
    for page in (laptop, phone):
        sign_in(page, SECOND, SECOND_PASSWORD)
    laptop.goto("/account")
    laptop.get_by_role("button", name="Sign out there").first.click()
    expect(laptop.get_by_role("button", name="Sign out there")).to_have_count(1)
    laptop.get_by_role("button", name="Sign out there").click()
    phone.goto("/hand-in")
    phone.wait_for_url("**/sign-in?**")
    laptop.get_by_label("Present password").fill(SECOND_PASSWORD)
    laptop.get_by_label("New password").fill("turn in a bit earlier")
    laptop.get_by_role("button", name="Change the password").click()
    expect(laptop.get_by_text("The password was changed")).to_be_visible()
    sign_in(phone, SECOND, "turn in a bit earlier")
    laptop.context.close()
    phone.context.close()


def test_signed_out_in_the_middle_of_a_label(browser: Browser, own: tuple[Stack, str, Database]) -> None:
    page = opened(browser, own)
    sign_in(page, EMAIL, PASSWORD)
    page.goto("/hand-in?view=labels")
    field = page.locator("tr[data-row] [data-field='notes']").first
    expect(field).to_be_visible()
    with own[2].begin() as session:
        session.execute(update(SignIn).values(ended_at=now()))
    field.fill("Brake bias two clicks to the rear")
    field.press("Tab")
    sheet = page.get_by_role("dialog", name="Sign in again")
    expect(sheet).to_be_visible()
    expect(sheet.get_by_label("E-mail address")).to_have_value(EMAIL)
    sheet.get_by_label("Password", exact=True).fill("not it at all")
    sheet.get_by_role("button", name="Sign in and go on").click()
    expect(sheet.get_by_text("do not belong together")).to_be_visible()
    sheet.get_by_label("Password", exact=True).fill(PASSWORD)
    sheet.get_by_role("button", name="Sign in and go on").click()
    expect(sheet).to_be_hidden()
    assert page.url.endswith("/hand-in?view=labels")
    expect(page.get_by_text("Notes changed").or_(page.get_by_text("notes")).first).to_be_visible()
    page.reload()
    expect(page.locator("tr[data-row] [data-field='notes']").first).to_have_value("Brake bias two clicks to the rear")
    page.context.close()


def test_a_stale_token_is_renewed_without_a_word(browser: Browser, own: tuple[Stack, str, Database]) -> None:
    page = opened(browser, own)
    page.goto("/sign-in")
    page.get_by_label("E-mail address").fill(EMAIL)
    page.get_by_label("Password", exact=True).fill(PASSWORD)
    # Another page of this browser began a new cookie meanwhile.
    page.context.clear_cookies()
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/paddock")
    page.context.close()


def test_a_run_is_removed_and_brought_back(browser: Browser, own: tuple[Stack, str, Database]) -> None:
    page = opened(browser, own)
    sign_in(page, EMAIL, PASSWORD)
    rows = page.locator("tbody tr")
    expect(rows).to_have_count(2)
    page.get_by_role("button", name="Remove the run of Ines").click()
    sheet = page.get_by_role("dialog")
    expect(sheet).to_contain_text("the driver Ines")
    sheet.get_by_role("button", name="Cancel").click()
    expect(rows).to_have_count(2)
    page.get_by_role("button", name="Remove the run of Ines").click()
    sheet.get_by_role("button", name="Remove", exact=True).click()
    expect(rows).to_have_count(1)
    page.get_by_role("button", name="Undo").click()
    expect(rows).to_have_count(2)
    page.context.close()


def test_the_demo_school_is_looked_at_and_removed(browser: Browser, own: tuple[Stack, str, Database]) -> None:
    page = opened(browser, own)
    sign_in(page, EMAIL, PASSWORD)
    page.goto("/account")
    page.get_by_role("button", name="Look around with the demo school").click()
    page.wait_for_url("**/hand-in")
    page.goto("/account")
    expect(page.get_by_text("Driving school at Ellerholm Park").first).to_be_visible()
    page.get_by_role("button", name="Remove the demo school").click()
    page.wait_for_url("**/sign-in**")
    sign_in(page, EMAIL, PASSWORD)
    page.goto("/account")
    expect(page.get_by_role("button", name="Look around with the demo school")).to_be_visible()
    expect(page.get_by_role("button", name="Remove the demo school")).to_have_count(0)
    page.context.close()


def test_the_desk_without_a_session_leads_to_signing_in_and_asks_for_nothing_over_it(page: Page) -> None:
    page.goto("/compare?map=lines")
    page.wait_for_url("**/sign-in?to=*")
    expect(page.get_by_label("E-mail")).to_have_count(1)
    page.wait_for_timeout(500)
    expect(page.get_by_role("dialog")).to_have_count(0)
