#!/usr/bin/env python3
"""A school works for a long time: does anything grow that should not?

Usage: .venv/bin/python benchmarks/soak.py [--minutes 20] [--picture docs/soak.svg]

An installation is started as a school starts it. A coach hands the files of a day in, looks at the Paddock and the
desk, says what a channel is, makes an archive, removes the runs again, and so on, round after round. Every few seconds
the memory, open handles and threads of every part are read, and the rows of every table are counted. What was removed
or replaced goes for good at once here (``LAUFTAKT_KEEP_REMOVED_HOURS=0`` and so on), and tidying is done every 20 s, so
that an hour of this is like a season. Told is the most of each in the middle third of the time and in the last.
"""

import argparse
import os
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from coach import Coach
from kills import Place
from sqlalchemy import text

from lauftakt.demo.school import write_day
from lauftakt.operate.mariadb import url_of_running
from lauftakt.store.database import Database

PARTS = {"server": "gunicorn", "worker": "celery", "collector": "collect", "database": "mariadbd", "keeper": "start"}
# Grow by design, by so many rows a round: what was done, which files came, which work was done.
HISTORY = {"action", "hand_in", "job", "upload", "sign_in", "sign_in_try"}
MEGABYTE = 1 << 20


@dataclass
class Sample:
    """What there is at a moment."""

    at: float
    rounds: int
    memory: dict[str, float] = field(default_factory=dict)
    handles: dict[str, int] = field(default_factory=dict)
    threads: dict[str, int] = field(default_factory=dict)
    rows: dict[str, int] = field(default_factory=dict)
    disk: float = 0.0


def look(place: Place, database: Database, at: float, rounds: int) -> Sample:
    """Read everything once."""
    found = Sample(at, rounds)
    for number in place.processes():
        try:
            command = Path(f"/proc/{number}/cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
            status = dict(line.split(":", 1) for line in Path(f"/proc/{number}/status").read_text().splitlines())
            handles = len(os.listdir(f"/proc/{number}/fd"))
        except (OSError, ValueError):
            continue
        part = next((name for name, word in PARTS.items() if word in command), None)
        if part is None or "VmRSS" not in status:
            continue
        found.memory[part] = found.memory.get(part, 0.0) + int(status["VmRSS"].split()[0]) / 1024
        found.handles[part] = found.handles.get(part, 0) + handles
        found.threads[part] = found.threads.get(part, 0) + int(status["Threads"])
    with database.engine.connect() as connection:
        for (name,) in connection.execute(text("SHOW TABLES")).all():
            found.rows[name] = int(connection.execute(text(f"SELECT COUNT(*) FROM `{name}`")).scalar() or 0)
    for folder in ("inbox", "exports"):
        path = place.var / folder
        found.disk += sum(f.stat().st_size for f in path.iterdir()) / MEGABYTE if path.is_dir() else 0.0
    return found


def one_round(coach: Coach, files: list[Path]) -> None:
    """What a coach does with a day, to its end."""

    def did(method: str, path: str, **more: Any) -> Any:
        answer = coach.ask(method, path, **more)
        if answer.status_code >= 400:
            raise RuntimeError(f"{method} {path}: {answer.status_code} {answer.text[:200]}")
        return answer.json() if "json" in answer.headers.get("Content-Type", "") else None

    for path in files:
        coach.send(path)
    rows = coach.settled()[: len(files)]
    if any(row["state"] != "taken" for row in rows):
        raise RuntimeError(f"not taken: {[(row['file_name'], row['message']) for row in rows]}")
    paddock = did("GET", "/api/paddock")
    runs = [run["id"] for run in paddock["runs"]]
    did("GET", f"/api/events/{paddock['event']['id']}/reading")
    desk = did("GET", f"/api/desk?laps={','.join(f'{run}.2' for run in runs[:3])}")
    keys = [lap["curves"] for lap in desk["laps"]]
    did("GET", f"/api/curves?laps={','.join(keys)}&reference={keys[0]}&roles=speed,throttle&build=x")
    did("PATCH", f"/api/runs/{runs[0]}/channels", json={"channels": [{"name": "gear", "role": "gear"}]})
    did("POST", f"/api/runs/{runs[0]}/export", json={"format": "csv"})
    coach.settled()
    for run in runs:
        did("DELETE", f"/api/removals/run/{run}")


def growth(samples: list[Sample], value: str, name: str) -> tuple[float, float]:
    """The most there was in the middle third of the time, and in the last: what is replaced goes up and down."""
    series = [getattr(sample, value).get(name, 0) for sample in samples]
    third = max(1, len(series) // 3)
    return max(series[third : 2 * third]), max(series[2 * third :])


def picture(samples: list[Sample], path: Path) -> None:
    """Lines over time: memory, handles, and rows that should stay."""
    width, height, left, gap = 860, 150, 64, 46
    end = samples[-1].at or 1.0
    colours = ("#1d4e89", "#b3541e", "#2f7d5b", "#7a4b8c", "#6b6b6b")
    kept = [name for name in samples[-1].rows if name not in HISTORY]
    panels: list[tuple[str, dict[str, list[float]]]] = [
        ("Memory, MB", {part: [s.memory.get(part, 0.0) for s in samples] for part in PARTS}),
        ("Open handles", {part: [float(s.handles.get(part, 0)) for s in samples] for part in PARTS}),
        ("Rows of all tables but the history", {"rows": [float(sum(s.rows.get(n, 0) for n in kept)) for s in samples]}),
    ]
    out = []
    for number, (title, lines) in enumerate(panels):
        top = 30 + number * (height + gap)
        most = max(max(line) for line in lines.values()) * 1.08 or 1.0
        out.append(f'<text x="{left}" y="{top - 8}" font-weight="600">{title}</text>')
        for share in (0.0, 0.5, 1.0):
            y = top + height * (1 - share)
            out.append(f'<line x1="{left}" x2="{left + width}" y1="{y:.1f}" y2="{y:.1f}" stroke="#ddd"/>')
            out.append(f'<text x="{left - 8}" y="{y + 4:.1f}" text-anchor="end">{most * share:,.0f}</text>')
        above = -1e9
        # Names stand where their lines end, one above the other where these are close.
        ends = {name: top + height * (1 - line[-1] / most) + 4 for name, line in lines.items()}
        for name in sorted(ends, key=lambda n: ends[n]):
            above = ends[name] = max(ends[name], above + 12)
        for (name, line), colour in zip(lines.items(), colours, strict=False):
            points = " ".join(
                f"{left + width * s.at / end:.1f},{top + height * (1 - v / most):.1f}"
                for s, v in zip(samples, line, strict=True)
            )
            out.append(f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="1.5"/>')
            out.append(f'<text x="{left + width + 6}" y="{ends[name]:.1f}" fill="{colour}">{name}</text>')
    total = 30 + len(panels) * (height + gap)
    out.append(f'<text x="{left}" y="{total - 18}">{end / 60:.0f} minutes, {samples[-1].rounds} rounds</text>')
    path.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {left + width + 90} {total}" font-family="sans-serif"'
        f' font-size="12"><rect width="100%" height="100%" fill="#fffefa"/>{"".join(out)}</svg>\n'
    )


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--minutes", type=float, default=20.0)
    parser.add_argument("--picture", type=Path)
    asked = parser.parse_args()
    os.environ |= {f"LAUFTAKT_KEEP_{what}_HOURS": "0" for what in ("REMOVED", "REPLACED", "EXPORTS")}
    os.environ["LAUFTAKT_TIDY_S"] = "20"
    with tempfile.TemporaryDirectory() as name:
        logs = Path(name) / "logs"
        logs.mkdir()
        layout, *files = write_day(logs)
        place = Place(Path(name) / "var")
        place.start()
        coach = place.team("ada")
        coach.send(layout)
        database = Database(url_of_running(place.var / "database"))
        samples: list[Sample] = []
        rounds, stop = [0], threading.Event()
        began = time.monotonic()

        def watch() -> None:
            while not stop.wait(5.0):
                samples.append(look(place, database, time.monotonic() - began, rounds[0]))

        watcher = threading.Thread(target=watch, daemon=True)
        watcher.start()
        while time.monotonic() - began < asked.minutes * 60:
            one_round(coach, files[:4])
            rounds[0] += 1
        time.sleep(45)  # what was removed last goes, too
        stop.set()
        watcher.join()
        samples.append(look(place, database, time.monotonic() - began, rounds[0]))
        place.stop()
        database.close()
    print(f"{samples[-1].at / 60:.1f} minutes, {rounds[0]} rounds of four runs")
    print(f"{'':22} {'middle':>10} {'last':>10}  change")
    for value, unit in (("memory", "MB"), ("handles", ""), ("threads", "")):
        for part in PARTS:
            first, last = growth(samples, value, part)
            change = 100 * (last / first - 1) if first else 0.0
            print(f"{value + ' ' + part:22} {first:10.0f} {last:10.0f}  {change:+.1f} % {unit}")
    grown = []
    for table in sorted(samples[-1].rows):
        first, last = growth(samples, "rows", table)
        if last > first and table not in HISTORY:
            grown.append(f"{table} {first:.0f} to {last:.0f}")
    print("tables that grew:", "; ".join(grown) or "none")
    history = {name: samples[-1].rows.get(name, 0) / max(rounds[0], 1) for name in sorted(HISTORY)}
    print("kept as history, rows a round:", ", ".join(f"{name} {count:.1f}" for name, count in history.items()))
    print(f"inbox and exports: {samples[-1].disk:.1f} MB at the end")
    if asked.picture is not None:
        picture(samples, asked.picture)
    return 0


if __name__ == "__main__":
    sys.exit(main())
