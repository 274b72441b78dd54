"""A coach goes through a day: who is best where, laps set aside by keyboard and brought back, on to the desk."""

from typing import Any

import numpy as np
from playwright.sync_api import Page, expect

from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from tests.browser.conftest import drop, sign_in
from tests.day import Day

EMAIL, PASSWORD = "sheet@test.example", "a good password"
# What lies where the head of the scrolled sheet belongs, and is no part of it.
SHOWING_THROUGH = """() => {
  const main = document.querySelector('main').getBoundingClientRect();
  const head = document.querySelector('thead tr').getBoundingClientRect();
  const found = [];
  for (const x of [main.left + 60, (main.left + main.right) / 2, main.right - 60])
    for (let y = main.top + 2; y < main.top + head.height - 2; y += 3) {
      const hit = document.elementFromPoint(x, y);
      if (!hit.closest('thead tr:first-child')) found.push([x, y, hit.tagName, hit.textContent.slice(0, 20)]);
    }
  return found;
}"""


def test_the_sector_sheet_from_files_to_the_desk(page: Page, stack: Any, day: Day) -> None:
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    database = Database(stack.mariadb.url)
    with database.begin() as session:
        team = add_team(session, "Sheets")
        add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD)
    database.close()
    sign_in(page, EMAIL, PASSWORD)
    page.get_by_role("link", name="Laps", exact=True).click()
    expect(page.get_by_text("No laps yet.")).to_be_visible()
    page.get_by_role("link", name="Hand in a run").click()
    drop(page, [day.layout_file, day.files[0]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(2, timeout=60_000)
    drop(page, [day.files[1]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(3, timeout=60_000)

    # Bests as the core has them; those of all double underlined.
    page.get_by_role("link", name="Laps", exact=True).click()
    halvard = page.locator("tr.driver").filter(has_text="Halvard")
    best = [min(times) for times in zip(*(lap.sector_times_s for lap in day.runs[0].counting), strict=True)]
    for number, time in enumerate(best):
        cell = halvard.locator("td.number").nth(number + 1).locator("span")
        expect(cell).to_have_text(f"{time:.2f}")
        expect(cell).to_have_class("best-all")
    expect(page.locator("tr[data-lap]")).to_have_count(len(day.runs[0].laps) + len(day.runs[1].laps))

    # The head stays at the very top while one reads on, and no row shows through beside it.
    page.set_viewport_size({"width": 1280, "height": 500})
    page.get_by_role("main").evaluate("main => main.scrollTo(0, 300)")
    seen = page.evaluate(SHOWING_THROUGH)
    assert seen == [], seen
    page.set_viewport_size({"width": 1280, "height": 800})

    # Two laps are chosen and set aside by keyboard; what depends on them changes, and undo brings it back.
    counting = len(day.runs[0].counting)
    expect(page.get_by_text(f"{counting} laps count")).to_be_visible()
    page.locator("tr[data-lap] td.lap").nth(2).click()
    page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_text("2 laps chosen")).to_be_visible()
    page.get_by_label("Why").select_option("traffic")
    page.locator("h2").click()
    page.keyboard.press("s")
    expect(page.get_by_text("2 laps were set aside.")).to_be_visible()
    expect(page.locator("tr.aside").filter(has_text="traffic")).to_have_count(2)
    expect(page.get_by_text(f"{counting - 2} laps count")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("tr.aside").filter(has_text="traffic")).to_have_count(0)

    # The view is in the address; another page and back leaves it.
    page.get_by_label("Driver").select_option(label="Ines")
    page.get_by_label("Columns").select_option("passages")
    page.get_by_label("Figures").select_option("own")
    page.get_by_label("only laps that count").check()
    page.wait_for_url("**columns=passages*only=counting")
    page.reload()
    expect(page.get_by_role("columnheader", name="T2-T3")).to_be_visible()
    expect(page.locator("tr.driver")).to_have_count(1)
    expect(page.locator("tr[data-lap]")).to_have_count(len(day.runs[1].counting))

    # The picture for the briefing: seconds to be won, and where, as the core has them.
    page.get_by_role("tab", name="Who is where").click()
    page.get_by_label("Driver").select_option(label="everybody")
    ines = page.get_by_role("row").filter(has=page.get_by_role("rowheader", name="Ines"))
    lost = {}
    for index, passage in enumerate(day.layout.passages):
        times = [
            np.array([run.passage_s[lap.number][index] for lap in run.counting if not lap.held_up])
            for run in day.runs[:2]
        ]
        lost[passage.called] = float(np.nanmedian(times[1]) - np.nanmin(np.concatenate(times)))
    expect(ines.locator("td.total")).to_have_text(f"{sum(lost.values()):.2f}")
    three = sorted(lost, key=lambda name: -lost[name])[:3]
    expect(ines.locator("td.most")).to_have_text("; ".join(three))
    expect(page.get_by_role("rowheader").first).to_have_text("Ines")

    # Two long runs side by side.
    page.get_by_role("tab", name="Long runs").click()
    expect(page.get_by_text("Choose two stints")).to_be_visible()
    page.get_by_label("Show Halvard").check()
    page.get_by_label("Show Ines").check()
    times = [np.array([lap.time_s for lap in run.counting]) for run in day.runs[:2]]
    count = min(len(own) for own in times)
    apart = times[1][:count] - times[0][:count]
    unsure = 2 * np.std(apart, ddof=1) * np.sqrt(count)
    expect(
        page.get_by_text(f"Halvard is {apart.sum():.2f} s (± {unsure:.2f}) faster than Ines over {count} laps.")
    ).to_be_visible()
    page.get_by_role("tab", name="Sheet", exact=True).click()
    page.get_by_label("Driver").select_option(label="Ines")

    # A cell opens the desk on just that, against the lap that is best there; the view may have changed that moment.
    page.evaluate(
        """async () => {
            const figures = [...document.querySelectorAll("select")].find((own) => own.value === "own");
            figures.value = "all";
            figures.dispatchEvent(new Event("change", { bubbles: true }));
            await new Promise((done) => setTimeout(done, 30));
            document.querySelectorAll("tr[data-lap] td.number button")[1].click();
        }"""
    )
    page.wait_for_url("**/compare?*stretch=*")
    expect(page.locator(".strip")).to_have_count(2)
    expect(page.get_by_title("Halvard, lap")).to_be_visible()
    # And back: the view is as it was left.
    page.go_back()
    expect(page.get_by_role("columnheader", name="T2-T3")).to_be_visible()
    expect(page.locator("tr.driver")).to_have_count(1)
    page.wait_for_url("**/laps?*columns=passages*show=all*only=counting")
    assert errors == []
