"""A correction reaches the desk by itself: the old numbers stay until the new ones are there, under another address."""

import re
import time
from collections.abc import Callable
from typing import Any
from urllib.parse import parse_qs, urlsplit

from playwright.sync_api import Page, Request, Route, expect

from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from tests.browser.conftest import drop, sign_in
from tests.day import Day

EMAIL, PASSWORD = "renewer@test.example", "a good password"


def analyses_of(request: Request) -> set[str]:
    laps = parse_qs(urlsplit(request.url).query)["laps"][0]
    return {lap.split(".")[0] for lap in laps.split(",")}


def go(page: Page, place: str) -> None:
    page.get_by_role("navigation", name="Lauftakt").get_by_role("link", name=place, exact=True).click()


def hand_in(page: Page, day: Day) -> None:
    page.get_by_role("link", name="Hand in the first logs").click()
    drop(page, [day.layout_file, *day.files[:2]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(3, timeout=60_000)


def turn_steering(page: Page, driver: str) -> None:
    go(page, "Hand-in")
    file = page.locator("[data-hand-in]").filter(has_text=driver)
    file.get_by_role("button", name=re.compile("^Channels")).click()
    page.get_by_label("Sign of steering").click()
    page.get_by_role("button", name="Keep 1 correction").click()
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_a_correction_reaches_the_desk(page: Page, stack: Any, day: Day) -> None:
    database = Database(stack.mariadb.url)
    with database.begin() as session:
        team = add_team(session, "Renewers")
        add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD)
    database.close()
    sign_in(page, EMAIL, PASSWORD)
    hand_in(page, day)

    asked: list[Request] = []
    page.on("request", lambda request: asked.append(request) if "/api/curves" in request.url else None)
    go(page, "Compare")
    expect(page.locator(".strip")).to_have_count(2)
    page.wait_for_timeout(500)
    before = analyses_of(asked[-1])
    assert len(before) == 2

    turn_steering(page, "halvard")
    go(page, "Compare")
    expect(page.locator(".strip")).to_have_count(2)
    # Both runs are of one kind of logger: both get other curves, under another address, while the page stays open.
    for _ in range(120):
        page.wait_for_timeout(500)
        if not analyses_of(asked[-1]) & before:
            break
    turned = analyses_of(asked[-1])
    assert len(turned) == 2
    assert not turned & before
    expect(page.get_by_text("Newer numbers")).to_have_count(0)
    answers = [(request, request.response()) for request in list(asked)]  # waits for those still on their way
    # What the page broke off because it asked for something else has no answer.
    answered = [(request, answer) for request, answer in answers if answer is not None]
    assert {analysis for request, _ in answered for analysis in analyses_of(request)} == before | turned
    for request, answer in answered:
        assert answer.ok
        assert answer.headers["cache-control"] == "private, max-age=31536000, immutable"
        assert analyses_of(request) <= before | turned


def build_of(request: Request) -> str:
    return parse_qs(urlsplit(request.url).query).get("build", [""])[0]


def until(page: Page, holds: Callable[[], bool], seconds: float = 30) -> None:
    """Wait for what no element shows; the page's events arrive meanwhile."""
    end = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < end, "It did not happen."
        page.wait_for_timeout(100)


def test_another_program_behind_the_same_address_shows_no_old_curves(signed_in: Page, day: Day) -> None:
    """A page that stays open learns from any answer that the program or its tables are others, and asks anew."""
    page = signed_in
    hand_in(page, day)
    asked: list[Request] = []
    page.on("request", lambda request: asked.append(request) if "/api/curves" in request.url else None)
    go(page, "Compare")
    until(page, lambda: bool(asked))
    expect(page.locator(".strip")).to_have_count(2)
    before = {build_of(request) for request in asked}
    assert len(before) == 1
    assert before != {""}

    def of_another(route: Route) -> None:
        answer = route.fetch()
        route.fulfill(response=answer, headers={**answer.headers, "x-lauftakt-build": "another"})

    page.route("**/api/**", of_another)
    with page.expect_response(lambda answer: answer.headers.get("x-lauftakt-build") == "another"):
        go(page, "Hand-in")
    expect(page.locator("[data-hand-in]").first).to_be_visible()
    asked.clear()
    go(page, "Compare")
    # Whatever was drawn from before is asked for again; once it has learned, it never goes back.
    until(page, lambda: bool(asked) and build_of(asked[-1]) == "another")
    expect(page.locator(".strip")).to_have_count(2)
    builds = [build_of(request) for request in asked]
    assert set(builds[builds.index("another") :]) == {"another"}
