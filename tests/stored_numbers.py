"""The numbers of a few logs as the present versions compute them, kept beside the versions.

python -m tests.stored_numbers      writes them anew into tests/kept/numbers.json
"""

import json
import sys
import tempfile
from collections.abc import Iterable
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import numpy as np

from lauftakt.core.debrief.check import Asked, check, losses_of
from lauftakt.core.debrief.target import proposals
from lauftakt.core.findings.finding import FINDINGS_VERSION, find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.log.model import Log
from lauftakt.core.pipeline import CODE_VERSION, analyse_run, make_layout
from lauftakt.core.run import AnalysedRun
from lauftakt.core.season.pace import pace_of
from lauftakt.demo.scenario import random_scenario
from lauftakt.formats.reading import READER_VERSION, read_log, read_raw
from lauftakt.store.following import FOLLOWING_VERSION
from tests.day import Day
from tests.dialects import WRITERS

KEPT = Path(__file__).parent / "kept" / "numbers.json"
# What another processor's arithmetic may change, as a share and in units: tried with and without AVX-512 and FMA, it is
# below 1e-7. Prices rest on which of two exchanges comes out ahead, and were moved by it by 2.5 ms and 4 %.
ARITHMETIC = (2e-6, 2e-6)
OF_PRICES = (0.06, 0.004)
# Where each version stands, and what it is asked of.
VERSIONS = {
    "reader": ("READER_VERSION", "src/lauftakt/formats/reading.py", READER_VERSION),
    "analysis": ("CODE_VERSION", "src/lauftakt/core/pipeline.py", CODE_VERSION),
    "findings": ("FINDINGS_VERSION", "src/lauftakt/core/findings/finding.py", FINDINGS_VERSION),
    "following": ("FOLLOWING_VERSION", "src/lauftakt/store/following.py", FOLLOWING_VERSION),
}
# Whose numbers rest on whose: what an earlier one explains is not laid at a later one's door.
ORDER = ("logs", *VERSIONS)


def numbers_of(day: Day, next_files: dict[str, Path]) -> dict[str, Any]:
    """Everything that is kept, computed now."""
    kart = random_scenario(3, laps=4, students=0, kind="bruchfeld").drives[0].log
    kart = replace(kart, channels=tuple(c for c in kart.channels if c.role in ("latitude", "longitude", "speed")))
    blind = day.logs[0]
    blind = replace(blind, channels=tuple(c for c in blind.channels if c.role not in ("latitude", "longitude")))
    kart_layout, _ = make_layout(kart, "Kart")
    runs = {
        "with pedals": (day.runs[day.of("Ines")], day.layout),
        "positions only": (analyse_run(kart, kart_layout), kart_layout),
        "without positions": (analyse_run(blind, day.layout), day.layout),
    }
    return _plain(
        {
            "logs": {"Ines": _log(day.logs[day.of("Ines")]), "kart": _log(kart)},
            "reader": _reader(day.logs[day.of("Ines")]),
            "analysis": {name: _analysis(*found) for name, found in runs.items()},
            "findings": _findings(day),
            "following": _following(day, next_files),
        }
    )


def _plain(value: Any) -> Any:
    """As JSON gives it back, to ten digits."""
    if isinstance(value, float | np.floating):
        return float(f"{value:.10g}")
    if isinstance(value, dict):
        return {key: _plain(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(item) for item in value]
    return int(value) if isinstance(value, np.integer) else value


def _summary(values: Iterable[float]) -> list[float]:
    """Length, first, last, mean and scatter of numbers."""
    found = np.asarray(list(values) if not isinstance(values, np.ndarray) else values, dtype=float)
    return [len(found), *(round(float(x), 7) for x in (found[0], found[-1], found.mean(), found.std()))]


def _log(log: Log) -> dict[str, Any]:
    return {channel.name: _summary(channel.values) for channel in log.channels}


def _reader(log: Log) -> dict[str, Any]:
    """What the reader makes of a minute of a log as other loggers write it."""
    ends = [int(np.searchsorted(channel.time, 60.0)) for channel in log.channels]
    short = replace(
        log,
        channels=tuple(
            replace(c, time=c.time[:end], values=c.values[:end]) for c, end in zip(log.channels, ends, strict=True)
        ),
    )
    found = {}
    with tempfile.TemporaryDirectory() as folder:
        for name, write in WRITERS.items():
            path = Path(folder) / name
            write(short, path)
            raw = read_raw(path)
            found[name] = {
                channel.name: [channel.unit, *_summary(channel.time), *_summary(channel.values)]
                for channel in raw.channels
            } | {"warnings": sorted(warning.code for warning in raw.warnings)}
    return found


def _analysis(run: AnalysedRun, layout: Any) -> dict[str, Any]:
    best = run.best_lap
    assert best is not None
    assert run.technique is not None
    return {
        "layout": [layout.length, *layout.splits_m, *(p.from_m for p in layout.passages)],
        "corners": [[c.entry_m, c.apex_m, c.exit_m] for c in layout.corners],
        "laps": [
            [lap.number, lap.kind, lap.set_aside, lap.start_s, lap.time_s, lap.time_u_s, list(lap.sector_times_s)]
            for lap in run.laps
        ],
        "time at places": _summary(run.traces[best.number].time),
        "figures": [asdict(one) if one is not None else None for one in run.technique[best.number]],
        "run": [run.speed_scale, run.delay_s, run.grip_level, run.theoretical_best_s(), run.unbroken_best_s()],
        "warnings": sorted(warning.code for warning in run.warnings),
    }


def _lost(day: Day) -> tuple[list[Any], list[Any]]:
    names = [log.meta["driver"] for log in day.logs]
    return find([Contender(run, name, "car") for run, name in zip(day.runs, names, strict=True)], 0, day.layout)


def _findings(day: Day) -> dict[str, Any]:
    lost, won = _lost(day)
    return {"losses": [asdict(one) for one in lost if one.driver in ("Ines", "Okan")], "strengths": len(won)}


def _following(day: Day, next_files: dict[str, Path]) -> dict[str, Any]:
    before, after = day.runs[day.of("Ines")], analyse_run(read_log(next_files["ines"]), day.layout)
    lost = [one for one in _lost(day)[0] if one.driver == "Ines" and one.put_forward]
    asked = [Asked(key, proposals(one, before, day.layout, day.runs[0])[0].target) for key, one in enumerate(lost)]
    found = check(before, after, day.layout, asked, losses=losses_of(before, day.layout, day.runs[0]))
    return {
        "targets": [asdict(one.target) for one in asked],
        "answers": [[one.answer, asdict(one.figure) if one.figure else None] for one in found.answers],
        "pace": asdict(pace_of(after, day.layout)),
    }


def differences(kept: Any, found: Any, may: tuple[float, float], at: str = "") -> list[str]:
    """Where two such trees of numbers differ by more than a share and an amount."""
    if isinstance(kept, dict) and isinstance(found, dict):
        return [
            line
            for key in sorted(kept.keys() | found.keys())
            for line in differences(kept.get(key, "nothing"), found.get(key, "nothing"), may, f"{at}/{key}")
        ]
    if isinstance(kept, list) and isinstance(found, list) and len(kept) == len(found):
        return [
            line
            for i, pair in enumerate(zip(kept, found, strict=True))
            for line in differences(*pair, may, f"{at}/{i}")
        ]
    numbers = isinstance(kept, int | float) and isinstance(found, int | float) and not isinstance(kept, bool)
    alike = abs(kept - found) <= may[0] * abs(kept) + may[1] if numbers else kept == found
    return [] if alike else [f"{at[1:]}: {_told(kept)} before, {_told(found)} now"]


def _told(value: Any) -> str:
    text = json.dumps(value)
    return text if len(text) < 60 else f"{text[:57]}..."


def verdict(kept: dict[str, Any], found: dict[str, Any], versions: dict[str, int]) -> str | None:
    """What is wrong and what to do; None where all is as it should be.

    Parameters
    ----------
    kept : ``{"versions": ..., "numbers": ...}`` as it was written
    found : :func:`numbers_of` now
    versions : of each part now
    """
    for part in ORDER:
        changed = differences(kept["numbers"][part], found[part], OF_PRICES if part == "findings" else ARITHMETIC)
        raised = part in versions and versions[part] != kept["versions"][part]
        if not changed and not raised:
            continue
        more = "\n  ".join([*changed[:8], *([f"and {len(changed) - 8} more"] if len(changed) > 8 else [])])
        write = "python -m tests.stored_numbers"
        if part == "logs":
            return f"The logs themselves changed (the simulator): no version, only `{write}`.\n  {more}"
        name, path, _ = VERSIONS[part]
        if raised:
            return f"{name} was raised: write its numbers with `{write}`, and look at the difference.\n  {more}"
        return (
            f"The numbers of the part “{part}” changed and {name} did not: what is stored of the version before would "
            f"be shown as if it were new.\nRaise {name} in {path}, then `{write}`. If no change is meant, mend it.\n"
            f"  {more}"
        )
    return None


def present_versions() -> dict[str, int]:
    """The version of each part now."""
    return {part: version for part, (_, _, version) in VERSIONS.items()}


def write(day: Day, next_files: dict[str, Path]) -> None:
    """Keep the numbers as they are now."""
    kept = {"versions": present_versions(), "numbers": numbers_of(day, next_files)}
    KEPT.write_text(json.dumps(kept, indent=0, ensure_ascii=False) + "\n")


if __name__ == "__main__":
    import pytest

    sys.exit(pytest.main(["-q", "-p", "no:randomly", "tests/test_versions.py", "--write-numbers", "-k", "numbers"]))
