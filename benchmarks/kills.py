#!/usr/bin/env python3
"""Everything is killed at once, at random moments of a day's work: is any run lost, half, or there twice?

Usage: .venv/bin/python benchmarks/kills.py [--kills 20] [--seed 1] [--smoke]

A school's own installation is started as a school starts it. A coach sends the files of four days in small pieces,
says what channels are, asks for exports, and goes on after every break. At a random moment, a few seconds apart, every
process is killed by SIGKILL: whoever started it, the database, the workers, the server. It is started again, and so on.
At the end the same files are handed in by a second team without any kill. Told are the runs that each team has, and
every difference between them: files without a run, runs that are there twice, other laps, channels that cannot be read
back, files that nobody knows. In the last round it is stopped in order while ten files wait, and started again.
"""

import argparse
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path
from typing import Any

from coach import PASSWORD, Coach

from lauftakt.demo.school import write_day
from lauftakt.demo.season import write_season
from lauftakt.operate.mariadb import free_port, url_of_running
from lauftakt.operate.teams import new_team
from lauftakt.store.database import Database

ROOT = Path(__file__).parent.parent
PROGRAM = [str(Path(sys.executable).parent / "lauftakt")]


class Place:
    """An installation, started by a command of its own."""

    def __init__(self, var: Path) -> None:
        self.var, self.port = var, free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> float:
        """Start it and wait until it answers; returns how long that took, seconds."""
        began = time.monotonic()
        log = (self.var.parent / "start.log").open("ab")
        self.process = subprocess.Popen(
            [*PROGRAM, "start", "--var", str(self.var), "--port", str(self.port)],
            stdout=log, stderr=log, stdin=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
        nobody = Coach(self.address, "nobody@school.example")
        nobody.ask("GET", "/health", patience=90)
        return time.monotonic() - began

    def processes(self) -> list[int]:
        """Everything that was started, by who started whom and by the folder in their command lines."""
        parents: dict[int, int] = {}
        for path in Path("/proc").glob("[0-9]*/stat"):
            try:
                text = path.read_text()
            except OSError:
                continue
            parents[int(path.parent.name)] = int(text.rsplit(")", 1)[1].split()[1])
        assert self.process is not None
        found = {self.process.pid}
        while True:
            more = {number for number, parent in parents.items() if parent in found} - found
            if not more:
                return sorted(found)
            found |= more

    def kill(self) -> int:
        """Kill everything at once; returns how many processes there were."""
        assert self.process is not None
        found = self.processes()
        for number in found:
            try:
                os.kill(number, signal.SIGKILL)
            except ProcessLookupError:
                continue
        self.process.wait()
        return len(found)

    def stop(self) -> float:
        """Stop it in order; returns how long that took, seconds."""
        assert self.process is not None
        began = time.monotonic()
        self.process.send_signal(signal.SIGINT)
        self.process.wait(120)
        return time.monotonic() - began

    def team(self, name: str) -> Coach:
        """A team and its coach."""
        database = Database(url_of_running(self.var / "database"))
        new_team(database, f"School of {name}", f"{name}@school.example", PASSWORD)
        database.close()
        coach = Coach(self.address, f"{name}@school.example")
        coach.sign_in()
        return coach


def work(coach: Coach, files: list[Path], chance: random.Random, done: threading.Event) -> None:
    """A coach's day: files are sent, channels are said, archives are asked for."""
    try:
        for path in files:
            coach.send(path, pause=lambda: time.sleep(chance.uniform(0.0, 0.15)))
            taken = [row for row in coach.hand_ins() if row["state"] == "taken" and row["run"]]
            if taken and chance.random() < 0.5:
                run = chance.choice(taken)["run"]["run"]["id"]
                change = {"channels": [{"name": "gear", "role": "gear"}]}
                coach.ask("PATCH", f"/api/runs/{run}/channels", json=change)
                coach.ask("POST", f"/api/runs/{run}/export", json={"format": "parquet"})
        done.set()
    except InterruptedError:
        return


def account(rows: list[dict[str, Any]]) -> dict[str, tuple[Any, ...]]:
    """What is there of each file's run."""
    found: dict[str, tuple[Any, ...]] = {}
    # A layout's line is that of whichever run came first, so that times differ by some thousandths between two teams.
    for row in rows:
        if row["run"] is None:
            continue
        run = row["run"]["run"]
        found[row["file_name"]] = (run["laps"], run["counting"], run["best_s"] or 0.0)
    return found


def differ(one: tuple[Any, ...], other: tuple[Any, ...]) -> bool:
    """Whether two teams have other laps of the same file."""
    return one[:2] != other[:2] or abs(one[2] - other[2]) > 0.02


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--kills", type=int, default=20)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--smoke", action="store_true", help="two kills over a few files")
    asked = parser.parse_args()
    kills = 2 if asked.smoke else asked.kills
    chance = random.Random(asked.seed)
    with tempfile.TemporaryDirectory() as name:
        logs = Path(name) / "logs"
        logs.mkdir()
        layout, *files = write_day(logs)
        files = files[:5] if asked.smoke else files + write_season(logs)
        place = Place(Path(name) / "var")
        started = [place.start()]
        coach = place.team("ada")
        done = threading.Event()
        coach.send(layout)
        worker = threading.Thread(target=work, args=(coach, files, chance, done), daemon=True)
        worker.start()
        ended = 0
        for number in range(kills):
            time.sleep(chance.uniform(1.0, 9.0))
            count = place.kill()
            started.append(place.start())
            ended += count
            print(f"kill {number + 1}: {count} processes; answers again after {started[-1]:.1f} s", flush=True)
        worker.join(600)
        assert done.is_set(), "the coach did not come to an end"
        rows = coach.settled()
        # Ten more files wait while it is stopped in order.
        before = {row["file_name"] for row in rows}
        more = []
        for number in range(10):
            path = logs / f"late-{number}.csv"
            path.write_bytes(files[number % len(files)].read_bytes() + b"\n" * (number + 1))
            more.append(path)
        for path in more:
            coach.send(path)
        stopped = place.stop()
        started.append(place.start())
        late = [row for row in coach.settled() if row["file_name"] not in before]
        quiet = place.team("ben")
        for path in [layout, *files]:
            quiet.send(path)
            quiet.settled()
        own, theirs = account(rows), account(quiet.settled())
        times = Counter(row["file_name"] for row in rows if row["run"])
        lost = sorted(set(theirs) - set(own))
        twice = sorted(name for name, count in times.items() if count > 1)
        other = sorted(name for name in own if name in theirs and differ(own[name], theirs[name]))
        untold = [(row["file_name"], row["state"], row["message"]) for row in rows if row["state"] != "taken"]
        health = subprocess.run([*PROGRAM, "check", "--var", str(place.var)], capture_output=True, text=True)
        place.stop()
        print(f"{kills} kills of everything, {ended} processes; the coach waited {coach.waits:.0f} s in all")
        print(f"answers again after {sorted(started)[len(started) // 2]:.1f} s (median), {max(started):.1f} s at most")
        print(f"runs {len(own)} of {len(theirs)}; lost {len(lost)}, twice {len(twice)}, other laps {len(other)}")
        print(f"files that ended otherwise than taken: {len(untold)} {untold[:3]}")
        print(
            f"stopped in order in {stopped:.1f} s with ten files waiting: {len(late)} of 10 came to an end,"
            f" {Counter(row['state'] for row in late)}"
        )
        print(
            "check:", "; ".join(line.strip() for line in health.stdout.splitlines() if "BAD" in line) or "nothing bad"
        )
        return 1 if lost or twice or other or untold or len(late) != 10 or health.returncode == 2 else 0


if __name__ == "__main__":
    sys.exit(main())
