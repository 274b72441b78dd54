"""A layout: one way of driving round a circuit, with its line, corners, passages and splits."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.core.circuit.bends import LEAST_MATCH, SMOOTH_M, STEP_M, best_phase
from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.plane import Plane

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

    @property
    def called(self) -> str:
        """As drivers know it: by its first and last corner; by its own name where it has none."""
        return "-".join(dict.fromkeys((self.corners[0], self.corners[-1]))) if self.corners else self.name


@dataclass(frozen=True)
class LayoutSketch:
    """What somebody drew of a layout: at least its start line. Points are (latitude, longitude) in degrees.

    ``centre`` may begin anywhere and run either way; ``splits``, ``corners`` and ``marks`` carry names; ``left_out``
    names what was in the drawing and is not known. ``reckoned`` where it lies nowhere on Earth, as on
    :class:`Layout`.
    """

    name: str
    start: Line | None = None
    finish: Line | None = None
    centre: tuple[tuple[float, float], ...] = ()
    left_limit: tuple[tuple[float, float], ...] = ()
    right_limit: tuple[tuple[float, float], ...] = ()
    splits: tuple[tuple[str, Line], ...] = ()
    first_sector: str = ""
    corners: tuple[tuple[str, tuple[float, float]], ...] = ()
    marks: tuple[tuple[str, tuple[float, float]], ...] = ()
    pit_lane: tuple[tuple[float, float], ...] = ()
    left_out: tuple[str, ...] = ()
    reckoned: bool = False


# Nearer than this to the other line it is the same road.
OTHER_WAY_M = 20.0
# Two lines round the same circuit, each from some driver's laps, differ in length by less.
SAME_LENGTH = 0.03


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
    split_skews, split_names : of splits that were drawn as lines; empty for proposed ones
    finish, finish_skew : the finish line of an open course
    left_limit, right_limit : (g,) metres across at :meth:`grid`, left positive, where the limits are known
    first_sector : name of the sector that begins at the start line; the others are named by their split
    marks : name and place of what can be seen from the driver's seat
    pit_lane : (latitude, longitude) in degrees from its entry to its exit, where it was drawn
    reckoned : whether it was drawn by dead reckoning, without any position: it has a shape, but no place, no north, and
        may be a mirror image
    """

    name: str
    plane: Plane
    start: Line
    centre: CentreLine
    skew: float = 0.0
    corners: tuple[Corner, ...] = ()
    passages: tuple[Passage, ...] = ()
    splits_m: tuple[float, ...] = ()
    split_skews: tuple[float, ...] = ()
    split_names: tuple[str, ...] = ()
    first_sector: str = ""
    finish: Line | None = None
    finish_skew: float = 0.0
    left_limit: Array | None = None
    right_limit: Array | None = None
    marks: tuple[tuple[str, float], ...] = field(default_factory=tuple)
    pit_lane: tuple[tuple[float, float], ...] = ()
    reckoned: bool = False

    @property
    def names_of_splits(self) -> tuple[str, ...]:
        """What each sector but the first is called, empty where it was given no name."""
        return self.split_names or ("",) * len(self.splits_m)

    @property
    def length(self) -> float:
        """Metres from line to line."""
        return self.centre.length

    def runs_against(self, other: "Layout") -> bool:
        """Whether this is the other layout driven in the opposite direction, for the greater part."""
        if self.reckoned or other.reckoned:
            forwards, backwards = self._alike(other)
            return backwards > max(forwards, LEAST_MATCH)
        near, along = self._beside(other)
        return near > 0.6 and along < -0.5

    def shares_road(self, other: "Layout") -> bool:
        """Whether half of this lies on the other's road in its direction: a variant, with a chicane in or out."""
        near, along = self._beside(other)
        return near > 0.5 and along > 0.8

    def is_same_way(self, other: "Layout") -> bool:
        """Whether both are the same road driven in the same direction, all the way round."""
        lengths = abs(self.length - other.length) < SAME_LENGTH * other.length
        if self.reckoned or other.reckoned:
            forwards, backwards = self._alike(other)
            return lengths and forwards > max(backwards, LEAST_MATCH)
        near, along = self._beside(other)
        return lengths and self.centre.closed == other.centre.closed and near > 0.95 and along > 0.8

    def _beside(self, other: "Layout") -> tuple[float, float]:
        """Share of this line that lies on the other's road, and how far both point the same way there (1 to -1)."""
        every = slice(None, None, 10)
        latitude, longitude = self.plane.to_degrees(self.centre.x[every], self.centre.y[every])
        x, y = other.plane.to_xy(latitude, longitude)
        s, offset = other.centre.project(x, y)
        heading = np.arctan2(np.gradient(y), np.gradient(x))
        near = np.abs(offset) < OTHER_WAY_M
        if not near.any():
            return 0.0, 0.0
        return float(near.mean()), float(np.mean(np.cos(heading - other.centre.at(s)[2])[near]))

    def _alike(self, other: "Layout") -> tuple[float, float]:
        """How alike the bends of two closed lines are, one of which lies nowhere and may be a mirror image: the
        correlation of their curvatures, driven the same way round and against it; 0 where one is open."""
        if not (self.centre.closed and other.centre.closed):
            return 0.0, 0.0
        count = round(other.length / STEP_M)

        def bend(centre: CentreLine) -> Array:
            share = np.interp(np.arange(count) / count * centre.length, centre.s, centre.curvature)
            return np.asarray(gaussian_filter1d(share, SMOOTH_M / STEP_M, mode="wrap"))

        own, theirs = bend(self.centre), bend(other.centre)
        return best_phase(own, theirs)[0], best_phase(own[::-1].copy(), theirs)[0]

    def grid(self) -> Array:
        """The common grid: whole metres from 0, and the length."""
        last = int(np.floor(self.length - 1e-6))
        return np.append(np.arange(last + 1, dtype=float), self.length)

    def in_passage(self, passage: Passage) -> list[tuple[float, float]]:
        """The passage as one or two stretches inside [0, length]."""
        if passage.from_m < passage.to_m:
            return [(passage.from_m, passage.to_m)]
        if not self.centre.closed:
            return [(passage.from_m, self.length)]
        return [(passage.from_m, self.length), (0.0, passage.to_m)]
