"""The line a good driver takes: the path of least curvature change between the limits."""

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline
from scipy.optimize import lsq_linear

from lauftakt.demo.circuit import Circuit

Array = NDArray[np.float64]


def racing_line(circuit: Circuit, *, margin_m: float = 1.0, coarse_m: float = 8.0) -> Array:
    """Offset of a good line from the centre line, left positive, one value for each grid point of the circuit.

    Minimises the integral of the squared curvature of the path (curvature of a path at offset n is about
    kappa + n'' + kappa^2 n) with a small weight on its length, with the road's limits as bounds.
    """
    count = max(16, round(circuit.length / coarse_m))
    step = circuit.length / count
    s = np.arange(count) * step
    own = np.arange(len(circuit.x)) * circuit.step
    smooth = np.convolve(np.tile(circuit.curvature, 3), np.ones(9) / 9, mode="same")
    kappa = np.interp(s, own, smooth[len(own) : 2 * len(own)])
    here = np.eye(count)
    before, after = np.roll(here, 1, axis=1), np.roll(here, -1, axis=1)
    bending = (before - 2 * here + after) / step**2 + np.diag(kappa**2)
    slope = (after - here) / step * 0.004
    bound = circuit.width / 2 - margin_m
    rows = np.vstack([bending, slope, here * 1e-5])
    wanted = np.concatenate([-kappa, np.zeros(2 * count)])
    found = lsq_linear(rows, wanted, bounds=(-bound, bound), method="trf", tol=1e-8).x
    coarse = np.append(found, found[0])
    return np.asarray(
        np.clip(CubicSpline(np.append(s, circuit.length), coarse, bc_type="periodic")(own), -bound, bound)
    )


def path_geometry(circuit: Circuit, offset: Array) -> tuple[Array, Array, Array, Array]:
    """Positions, length of each step and curvature of the path at an offset from the closed centre line.

    Returns x, y (n,), metres; ``advance`` (n,), metres of path from each point to the next; ``curvature`` (n,), 1/m.
    """
    x = circuit.x - np.sin(circuit.heading) * offset
    y = circuit.y + np.cos(circuit.heading) * offset
    dx, dy = np.roll(x, -1) - x, np.roll(y, -1) - y
    advance = np.hypot(dx, dy)
    heading = np.unwrap(np.arctan2(dy, dx))
    turn = np.empty_like(heading)
    turn[1:] = np.diff(heading)
    turn[0] = (heading[0] - heading[-1] + np.pi) % (2 * np.pi) - np.pi
    curvature = turn / ((advance + np.roll(advance, 1)) / 2)
    return x, y, advance, curvature
