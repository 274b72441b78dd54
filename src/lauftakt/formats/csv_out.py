"""Writes our canonical CSV: see docs/formats.md."""

from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv

from lauftakt.core.log import Log
from lauftakt.core.roles import ROLES
from lauftakt.formats.units import convert

# Decimals that keep the resolution of ordinary sensors in the unit written.
_DECIMALS = {"deg": 7, "km/h": 3, "%": 2, "bar": 3, "rpm": 1, "g": 4, "degC": 2, "m": 3, "deg/s": 3, "1": 3}


def write_csv(log: Log, path: Path) -> None:
    """Write a log as canonical CSV.

    All channels share the union of their clocks; a cell is blank where a channel was not sampled then.
    """
    clock = np.unique(np.concatenate([np.round(channel.time, 4) for channel in log.channels]))
    columns = [np.round(clock, 4)]
    header = ["time [s]"]
    for channel in log.channels:
        role = ROLES.get(channel.role or "")
        unit = role.assumed if role else channel.unit
        values = convert(channel.values, role.unit, unit) if role else channel.values
        decimals = 7 if channel.role in ("latitude", "longitude") else _DECIMALS.get(unit, 6)
        column = np.full(len(clock), np.nan)
        column[np.searchsorted(clock, np.round(channel.time, 4))] = np.round(values, decimals)
        columns.append(column)
        header.append(f"{role.header if role else channel.name} [{unit}]")
    table = pa.table({str(i): pa.array(column, from_pandas=True) for i, column in enumerate(columns)})
    with path.open("wb") as file:
        for key, value in log.meta.items():
            file.write(f"# {key}: {' '.join(value.split())}\n".encode())
        file.write((",".join(header) + "\n").encode())
        pacsv.write_csv(table, file, pacsv.WriteOptions(include_header=False, quoting_style="none"))
