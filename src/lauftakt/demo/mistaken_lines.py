"""Lines of drivers who turn in at another place, leave width unused or are carried wide."""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.demo.circuit import Circuit
from lauftakt.demo.line import path_geometry

Array = NDArray[np.float64]
# Kinds that are another line and nothing else.
LINES = ("late_turn_in", "early_turn_in", "unused_width")
# A corner begins where its line reaches this share of its greatest curvature. Turning in late is made up for over this
# multiple of the delay, and the car is back on its line this many metres later.
BEGUN, MADE_UP, BACK_M = 0.25, 2.6, 70.0
# Nobody drives nearer to the road's edge for it, and so little is not worth making less of, m.
ROOM_M, LEAST_M = 0.3, 2.0
# The tightest part of a corner lies no further from its slowest place, m.
NEAR_M = 45.0


def _away(circuit: Circuit, apex: int) -> Array:
    """(n,) metres from an apex, along the closed centre line."""
    count = len(circuit.x)
    return np.asarray(((np.arange(count) - apex + count // 2) % count - count // 2) * circuit.step)


def nearer_to_the_middle(offset: Array, circuit: Circuit, apex: int, share: float) -> Array:
    """The line of somebody who does not use the road's width around a corner."""
    return np.asarray(offset * (1.0 - share * np.exp(-0.5 * (_away(circuit, apex) / 60.0) ** 2)))


def runs_wide(offset: Array, circuit: Circuit, apex: int, metres: float) -> Array:
    """The line of a car that is carried outwards by some metres in the middle of a corner."""
    count = len(offset)
    inwards = np.sign(circuit.curvature[np.arange(apex - 5, apex + 6) % count].mean())
    return np.asarray(offset - inwards * metres * np.exp(-0.5 * ((_away(circuit, apex) - 10.0) / 35.0) ** 2))


def turned_in_late(offset: Array, circuit: Circuit, apex: int, metres: float) -> Array:
    """The line when the wheel is turned ``metres`` too late; less where that would leave the road.

    The car turns as far as before, later and then tighter: its curvature is moved along the way, by most where the
    corner begins, and by nothing once it has turned as far. What that carries it off its line by, it comes back from
    behind the corner.
    """
    edge = circuit.width / 2 - ROOM_M
    while True:
        found = _moved_bend(offset, circuit, apex, metres)
        if metres < LEAST_M or not (np.abs(found) > np.maximum(np.abs(offset), edge)).any():
            return found
        metres *= 0.9


def turned_in_early(offset: Array, circuit: Circuit, apex: int, metres: float) -> Array:
    """The line when the wheel is turned ``metres`` too early: the way in lies so much earlier along the road."""
    shift = metres * np.exp(-0.5 * ((_away(circuit, apex) + 28.0) / 30.0) ** 2)
    own = np.arange(len(offset)) * circuit.step
    return np.asarray(np.interp(own + shift, own, offset, period=circuit.length))


def _moved_bend(offset: Array, circuit: Circuit, apex: int, metres: float) -> Array:
    """A line whose bend begins some metres later, and which is found again behind the corner."""
    away = _away(circuit, apex)
    order = np.argsort(away)
    s = away[order]
    bend = gaussian_filter1d(path_geometry(circuit, offset)[3], 3, mode="wrap")[order]
    near = np.flatnonzero(np.abs(s) <= NEAR_M)
    side = np.sign(bend[near].sum())
    tight = int(near[np.argmax(side * bend[near])])
    begin = tight
    while s[begin] > -3 * NEAR_M and side * bend[begin - 1] > BEGUN * side * bend[tight]:
        begin -= 1
    reach = MADE_UP * metres
    bell = np.where(np.abs(s - s[begin]) < reach, 0.5 + 0.5 * np.cos(np.pi * (s - s[begin]) / reach), 0.0)
    moved = s - metres * bell
    change = np.interp(moved, s, bend) * np.gradient(moved, s) - bend
    heading = np.cumsum(change) * circuit.step
    carried = np.cumsum(heading) * circuit.step
    done = s[begin] + reach
    back = np.clip((s - max(done, s[tight])) / BACK_M, 0.0, 1.0)
    gone = np.interp(done, s, carried)
    carried = np.where(s > done, gone, carried) * (1.0 - back * back * (3.0 - 2.0 * back))
    found = offset.copy()
    found[order] += carried
    return found
