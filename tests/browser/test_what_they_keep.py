"""Over days: one driver's cue followed over four days, six sheets printed at once, a note of another day found.

It hands in further runs of several days, so it comes behind the tests of the desk.
"""

import io
import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect
from pypdf import PdfReader

from tests.browser.conftest import drop
from tests.browser.test_laying_out import on_the_desk
from tests.browser.test_reach import found_by_axe
from tests.day import Day

COMING_MS = 90_000


class Api:
    """What a coach does besides, through the API, signed in as the page is."""

    def __init__(self, page: Page) -> None:
        self._page = page

    def get(self, path: str) -> Any:
        return self._page.request.get(path).json()

    def post(self, path: str, body: dict[str, Any]) -> Any:
        headers = {"X-CSRFToken": self.get("/api/session")["csrf"]}
        answer = self._page.request.post(path, data=body, headers=headers)
        assert answer.ok, answer.text()
        return answer.json()

    def runs(self, event: int) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.get(f"/api/paddock?event={event}")["runs"]
        return sorted(found, key=lambda run: run["started_at"])

    def given(self, run: int, corner: str | None = None) -> None:
        """A debrief with one cue, at a corner or in the first passage, given unless there is one."""
        for _ in range(60):
            found = self.get(f"/api/debriefs/runs/{run}")
            if found["state"] != "coming":
                break
            self._page.wait_for_timeout(500)
        there = found["debrief"]
        if there is not None and there["cues"]:
            if not there["given_at"]:
                self.post(f"/api/debriefs/{there['id']}/give", {"given": True})
            return
        passage = next((one["passage"] for one in found["findings"] if corner and one["corner"] == corner), "P1")
        more = {} if corner else {"figure": "passage_s"}
        done = self.post("/api/cues", {"run": run, "kind": "cue", "passage": passage, **more})
        self.post(f"/api/debriefs/{done['debrief']['id']}/give", {"given": True})


@pytest.fixture
def season(signed_in: Page, day: Day, season_files: list[Path]) -> Page:
    """Four days of Okan, and the school's day with five drivers."""
    page = signed_in
    on_the_desk(page, day)
    there = {event["name"] for event in Api(page).get("/api/paddock")["events"]}
    if "Third day" not in there:
        page.goto("/hand-in")
        today = [day.files[day.of(name)] for name in ("Okan", "Freya", "Priya", "Jonas")]
        drop(page, [*season_files, *today])
        for path in (*season_files, *today):
            row = page.locator("li, tr, article").filter(has_text=path.name).first
            expect(row).to_contain_text(re.compile("Taken|handed in already"), timeout=COMING_MS)
    return page


def test_a_cue_over_four_days(season: Page) -> None:
    page, api = season, Api(season)
    events = {event["name"]: event["id"] for event in api.get("/api/paddock")["events"]}
    first = next(run for run in api.runs(events["Season's opening"]) if run["driver"]["name"] == "Okan")
    api.given(first["id"], "T5")

    page.get_by_role("link", name="Debrief", exact=True).click()
    page.get_by_role("navigation", name="Views of the debrief").get_by_role("link", name="Progress").click()
    page.get_by_label("Driver").select_option(label="Okan")
    expect(page.get_by_role("heading", name="Okan")).to_be_visible()
    row = page.get_by_role("button", name=re.compile("T5: brake")).first
    expect(row).to_contain_text("came back", timeout=COMING_MS)
    # One sign for each later run, told in words as well.
    line = page.get_by_role("img", name=re.compile("asked on 28 Mar; 11 Apr: reached.*; 25 Apr: lost again"))
    expect(line).to_be_visible()
    row.click()
    expect(page.get_by_text("reached, and it paid").first).to_be_visible()
    page.wait_for_url(re.compile(r"cue=\d+"))
    assert found_by_axe(page) == []
    # The address is the state: sent to somebody it opens on just that.
    page.reload()
    expect(page.get_by_text("reached, and it paid").first).to_be_visible()
    page.get_by_role("link", name="As a table").click()
    expect(page.get_by_role("row").filter(has_text="11 Apr").first).to_contain_text("School coupé 2")
    page.go_back()
    expect(page.get_by_role("link", name="As a table")).to_be_visible()
    # On a phone nothing scrolls sideways but what has to.
    page.set_viewport_size({"width": 360, "height": 740})
    for path in ("progress", "school", "calendar", "day"):
        page.goto(f"/debrief/{path}")
        expect(page.locator("main")).to_contain_text(re.compile("Okan|Jonas|Halvard|Ines|Third day"))
        assert page.evaluate("() => document.documentElement.scrollWidth") <= 361, path


def test_six_sheets_at_once(season: Page) -> None:
    page, api = season, Api(season)
    event = next(event for event in api.get("/api/paddock")["events"] if event["name"] == "Spring school")
    runs = api.runs(event["id"])
    last = {run["driver"]["name"]: run["id"] for run in runs}
    assert len(last) >= 6
    for run in last.values():
        api.given(run)
    prepared = [api.get(f"/api/debriefs/runs/{run['id']}")["debrief"] for run in runs]
    sheets = sum(one is not None and one["given_at"] is not None for one in prepared)

    page.goto("/debrief/calendar")
    expect(page.get_by_role("heading", name="March 2026")).to_be_visible()
    assert found_by_axe(page) == []
    page.get_by_role("link", name="Spring school").click()
    expect(page.get_by_role("region", name="Okan")).to_contain_text("Asked after it")
    assert found_by_axe(page) == []
    with page.expect_download() as loading:
        page.get_by_role("button", name=f"All {sheets} sheets, one PDF").click()
    pages = PdfReader(io.BytesIO(Path(loading.value.path()).read_bytes())).pages
    titles = [" ".join(one.extract_text().split()) for one in pages]
    assert len(titles) == sheets >= 6
    for name in last:
        assert any(text.startswith(name) for text in titles), name
    with page.expect_download() as loading:
        page.get_by_role("link", name="Summary of the day").click()
    text = PdfReader(io.BytesIO(Path(loading.value.path()).read_bytes())).pages[0].extract_text()
    assert not any(name in text for name in last)
    page.get_by_label("with the drivers’ names").check()
    with page.expect_download() as loading:
        page.get_by_role("link", name="Summary of the day").click()
    text = PdfReader(io.BytesIO(Path(loading.value.path()).read_bytes())).pages[0].extract_text()
    assert all(name in text for name in last)

    page.get_by_role("link", name="School", exact=True).click()
    table = page.get_by_role("region", name="Who improves")
    expect(table.get_by_role("row").filter(has_text="Okan")).to_be_visible()
    expect(page.get_by_role("region", name="Where the school’s time lies")).to_contain_text("passage")
    assert found_by_axe(page) == []
    page.get_by_label("From").select_option(label="25 Apr")
    page.get_by_role("checkbox", name="Okan").check()
    page.get_by_role("button", name="Look").click()
    expect(page.get_by_text(re.compile("Those who did it|No difference that the laps"))).to_be_visible()
    page.wait_for_url(re.compile("since=2026-04-25"))


def test_a_note_of_another_day_is_found_by_one_key(season: Page) -> None:
    page, api = season, Api(season)
    event = next(event for event in api.get("/api/paddock")["events"] if event["name"] == "Season's opening")
    run = next(run for run in api.runs(event["id"]) if run["driver"]["name"] == "Okan")
    lap = api.get(f"/api/desk?run={run['id']}")["laps"][0]["key"]
    api.post("/api/notes", {"pin": "run", "text": "Left front blistered after the kerb of T9.", "lap": lap})

    page.goto("/paddock")
    expect(page.get_by_role("heading").first).to_be_visible()
    page.keyboard.press("f")
    finding = page.get_by_role("dialog", name="Find")
    field = finding.get_by_role("searchbox")
    expect(field).to_be_focused()
    field.fill("blistered KERB")
    hit = finding.get_by_role("link", name=re.compile("Left front blistered"))
    expect(hit).to_be_visible()
    assert found_by_axe(page) == []
    field.fill("nothing of this kind")
    expect(finding.get_by_text("Nothing holds")).to_be_visible()
    field.fill("blistered")
    expect(hit).to_be_visible()
    page.keyboard.press("ArrowDown")
    expect(hit).to_be_focused()
    page.keyboard.press("ArrowUp")
    expect(field).to_be_focused()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile(rf"/compare\?.*{run['id']}"))
    expect(finding).to_have_count(0)
    # While something is typed the letter is only a letter.
    page.goto("/debrief/progress")
    page.get_by_role("button", name="Find").click()
    expect(field).to_be_focused()
    page.keyboard.press("f")
    expect(field).to_have_value("f")
    page.keyboard.press("Escape")
    expect(finding).to_have_count(0)
