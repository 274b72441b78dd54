"""A layout: one way of driving round a circuit, with its line, corners, passages and splits."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.centre import CentreLine
from lauftakt.core.geo import Plane

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Line:
    """A line across the road, in degrees: ``left`` and ``right`` end (latitude, longitude) in driving direction."""

    left: tuple[float, float]
    right: tuple[float, float]


@dataclass(frozen=True)
class Corner:
    """A corner on the layout: places in metres, ``direction`` ``left`` or ``right``, ``group`` of linked corners."""

    name: str
    direction: str
    entry_m: float
    apex_m: float
    exit_m: float
    group: int


@dataclass(frozen=True)
class Passage:
    """Corners and the straight that follows; ``from_m`` > ``to_m`` where it crosses the start line."""

    name: str
    corners: tuple[str, ...]
    from_m: float
    to_m: float


@dataclass(frozen=True)
class Layout:
    """A layout.

    Attributes
    ----------
    name : of the circuit
    plane : its tangent plane, touching at the start line's middle
    start : the start line
    centre : the centre line
    skew : metres by which a car crosses the drawn start line earlier in s for each metre of offset to the left
    corners, passages : in driving order from the start line
    splits_m : places where sectors meet, without 0 and the length
    """

    name: str
    plane: Plane
    start: Line
    centre: CentreLine
    skew: float = 0.0
    corners: tuple[Corner, ...] = ()
    passages: tuple[Passage, ...] = ()
    splits_m: tuple[float, ...] = ()
    marks: tuple[tuple[str, float], ...] = field(default_factory=tuple)

    @property
    def length(self) -> float:
        """Metres from line to line."""
        return self.centre.length

    def grid(self) -> Array:
        """The common grid: whole metres from 0, and the length."""
        last = int(np.floor(self.length - 1e-6))
        return np.append(np.arange(last + 1, dtype=float), self.length)

    def in_passage(self, passage: Passage) -> list[tuple[float, float]]:
        """The passage as one or two stretches inside [0, length]."""
        if passage.from_m < passage.to_m:
            return [(passage.from_m, passage.to_m)]
        return [(passage.from_m, self.length), (0.0, passage.to_m)]
