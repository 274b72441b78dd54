"""The beginning of a coach's day: a link on a phone, six files of six kinds of loggers, one role put right, one file
refused, and all of them on the Paddock."""

import re
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Page, expect

from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from tests.browser.conftest import drop, sign_in
from tests.day import Day
from tests.dialects import WRITERS, named

EMAIL, PASSWORD = "collector@test.example", "a good password"


def fate(page: Page, name: str) -> Any:
    return page.locator("[data-hand-in]").filter(has=page.get_by_text(name, exact=True))


def test_collecting_a_day(page: Page, browser: Browser, stack: Any, base_url: str, day: Day, tmp_path: Path) -> None:
    database = Database(stack.mariadb.url)
    with database.begin() as session:
        team = add_team(session, "Collectors")
        add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD)
    database.close()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    drivers = [log.meta["driver"] for log in day.logs]
    files = {}
    for (name, write), log in zip(WRITERS.items(), day.logs, strict=True):
        path = tmp_path / name
        # The phone's file and the odd logger's say nothing about who drove.
        write(named(log, driver=None) if name == "canonical.csv" else log, path)
        files[name] = path

    # A link for the first driver, opened on a phone-sized page without an account.
    sign_in(page, EMAIL, PASSWORD)
    page.get_by_role("link", name="Hand in the first logs").click()
    drop(page, [day.layout_file])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(1, timeout=60_000)
    page.get_by_label("Driver", exact=True).fill(drivers[0])
    page.get_by_role("button", name="New link").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("img", name=f"QR code of {drivers[0]}’s link")).to_be_visible()
    address = dialog.get_by_text(re.compile("/give/")).inner_text()
    page.keyboard.press("Escape")
    phone_context = browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True)
    phone = phone_context.new_page()
    phone.on("pageerror", lambda error: errors.append(str(error)))
    phone.goto(address)
    expect(phone.get_by_role("heading", name=f"{drivers[0]}’s hand-in")).to_be_visible()
    drop(phone, [files["canonical.csv"]])
    expect(phone.get_by_text("Taken", exact=True)).to_be_visible(timeout=60_000)
    phone.get_by_label("How did it feel?").fill("Nervous in T5 <b>")
    phone.get_by_role("button", name="Tell the coach").click()
    expect(phone.get_by_text("The coach can read it.")).to_be_visible()
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390
    phone_context.close()

    # The other five, and one that is no log, in one drop.
    bad = tmp_path / "notes.csv"
    bad.write_text("The logger was off.\nSorry.\n")
    drop(page, [*(path for name, path in files.items() if name != "canonical.csv"), bad])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(7, timeout=120_000)
    expect(page.get_by_text("Refused", exact=True)).to_have_count(1)
    expect(fate(page, "notes.csv")).to_contain_text("no table of columns")
    # The delivery as a whole, with what was not taken and why.
    expect(page.get_by_text(re.compile(r"of \d+ files taken, \d+ timed laps"))).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="1 not taken").click()
    expect(page.get_by_role("status").get_by_text("notes.csv")).to_be_visible()
    page.get_by_role("button", name="1 not taken").click()
    for name, log in zip(files, day.logs, strict=True):
        if name not in ("canonical.csv", "2026-05-16-odd.txt"):
            expect(fate(page, name).get_by_label("Driver")).to_have_value(log.meta["driver"])

    # The odd logger: what could be a brake is one, in psi; said once, it is read anew.
    odd = fate(page, "2026-05-16-odd.txt")
    odd.get_by_label("Driver").fill(drivers[5])
    odd.get_by_label("Driver").press("Enter")
    expect(page.get_by_text("Changed: Driver.")).to_be_visible()
    odd.get_by_role("button", name=re.compile("notes?")).click()
    expect(odd).to_contain_text("opposite sign")
    odd.get_by_role("button", name=re.compile(r"Channels \(")).click()
    table = page.get_by_role("dialog")
    expect(table.get_by_label("What An2 stands for")).to_have_value("brake_pedal")
    table.get_by_label("What An2 stands for").select_option("brake_pressure")
    table.get_by_label("Unit of An2").fill("psi")
    table.get_by_label("Unit of An2").press("Tab")
    table.get_by_label("This kind of logger is called").fill("Odd box")
    table.get_by_role("button", name="Keep 1 correction").click()
    expect(page.get_by_text("Kept. The run is read anew.")).to_be_visible()
    expect(odd.get_by_text("Taken", exact=True)).to_be_visible(timeout=60_000)
    expect(odd.get_by_text("Newer numbers are coming")).to_have_count(0, timeout=60_000)
    odd.get_by_role("button", name=re.compile(r"Channels \(")).click()
    expect(table.get_by_label("What An2 stands for")).to_have_value("brake_pressure")
    expect(table.get_by_role("row", name=re.compile("An2"))).to_contain_text("said for this logger")
    page.keyboard.press("Escape")

    # Labels: proposed, and confirmed by keyboard alone.
    page.get_by_role("tab", name="Labels").click()
    # However wide the table is, a row can be confirmed where it is looked at; one label is given to all at once.
    for button in page.get_by_role("button", name=re.compile("^Confirm: ")).all():
        expect(button).to_be_in_viewport(ratio=1)
    page.get_by_label("Choose all runs").check()
    page.get_by_label("Label", exact=True).select_option("conditions")
    page.get_by_label("Value", exact=True).select_option("dry")
    page.get_by_role("button", name="Give it to them").click()
    expect(page.get_by_text("Conditions changed for 6 runs.")).to_be_visible()
    expect(page.get_by_label("Conditions of german.csv")).to_have_value("dry")
    cell = page.get_by_label("Tyres of 2026-05-16-odd.txt")
    cell.focus()
    page.keyboard.type("hard")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Confirmed")).to_have_count(1)
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text("All runs are confirmed.")).to_be_visible()
    expect(page.get_by_label("What the driver felt of canonical.csv")).to_have_value("Nervous in T5 <b>")
    expect(page.get_by_label("Tyres of german.csv")).to_have_value("Slick, hart")
    assert "view=labels" in page.url

    # Everybody is on the Paddock.
    page.get_by_role("link", name="Paddock", exact=True).click()
    expect(page.get_by_text("6 of 6 drivers have handed in")).to_be_visible()
    for driver in drivers:
        expect(page.get_by_role("link", name=f"Compare {driver} with the others")).to_be_visible()
    assert not errors
