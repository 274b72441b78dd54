"""Pictures beside the curves: where a driver is steady, notes on the ground, and what is taken away."""

import json
import re
import xml.etree.ElementTree as ET
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from lauftakt.core.findings.steady import steady_passages
from tests.browser.test_laying_out import on_the_desk
from tests.browser.test_reach import found_by_axe
from tests.browser.test_the_desk import rests
from tests.day import Day

SVG = "{http://www.w3.org/2000/svg}"


def chosen(page: Page, name: str) -> None:
    page.locator("[data-strip]", has_text=name).first.click()


def test_name_the_unsteady_place_of_a_driver(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    chosen(page, "Ines")
    page.keyboard.press("i")
    rests(page, "picture", "steady")
    panel = page.get_by_role("region", name="Pictures")
    base, ines = day.runs[0], day.runs[day.of("Ines")]
    core = steady_passages(ines, day.layout, lap=base.traces[base.best_lap.number], reference=base)
    loose = max((one for one in core if one.time and one.steady is False), key=lambda one: one.time.value)
    strong = [one for one in core if one.fast and one.steady]
    said = panel.locator(".said")
    expect(said).to_contain_text(f"all {len(ines.counting)} laps of the run that count")
    expect(said).to_contain_text(
        f"Least steady: {' to '.join(loose.corners[i].corner for i in range(len(loose.corners)))}"
    )
    text = said.inner_text()
    # Strong places first; the spread and its interval are the core's.
    assert text.index("Fast and steady") < text.index("Least steady")
    for one in strong:
        assert one.corners[0].corner in text.split("Least steady")[0]
    figures = [float(found) for found in re.findall(r"\d\.\d\d", text.split("Least steady")[1])]
    assert figures[0] == np.round(loose.time.value, 2) or abs(figures[0] - loose.time.value) < 0.006
    assert abs(figures[1] - loose.time.low) < 0.006
    # By keyboard to that passage, which the score shows then; all in the address.
    corners = ", ".join(corner.corner.removeprefix("T") for corner in loose.corners)
    head = panel.get_by_role("button", name=corners, exact=True)
    head.focus()
    page.keyboard.press("Enter")
    rests(page, "passage", loose.name)
    expect(head).to_have_attribute("aria-pressed", "true")
    page.reload()
    expect(page.get_by_role("region", name="Pictures").locator(".said")).to_contain_text("Least steady")
    assert found_by_axe(page) == []

    # The other pictures, each with its table and address.
    panel = page.get_by_role("region", name="Pictures")
    panel.get_by_role("button", name="Grip", exact=True).click()
    rests(page, "picture", "grip")
    expect(panel.get_by_role("img", name=re.compile("Acceleration"))).to_be_visible()
    panel.get_by_text("As a table").click()
    expect(panel.locator(".numbers tbody tr")).to_have_count(24)
    panel.get_by_role("button", name="How often").click()
    panel.get_by_label("Channel").select_option("gear")
    rests(page, "of", "gear")
    panel.get_by_text("As a table").click()
    expect(panel.locator(".numbers tbody tr").first).to_be_visible()
    panel.get_by_role("button", name="One over another").click()
    rests(page, "picture", "against")
    plane = panel.get_by_role("img", name=re.compile("every metre a dot"))
    expect(plane).to_be_visible()
    panel.get_by_role("button", name="Swap the two channels").click()
    rests(page, "over", "engine_speed")
    # The dot under the pointer is the place in the score.
    box = plane.bounding_box()
    assert box
    before = page.url
    for x in range(10, 90, 2):
        page.mouse.move(box["x"] + box["width"] * x / 100, box["y"] + box["height"] * (100 - x) / 100)
    page.wait_for_url(lambda url: url != before)
    assert found_by_axe(page) == []
    page.keyboard.press("i")
    page.wait_for_url(lambda url: "picture=" not in url)


def test_put_a_note_on_a_place_and_find_it_again(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.goto(f"{page.url}&at=2096&map=lines")
    expect(page.get_by_role("region", name="Map", exact=True).get_by_role("application")).to_be_visible()
    page.keyboard.press("w")
    dialog = page.get_by_role("dialog")
    hostile = "<b>Bump</b> behind the seam"
    dialog.get_by_label("What is to be remembered").fill(hostile)
    expect(dialog.get_by_label("Pinned to")).to_contain_text("this place, 2096 m")
    dialog.get_by_role("button", name="Write it down").click()
    expect(dialog.locator("li", has_text=hostile)).to_contain_text("2096 m")
    # Another one, of one lap.
    dialog.get_by_label("What is to be remembered").fill("Missed a gear")
    dialog.get_by_label("Pinned to").select_option("lap")
    dialog.get_by_role("button", name="Write it down").click()
    expect(dialog.locator("li")).to_have_count(2)
    # Found by a word, in whatever letters, by somebody who comes later.
    page.goto("/compare")
    rests(page, "laps", r"\d+-")
    flag = page.get_by_role("button", name=re.compile("^Note at 2096 m"))
    expect(flag).to_be_visible()
    page.keyboard.press("w")
    page.get_by_role("dialog").get_by_role("searchbox").fill("SEAM")
    found = page.get_by_role("dialog").locator("li")
    expect(found).to_have_count(1)
    expect(found).to_contain_text(hostile)
    expect(found.locator("b")).to_have_count(0)
    found.get_by_role("button", name=re.compile("^Show where it is")).click()
    rests(page, "at", "2096")
    # Its sign tells it; removed it goes, and comes back.
    flag.click()
    dialog = page.get_by_role("dialog")
    dialog.locator("li", has_text="Bump").get_by_role("button", name=re.compile("^Remove")).click()
    expect(flag).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(flag).to_be_visible()
    page.keyboard.press("w")
    assert found_by_axe(page) == []


def test_what_is_taken_away_holds_the_cores_numbers(signed_in: Page, day: Day, tmp_path: Path) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.goto(f"{page.url}&map=lines&picture=steady&stretch=1996-2368&at=2150")
    expect(page.get_by_role("region", name="Pictures").locator(".said")).to_contain_text("laps of the run")
    chosen(page, "Ines")
    page.wait_for_timeout(800)

    def take(kind: str) -> Path:
        page.get_by_role("button", name="Take away").click()
        with page.expect_download() as begun:
            page.get_by_role("menuitem", name=re.compile(rf"\({kind}\)")).click()
        path = tmp_path / f"taken.{kind.lower()}"
        begun.value.save_as(path)
        assert begun.value.suggested_filename.endswith(f".{kind.lower()}")
        return path

    drawing = ET.parse(take("SVG")).getroot()
    texts = ["".join(node.itertext()) for node in drawing.iter(f"{SVG}text")]
    runs = [day.runs[0], day.runs[day.of("Ines")]]
    best = [run.best_lap for run in runs]
    grid = day.layout.grid()
    times = [run.traces[lap.number].time for run, lap in zip(runs, best, strict=True)]
    held = json.loads("".join(drawing.find(f"{SVG}metadata").itertext()))
    told = {lap["driver"]: lap for lap in held["laps"]}
    assert abs(told["Ines"]["time_s"] - best[1].time_s) < 2e-3
    assert abs(told["Ines"]["delta_s"] - (best[1].time_s - best[0].time_s)) < 2e-3
    assert held["stretch_m"] == [1996, 2368]
    # As people read it: lap times, the loss at the strip's end, the legend, what it is of.
    assert f"{best[1].time_s - best[0].time_s:+.2f}" in texts
    minutes, seconds = divmod(round(best[1].time_s, 2), 60)
    assert f"{minutes:.0f}:{seconds:05.2f}" in texts
    assert f"Ines, lap {best[1].number}" in texts
    assert any(text.startswith("1996 to 2368 m.") for text in texts)
    assert not any("Take away" in text or "Driven lines" in text for text in texts)
    # The delta's curve at the cursor is what stands beside it.
    lost = np.interp(2150.0, grid, times[1] - times[0]) - np.interp(1996.0, grid, times[1] - times[0])
    beside = [float(text.replace("−", "-")) for text in texts if re.fullmatch(r"[+−]\d\.\d\d", text)]
    assert min(abs(value - lost) for value in beside) < 0.011
    assert len(list(drawing.iter(f"{SVG}path"))) > 20

    picture = take("PNG").read_bytes()
    assert picture.startswith(b"\x89PNG")
    assert len(picture) > 50_000

    head, *rows = [line for line in take("CSV").read_text().splitlines() if not line.startswith(("#", '"#'))]
    columns = head.split('","') if '","' in head else head.split(",")
    assert "distance [m]" in columns[0]
    assert len(rows) == 2368 - 1996 + 1
    table = json.loads(take("JSON").read_text())
    lap = next(lap for lap in table["laps"] if lap["driver"]["name"] == "Ines")
    at = table["s_m"].index(2150.0)
    assert abs(lap["channels"]["delta"]["values"][at] - lost) < 2e-3

    # A link opens exactly this, staves and all.
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    page.get_by_role("button", name="Take away").click()
    page.get_by_role("menuitem", name=re.compile("link")).click()
    expect(page.get_by_text("The link is copied")).to_be_visible()
    link = page.evaluate("() => navigator.clipboard.readText()")
    assert "staves=" in link
    page.goto(link)
    expect(page.get_by_role("region", name="Pictures").locator(".said")).to_contain_text("laps of the run")
    expect(page.locator(".card h2")).to_contain_text("1996 to 2368 m")
