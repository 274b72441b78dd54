"""One log as six kinds of loggers would have written it."""

from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from lauftakt.core.log.model import Log
from lauftakt.core.log.roles import ROLES
from lauftakt.formats.columnar import write_columnar
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.gpx import write_gpx
from lauftakt.formats.mdf import write_mdf
from lauftakt.formats.units import convert


def named(log: Log, **meta: str | None) -> Log:
    """The log with other metadata; None takes a key away."""
    kept = {key: value for key, value in (log.meta | meta).items() if value is not None}
    return replace(log, meta=kept)


def _columns(log: Log, clock: np.ndarray, roles: dict[str, tuple[str, str]]) -> list[tuple[str, str, np.ndarray]]:
    """Name, unit and values on one clock; slow channels are held."""
    found = []
    for role, (name, unit) in roles.items():
        channel = log.role(role)
        at = np.clip(np.searchsorted(channel.time, clock + 1e-9, side="right") - 1, 0, len(channel.time) - 1)
        found.append((name, unit, convert(channel.values[at], ROLES[role].unit, unit)))
    return found


def write_german(log: Log, path: Path) -> None:
    """Semicolons, decimal commas, a row of units, Windows letters, metadata lines, ISO times, blanks where slow."""
    begin = datetime.fromisoformat(log.meta["date"])
    clock = np.arange(0.0, log.role("speed").time[-1], 0.02)
    roles = {
        "latitude": ("GPS Latitude", "deg"),
        "longitude": ("GPS Longitude", "deg"),
        "speed": ("Geschwindigkeit", "km/h"),
        "throttle": ("Gaspedal", "%"),
        "brake_pressure": ("Bremsdruck", "bar"),
        "steering": ("Lenkwinkel", "°"),
        "oil_temperature": ("Öltemperatur Oil Temp", "°C"),
    }
    columns = _columns(log, clock, roles)
    slow = {"GPS Latitude": 5, "GPS Longitude": 5, "Öltemperatur Oil Temp": 50}
    lines = [f"Fahrer;{log.meta['driver']}", f"Fahrzeug;{log.meta['car']}", "Reifen;Slick, hart", ""]
    lines.append(";".join(["Zeit", *(name for name, _, _ in columns)]))
    lines.append(";".join(["", *(unit for _, unit, _ in columns)]))
    for i, at in enumerate(clock):
        cells = [(begin + timedelta(seconds=float(at))).isoformat(timespec="milliseconds")]
        cells += ["" if i % slow.get(name, 1) else f"{values[i]:.7f}".replace(".", ",") for name, _, values in columns]
        lines.append(";".join(cells))
    path.write_bytes("\r\n".join(lines).encode("cp1252"))


def write_odd(log: Log, path: Path) -> None:
    """Tabs, bare clock times, slow channels held, mirrored acceleration, pedals under names that say nothing."""
    begin = datetime.fromisoformat(log.meta["date"])
    clock = np.arange(0.0, log.role("speed").time[-1], 0.02)
    roles = {
        "latitude": ("Lat", "deg"),
        "longitude": ("Lon", "deg"),
        "speed": ("V", "km/h"),
        "throttle": ("An1", "%"),
        "brake_pressure": ("An2", "psi"),
        "lateral_acceleration": ("G_Lat", "g"),
    }
    columns = [
        ("Speed", unit, values) if name == "V" else (name, unit, -values if name == "G_Lat" else values)
        for name, unit, values in _columns(log, clock, roles)
    ]
    lines = ["\t".join(["Time", *(name for name, _, _ in columns), "Marker"])]
    for i, at in enumerate(clock):
        moment = (begin + timedelta(seconds=float(at))).strftime("%H:%M:%S.%f")[:-3]
        lines.append(
            "\t".join(
                [
                    moment,
                    *(f"{values[i]:.7g}" if abs(values[i]) < 50 else f"{values[i]:.9g}" for _, _, values in columns),
                    "a",
                ]
            )
        )
    path.write_text("\n".join(lines))


def write_thinned_gpx(log: Log, path: Path) -> None:
    """What a phone writes: fixes and speed."""
    kept = tuple(c for c in log.channels if c.role in ("latitude", "longitude", "speed"))
    write_gpx(replace(log, channels=kept), path)


WRITERS = {
    "canonical.csv": write_csv,
    "german.csv": write_german,
    "phone.gpx": write_thinned_gpx,
    "logger.mf4": write_mdf,
    "table.parquet": write_columnar,
    "2026-05-16-odd.txt": write_odd,
}
