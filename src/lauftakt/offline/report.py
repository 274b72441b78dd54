"""The machine-readable result of a study, see docs/formats.md and ``analysis.schema.json``."""

import json
from math import degrees
from pathlib import Path
from typing import Any

import numpy as np
from scipy.constants import g as GRAVITY

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.delta import delta_uncertainty, time_delta
from lauftakt.core.findings.ranking import elsewhere
from lauftakt.core.findings.statement import Finding
from lauftakt.core.findings.words import KMH, metric, tell
from lauftakt.core.laps.lap import Lap
from lauftakt.core.log.model import Log
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures
from lauftakt.formats.geojson import centre_of
from lauftakt.offline.study import Entry, Study, conditions_of_entry

SCHEMA_VERSION = 1
STEP_M = 10.0
_PEAK_UNITS = {"brake_pressure": ("bar", 1e-5), "brake_pedal": ("%", 100.0), None: ("g", 1 / GRAVITY)}


def schema() -> dict[str, Any]:
    """The JSON schema of :func:`report`."""
    found: dict[str, Any] = json.loads((Path(__file__).parent / "analysis.schema.json").read_text())
    return found


def report(study: Study) -> dict[str, Any]:
    """One object with everything a study found; numbers in metres, seconds, km/h, missing ones null."""
    return {
        "schema_version": SCHEMA_VERSION,
        "reference": {"run": study.reference, "lap": study.reference_lap},
        "layout": _layout(study.layout),
        "runs": [_run(entry, study.layout) for entry in study.entries],
        "comparisons": _comparisons(study),
        "findings": [_finding(finding, study) for finding in study.findings],
        "strengths": [_finding(finding, study) for finding in study.strengths],
    }


def _round(value: float | None, digits: int) -> float | None:
    return None if value is None or not np.isfinite(value) else round(float(value), digits)


def _layout(layout: Layout) -> dict[str, Any]:
    start = [(a + b) / 2 for a, b in zip(layout.start.left, layout.start.right, strict=True)]
    return {
        "name": layout.name,
        "length_m": round(layout.length, 3),
        "start": {"lat": round(start[0], 8), "lon": round(start[1], 8)},
        "centre": centre_of(layout),
        "splits_m": [round(s, 2) for s in layout.splits_m],
        "corners": [
            {
                "name": corner.name,
                "direction": corner.direction,
                "entry_m": round(corner.entry_m, 2),
                "apex_m": round(corner.apex_m, 2),
                "exit_m": round(corner.exit_m, 2),
                "group": corner.group,
            }
            for corner in layout.corners
        ],
        "passages": [
            {
                "name": passage.name,
                "corners": list(passage.corners),
                "from_m": round(passage.from_m, 2),
                "to_m": round(passage.to_m, 2),
            }
            for passage in layout.passages
        ],
    }


def _run(entry: Entry, layout: Layout) -> dict[str, Any]:
    run, log = entry.run, entry.log
    meta = log.meta if log is not None else {}
    best = run.best_lap if run is not None else None
    return {
        "file": str(entry.path),
        "error": entry.error,
        "driver": entry.driver,
        "car": meta.get("car"),
        "circuit": meta.get("circuit"),
        "date": meta.get("date"),
        "kind": meta.get("kind"),
        "conditions": None if log is None else conditions_of_entry(entry),
        "speed_scale": _round(run.speed_scale if run is not None else None, 5),
        "position_delay_s": _round(run.delay_s if run is not None else None, 4),
        "grip_level_g": _round(run.grip_level / GRAVITY if run is not None and run.grip_level else None, 4),
        "channels": _channels(log, run),
        "warnings": [{"code": w.code, "message": w.message} for w in entry.warnings],
        "laps": [] if run is None else [_lap(lap, run, layout) for lap in run.laps],
        "best_lap": None if best is None else best.number,
        "theoretical_best_s": _round(run.theoretical_best_s() if run is not None else None, 4),
        "unbroken_best_s": _round(run.unbroken_best_s() if run is not None else None, 4),
    }


def _channels(log: Log | None, run: AnalysedRun | None) -> list[dict[str, Any]]:
    if log is None:
        return []
    found = [
        {
            "name": channel.name,
            "unit": channel.logged_unit or channel.unit,
            "role": channel.role,
            "rate_hz": round(channel.rate_hz, 3),
            "inferred": channel.recognised.by == "derived",
        }
        for channel in log.channels
    ]
    logged = {channel.role for channel in log.channels}
    inferred: list[tuple[str, str]] = []
    if "speed" not in logged and "receiver_speed" not in logged:
        inferred.append(("speed", "m/s"))
    if run is not None and run.signals is not None:
        if run.signals.brake_role is None:
            inferred.append(("braking", "m/s^2"))
        if run.signals.throttle_inferred:
            inferred.append(("throttle", "1"))
        if "gear" in run.signals.others and "gear" not in logged:
            inferred.append(("gear", "1"))
        if "lateral_acceleration" not in logged:
            inferred.append(("lateral_acceleration", "m/s^2"))
        if "longitudinal_acceleration" not in logged:
            inferred.append(("longitudinal_acceleration", "m/s^2"))
    found += [
        {"name": f"{role} (inferred)", "unit": unit, "role": role, "rate_hz": None, "inferred": True}
        for role, unit in inferred
    ]
    return found


def _lap(lap: Lap, run: AnalysedRun, layout: Layout) -> dict[str, Any]:
    return {
        "number": lap.number,
        "kind": lap.kind,
        "set_aside": lap.set_aside,
        "start_s": round(lap.start_s, 4),
        "time_s": _round(lap.time_s, 5),
        "time_u_s": _round(lap.time_u_s, 5),
        "sector_times_s": [round(t, 5) for t in lap.sector_times_s],
        "held_up": [[round(a, 1), round(b, 1)] for a, b in lap.held_up],
        "corners": [_corner(figures, run) for figures in _figures_of(run, lap.number) if figures is not None],
    }


def _figures_of(run: AnalysedRun, number: int) -> tuple[Figures | None, ...]:
    return run.technique[number] if run.technique is not None and number in run.technique else ()


def _corner(figures: Figures, run: AnalysedRun) -> dict[str, Any]:
    assert run.signals is not None
    unit, factor = _PEAK_UNITS[run.signals.brake_role]
    peak = figures.brake_peak

    def kmh(value: float) -> float:
        return round(value * KMH, 2)

    return {
        "corner": figures.corner,
        "time_s": _round(figures.time, 4),
        "entry_speed_kmh": kmh(figures.entry_speed),
        "brake_point_m": _round(figures.brake_point_m, 2),
        "brake_release_m": _round(figures.brake_release_m, 2),
        "brake_peak": None if peak is None else round(peak * factor, 3),
        "brake_peak_unit": None if peak is None else unit,
        "brake_rise_s": _round(figures.brake_rise_s, 3),
        "brake_shape": figures.brake_shape,
        "brake_steadiness": _round(figures.brake_steadiness, 3),
        "brake_before_turn_in": _round(figures.brake_before_turn_in, 3),
        "brake_applications": figures.brake_applications,
        "blips": figures.blips,
        "blip_peak": _round(figures.blip_peak, 3),
        "blip_brake_lost": _round(figures.blip_brake_lost, 3),
        "mean_braking_g": _round(None if figures.mean_braking is None else figures.mean_braking / GRAVITY, 4),
        "min_speed_kmh": kmh(figures.min_speed),
        "min_speed_m": round(figures.min_speed_m, 2),
        "mean_speed_kmh": kmh(figures.mean_speed),
        "coast_s": round(figures.coast_s, 3),
        "throttle_pickup_m": _round(figures.throttle_pickup_m, 2),
        "full_throttle_m": _round(figures.full_throttle_m, 2),
        "throttle_lifts": figures.throttle_lifts,
        "gear": figures.gear,
        "turn_in_m": _round(figures.turn_in_m, 2),
        "steering_reversals": figures.steering_reversals,
        "steering_rate_dps": _round(None if figures.steering_rate is None else degrees(figures.steering_rate), 1),
        "grip_used_min_speed": round(figures.grip_used_min_speed, 3),
        "grip_used_exit": round(figures.grip_used_exit, 3),
        "offset_turn_in_m": _round(figures.offset_turn_in, 2),
        "offset_apex_m": _round(figures.offset_apex, 2),
        "offset_exit_m": _round(figures.offset_exit, 2),
        "exit_speed_kmh": kmh(figures.exit_speed),
        "straight_end_speed_kmh": kmh(figures.straight_end_speed),
        "inferred": figures.inferred,
    }


def _comparisons(study: Study) -> list[dict[str, Any]]:
    base_run = study.entries[study.reference].run
    assert base_run is not None
    base = base_run.traces[study.reference_lap]
    layout = study.layout
    grid = layout.grid()
    places = np.append(np.arange(0.0, layout.length - 1e-6, STEP_M), layout.length)
    found = []
    for index, entry in enumerate(study.entries):
        if entry.run is None:
            continue
        for number, trace in entry.run.traces.items():
            same = index == study.reference
            delta = np.interp(places, grid, time_delta(trace, base))
            u = delta_uncertainty(trace, base, same, places)
            if same and number == study.reference_lap:
                delta, u = np.zeros(len(places)), np.zeros(len(places))
            found.append(
                {
                    "run": index,
                    "lap": number,
                    "s_m": [round(float(s), 3) for s in places],
                    "delta_s": [round(float(d), 5) for d in delta],
                    "delta_u_s": [round(float(d), 5) for d in u],
                }
            )
    return found


def _finding(finding: Finding, study: Study) -> dict[str, Any]:
    return {
        "run": finding.run,
        "driver": finding.driver,
        "against": finding.against,
        "passage": finding.passage,
        "corner": finding.corner,
        "from_m": round(finding.from_m, 2),
        "to_m": round(finding.to_m, 2),
        "loss_s": round(finding.loss_s, 4),
        "loss_u_s": round(finding.loss_u_s, 4),
        "loss_to_lap_s": round(finding.loss_to_lap_s, 4),
        "parts": {name: round(value, 4) for name, value in finding.parts.items()},
        "cause": finding.cause,
        "second_cause": finding.second_cause,
        "causes": [
            {"cause": one.cause, "cost_s": round(one.cost_s, 4), "cost_u_s": round(one.cost_u_s, 4)}
            for one in finding.causes
        ],
        "brought_in_s": round(finding.brought_in_s, 4),
        "unexplained_s": round(finding.unexplained_s, 4),
        "carried_s": None if finding.carried_s is None else round(finding.carried_s, 4),
        "seen_in": list(finding.seen_in),
        "of": finding.clean,
        "best_passage": {"lap": finding.best_lap, "loss_s": round(finding.best_loss_s, 4)},
        "put_forward": finding.put_forward,
        "text": metric(tell(finding, study.reference_driver(finding), elsewhere(finding, study.findings))),
    }
