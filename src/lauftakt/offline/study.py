"""A study: several log files on one layout, compared with a reference."""

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from lauftakt.core.circuit.drafting import read_tracks
from lauftakt.core.circuit.layout import Layout, LayoutSketch
from lauftakt.core.comparison.reference import Standing, reference_of
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.ranking import ranked
from lauftakt.core.findings.statement import Finding
from lauftakt.core.laps.conditions import Conditions, conditions_in
from lauftakt.core.log.model import Log, Unusable, Warning
from lauftakt.core.log.track import Track
from lauftakt.core.pipeline import analyse_run, layout_from, layout_without_positions
from lauftakt.core.run import AnalysedRun
from lauftakt.formats.geojson import read_layout
from lauftakt.formats.reading import read_log

WORST_KM = 15.0


@dataclass(frozen=True)
class Entry:
    """One file: its log and run, or the sentence that says why there is none."""

    path: Path
    log: Log | None
    run: AnalysedRun | None
    error: str | None
    warnings: tuple[Warning, ...] = ()

    @property
    def driver(self) -> str:
        named = " ".join((self.log.meta.get("driver", "") if self.log else "").split())
        return named or self.path.stem


@dataclass(frozen=True)
class Study:
    """All files with their layout, and what was found.

    ``reference`` and ``reference_lap`` are the index of the run and the number of its lap; ``references`` holds by run
    the index of the one it is measured against, which was driven in the same conditions.
    """

    entries: list[Entry]
    layout: Layout
    reference: int
    reference_lap: int
    findings: list[Finding]
    strengths: list[Finding]
    references: dict[int, int]

    def reference_driver(self, finding: Finding) -> str:
        """Who a finding is measured against."""
        return self.entries[self.references[finding.run]].driver


def study(files: Sequence[Path], reference: Path | None, layout_file: Path | None) -> Study:
    """Read, place and compare log files.

    Parameters
    ----------
    files : logs
    reference : the file whose best lap is the reference, or None to take the driver with the lowest best lap; added to
        the files unless it is among them
    layout_file : a layout as GeoJSON, or None to make it from the logs

    Raises
    ------
    Unusable
        with one sentence, where nothing could be analysed.
    """
    paths = list(files)
    if reference is not None and not any(_same(reference, path) for path in paths):
        paths.append(reference)
    sketch = _sketch(layout_file)
    entries = [_read(path) for path in paths]
    logs = [entry.log for entry in entries if entry.log is not None]
    if not logs:
        raise Unusable("nothing", _nothing(entries))
    entries, read = _with_tracks(entries)
    blind = [entry.log for entry in entries if entry.log is not None]
    if not read and not blind:
        raise Unusable("nothing", _nothing(entries))
    try:
        layout, assumed = layout_from(read, sketch) if read else layout_without_positions(blind, sketch)
    except Unusable as error:
        failed = [replace(e, error=str(error)) if e.log is not None else e for e in entries]
        raise Unusable("nothing", _nothing(failed)) from error
    tracks = {id(log): track for log, track in read}
    entries = [_analyse(entry, layout, assumed, tracks.get(id(entry.log))) for entry in entries]
    chosen = _reference(entries, paths, reference)
    if chosen is None:
        raise Unusable("nothing", _nothing(entries))
    base = entries[chosen].run
    assert base is not None
    lap = base.best_lap or min((lap for lap in base.laps if lap.time_s is not None), key=lambda lap: lap.time_s or 0.0)
    findings: list[Finding] = []
    strengths: list[Finding] = []
    references: dict[int, int] = {}
    for group, index in _groups(entries, chosen):
        lost, won = find([Contender(_run(entries, i), entries[i].driver) for i in group], group.index(index), layout)
        findings += [replace(finding, run=group[finding.run]) for finding in lost]
        strengths += [replace(finding, run=group[finding.run]) for finding in won]
        references |= dict.fromkeys(group, index)
    return Study(
        entries=entries,
        layout=layout,
        reference=chosen,
        reference_lap=lap.number,
        findings=ranked(findings, 1),
        strengths=ranked(strengths, -1),
        references=references,
    )


def _same(a: Path, b: Path) -> bool:
    return a.absolute() == b.absolute() or (a.exists() and b.exists() and a.samefile(b))


def _sketch(layout_file: Path | None) -> LayoutSketch:
    if layout_file is None:
        return LayoutSketch(name="Layout made from the logs")
    try:
        data = layout_file.read_bytes()
    except OSError as error:
        raise Unusable("layout-file", f"The layout {layout_file.name} cannot be read.") from error
    return read_layout(data, layout_file.stem)


def _read(path: Path) -> Entry:
    try:
        return Entry(path, read_log(path), None, None)
    except Unusable as error:
        return Entry(path, None, None, str(error))
    except Exception as error:  # one file that the program stumbles over must not take the others with it
        if _ends_all(error):
            raise
        return Entry(path, None, None, _stumbled(error))


def _ends_all(error: Exception) -> bool:
    """Whether a failure is no single file's: the time is over, or somebody wants to see it."""
    return bool(os.environ.get("LAUFTAKT_TRACE") or getattr(error, "ends_all", False))


def _stumbled(error: Exception) -> str:
    return f"The program failed on this file ({type(error).__name__}); it was left out."


def _with_tracks(entries: list[Entry]) -> tuple[list[Entry], list[tuple[Log, Track]]]:
    """The driven paths of all logs that have one; a log whose path cannot be used is left out with the reason."""
    kept: list[Entry] = []
    read: list[tuple[Log, Track]] = []
    together = {id(log) for log in _together([entry.log for entry in entries if entry.log is not None])}
    for entry in entries:
        log = entry.log
        if log is not None and id(log) in together:
            try:
                read += read_tracks([log])
            except Unusable as error:
                if log.positions() is not None:
                    entry = replace(entry, log=None, error=str(error), warnings=log.warnings)
            except Exception as error:
                if _ends_all(error):
                    raise
                entry = replace(entry, log=None, error=_stumbled(error), warnings=log.warnings)
        kept.append(entry)
    return kept, read


def _together(logs: list[Log]) -> list[Log]:
    """The logs that lie where the first one with positions lies; others cannot be of the same layout."""

    def place(log: Log) -> tuple[float, float] | None:
        if (positions := log.positions()) is None:
            return None
        return float(np.median(positions[0].values)), float(np.median(positions[1].values))

    places = [place(log) for log in logs]
    first = next((p for p in places if p is not None), None)
    if first is None:
        return logs
    scale = float(np.cos(np.radians(first[0])))

    def near(p: tuple[float, float] | None) -> bool:
        return p is None or 111.2 * float(np.hypot(p[0] - first[0], (p[1] - first[1]) * scale)) < WORST_KM

    return [log for log, p in zip(logs, places, strict=True) if near(p)]


def _analyse(entry: Entry, layout: Layout, assumed: tuple[Warning, ...], track: Track | None) -> Entry:
    if entry.log is None:
        return entry
    try:
        run = analyse_run(entry.log, layout, track=track)
    except Unusable as error:
        return replace(entry, error=str(error), warnings=entry.log.warnings)
    except Exception as error:
        if _ends_all(error):
            raise
        return replace(entry, error=_stumbled(error), warnings=entry.log.warnings)
    return replace(entry, run=run, warnings=run.warnings + assumed)


def _reference(entries: list[Entry], paths: list[Path], wanted: Path | None) -> int | None:
    """Index of the reference run."""
    if wanted is not None:
        index = next(i for i, path in enumerate(paths) if _same(wanted, path))
        run = entries[index].run
        if run is None or not run.traces:
            why = entries[index].error or "it holds no lap from line to line."
            raise Unusable("nothing", f"The reference {wanted.name} cannot be used: {why}")
        return index
    best: tuple[float, int] | None = None
    for counting in (True, False):
        for index, entry in enumerate(entries):
            if entry.run is None:
                continue
            laps = entry.run.counting if counting else [lap for lap in entry.run.laps if lap.time_s is not None]
            for lap in laps:
                if lap.time_s is not None and (best is None or lap.time_s < best[0]):
                    best = (lap.time_s, index)
        if best is not None:
            return best[1]
    return None


def conditions_of_entry(entry: Entry) -> Conditions:
    """In what a log was driven, as far as it says so."""
    meta = entry.log.meta if entry.log is not None else {}
    return conditions_in(meta.get("conditions")) or conditions_in(meta.get("kind")) or "dry"


def _run(entries: list[Entry], index: int) -> AnalysedRun:
    run = entries[index].run
    assert run is not None
    return run


def _groups(entries: list[Entry], chosen: int) -> list[tuple[list[int], int]]:
    """Runs that are compared with each other, and the reference among them: the one that was asked for or found first
    in its own conditions, the quickest in others."""
    alike: dict[Conditions, list[int]] = {}
    for index, entry in enumerate(entries):
        if entry.run is not None:
            alike.setdefault(conditions_of_entry(entry), []).append(index)
    found = []
    for group in alike.values():
        standings = [
            Standing(index, entries[index].driver, best.time_s or 0.0)
            for index in group
            if (best := _run(entries, index).best_lap) is not None
        ]
        quickest = reference_of(standings)
        if chosen in group:
            found.append((group, chosen))
        elif quickest is not None:
            found.append((group, quickest.run))
    return found


def _nothing(entries: list[Entry]) -> str:
    """One sentence for a study that came to nothing."""
    if len(entries) == 1:
        return f"{entries[0].path.name}: {entries[0].error or 'The log holds no lap from line to line.'}"
    reasons = "; ".join(f"{e.path.name}: {(e.error or 'no lap from line to line').rstrip('.')}" for e in entries[:4])
    more = f"; and {len(entries) - 4} more" if len(entries) > 4 else ""
    return f"None of the {len(entries)} files could be analysed: {reasons}{more}."
