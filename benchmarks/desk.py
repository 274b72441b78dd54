#!/usr/bin/env python3
"""Times a comparison: on the server (warm, in this process), and in Chromium until painted, with frame times.

Starts a stack of its own with the demo team. Usage: .venv/bin/python benchmarks/desk.py
"""

import shutil
import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from lauftakt import settings
from lauftakt.demo.team import EMAIL, PASSWORD, load_demo_team
from lauftakt.operate.stack import Stack
from lauftakt.store.database import Database
from lauftakt.web.application import create_app
from lauftakt.work.direct import hand_in_now

FRAMES = """async (what) => {
  const score = document.querySelector('.plain'), box = score.getBoundingClientRect(), times = [];
  let last = performance.now();
  for (let i = 0; i < 240; i++) {
    await new Promise(requestAnimationFrame);
    const now = performance.now(); times.push(now - last); last = now;
    const clientX = box.left + box.width * (0.2 + 0.6 * i / 240), clientY = box.top + 50;
    if (what === 'cursor') score.dispatchEvent(new PointerEvent('pointermove', {clientX, clientY, bubbles: true}));
    else score.dispatchEvent(new WheelEvent('wheel', {clientX: box.left + box.width / 2, clientY,
      deltaY: i < 120 ? -40 : 40, ctrlKey: true, bubbles: true, cancelable: true}));
  }
  return times.slice(1);
}"""


def server(database: Database, keys: list[str]) -> None:
    app = create_app(settings.load(), database)
    client = app.test_client()
    token = client.get("/api/session").json["csrf"]
    client.post("/api/session", json={"email": EMAIL, "password": PASSWORD}, headers={"X-CSRFToken": token})
    roles = "speed,throttle,brake_pressure,steering,gear,engine_speed"
    for count, channels in ((10, "speed,throttle,brake_pressure"), (12, roles)):
        query = f"laps={','.join(keys[:count])}&reference={keys[0]}"
        for name, path in (
            ("line-up", f"/api/desk?{query}"),
            (f"curves, {channels.count(',') + 1} channels", f"/api/curves?{query}&roles={channels}"),
            ("card of a passage", f"/api/card?{query}&passage=P4"),
        ):
            times = []
            for _ in range(21):
                begin = time.perf_counter()
                assert client.get(path).status_code == 200
                times.append(time.perf_counter() - begin)
            print(f"{count} laps, {name:24s} {1000 * statistics.median(times[1:]):6.1f} ms on the server, warm")


def browser(page: Page, keys: list[str]) -> None:
    for count, staves in (
        (10, "delta,speed,brake_pressure,throttle"),
        (12, "delta,speed,brake_pressure,throttle,steering,gear"),
    ):
        begin = time.perf_counter()
        page.goto(f"/compare?laps={','.join(keys[:count])}&ref={keys[0]}&staves={staves}")
        page.wait_for_selector(".plot canvas")
        page.evaluate("() => new Promise(requestAnimationFrame)")
        painted = time.perf_counter() - begin
        print(f"{count} laps x {staves.count(',') + 1} staves: page loaded and painted in {painted:.2f} s")
        for what in ("cursor", "zoom"):
            page.wait_for_timeout(600)
            times = page.evaluate(FRAMES, what)
            middle, high = np.percentile(times, [50, 99])
            print(f"  {what}: frame times median {middle:.1f} ms, 99th percentile {high:.1f} ms")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        stack = Stack(Path(folder))
        try:
            database = stack.start_database(print)
            load_demo_team(database, lambda db, team, path: hand_in_now(db, Path(folder) / "inbox", team, path), print)
            keys = [f"{run}.{lap}" for run in range(1, 7) for lap in (2, 3)]
            server(database, keys)
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
                browser(page, keys)
                chromium.close()
        finally:
            stack.stop()


if __name__ == "__main__":
    main()
