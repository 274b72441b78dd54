#!/usr/bin/env python3
"""Times a comparison: on the server (warm, in this process), and in Chromium until painted, with frame times.

Starts a stack of its own with the demo team. Usage: .venv/bin/python benchmarks/desk.py [--quick]
"""

import argparse
import shutil
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Page, sync_playwright

from lauftakt import settings
from lauftakt.demo.team import EMAIL, PASSWORD, load_demo_team
from lauftakt.operate.stack import Stack
from lauftakt.store.database import Database
from lauftakt.web.application import create_app
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver

FOUR = "delta,speed,brake_pressure,throttle"
SIX = FOUR + ",steering,gear"
TWELVE = SIX + ",engine_speed*oil_temperature,ahead,aside,offset,offset_gap,grip_used"
TEN = SIX + ",engine_speed,lateral_acceleration,longitudinal_acceleration,yaw_rate"
FRAMES = """async (what) => {
  const score = document.querySelector('.plain'), box = score.getBoundingClientRect(), times = [];
  const at = (i) => ({clientX: box.left + box.width * (0.2 + 0.6 * i / 240), clientY: box.top + 50,
    bubbles: true, cancelable: true, pointerId: 1, button: 0, shiftKey: what === 'pan'});
  const pointer = (kind, i) => score.dispatchEvent(new PointerEvent(kind, at(i)));
  const scroll = (i) => score.dispatchEvent(new WheelEvent('wheel', {...at(120), ctrlKey: true,
    deltaY: i < 120 ? -40 : 40}));
  score.setPointerCapture = () => {};
  if (what === 'pan') for (let i = 0; i < 12; i++) scroll(0);
  if (what === 'drag' || what === 'pan') pointer('pointerdown', 0);
  let last = performance.now();
  for (let i = 0; i < 240; i++) {
    await new Promise(requestAnimationFrame);
    const now = performance.now(); times.push(now - last); last = now;
    if (what === 'zoom') scroll(i); else pointer('pointermove', i);
  }
  if (what === 'drag' || what === 'pan') pointer('pointerup', 239);
  return times.slice(1);
}"""


PLAYED = """async () => {
  const times = [];
  let last = performance.now();
  for (let i = 0; i < 400; i++) {
    const now = await new Promise(requestAnimationFrame);
    times.push(now - last); last = now;
  }
  return times.slice(2);
}"""


SHARP = """async () => {
  const score = document.querySelector('.plain'), box = score.getBoundingClientRect();
  score.dispatchEvent(new WheelEvent('wheel', {clientX: box.left + box.width / 2, clientY: box.top + 50,
    bubbles: true, cancelable: true, ctrlKey: true, deltaY: -60}));
  const begin = performance.now();
  for (;;) {
    await new Promise(requestAnimationFrame);
    const moved = [...document.querySelectorAll('.plot canvas')].some((one) => one.style.transform);
    if (performance.now() - begin > 60 && !moved) return performance.now() - begin;
    if (performance.now() - begin > 3000) return 3000;
  }
}"""


def yardstick() -> float:
    """Milliseconds of a fixed piece of work, since a machine's speed varies from minute to minute."""
    some = np.random.default_rng(1).standard_normal((400, 400))
    begin = time.perf_counter()
    for _ in range(20):
        some = some @ some / np.abs(some).max()
    return 1000 * (time.perf_counter() - begin)


def warm(client: Any, path: str, times: int) -> tuple[float, float]:
    """Milliseconds of the first answer, and the median of the following ones."""
    found = []
    for _ in range(times + 1):
        begin = time.perf_counter()
        answer = client.get(path)
        found.append(1000 * (time.perf_counter() - begin))
        assert answer.status_code == 200, (path, answer.status_code)
    return found[0], statistics.median(found[1:])


def lineup(client: Any, keys: list[str]) -> tuple[str, str]:
    """Addresses of a line-up: for the desk, and for its curves and cards."""
    desk = client.get(f"/api/desk?laps={','.join(keys)}&reference={keys[0]}").json
    curves = [lap["curves"] for lap in desk["laps"]]
    return (
        f"laps={','.join(keys)}&reference={keys[0]}",
        f"laps={','.join(curves)}&reference={curves[0]}",
    )


def server(database: Database, keys: list[str], counts: tuple[int, ...], times: int) -> None:
    app = create_app(settings.load(), database)
    client = app.test_client()
    token = client.get("/api/session").json["csrf"]
    client.post("/api/session", json={"email": EMAIL, "password": PASSWORD}, headers={"X-CSRFToken": token})
    print(f"yardstick {yardstick():.1f} ms")
    for count in counts:
        desk, curves = lineup(client, keys[:count])
        laps = curves.split("&")[0]
        one = laps.split(",")[1]
        for name, path in (
            ("line-up", f"/api/desk?{desk}"),
            ("curves, 3 channels", f"/api/curves?{curves}&roles={','.join(FOUR.split(',')[1:])}"),
            ("curves, 9 channels", f"/api/curves?{curves}&roles={','.join(TEN.split(',')[1:])}"),
            ("card of a passage", f"/api/card?{curves}&passage=P4"),
            ("card of a stretch", f"/api/card?{curves}&from_m=1500&to_m=2100"),
            ("driven lines", f"/api/driven?{laps}"),
            ("points on them", f"/api/driven/points?{laps}"),
            ("steady or not", f"/api/steady?laps={one}&{curves.split('&')[1]}"),
            ("grip", f"/api/grip?{curves}&from_m=1500&to_m=2100"),
            ("how often", f"/api/often?{laps}&role=speed"),
            ("numbers as CSV", f"/api/desk/numbers?{desk}&roles={FOUR}"),
        ):
            first, median = warm(client, path, times)
            print(f"{count:2d} laps, {name:20s} {median:6.1f} ms warm on the server (first {first:6.1f})")


def browser(page: Page, keys: list[str], views: tuple[tuple[int, str], ...]) -> None:
    for count, staves in views:
        asked: list[str] = []
        page.on("request", lambda request, asked=asked: asked.append(request.url))
        begin = time.perf_counter()
        page.goto(f"/compare?laps={','.join(keys[:count])}&ref={keys[0]}&staves={staves}")
        page.wait_for_selector(".plot canvas")
        page.evaluate("() => new Promise(requestAnimationFrame)")
        painted = time.perf_counter() - begin
        print(f"{count} laps x {staves.count(',') + 1} staves: page loaded and painted in {painted:.2f} s")
        for what in ("hover", "drag", "zoom", "pan"):
            page.wait_for_timeout(700)
            asked.clear()
            times = page.evaluate(FRAMES, what)
            page.wait_for_timeout(700)
            middle, high, most = np.percentile(times, [50, 95, 99])
            cards = sum("/api/card" in url for url in asked)
            print(
                f"  {what:5s}: frame times median {middle:5.1f} ms, 95th percentile {high:5.1f}, 99th {most:5.1f}; "
                f"{len(asked)} requests, {cards} of them cards"
            )
            page.keyboard.press("u")
            page.keyboard.press("u")
        page.keyboard.press("k")
        page.wait_for_timeout(1500)
        middle, high, most = np.percentile(page.evaluate(PLAYED), [50, 95, 99])
        print(f"  playing with the map: median {middle:5.1f} ms, 95th percentile {high:5.1f}, 99th {most:5.1f}")
        page.keyboard.press("k")
        page.keyboard.press("l")
        soon = sharp(page)
        print(f"  another stretch from within: card after {within(page):.2f} s; sharp {soon:.0f} ms after a zoom")
        heap = page.context.new_cdp_session(page).send("Runtime.getHeapUsage")
        print(f"  {heap['usedSize'] / 1e6:.0f} MB of the page's memory in use")


def within(page: Page) -> float:
    """Seconds from a key that goes to the next passage until its card is there, median of five."""
    found = []
    for _ in range(5):
        page.wait_for_timeout(300)
        before = page.locator(".card h2").inner_text() if page.locator(".card h2").count() else ""
        begin = time.perf_counter()
        page.keyboard.press(".")
        _until(page, before)
        found.append(time.perf_counter() - begin)
    page.keyboard.press("u")
    return statistics.median(found)


def _until(page: Page, before: str) -> None:
    while True:
        now = page.evaluate("() => document.querySelector('.card h2')?.innerText ?? ''")
        if now not in ("", before):
            page.evaluate("() => new Promise(requestAnimationFrame)")
            return


def sharp(page: Page) -> float:
    """Milliseconds from the last step of a zoom until the pictures are drawn anew for it."""
    return float(page.evaluate(SHARP))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--quick", action="store_true", help="fewer repetitions, one view in the browser")
    quick = parser.parse_args().quick
    counts = (6, 12) if quick else (6, 12, 24)
    views = ((12, SIX),) if quick else ((6, FOUR), (12, FOUR), (12, SIX), (12, TEN), (24, TWELVE))
    with tempfile.TemporaryDirectory() as folder:
        stack = Stack(Path(folder))
        try:
            database = stack.start_database(print)
            load_demo_team(
                database,
                lambda db, team, path: hand_in_now(db, Path(folder) / "inbox", Giver(team, "shell"), path),
                print,
            )
            keys = [f"{run}.{lap}" for lap in (2, 3, 4, 5) for run in range(1, 7)]
            server(database, keys, counts, 5 if quick else 20)
            stack.start_application(print)
            with sync_playwright() as playwright:
                chromium = playwright.chromium.launch(
                    executable_path=shutil.which("chromium"),
                    args=["--no-sandbox", "--disable-dev-shm-usage", "--disable-background-networking"],
                )
                page = chromium.new_context(base_url=stack.address, viewport={"width": 1280, "height": 800}).new_page()
                page.goto("/sign-in")
                page.get_by_label("Address").fill(EMAIL)
                page.get_by_label("Password").fill(PASSWORD)
                page.get_by_role("button", name="Sign in").click()
                page.wait_for_url("**/paddock")
                browser(page, keys, views)
                chromium.close()
        finally:
            stack.stop()


if __name__ == "__main__":
    main()
