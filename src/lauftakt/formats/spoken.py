"""Sentences and figures as text in a reader's units, for paper and for files that open by themselves."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lauftakt.core.findings.words import Quantity, Said
from lauftakt.formats.units import convert

System = Literal["metric", "imperial"]

# By what a figure measures: SI unit, unit and digits for metric readers, and for others.
_UNITS: dict[str, tuple[str, tuple[str, int], tuple[str, int]]] = {
    "distance": ("m", ("m", 0), ("ft", 0)),
    "width": ("m", ("m", 1), ("ft", 1)),
    "length": ("m", ("km", 2), ("mi", 2)),
    "speed": ("m/s", ("km/h", 0), ("mph", 0)),
    "time": ("s", ("s", 2), ("s", 2)),
    "acceleration": ("m/s^2", ("g", 2), ("g", 2)),
    "share": ("1", ("%", 0), ("%", 0)),
    "pressure": ("Pa", ("bar", 0), ("psi", 0)),
    "angle": ("rad", ("deg", 0), ("deg", 0)),
    "turn_rate": ("rad/s", ("deg/s", 0), ("deg/s", 0)),
}


_SIGNS = {"deg": "°", "deg/s": "°/s"}


@dataclass(frozen=True)
class Reader:
    """Somebody who reads figures in their own units."""

    system: System = "metric"

    def unit(self, quantity: str) -> str:
        """The unit's label; empty for what has none."""
        found = _UNITS.get(quantity)
        return "" if found is None else _SIGNS.get(self._of(found)[0], self._of(found)[0])

    def factor(self, quantity: str) -> float:
        """From SI to the reader's unit."""
        found = _UNITS.get(quantity)
        return 1.0 if found is None else float(convert(np.array([1.0]), found[0], self._of(found)[0])[0])

    def figure(self, value: float, quantity: str, *, unit: bool = True) -> str:
        """A figure as text: ``98 km/h``."""
        found = _UNITS.get(quantity)
        if found is None:
            return f"{value:g}".replace("-", "−")
        label, digits = self._of(found)
        text = f"{value * self.factor(quantity):.{digits}f}".replace("-", "−")
        return f"{text}\u00a0{_SIGNS.get(label, label)}" if unit else text

    def text(self, said: Said) -> str:
        """A sentence of the core as text."""
        return "".join(
            part if isinstance(part, str) else self.figure(part.value, part.quantity, unit=part.unit) for part in said
        )

    def _of(self, found: tuple[str, tuple[str, int], tuple[str, int]]) -> tuple[str, int]:
        return found[1] if self.system == "metric" else found[2]


def to_rows(said: Said) -> list[dict[str, object]]:
    """A sentence as it is kept: its figures stay in SI."""
    return [
        {"text": part} if isinstance(part, str) else {"value": part.value, "quantity": part.quantity, "unit": part.unit}
        for part in said
    ]


def from_rows(rows: list[dict[str, object]]) -> Said:
    """A kept sentence."""
    return tuple(
        str(row["text"])
        if row.get("text") is not None
        else Quantity(float(row["value"]), str(row["quantity"]), bool(row.get("unit", True)))  # type: ignore[arg-type]
        for row in rows
    )
