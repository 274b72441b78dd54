"""Places of a layout on the ground, and back: what is to survive another layout version is kept as a position."""

import numpy as np

from lauftakt.core.circuit.layout import Layout

# Further off the line a position belongs to another road.
BESIDE_M = 30.0


def on_ground(layout: Layout, at: float, offset: float = 0.0) -> tuple[float, float]:
    """Latitude and longitude, degrees, of a place.

    Parameters
    ----------
    layout : any
    at : m from the start line
    offset : m across the line, left positive
    """
    x, y = layout.centre.beside(np.array([at]), np.array([offset]))
    latitude, longitude = layout.plane.to_degrees(x, y)
    return float(latitude[0]), float(longitude[0])


def place_of(layout: Layout, latitude: float, longitude: float) -> float | None:
    """Metres from the start line of a position, inside the lap; None where the layout does not lead past it."""
    x, y = layout.plane.to_xy([latitude], [longitude])
    s, offset = layout.centre.project(x, y)
    if abs(float(offset[0])) > BESIDE_M:
        return None
    at = float(s[0])
    if layout.centre.closed:
        return at % layout.length
    return at if -BESIDE_M <= at <= layout.length + BESIDE_M else None


def metres_apart(layout: Layout, one: float, other: float) -> float:
    """How far two places (m from the start line) are from each other along the layout, m: on a closed one the short way
    round."""
    gap = abs(one - other)
    return min(gap, layout.length - gap) if layout.centre.closed else gap
