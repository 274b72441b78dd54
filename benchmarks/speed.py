#!/usr/bin/env python3
"""How fast the core is, as ratios measured in one run.

Usage: .venv/bin/python benchmarks/speed.py [--quick]

Files of 10, 60 and 120 minutes at 100 Hz with 10 and 40 channels are written from one simulated run. Reading, splitting
and packing for the database are compared with the CPU time of a single-threaded pyarrow CSV read of the same file;
alignment with a plain numpy pass over the same samples (interpolating projected fixes); figures and draws are told
apart. Numbers are CPU seconds of one process (medians of three; the long files once), so that other work on the machine
matters little.
"""

import argparse
import os
import resource
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # before numpy: waiting threads would be counted as work

import numpy as np
import pyarrow.csv as pacsv

from lauftakt.core import analyse_run, delta_uncertainty, loss_rate, make_layout, time_delta
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.cutting import split_laps
from lauftakt.core.laps.lap import inside
from lauftakt.core.log.model import Channel, Log
from lauftakt.core.placing.by_positions import place_run
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.signals import run_signals
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE, sketch_of
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.reading import read_log
from lauftakt.store.blocks import BLOCK_SAMPLES, pack

TEN = (
    "latitude", "longitude", "speed", "throttle", "brake_pressure", "steering", "gear", "engine_speed",
    "lateral_acceleration", "longitudinal_acceleration",
)  # fmt: skip


def cpu(work: Callable[[], object], times: int = 3) -> tuple[float, object]:
    """Median CPU seconds and the last result."""
    spent, result = [], None
    for _ in range(times):
        begin = time.process_time()
        result = work()
        spent.append(time.process_time() - begin)
    return float(np.median(spent)), result


def lasting(log: Log, minutes: float, channels: int) -> Log:
    """The log's beginning or its repetition, for so many minutes, with so many channels."""
    random = np.random.default_rng(1)
    found = [c for c in log.channels if c.role in TEN]
    speed = log.role("speed")
    assert speed is not None
    while len(found) < channels:
        noise = np.round(random.standard_normal(len(speed.time)), 3)
        found.append(Channel(f"extra {len(found)}", "V", None, speed.time, noise, "V"))
    end = minutes * 60.0
    return Log(
        tuple(replace(c, time=c.time[c.time < end], values=c.values[c.time < end]) for c in found[:channels]), log.meta
    )


def plain_read(path: Path) -> object:
    with path.open() as file:
        head = 0
        while file.readline().startswith("#"):
            head += 1
    return pacsv.read_csv(path, read_options=pacsv.ReadOptions(use_threads=False, skip_rows=head))


def pack_all(log: Log, run: AnalysedRun) -> int:
    """What storing packs: samples by channel, curves by role."""
    size = 0
    for channel in log.channels:
        dtype = "<f8" if channel.role in ("latitude", "longitude") else "<f4"
        for first in range(0, len(channel.time), BLOCK_SAMPLES):
            part = slice(first, first + BLOCK_SAMPLES)
            size += len(pack(channel.time[part], "<f8")) + len(pack(channel.values[part], dtype))
    signals = run.signals
    if signals is not None:
        for rows in (
            signals.time,
            signals.speed,
            signals.offset,
            signals.ahead,
            signals.aside,
            *signals.others.values(),
        ):
            size += len(pack(rows, "<f4"))
    return size


def plain_alignment(log: Log, layout: Layout) -> object:
    latitude, longitude = log.role("latitude"), log.role("longitude")
    assert latitude is not None
    assert longitude is not None
    x, y = layout.plane.to_xy(latitude.values, longitude.values)
    s, _ = layout.centre.project(x, y)
    s = np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi) * layout.length
    return [np.interp(c.time, latitude.time, s) for c in log.channels if c.role == "speed"]


def compare(run: AnalysedRun, laps: int, layout: Layout) -> object:
    """A comparison of laps x 6 channels, ready to draw."""
    numbers = list(run.traces)[:laps]
    assert run.signals is not None
    signals, grid = run.signals, inside(layout)
    six = [
        rows[:, grid]
        for rows in (signals.speed, signals.offset, signals.ahead, signals.aside, signals.brake, signals.throttle)
    ]
    base = run.traces[numbers[0]]
    places = np.arange(0.0, layout.length, 20.0)
    found = []
    for row, number in enumerate(numbers):
        trace = run.traces[number]
        delta = time_delta(trace, base)
        found.append((delta, loss_rate(delta, layout.length), delta_uncertainty(trace, base, True, places)))
        found.append(tuple(rows[row].astype(np.float32) for rows in six))
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--quick", action="store_true", help="only ten minutes")
    chosen = parser.parse_args()
    circuit = ellerholm_park()
    print("Driving two hours …", flush=True)
    motion = drive_run(
        circuit, COUPE, Driver("x"), timed_laps=8 if chosen.quick else 64, seed=1, line=racing_line(circuit)
    )
    whole = record(circuit, COUPE, motion, Sensors(speed_scale=1.004), seed=2, meta={"driver": "x"})
    layout, _ = make_layout(lasting(whole, 15, 10), sketch_of(circuit))
    columns = ("minutes x channels", "MB", "pyarrow", "read", "place", "laps", "figures", "pack")
    widths = (18, 6, 8, 6, 6, 5, 8, 6)
    header = " ".join(f"{name:>{width}}" for name, width in zip(columns, widths, strict=True))
    print(f"{header}   read+split+pack/pyarrow   align ms/lap   align/plain   all/pyarrow")
    with tempfile.TemporaryDirectory() as folder:
        for minutes, channels in [(10, 10), (10, 40)] if chosen.quick else [
            (10, 10), (10, 40), (60, 10), (60, 40), (120, 10), (120, 40),
        ]:  # fmt: skip
            path = Path(folder) / "log.csv"
            write_csv(lasting(whole, minutes, channels), path)
            times = 3 if minutes == 10 else 1
            arrow, _ = cpu(lambda path=path: plain_read(path), times)
            read, log = cpu(lambda path=path: read_log(path), times)
            assert isinstance(log, Log)
            place, placed = cpu(lambda log=log: place_run(log, layout.plane, layout.centre), times)
            split, found = cpu(lambda placed=placed: split_laps(placed, layout), times)
            laps, traces = found
            signals, _ = cpu(
                lambda log=log, placed=placed, laps=laps, traces=traces: run_signals(log, placed, laps, traces, layout),
                times,
            )
            total, run = cpu(lambda log=log: analyse_run(log, layout), times)
            assert isinstance(run, AnalysedRun)
            packing, _ = cpu(lambda log=log, run=run: pack_all(log, run), times)
            plain, _ = cpu(lambda log=log: plain_alignment(log, layout), times)
            count = max(len(laps), 1)
            spent, _ = cpu(lambda run=run: [run.technique[number] for number in run.traces], 1)
            print(
                f"{minutes:>12} x {channels:<3} {path.stat().st_size / 1e6:6.0f} {arrow:8.2f} {read:6.2f} {place:6.2f} "
                f"{count:5d} {spent:8.2f} {packing:6.2f}   {(read + split + signals + packing) / arrow:23.1f}   "
                f"{1000 * place / count:12.1f}   {place / plain:11.1f}   "
                f"{(read + total + spent + packing) / arrow:11.1f}",
                flush=True,
            )
    print("\nGrowth with the rate of the fast channels, ten minutes x 10 channels:")
    for rate in (25, 50, 100):
        ten = lasting(whole, 10, 10)
        every = 100 // rate
        thin = Log(tuple(replace(c, time=c.time[::every], values=c.values[::every]) if c.rate_hz > 50 else c
                         for c in ten.channels), ten.meta)  # fmt: skip
        place, _ = cpu(lambda thin=thin: place_run(thin, layout.plane, layout.centre))
        total, _ = cpu(lambda thin=thin: analyse_run(thin, layout))
        print(f"  {rate:3d} Hz: align {place:.2f} s, splitting and channels {total - place:.2f} s")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"\nMemory peak of this process: {peak:.0f} MB")
    run = analyse_run(lasting(whole, 30, 10), layout)
    for laps in (3, 6, 12):
        if len(run.traces) >= laps:
            spent, _ = cpu(lambda laps=laps: compare(run, laps, layout), 7)
            print(f"comparison of {laps:2d} laps x 6 channels: {1000 * spent:.1f} ms")


if __name__ == "__main__":
    main()
