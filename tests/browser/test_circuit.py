"""A coach puts a circuit right: the line, a double apex, sectors; sees what it does, keeps it, and takes it back."""

import re
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from lauftakt.core.circuit.braking import braking_zones
from lauftakt.core.circuit.editing import DrawnCorner, drawing_of, redrawn
from lauftakt.core.circuit.layout import Layout, LayoutSketch, Line
from lauftakt.core.circuit.lines import line_across
from lauftakt.core.laps.lap import inside
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.geojson import write_sketch
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from tests.browser.conftest import drop, sign_in
from tests.day import Day

EMAIL, PASSWORD = "drawer@test.example", "a good password"
OFF_M = 40.0


def written(seconds: float) -> str:
    minutes, rest = divmod(round(seconds, 2), 60)
    return f"{int(minutes)}:{rest:05.2f}"


def best_of(page: Page, driver: str) -> str:
    row = page.get_by_role("row").filter(has_text=driver)
    return row.locator("td").first.inner_text().split()[-1]


def begin(page: Page, stack: Any) -> None:
    database = Database(stack.mariadb.url)
    with database.begin() as session:
        team = add_team(session, "Drawers")
        add_account(session, team, email=EMAIL, name="Dora", password=PASSWORD)
    database.close()
    sign_in(page, EMAIL, PASSWORD)


def place(page: Page, label: str, text: str) -> None:
    field = page.get_by_label(label, exact=True)
    field.fill(text)
    field.press("Enter")


def zones_of(layout: Layout, runs: list[AnalysedRun]) -> list[float]:
    rows = [run.signals.brake[:, inside(layout)] > run.signals.brake_on for run in runs if run.signals is not None]
    counting = [
        row[[i for i, n in enumerate(run.signals.numbers) if n in {lap.number for lap in run.counting}]]
        for run, row in zip(runs, rows, strict=True)
        if run.signals is not None
    ]
    return [zone.from_m for zone in braking_zones(layout, np.concatenate(counting))]


@pytest.fixture
def off(day: Day, tmp_path: Path) -> tuple[Path, LayoutSketch]:
    """The school's layout with a start line that somebody drew 40 m too far on."""
    x, y, heading = day.layout.centre.at(np.array([OFF_M]))
    start = line_across(day.layout.plane, float(x[0]), float(y[0]), float(heading[0]), 7.0)
    sketch = LayoutSketch(name="Ellerholm Park", start=start)
    path = tmp_path / "off.geojson"
    path.write_bytes(write_sketch(sketch))
    return path, sketch


def test_a_circuit_is_put_right_kept_and_taken_back(
    page: Page, stack: Any, day: Day, off: tuple[Path, LayoutSketch]
) -> None:
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    before, _ = make_layout(day.logs[0], off[1])
    runs = [analyse_run(log, before) for log in day.logs[:2]]
    zones = zones_of(before, runs)

    begin(page, stack)
    page.get_by_role("link", name="Circuit", exact=True).click()
    expect(page.get_by_text("No circuit yet.")).to_be_visible()
    page.get_by_role("link", name="Hand in a run").click()
    drop(page, [off[0], day.files[0]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(2, timeout=60_000)
    drop(page, [day.files[1]])
    expect(page.get_by_text("Taken", exact=True)).to_have_count(3, timeout=60_000)

    page.get_by_role("link", name="Circuit", exact=True).click()
    expect(page.get_by_role("row")).to_have_count(3)
    names = ("Halvard", "Ines")
    for name, run in zip(names, runs, strict=True):
        assert best_of(page, name) == written(run.best_lap.time_s)

    # The line goes back by forty metres, typed.
    page.get_by_role("tab", name="Start").click()
    place(page, "Start line moved to", "−40 m")
    expect(page.get_by_text("Start line moved back by 40.0 m.")).to_be_visible()
    expect(page.get_by_role("slider", name="Start line")).to_have_attribute(
        "aria-valuetext", re.compile(f"^{before.length - OFF_M:.1f} m")
    )
    moved = redrawn(before, replace(drawing_of(before), start_m=before.length - OFF_M))
    for name, log in zip(names, day.logs[:2], strict=True):
        run = analyse_run(log, moved)
        assert abs(float(best_of(page, name)[2:]) - (run.best_lap.time_s - 60)) < 0.011

    # A double apex becomes one corner with a name.
    page.get_by_role("tab", name="Corners").click()
    page.get_by_role("button", name=re.compile("^T7 ")).click()
    page.get_by_role("button", name="Join with the next").click()
    place(page, "name", "The esses")
    expect(page.get_by_role("button", name=re.compile("^The esses"))).to_be_visible()
    expect(page.get_by_text(re.compile("T7 is now The esses; gone: T8"))).to_be_visible()

    # Four sectors: one border is dragged and snaps to where braking begins, two more are cut at a place.
    page.get_by_role("tab", name="Sectors").click()
    border = page.get_by_role("slider", name="Sector 2")
    box = border.bounding_box()
    plain = page.locator(".plain").bounding_box()
    assert box is not None
    assert plain is not None
    per_metre = plain["width"] / before.length
    wanted = min(zones, key=lambda zone: abs(zone - 1.5 * before.splits_m[0]))
    assert all(abs(c.entry_m - wanted) > 25 for c in before.corners)
    page.mouse.move(box["x"] + 8, box["y"] + 90)
    page.mouse.down()
    page.mouse.move(plain["x"] + (wanted - 60) * per_metre, box["y"] + 90, steps=5)
    page.mouse.move(plain["x"] + (wanted + 12) * per_metre, box["y"] + 90, steps=3)
    page.mouse.up()
    expect(border).to_have_attribute("aria-valuetext", re.compile(f"^{wanted:.1f} m"))
    page.mouse.click(plain["x"] + 3500 * per_metre, plain["y"] + 40)
    page.get_by_role("button", name="Cut at the cursor").click()
    expect(page.get_by_role("columnheader", name="Sector 4")).to_be_visible()
    place(page, "Name of sector 3", "The back")
    expect(page.get_by_text(re.compile("4 sectors instead of 3"))).to_be_visible()

    # Undo and redo, step by step.
    page.locator(".bar").get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Name of sector 3")).to_have_value("")
    page.keyboard.press("y")
    expect(page.get_by_label("Name of sector 3")).to_have_value("The back")
    told = {name: best_of(page, name) for name in names}

    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text(re.compile("^Kept. Start line moved back"))).to_be_visible()
    expect(page.get_by_role("button", name="Version 2")).to_be_visible()
    expect(page.get_by_text("computed anew")).to_have_count(0, timeout=60_000)
    expect(page.get_by_text("Change something, and this shows")).to_be_visible()
    drawing = drawing_of(before)
    corners = {c.name: c for c in drawing.corners}
    joined = DrawnCorner("The esses", corners["T7"].entry_m, corners["T7"].apex_m, corners["T8"].exit_m)
    kept = redrawn(
        before,
        replace(
            drawing,
            start_m=before.length - OFF_M,
            corners=(*(c for c in drawing.corners if c.name not in ("T7", "T8")), joined),
            borders=tuple(b for b in drawing.borders if not corners["T7"].apex_m < b < corners["T8"].apex_m),
        ),
    )
    for name, log in zip(names, day.logs[:2], strict=True):
        run = analyse_run(log, kept)
        assert best_of(page, name) == written(run.best_lap.time_s)
        assert abs(float(told[name][2:]) - (run.best_lap.time_s - 60)) < 0.011
    page.get_by_role("link", name="Compare", exact=True).click()
    expect(page.locator(".strip")).to_have_count(2)
    expect(page.get_by_text("The esses").first).to_be_attached()
    page.get_by_role("link", name="Circuit", exact=True).click()

    # And back: the version before is the present one again, with its numbers at once.
    page.get_by_role("button", name="Version 2").click()
    expect(page.get_by_text("by Dora")).to_be_visible()
    page.get_by_role("button", name="Make this the present one").click()
    expect(page.get_by_role("button", name="Version 1")).to_be_visible()
    expect(page.get_by_text("computed anew")).to_have_count(0, timeout=60_000)
    expect(page.get_by_role("button", name=re.compile("^T7 "))).to_be_visible()
    for name, run in zip(names, runs, strict=True):
        expect(page.get_by_role("row").filter(has_text=name).locator("td").first).to_have_text(
            written(run.best_lap.time_s)
        )
    assert errors == []


def test_marks_are_put_moved_by_keyboard_and_brought_back(page: Page, stack: Any) -> None:
    sign_in(page, EMAIL, PASSWORD)
    page.get_by_role("link", name="Circuit", exact=True).click()
    page.get_by_role("tab", name="Marks").click()
    expect(page.get_by_text("Point at a place first")).to_be_visible()
    plain = page.locator(".plain").bounding_box()
    assert plain is not None
    page.mouse.click(plain["x"] + 0.25 * plain["width"], plain["y"] + 40)
    place(page, "What is seen there", "<b>second seam</b>")
    mark = page.get_by_role("slider", name="<b>second seam</b>")
    expect(mark).to_be_visible()
    was = int(mark.get_attribute("aria-valuenow") or 0)
    mark.focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(mark).to_have_attribute("aria-valuenow", str(was + 10))
    page.reload()
    page.get_by_role("tab", name="Marks").click()
    expect(page.get_by_role("slider", name="<b>second seam</b>")).to_have_attribute("aria-valuenow", str(was + 10))
    page.get_by_role("button", name="Remove: <b>second seam</b>").click()
    expect(mark).to_have_count(0)
    note = page.locator("[data-scope=toast][data-part=root]").filter(has_text="was removed")
    note.get_by_role("button", name="Undo").click()
    expect(mark).to_be_visible()


def test_a_circuit_that_waits_keeps_nobody_from_the_others_and_appears(
    page: Page, stack: Any, day: Day, tmp_path: Path
) -> None:
    """With the runs of the tests before; a second circuit is drawn, and gets its first run while it is looked at."""
    sign_in(page, EMAIL, PASSWORD)
    there = page.request.get("/api/circuits").json()["circuits"]
    # Far away from the school, so that nobody takes it for the same circuit.
    drawn = LayoutSketch(name="Southern meadows", start=shifted(day.layout.start, -1.0))
    path = tmp_path / "meadows.geojson"
    path.write_bytes(write_sketch(drawn))
    page.get_by_role("link", name="Hand-in", exact=True).click()
    drop(page, [path])
    expect(page.get_by_text("Layout of Southern meadows")).to_be_visible(timeout=60_000)
    known = page.request.get("/api/circuits").json()["circuits"]
    (waiting,) = [row["id"] for row in known if row["id"] not in {own["id"] for own in there}]
    page.goto(f"/circuit?layout={waiting}")
    expect(page.get_by_text("Southern meadows waits for its first run")).to_be_visible()
    chooser = page.get_by_role("combobox", name="Circuit")
    chooser.select_option(value=str(there[0]["id"]))
    expect(page.get_by_role("tab", name="Marks")).to_be_visible()
    page.goto(f"/circuit?layout={waiting}")
    expect(page.get_by_text("Southern meadows waits for its first run")).to_be_visible()
    log = day.logs[0]
    moved = tuple(
        replace(channel, values=channel.values - 1.0) if channel.role == "latitude" else channel
        for channel in log.channels
    )
    run = tmp_path / "meadows.csv"
    write_csv(replace(log, channels=moved, meta={"driver": "Halvard"}), run)
    other = page.context.new_page()
    other.goto("/hand-in")
    drop(other, [run])
    # Nobody reloads the page: the map appears once the run is there.
    expect(page.get_by_role("tab", name="Marks")).to_be_visible(timeout=60_000)
    expect(page.get_by_text("waits for its first run")).to_have_count(0)
    other.close()


def shifted(line: Line, degrees: float) -> Line:
    """A line moved north by some degrees."""
    return Line((line.left[0] + degrees, line.left[1]), (line.right[0] + degrees, line.right[1]))
