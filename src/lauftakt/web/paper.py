"""The sector sheet as data for paper: all text, already in the words and digits that are set."""

from typing import Any

from lauftakt.web import schemas

ASIDE = {
    "out": "out", "in": "in", "part": "part", "stopped": "stopped", "slow": "slow", "wet": "wet",
    "track_limits": "track limits", "traffic": "traffic", "mistake": "mistake", "warming_up": "warming up",
    "by_hand": "by hand",
}  # fmt: skip
LEVEL = 5e-7


def lap_time(seconds: float | None, digits: int = 2) -> str:
    """A lap time as it is read: 1:54.22."""
    if seconds is None:
        return "–"
    whole = round(seconds * 10**digits)
    minutes, rest = divmod(whole, 60 * 10**digits)
    return f"{minutes}:{rest / 10**digits:0{3 + digits}.{digits}f}" if minutes else f"{rest / 10**digits:.{digits}f}"


def paper(found: schemas.LapsOut) -> dict[str, Any]:
    """What the template ``laps`` sets. In each cell: text, and how often it is underlined (own best 1, of all 2)."""
    event = found.event
    assert event is not None
    runs = {run.id: run for run in found.runs}
    drivers = []
    for row in found.drivers:
        own = [lap for lap in found.laps if runs[lap.run].driver == row.driver.id]
        best = [[lap_time(row.best_s), 2 if row.level else 1]]
        best += [[_part(part.best_s), 2 if part.level else 1] for part in row.parts]
        told = ""
        if row.theoretical_s is not None:
            told = f"theoretical best {lap_time(row.theoretical_s)}, {row.gap_s or 0.0:.2f} s away"
            told += f" ({row.judged})" if row.judged else ""
            told += f"; {row.counting} laps count"
        drivers.append(
            {
                "name": row.driver.name,
                "about": told,
                "best": best,
                "laps": [_lap(lap, row) for lap in own],
            }
        )
    composite = found.composite
    return {
        "title": f"{event.circuit}: {event.name}",
        "about": event.day,
        "columns": [column.name for column in found.columns],
        "drivers": drivers,
        "foot": f"Best parts of all in one lap: {lap_time(composite.time_s)}." if composite else "",
        "words": {"lap": "lap", "time": "time", "best": "best", "aside": "set aside"},
        "help": "Underlined: own best; twice: best of all, or level with it. Grey: set aside, or behind another car.",
    }


def _lap(lap: schemas.SheetLap, row: schemas.SheetDriver) -> dict[str, Any]:
    cells = [[lap_time(lap.time_s), int(lap.key == row.best_lap), False]]
    for k, value in enumerate(lap.parts_s):
        best = row.parts[k].best_s
        own = value is not None and best is not None and abs(value - best) < LEVEL and lap.set_aside is None
        cells.append([_part(value), int(own), k in lap.held])
    return {
        "number": str(lap.number),
        "cells": cells,
        "aside": ASIDE.get(lap.set_aside or "", lap.set_aside or ""),
    }


def _part(seconds: float | None) -> str:
    return "–" if seconds is None else f"{seconds:.2f}"
