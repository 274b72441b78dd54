"""Lines on the large map: offsets are read off it, and it is linked to the score's cursor and stretch."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.test_laying_out import on_the_desk
from tests.browser.test_reach import found_by_axe
from tests.browser.test_the_desk import rests, told
from tests.day import Day


def test_read_a_driven_lines_offset_at_the_apex_off_the_zoomed_map(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.keyboard.press("l")
    rests(page, "map", "lines")
    panel = page.get_by_role("region", name="Map", exact=True)
    ground = panel.get_by_role("application")
    expect(ground).to_be_visible()
    # A passage: the map shows it, and the table behind the map is of its corners.
    index = next(i for i, one in enumerate(day.layout.passages) if one.corners == ("T5",))
    page.get_by_role("button", name=re.compile("^5$")).click()
    rests(page, "passage", f"P{index + 1}")
    panel.get_by_text("As a table").click()
    rows = panel.locator("tbody tr")
    expect(rows).to_have_count(2)
    corner = [one.name for one in day.layout.corners].index("T5")
    read, cores = [], []
    for row, run in zip((rows.nth(0), rows.nth(1)), day.runs, strict=False):
        core = run.technique.at(run.best_lap.number, corner)
        cells = [row.locator("td").nth(i).inner_text().replace("−", "-") for i in range(1, 8)]
        assert abs(float(cells[0]) - core.brake_point_m) <= 1.6
        read.append(float(cells[5]))
        cores.append(core.offset_apex)
    # Which run made the road's line is chance here: what the two laps differ by is not.
    assert abs((read[1] - read[0]) - (cores[1] - cores[0])) <= 0.16
    # The cursor: from the map to the score, and from the score to the map.
    box = ground.bounding_box()
    assert box
    for x in range(10, 90, 4):
        page.mouse.move(box["x"] + box["width"] * x / 100, box["y"] + box["height"] / 2)
    apex = round(day.layout.corners[corner].apex_m)
    page.wait_for_url(lambda url: f"at={apex}&" not in url)
    page.wait_for_timeout(600)
    here = told(page, "at")
    ground.focus()
    before = ground.locator("canvas").first.evaluate("node => node.toDataURL()")
    page.keyboard.press("+")
    page.wait_for_timeout(200)
    assert ground.locator("canvas").first.evaluate("node => node.toDataURL()") != before
    assert told(page, "at") == here  # keys of the map are the map's
    page.keyboard.press("0")
    page.wait_for_timeout(200)
    assert ground.locator("canvas").first.evaluate("node => node.toDataURL()") == before
    place = ground.locator("canvas").nth(1)
    dots = place.evaluate("node => node.toDataURL()")
    page.get_by_role("application", name=re.compile("^Score")).focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    page.wait_for_timeout(200)
    assert place.evaluate("node => node.toDataURL()") != dots

    # Coloured by a channel, driving upwards: both in the address, which opens just this again.
    panel.get_by_label("Colour of the chosen lap").select_option("speed")
    panel.get_by_role("button", name="Driving upwards").click()
    rests(page, "up", "driving")
    page.reload()
    panel = page.get_by_role("region", name="Map", exact=True)
    expect(panel.get_by_label("Colour of the chosen lap")).to_have_value("speed")
    expect(panel.get_by_role("button", name="Driving upwards")).to_have_attribute("aria-pressed", "true")
    assert found_by_axe(page) == []
    # Small maps, one for each lap but the reference's.
    panel.get_by_role("button", name="A map for each lap").click()
    expect(panel.get_by_role("listitem")).to_have_count(1)
    assert found_by_axe(page) == []
    panel.get_by_role("button", name="Close the map").click()
    page.wait_for_url(lambda url: "map=" not in url)


def test_play_a_stretch_in_a_loop(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.goto(f"{page.url}&stretch=1996-2368")
    expect(page.locator(".card h2")).to_contain_text("1996 to 2368 m")
    page.keyboard.press("k")
    bar = page.get_by_role("group", name="Drive them again")
    expect(bar.get_by_role("button", name="Halt")).to_be_visible()
    bar.get_by_label("How fast").select_option("4")
    # It comes round: the clock falls back, and goes on.
    clock = bar.locator(".clock")
    seen = [float(clock.inner_text().split(" ")[0])]
    for _ in range(60):
        page.wait_for_timeout(100)
        seen.append(float(clock.inner_text().split(" ")[0]))
        if seen[-1] < seen[-2]:
            break
    assert seen[-1] < seen[-2]
    page.keyboard.press("k")
    expect(bar.get_by_role("button", name="Play", exact=True)).to_be_visible()
    # Step by step, by time: who is ahead is the core's, in metres at the same second.
    bar.get_by_role("button", name="A tenth of a second on").click()
    seconds = float(clock.inner_text().split(" ")[0])
    rows = page.get_by_role("list", name="Where each lap is now").get_by_role("listitem")
    grid, places = day.layout.grid(), []
    for run in day.runs[:2]:
        time = run.traces[run.best_lap.number].time
        places.append(float(np.interp(np.interp(1996.0, grid, time) + seconds, time, grid)))
    told_m = rows.filter(has_text="Ines").locator(".figure").nth(1).inner_text().replace("−", "-")
    # The clock is shown to a tenth: at 40 m/s that is a few metres of both alike.
    assert abs(float(told_m) - (min(places[1], 2368.0) - min(places[0], 2368.0))) < 2.0
    bar.get_by_label("All at the same").select_option("place")
    expect(rows.filter(has_text="Halvard").locator(".figure").nth(1)).to_have_text("0.00")
    bar.get_by_role("button", name="End playing").click()
    expect(rows).to_have_count(0)
