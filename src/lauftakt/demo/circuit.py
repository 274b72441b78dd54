"""The made-up circuit Ellerholm Park: a closed path built from straights, clothoids and arcs."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Bend:
    """One arc with a clothoid on either side.

    ``angle_deg`` is the whole change of heading, left positive; ``ease_m`` the length of each clothoid.
    """

    name: str
    angle_deg: float
    radius_m: float
    ease_m: float


@dataclass(frozen=True)
class Straight:
    length_m: float


@dataclass(frozen=True)
class Circuit:
    """A closed road: centre line on a 1 m grid (the last point is one step before the first).

    Attributes
    ----------
    x, y : (n,) metres east and north of the start line's middle
    heading : (n,) radians, unwrapped, counter-clockwise from east
    curvature : (n,) 1/m, left positive
    step : metres between grid points
    width : metres between the limits
    latitude, longitude : of the start line's middle, degrees
    corners : name and apex position in metres for each bend that counts as a corner
    finish_m : where the finish of an open course lies; None on a closed circuit, whose start is its finish. On an open
        course the start line lies ``start_m`` after the first point
    start_m : metres from the first point to the start line
    """

    name: str
    x: Array
    y: Array
    heading: Array
    curvature: Array
    step: float
    width: float
    latitude: float
    longitude: float
    corners: tuple[tuple[str, float], ...]
    finish_m: float | None = None
    start_m: float = 0.0

    @property
    def closed(self) -> bool:
        return self.finish_m is None

    @property
    def length(self) -> float:
        return float(len(self.x) * self.step)


def _bend_curvature(bend: Bend, step: float) -> Array:
    """Curvature along a bend, sampled at the middle of steps of about ``step`` metres."""
    angle = np.radians(abs(bend.angle_deg))
    ease = min(bend.ease_m, angle * bend.radius_m * 0.9)
    arc = angle * bend.radius_m - ease
    length = arc + 2 * ease
    count = max(2, round(length / step))
    u = (np.arange(count) + 0.5) * length / count
    shape = np.clip(np.minimum(u, length - u) / ease, 0.0, 1.0)
    curvature = np.sign(bend.angle_deg) * shape / bend.radius_m
    # The discrete sum must turn by exactly the wanted angle, or the circuit does not close.
    return np.asarray(curvature * (angle / (np.abs(curvature).sum() * length / count)), dtype=np.float64)


def build_circuit(
    name: str,
    parts: list[Bend | Straight],
    *,
    length_m: float,
    start_offset_m: float,
    latitude: float,
    longitude: float,
    width_m: float = 11.0,
    turn_deg: float = 0.0,
) -> Circuit:
    """Join bends and straights into a closed circuit of the wanted length.

    The bends' angles must add up to a whole turn. The straights' lengths are changed as little as possible (least
    squares of the relative changes) until the end meets the beginning; then everything is scaled to ``length_m``.

    Raises
    ------
    ValueError
        if the angles do not add up to 360 degrees, or closing would need a straight of negative length.
    """
    total = sum(p.angle_deg for p in parts if isinstance(p, Bend))
    if abs(abs(total) - 360.0) > 1e-9:
        raise ValueError(f"The bends of {name} turn by {total} degrees, not by a whole turn.")
    fine = 0.25
    heading = 0.0
    drift = np.zeros(2)
    directions: list[Array] = []
    for part in parts:
        if isinstance(part, Straight):
            directions.append(np.array([np.cos(heading), np.sin(heading)]))
            drift += part.length_m * directions[-1]
        else:
            curvature = _bend_curvature(part, fine)
            step = np.radians(part.angle_deg) / curvature.sum()
            along = heading + np.cumsum(curvature) * step - curvature * step / 2
            drift += np.array([np.cos(along).sum(), np.sin(along).sum()]) * step
            heading += np.radians(part.angle_deg)
    # Long straights may change more than short ones: least squares of the relative changes.
    nominal = np.array([p.length_m for p in parts if isinstance(p, Straight)])
    change = nominal * np.linalg.lstsq(np.array(directions).T * nominal, -drift, rcond=None)[0]
    pieces: list[Array] = []
    steps: list[Array] = []
    apexes: list[tuple[str, float]] = []
    done = 0.0
    straights = iter(change)
    for part in parts:
        if isinstance(part, Straight):
            wanted = part.length_m + float(next(straights))
            if wanted < 0:
                raise ValueError(f"{name} does not close: a straight would be {wanted:.0f} m long.")
            count = max(1, round(wanted / fine))
            pieces.append(np.zeros(count))
            steps.append(np.full(count, wanted / count))
            done += wanted
        else:
            curvature = _bend_curvature(part, fine)
            step = np.radians(part.angle_deg) / curvature.sum()
            if part.name:
                apexes.append((part.name, done + len(curvature) * step / 2))
            pieces.append(curvature)
            steps.append(np.full(len(curvature), step))
            done += len(curvature) * step
    fine_curvature, fine_step = np.concatenate(pieces), np.concatenate(steps)
    scale = length_m / done
    turned = np.concatenate([[0.0], np.cumsum(fine_curvature * fine_step)])
    at = np.concatenate([[0.0], np.cumsum(fine_step)]) * scale
    middle = np.radians(turn_deg) + (turned[:-1] + turned[1:]) / 2
    x = np.concatenate([[0.0], np.cumsum(np.cos(middle) * fine_step)]) * scale
    y = np.concatenate([[0.0], np.cumsum(np.sin(middle) * fine_step)]) * scale
    count = round(length_m)
    step = length_m / count
    s = np.arange(count) * step
    wrapped = (s + start_offset_m) % length_m
    fine_heading = np.interp(wrapped, at, turned) + np.radians(turn_deg)
    grid_x, grid_y = np.interp(wrapped, at, x), np.interp(wrapped, at, y)
    curvature = np.interp(wrapped, (at[:-1] + at[1:]) / 2, fine_curvature / scale)
    return Circuit(
        name=name,
        x=grid_x - grid_x[0],
        y=grid_y - grid_y[0],
        heading=np.unwrap(fine_heading),
        curvature=curvature,
        step=step,
        width=width_m,
        latitude=latitude,
        longitude=longitude,
        corners=tuple((n, (a * scale - start_offset_m) % length_m) for n, a in apexes),
    )


def build_course(
    name: str,
    parts: list[Bend | Straight],
    *,
    start_m: float,
    finish_before_end_m: float,
    latitude: float,
    longitude: float,
    width_m: float,
    turn_deg: float,
) -> Circuit:
    """Join bends and straights into an open course, on a 1 m grid.

    ``start_m`` after its beginning lies the start line, ``finish_before_end_m`` before its end the finish; the origin
    is the start line's middle.
    """
    fine = 0.25
    pieces: list[Array] = []
    apexes: list[tuple[str, float]] = []
    for part in parts:
        if isinstance(part, Straight):
            pieces.append(np.zeros(round(part.length_m / fine)))
            continue
        curvature = _bend_curvature(part, fine)
        curvature *= np.radians(part.angle_deg) / (curvature.sum() * fine)
        apexes.append((part.name, (sum(len(p) for p in pieces) + len(curvature) / 2) * fine))
        pieces.append(curvature)
    curvature = np.concatenate(pieces)
    turned = np.concatenate([[0.0], np.cumsum(curvature) * fine]) + np.radians(turn_deg)
    middle = (turned[:-1] + turned[1:]) / 2
    x = np.concatenate([[0.0], np.cumsum(np.cos(middle)) * fine])
    y = np.concatenate([[0.0], np.cumsum(np.sin(middle)) * fine])
    every = slice(0, None, round(1 / fine))
    at = round(start_m / fine)
    x, y, heading = (x - x[at])[every], (y - y[at])[every], turned[every]
    count = len(x)
    return Circuit(
        name=name,
        x=x,
        y=y,
        heading=heading,
        curvature=np.append(curvature, 0.0)[every][:count],
        step=1.0,
        width=width_m,
        latitude=latitude,
        longitude=longitude,
        corners=tuple(apexes),
        finish_m=count - 1 - finish_before_end_m,
        start_m=start_m,
    )
