"""Drives an open course: standing starts, one drive after the other, and the slow way back in between."""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lauftakt.demo.car import Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.drive import Motion, _apex_of, _apply, _Limits, _sweep
from lauftakt.demo.habits import Driver

Array = NDArray[np.float64]

BACK_MS = 11.0
WAIT_S = 6.0


def drive_course(circuit: Circuit, car: Car, driver: Driver, *, drives: int, seed: int, line: Array) -> Motion:
    """Several drives from a standing start to beyond the finish, with the way back in between.

    Parameters
    ----------
    drives : how many
    seed : of everything random
    line : offset of the good line at each grid point

    Returns
    -------
    The true motion; ``crossings`` holds start and finish of each drive in turn.
    """
    random = np.random.default_rng(seed)
    count = len(circuit.x)
    index = np.arange(count)
    begin = max(round(circuit.start_m) - 12, 0)
    pieces: list[dict[str, Array]] = []
    clock, crossings = 0.0, []
    for number in range(drives):
        offset = line + driver.line_scatter_m * gaussian_filter1d(random.standard_normal(count), 60) * 12
        x, y, advance, heading, curvature = _geometry(circuit, offset)
        limits = _Limits(circuit, car, driver, gaussian_filter1d(curvature, 3))
        plain = _sweep(car, limits, curvature, advance, index)
        apex = {name: _apex_of(plain, round(place), 45) for name, place in circuit.corners}
        for place in apex.values():
            near = np.exp(-0.5 * ((index - place) / 40.0) ** 2)
            limits.speed_share *= 1.0 + driver.scatter * random.standard_normal() * near
        for habit in driver.habits:
            if random.random() < habit.share:
                _apply(
                    habit,
                    limits,
                    plain,
                    apex[habit.corner],
                    float(np.clip(1 + 0.12 * random.standard_normal(), 0.6, 1.4)),
                )
        limits.cap[: begin + 1] = 2.0
        limits.cap[-1] = 2.0
        speed = _sweep(car, limits, curvature, advance, index)
        speed = np.sqrt(np.maximum(gaussian_filter1d(speed**2, 4.5, mode="nearest"), 0.5))
        part = slice(begin, count - 1)
        time = np.concatenate([[0.0], np.cumsum(2 * advance[part][:-1] / (speed[part][:-1] + speed[part][1:]))])
        assert circuit.finish_m is not None
        crossings += [
            float(np.interp(place, index[part], time) + clock) for place in (circuit.start_m, circuit.finish_m)
        ]
        pieces.append(_piece(time + clock, x[part], y[part], heading[part], curvature[part], speed[part], index[part]))
        clock += float(time[-1]) + WAIT_S
        if number < drives - 1:
            back = slice(count - 2, begin - 1 if begin else None, -1)
            time = np.arange(count - 1 - begin) / BACK_MS
            way = np.full(len(time), BACK_MS)
            pieces.append(
                _piece(time + clock, x[back], y[back], heading[back] + np.pi, -curvature[back], way, index[back])
            )
            clock += float(time[-1]) + WAIT_S
    joined = {key: np.concatenate([piece[key] for piece in pieces]) for key in pieces[0]}
    path = np.concatenate([[0.0], np.cumsum(np.maximum(np.hypot(np.diff(joined["x"]), np.diff(joined["y"])), 1e-4))])
    return Motion(
        time=joined["time"],
        distance=joined["distance"],
        path=path,
        speed=joined["speed"],
        x=joined["x"],
        y=joined["y"],
        heading=np.unwrap(joined["heading"]),
        curvature=joined["curvature"],
        acceleration=np.gradient(joined["speed"], joined["time"]),
        gear=car.gear_at(joined["speed"]),
        offset=np.zeros(len(path)),
        steer=np.zeros(len(path)),
        slip=np.zeros(len(path)),
        crossings=np.array(crossings),
    )


def _geometry(circuit: Circuit, offset: Array) -> tuple[Array, Array, Array, Array, Array]:
    """Positions, steps, heading and curvature of a path beside an open centre line."""
    x = circuit.x - np.sin(circuit.heading) * offset
    y = circuit.y + np.cos(circuit.heading) * offset
    advance = np.hypot(np.diff(x, append=2 * x[-1] - x[-2]), np.diff(y, append=2 * y[-1] - y[-2]))
    heading = np.unwrap(np.arctan2(np.gradient(y), np.gradient(x)))
    return x, y, advance, heading, np.asarray(np.gradient(heading) / advance)


def _piece(
    time: Array, x: Array, y: Array, heading: Array, curvature: Array, speed: Array, distance: NDArray[np.int64]
) -> dict[str, Array]:
    return {
        "time": time, "x": x, "y": y, "heading": heading, "curvature": curvature, "speed": speed,
        "distance": distance.astype(float),
    }  # fmt: skip
