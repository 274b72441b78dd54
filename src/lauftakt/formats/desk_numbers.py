"""Curves of several laps along a circuit, as CSV and as JSON: see docs/formats.md."""

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.roles import ROLES
from lauftakt.core.registry import CHANNELS, DERIVED
from lauftakt.formats.csv_out import DECIMALS
from lauftakt.formats.tables import write_columns
from lauftakt.formats.units import convert

Array = NDArray[np.float64]

# What a quantity is written in that no logger's role says anything of: its SI unit, and what people read.
_WRITTEN = {
    "speed": ("m/s", "km/h"), "acceleration": ("m/s^2", "g"), "share": ("1", "%"), "time": ("s", "s"),
    "width": ("m", "m"), "loss_rate": ("s/m", "s/m"), "curvature": ("1/m", "1/m"), "share_rate": ("1/s", "1/s"),
}  # fmt: skip


@dataclass(frozen=True)
class LapCurve:
    """A channel of a lap at the places of a table, SI (of a channel without a role in the logger's unit)."""

    lap: str
    role: str
    label: str
    unit: str
    values: Array


def written_unit(role: str, logged: str = "") -> tuple[str, str]:
    """SI unit of a channel and the one in which it is written; ``logged`` is that of one without a role."""
    if role in ROLES and role not in ("speed",):
        return ROLES[role].unit, ROLES[role].assumed
    entry = CHANNELS.get(role) or DERIVED.get(role)
    if entry is None:
        return logged, logged
    return _WRITTEN.get(entry.quantity, ("1", "1"))


def desk_csv(about: Mapping[str, str], places: Array, curves: Sequence[LapCurve]) -> bytes:
    """One row for each place, one column for each lap and channel, in the units that people read.

    Parameters
    ----------
    about : what the table is of, written as comment lines
    places : (g,) m from the start line
    curves : (g,) each

    Returns
    -------
    UTF-8; a cell is blank where nothing is known.
    """
    header, arrays = ["distance [m]"], [np.round(places, 3)]
    for curve in curves:
        si, unit = written_unit(curve.role, curve.unit)
        values = curve.values if si == unit else convert(curve.values, si, unit)
        header.append(f"{curve.lap}: {curve.label} [{unit or '1'}]")
        arrays.append(np.round(values, DECIMALS.get(unit, 6)))
    file = io.BytesIO()
    write_columns(file, about, header, arrays)
    return file.getvalue()
