"""The desk is its address: back and forward walk through what was chosen, and what fails takes away only itself."""

import re
from urllib.parse import parse_qs, urlsplit

import numpy as np
from playwright.sync_api import Page, Route, expect

from tests.browser.test_laying_out import on_the_desk
from tests.day import Day


def told(page: Page, name: str) -> str | None:
    return told_by(page.url, name)


def told_by(url: str, name: str) -> str | None:
    return parse_qs(urlsplit(url).query).get(name, [None])[0]


def rests(page: Page, name: str, pattern: str) -> None:
    """The address says something of what was chosen."""
    page.wait_for_url(re.compile(rf"[?&]{name}={pattern}"))


def test_back_and_forward_walk_through_selections(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.keyboard.press(".")
    rests(page, "passage", "P1")
    page.keyboard.press(".")
    rests(page, "passage", "P2")
    page.keyboard.press("h")
    rests(page, "hidden", r"\d+-")
    expect(page.locator(".row.hidden")).to_have_count(1)

    page.go_back()
    expect(page.locator(".row.hidden")).to_have_count(0)
    expect(page.locator(".card h2")).to_contain_text(day.layout.passages[1].called)
    page.go_back()
    expect(page.locator(".card h2")).to_contain_text(day.layout.passages[0].called)
    page.go_back()
    expect(page.get_by_role("heading", name="Whole lap")).to_be_visible()
    page.go_forward()
    expect(page.locator(".card h2")).to_contain_text(day.layout.passages[0].called)
    # What is chosen from here goes on from here.
    chosen = told(page, "lap")
    page.keyboard.press("n")
    page.wait_for_url(lambda url: f"lap={chosen}&" not in url)
    page.go_back()
    page.wait_for_url(lambda url: f"lap={chosen}&" in url)
    expect(page.locator(".card h2")).to_contain_text(day.layout.passages[0].called)

    # Moving the cursor is no step: one back, and the stretch is another.
    page.get_by_role("application").focus()
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    page.wait_for_timeout(600)
    page.go_back()
    expect(page.get_by_role("heading", name="Whole lap")).to_be_visible()


def test_an_address_that_was_sent_opens_just_that(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    laps, reference = told(page, "laps"), told(page, "ref")
    gone = f"{laps.split('-')[0]}-99999"
    page.goto(
        f"/compare?laps={laps},{gone},median-desk&ref={reference}&stretch=500-900&at=700&until=600"
        "&staves=speed*gear,throttle&scale=20"
    )
    expect(page.locator(".strip")).to_have_count(3)
    expect(page.get_by_text("One lap of this address is not there any more")).to_be_visible()
    expect(page.locator(".strip", has_text="median")).to_be_visible()
    expect(page.get_by_role("region", name="Speed, Gear")).to_be_visible()
    expect(page.locator(".here")).to_contain_text("from there")
    expect(page.locator(".card h2")).to_contain_text("500 to 900 m")
    expect(page.get_by_label("Scale of colour")).to_have_value("0.002")
    page.wait_for_timeout(600)
    assert told(page, "staves") == "speed*gear,throttle"
    assert told(page, "until") == "600"


def test_what_fails_takes_away_only_itself(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    strips = page.locator(".strip")
    count = strips.count()
    reference = told(page, "ref")
    shown = page.get_by_text(re.compile("What lay on the desk before is still shown"))
    # The server does not answer.
    page.route("**/api/desk?*", lambda route: route.abort())
    page.route("**/api/card?*", lambda route: route.abort())
    page.keyboard.press("v")
    expect(shown).to_be_visible(timeout=30_000)
    expect(strips).to_have_count(count)
    expect(page.get_by_role("region", name="Speed")).to_be_visible()
    page.keyboard.press(".")
    expect(page.get_by_role("alert").nth(1)).to_be_visible(timeout=30_000)
    expect(strips).to_have_count(count)
    page.unroute("**/api/desk?*")
    page.unroute("**/api/card?*")
    page.get_by_role("main").get_by_role("button", name="Try again").first.click()
    expect(shown).to_have_count(0)
    page.wait_for_url(lambda url: f"ref={reference}&" not in url)
    assert told(page, "ref") != reference
    # Without any connection what was asked for waits, and says so: also what was on its way when it went.
    on_its_way: list[Route] = []
    page.route("**/api/desk?*", lambda route: on_its_way.append(route))
    page.keyboard.press("n")
    with page.expect_request("**/api/desk?*"):
        page.keyboard.press("v")
    page.context.set_offline(True)
    for request in on_its_way:
        request.abort()
    expect(page.get_by_text("There is no connection.")).to_be_visible()
    expect(page.get_by_text("This computer is offline.")).to_be_visible()
    expect(strips).to_have_count(count)
    page.unroute("**/api/desk?*")
    page.context.set_offline(False)
    expect(page.get_by_text("There is no connection.")).to_have_count(0)
    page.wait_for_url(lambda url: f"ref={reference}&" in url)


def test_staves_are_chosen_by_keyboard_and_remembered(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    page.keyboard.press("s")
    dialog = page.get_by_role("dialog", name="Staves")
    dialog.get_by_role("button", name="Braking").focus()
    page.keyboard.press("Enter")
    dialog.get_by_label("Find a channel").fill("grip")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    dialog.get_by_role("button", name="Draw Grip used in the stave above").click()
    dialog.get_by_label("Name of this set").fill("Brakes and grip")
    page.keyboard.press("Enter")
    expect(dialog.get_by_role("button", name="Brakes and grip", exact=True)).to_be_visible()
    with page.expect_response(lambda answer: answer.request.method == "PUT" and "/api/staves" in answer.url):
        dialog.get_by_role("button", name="First look").click()
        dialog.get_by_role("button", name="Brakes and grip", exact=True).click()
    page.keyboard.press("Escape")
    stave = page.get_by_role("region", name=re.compile("Along the path, Grip used"))
    expect(stave).to_be_visible()
    page.goto("/compare")
    expect(stave).to_be_visible(timeout=30_000)
    assert told(page, "staves") is None
    page.keyboard.press("s")
    with page.expect_response(lambda answer: answer.request.method == "PUT" and "/api/staves" in answer.url):
        dialog.get_by_role("button", name="First look").click()


def test_a_line_up_is_kept_and_opened_again(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    # Against the best passages of the day, Ines alone, with a passage marked.
    page.get_by_role("button", name="Measure against").click()
    page.get_by_role("button", name="All, best passages of the day").click()
    expect(page.locator(".strip").first).to_contain_text("best passages")
    expect(page.locator(".strip").first).to_contain_text("ref.")
    page.locator(".strip", has_text="Ines").first.click()
    page.keyboard.press("j")
    page.keyboard.press(".")
    rests(page, "passage", "P1")
    page.get_by_role("button", name="Kept …").click()
    dialog = page.get_by_role("dialog", name="Kept line-ups")
    name = "Ines against the best of all, written out so that it is far too long for any list"
    dialog.get_by_label("Name of this line-up").fill(name)
    page.keyboard.press("Enter")
    expect(dialog.get_by_role("button", name=name).first).to_be_visible()
    page.keyboard.press("Escape")
    wanted = page.url
    page.goto("/compare")
    expect(page.locator(".strip", has_text="best passages")).to_have_count(0)
    rests(page, "laps", r"\d+-")
    page.get_by_role("button", name="Kept …").click()
    dialog.locator(f"[data-line-up='{name}']").click()
    expect(page.locator(".strip", has_text="best passages")).to_be_visible()
    expect(page.locator(".card h2")).to_contain_text(day.layout.passages[0].called)
    for key in ("laps", "ref", "lap", "passage", "hidden"):
        page.wait_for_timeout(300)
        assert told(page, key) == parse_qs(urlsplit(wanted).query).get(key, [None])[0], key
    page.get_by_role("button", name="Kept …").click()
    dialog.get_by_role("button", name=f"Forget: {name}").click()
    expect(dialog).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Kept …").click()
    expect(dialog.locator(f"[data-line-up='{name}']")).to_be_visible()
    dialog.get_by_role("button", name=f"Forget: {name}").click()


def test_order_and_colour_from_a_laps_menu(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.get_by_role("button", name="Median of these laps").click()
    strips = page.locator(".strip")
    expect(strips.filter(has_text="median")).to_be_visible()
    rests(page, "laps", "[^&]*median-desk")
    first = told(page, "laps")
    last = strips.last
    own = last.get_attribute("data-strip")
    last.focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(strips.nth(strips.count() - 2)).to_have_attribute("data-strip", own)
    expect(page.locator(f"[data-strip='{own}']")).to_be_focused()
    # Back leads to the order before, and forward to this one; nothing has to be asked for.
    page.wait_for_url(lambda url: told_by(url, "laps") != first)
    second = told(page, "laps")
    assert sorted(first.split(",")) == sorted(second.split(","))
    page.go_back()
    expect(strips.last).to_have_attribute("data-strip", own)
    page.go_forward()
    expect(strips.nth(strips.count() - 2)).to_have_attribute("data-strip", own)
    assert told(page, "laps") == second
    page.get_by_label("Loss in").select_option(label="Sector 2")
    page.get_by_role("button", name="Quickest first").click()
    gaps = [
        float(text.replace("−", "-").replace("+", ""))
        for text in page.locator(".strip .gap").all_inner_texts()
        if text != "ref."
    ]
    assert gaps == sorted(gaps)
    who = strips.filter(has_text="Ines").first.locator(".who")
    before = who.evaluate("node => getComputedStyle(node).color")
    page.get_by_role("button", name=re.compile("What to do with Ines")).first.click()
    page.get_by_role("menuitem", name="Colour 11").click()
    expect(who).not_to_have_css("color", before)
    page.get_by_role("button", name="Undo").first.click()
    expect(who).to_have_css("color", before)


def test_a_narrow_screen_has_strips_a_stave_and_the_card(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    page.set_viewport_size({"width": 390, "height": 844})
    page.keyboard.press(".")
    expect(page.locator(".card h2")).to_contain_text(day.layout.passages[0].called)
    strip = page.locator(".strip .paint").first
    box = strip.bounding_box()
    assert box is not None
    assert box["width"] > 190, box
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    row = page.locator(".strip").first.bounding_box()
    assert row is not None
    assert row["height"] >= 24


def test_over_time_every_lap_by_its_own_clock(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.get_by_role("button", name="Over time").click()
    rests(page, "axis", "time")
    page.get_by_role("application").focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    # Seconds since the start line, by the reference's clock.
    expect(page.locator(".here")).to_contain_text(re.compile(r"^\d+\.\d\d s · 30 m"))
    grid = day.layout.grid()
    best = day.runs[0].best_lap.number
    seconds = float((page.locator(".here").inner_text()).split(" ")[0])
    assert abs(seconds - float(np.interp(30.0, grid, day.runs[0].traces[best].time))) < 0.011
    # A stretch starts all clocks anew.
    page.keyboard.press(".")
    expect(page.locator(".here")).to_contain_text(re.compile(r"^\d\.\d\d s · "))
    rests(page, "passage", "P1")
    page.keyboard.press("x")
    page.wait_for_url(lambda url: "axis=" not in url)
    expect(page.locator(".here")).to_have_text(re.compile(r"^\d+ m$"))


def test_a_drivers_band_and_samples_of_the_logger(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.keyboard.press("a")
    form = page.get_by_role("dialog").get_by_role("group", name="Lay out")
    form.get_by_label("Which laps").select_option("near_best")
    form.get_by_label("Driver").select_option(label="Ines")
    form.get_by_label("How near to the best").select_option("5 s")
    form.get_by_role("button", name="Lay out").click()
    counted = sum(lap.set_aside is None for lap in day.runs[1].laps if lap.time_s is not None)
    expect(page.locator(".strip")).to_have_count(counted + 1)
    with page.expect_response("**/api/bands?*") as answer:
        page.get_by_role("button", name="Usual band").click()
    assert answer.value.ok
    rests(page, "bands", "on")
    speeds = page.get_by_role("region", name="Speed").locator(".readings li")
    # The band, and the lap that is looked at, which is the reference, instead of eight lines.
    expect(speeds).to_have_count(2)
    expect(speeds.filter(has_text="median")).to_have_count(1)
    page.get_by_role("button", name="Every lap").click()
    page.wait_for_url(lambda url: "bands=" not in url)
    with page.expect_response("**/api/samples?*") as told:
        page.goto(f"{page.url}&zoom=800-830")
    assert told.value.ok
    assert told.value.json()["channels"]


def test_what_every_channel_does_in_a_stretch(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.goto(f"{page.url}&stretch=500-900")
    page.get_by_role("button", name="All figures").click()
    dialog = page.get_by_role("dialog", name="All figures")
    dialog.get_by_role("button", name="Channels on show").click()
    dialog.get_by_role("button", name="mean").nth(1).click()
    row = dialog.get_by_role("row", name=re.compile("^Halvard"))
    cells = [row.locator("td").nth(index).inner_text() for index in range(10)]
    run = day.runs[0]
    signals, number = run.signals, run.best_lap.number
    assert signals is not None
    inside = (signals.places >= 500.0) & (signals.places <= 900.0)
    speed = 3.6 * signals.speed[signals.numbers.index(number), inside]
    time = np.diff(np.interp([500.0, 900.0], day.layout.grid(), run.traces[number].time))[0]
    expected = (speed[0], speed.min(), speed.max(), 3.6 * 400.0 / time, speed[-1])
    for told_, core in zip(cells[5:], expected, strict=True):
        assert abs(float(told_) - core) <= 0.51
