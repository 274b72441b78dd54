"""Lines across the road: where they are on a centre line, how askew, and when a track crosses them."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.layout import Line
from lauftakt.core.log.model import Unusable
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
# Lines are drawn kerb to kerb, and cars and receivers go beyond.
LINE_SLACK_M = 8.0
# Two crossings within five seconds are one, seen twice by a jumping receiver.
LEAST_LAP_S = 5.0


def line_ends(plane: Plane, line: Line) -> tuple[Array, Array]:
    """Left and right end, (2,) metres each, in a plane."""
    x, y = plane.to_xy([line.left[0], line.right[0]], [line.left[1], line.right[1]])
    return np.array([x[0], y[0]]), np.array([x[1], y[1]])


def line_across(plane: Plane, x: float, y: float, heading: float, half_m: float) -> Line:
    """A line at right angles to a heading (radians), ``half_m`` to either side of a place."""
    left = (x - half_m * np.sin(heading), y + half_m * np.cos(heading))
    right = (x + half_m * np.sin(heading), y - half_m * np.cos(heading))
    latitude, longitude = plane.to_degrees([left[0], right[0]], [left[1], right[1]])
    return Line((float(latitude[0]), float(longitude[0])), (float(latitude[1]), float(longitude[1])))


def place_of_line(centre: CentreLine, plane: Plane, line: Line, what: str) -> tuple[float, float]:
    """Where the centre line crosses a drawn line, and how askew that is.

    Parameters
    ----------
    centre, plane : a centre line in its plane
    line : left end first, seen in driving direction
    what : its name, for the message

    Returns
    -------
    s : metres on the centre line
    skew : metres by which a car crosses earlier in s for each metre of offset to the left

    Raises
    ------
    Unusable
        ``start-line`` where the line does not lie across the centre line, left end first.
    """
    left, right = line_ends(plane, line)
    along = right - left
    forward = float(np.arctan2(along[0], -along[1]))  # a quarter turn to the left of left-to-right
    both = np.full(2, forward)
    s, n = centre.project(np.array([left[0], right[0]]), np.array([left[1], right[1]]), both)
    middle = (left + right) / 2
    at, _ = centre.project(middle[:1], middle[1:], both[:1])
    x, y, heading = centre.at(at)
    if np.cos(forward - heading[0]) < 0.3 or np.hypot(x[0] - middle[0], y[0] - middle[1]) > 60.0:
        raise Unusable(
            "start-line",
            f"The {what} does not cross the way that was driven, so nothing can be timed at it. Draw it across the "
            "track, from the drivers' left to their right.",
        )
    if abs(n[0] - n[1]) < 1e-6:
        return float(at[0]), 0.0
    gap = s[1] - s[0]
    if centre.closed:
        gap = (gap + centre.length / 2) % centre.length - centre.length / 2
    share = float(np.clip(n[0] / (n[0] - n[1]), -1.0, 2.0))
    place = s[0] + share * gap
    return float(place % centre.length if centre.closed else place), float(gap / (n[0] - n[1]))


def crossings(time: Array, x: Array, y: Array, left: Array, right: Array) -> Array:
    """Times at which fixes cross a line in driving direction (left end to the driver's left), with some slack.

    Parameters
    ----------
    time, x, y : (n,) s, m, m
    left, right : (2,) m
    """
    along = right - left
    width = float(np.hypot(*along))
    unit = along / width
    forward = np.array([-unit[1], unit[0]])
    before = (x - left[0]) * forward[0] + (y - left[1]) * forward[1]
    beside = (x - left[0]) * unit[0] + (y - left[1]) * unit[1]
    cross = np.flatnonzero((before[:-1] < 0) & (before[1:] >= 0))
    share = -before[cross] / (before[cross + 1] - before[cross])
    place = beside[cross] + share * (beside[cross + 1] - beside[cross])
    within = (place > -LINE_SLACK_M) & (place < width + LINE_SLACK_M)
    cross, share = cross[within], share[within]
    times = time[cross] + share * (time[cross + 1] - time[cross])
    keep = np.concatenate([[True], np.diff(times) > LEAST_LAP_S]) if len(times) else np.zeros(0, bool)
    return np.asarray(times[keep])
