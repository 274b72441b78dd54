#!/usr/bin/env python3
"""How long the whole import takes, with everything around it: queue, workers, database.

Usage: .venv/bin/python benchmarks/imports.py [--files 1 10 50] [--renew 0] [--laps 3]

A real MariaDB and real Celery workers are started; different runs of ``--laps`` timed laps (100 Hz, 13 channels) are
handed in at once, first to one worker, then to two. Told are wall-clock seconds, two workers against one, and the CPU
seconds of the workers for a file against a single-threaded pyarrow CSV read of the same file. ``--renew 30`` takes 30
runs in and then moves their start line by 12 m: how long until every run shows its numbers on the new version, with two
workers.
"""

import argparse
import os
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import pyarrow.csv as pacsv
from sqlalchemy import select

from lauftakt.core.circuit.editing import drawing_of
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver
from lauftakt.demo.line import racing_line
from lauftakt.demo.school import SCHOOL_CAR, start_line
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.geojson import write_start
from lauftakt.operate.stack import How, Stack
from lauftakt.store.accounts import add_team
from lauftakt.store.database import Database, mine
from lauftakt.store.drawings import keep_drawing
from lauftakt.store.layouts import load_layout, sectors_of
from lauftakt.store.models import Analysis, HandIn, LayoutRow, Run
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver, take_in
from lauftakt.work.open_jobs import being_renewed, renew_runs
from lauftakt.work.queue import send


def write_runs(folder: Path, count: int, laps: int) -> list[Path]:
    """Different runs of one circuit."""
    circuit = ellerholm_park()
    line = racing_line(circuit)
    (folder / "layout.geojson").write_bytes(write_start(circuit.name, start_line(circuit)))
    files = []
    for number in range(count):
        driver = Driver(f"Driver {number % 12}", corner_level=0.93 + 0.004 * (number % 12), scatter=0.006)
        motion = drive_run(circuit, SCHOOL_CAR, driver, timed_laps=laps, seed=number, line=line)
        meta = {"driver": driver.name, "circuit": circuit.name, "date": f"2026-05-{1 + number % 28:02d}T09:00:00"}
        path = folder / f"run-{number:02d}.csv"
        write_csv(record(circuit, SCHOOL_CAR, motion, Sensors(), seed=number, meta=meta), path)
        files.append(path)
    return files


def cpu_of(stack: Stack) -> float:
    """CPU seconds of the workers and their children so far."""
    ticks = os.sysconf("SC_CLK_TCK")
    leaders = {part.process.pid for part in stack._parts if part.name == "worker"}
    spent = 0.0
    for path in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = path.read_text().rsplit(")", 1)[1].split()
        except OSError:
            continue
        if int(fields[3]) in leaders:  # every part leads a session of its own
            spent += (int(fields[11]) + int(fields[12])) / ticks
    return spent


def measure(
    folder: Path, files: list[Path], layout: Path, workers: int, counts: list[int]
) -> dict[int, tuple[float, float]]:
    """Wall-clock and CPU seconds for each number of files."""
    stack = Stack(folder, How(workers=workers))
    found = {}
    try:
        database = stack.start_database(lambda _: None)
        stack.start_application(lambda _: None)
        inbox = stack.var / "inbox"
        run_batch(database, inbox, layout, files[:2], "warm")  # the first import of a process loads its libraries
        for count in counts:
            before = cpu_of(stack)
            wall = run_batch(database, inbox, layout, files[:count], f"{count}")
            found[count] = (wall, cpu_of(stack) - before)
        database.close()
    finally:
        stack.stop()
    return found


def alone(*arguments: object) -> dict[int, tuple[float, float]]:
    """:func:`measure` in a process of its own: the queue keeps the database it was first told of."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(measure, *arguments).result()


def renewed(folder: Path, files: list[Path], layout: Path) -> float:
    """Wall-clock seconds from keeping a moved start line until no run waits for its new numbers."""
    stack = Stack(folder, How(workers=2))
    try:
        database = stack.start_database(lambda _: None)
        stack.start_application(lambda _: None)
        run_batch(database, stack.var / "inbox", layout, files, "renewed")
        with database.begin() as session:
            row = session.scalars(select(LayoutRow).where(LayoutRow.current_id.is_not(None))).one()
            sectors = sectors_of(session, row)
            assert row.current_id is not None
            before = load_layout(session, row.current_id, sectors.id if sectors else None)
            begin = time.monotonic()
            kept, _ = keep_drawing(
                session, row, replace(drawing_of(before), start_m=12.0), base=row.current_id,
                sector_set=sectors.id if sectors else None, account_id=None, summary=lambda _, __: "moved",
            )  # fmt: skip
            team, runs = row.team_id, kept.to_renew
            jobs = renew_runs(session, team, runs)
        assert len(runs) == len(files)
        send(jobs)
        while True:
            with database.begin() as session:
                if not being_renewed(session, team, runs):
                    break
            time.sleep(0.1)
        spent = time.monotonic() - begin
        with database.begin() as session:
            versions = {
                analysis.layout_version_id
                for run in session.scalars(mine(Run, team))
                if (analysis := session.get(Analysis, run.analysis_id)) is not None
            }
        assert len(versions) == 1, versions
        database.close()
    finally:
        stack.stop()
    return spent


def run_batch(database: Database, inbox: Path, layout: Path, files: list[Path], name: str) -> float:
    with database.begin() as session:
        team = add_team(session, name).id
    hand_in_now(database, inbox, Giver(team, "shell"), layout)
    begin = time.monotonic()
    send([take_in(database, inbox, Giver(team, "shell"), path.name, path, move=False)[1] for path in files])
    while True:
        with database.begin() as session:
            states = [row.state for row in session.scalars(mine(HandIn, team))]
        if not {"waiting", "running"} & set(states):
            break
        time.sleep(0.05)
    spent = time.monotonic() - begin
    assert states.count("taken") == len(files) + 1, states
    return spent


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", type=int, nargs="+", default=[1, 10, 50])
    parser.add_argument("--renew", type=int, default=0)
    parser.add_argument("--laps", type=int, default=3)
    given = parser.parse_args()
    counts = [] if given.renew else given.files
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        files = write_runs(folder, max([2, given.renew, *counts]), given.laps)
        if given.renew:
            spent = renewed(folder / "renewed", files, folder / "layout.geojson")
            each = spent / given.renew
            print(f"A new version with {given.renew} runs of {given.laps} laps: {spent:.1f} s, {each:.2f} s a run.")
            return
        begin = time.process_time()
        for path in files[:5]:
            head = next(i for i, line in enumerate(path.open()) if not line.startswith("#"))
            pacsv.read_csv(path, read_options=pacsv.ReadOptions(use_threads=False, skip_rows=head))
        plain = (time.process_time() - begin) / len(files[:5])
        size = files[0].stat().st_size / 1e6
        print(f"Runs of {size:.1f} MB; a plain read of one takes {1000 * plain:.0f} ms of CPU.")
        one, two = (alone(folder / f"{n}", files, folder / "layout.geojson", n, counts) for n in (1, 2))
        print(" files   1 worker: wall, a file   2 workers: wall, a file   two against one   CPU a file / plain read")
        for count in counts:
            wall1, cpu1 = one[count]
            wall2, _ = two[count]
            print(
                f"{count:6d} {wall1:11.2f} s {wall1 / count:9.2f} s {wall2:12.2f} s {wall2 / count:9.2f} s"
                f" {wall1 / wall2:16.2f} x {cpu1 / count / plain:20.1f} x"
            )


if __name__ == "__main__":
    main()
