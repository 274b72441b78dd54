"""Writes our canonical CSV: see docs/formats.md."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.model import Log
from lauftakt.core.log.roles import ROLES
from lauftakt.formats.tables import write_columns
from lauftakt.formats.units import convert

Array = NDArray[np.float64]

# Decimals that keep the resolution of ordinary sensors in the unit written.
DECIMALS = {"deg": 7, "km/h": 3, "%": 2, "bar": 3, "rpm": 1, "g": 4, "degC": 2, "m": 3, "deg/s": 3, "1": 3}


@dataclass(frozen=True)
class Column:
    """A channel on the common clock in the unit written; NaN where it was not sampled."""

    name: str
    unit: str
    role: str | None
    values: Array


def grid_of(log: Log) -> tuple[Array, list[Column]]:
    """The union of all channels' clocks, (n,) seconds, and the channels on it."""
    clock = np.unique(np.concatenate([np.round(channel.time, 4) for channel in log.channels]))
    columns = []
    for channel in log.channels:
        role = ROLES.get(channel.role or "")
        unit = role.assumed if role else channel.unit
        values = convert(channel.values, role.unit, unit) if role else channel.values
        column = np.full(len(clock), np.nan)
        column[np.searchsorted(clock, np.round(channel.time, 4))] = values
        columns.append(Column(role.header if role else channel.name, unit, channel.role, column))
    return clock, columns


def write_csv(log: Log, path: Path) -> None:
    """Write a log as canonical CSV.

    All channels share the union of their clocks; a cell is blank where a channel was not sampled then.
    """
    clock, columns = grid_of(log)
    header = ["time [s]"]
    arrays = [np.round(clock, 4)]
    for column in columns:
        decimals = 7 if column.role in ("latitude", "longitude") else DECIMALS.get(column.unit, 6)
        arrays.append(np.round(column.values, decimals))
        header.append(f"{column.name} [{column.unit}]")
    with path.open("wb") as file:
        write_columns(file, log.meta, header, arrays)
