"""Technique: where a driver brakes, how slow it gets, when the throttle is full, in any part of a lap."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

BRAKE_ON = 0.05
FULL = 0.95
HELD_S = 0.2
JOINED_M = 25.0
INFERRED_BRAKING = 2.5
MOST_EARLY_M = 120.0


@dataclass(frozen=True)
class Scale:
    """What "some brake" and "full throttle" mean in one run.

    ``brake`` is the 99th percentile of the brake channel, ``throttle`` the highest throttle, both over the timed laps;
    None where not logged.
    """

    brake: float | None
    throttle: float | None


@dataclass(frozen=True)
class Figures:
    """Figures of one lap in one part of the circuit; None where it does not happen there or cannot be known.

    ``brake_point_m``, ``brake_release_m``, ``min_speed_m``, ``throttle_pickup_m``, ``full_throttle_m`` in metres from
    the start line; speeds in m/s; ``brake_peak`` in the brake channel's SI unit; ``inferred`` where braking comes from
    deceleration because no brake was logged.
    """

    entry_speed: float
    min_speed: float
    min_speed_m: float
    exit_speed: float
    brake_point_m: float | None
    brake_release_m: float | None
    brake_peak: float | None
    throttle_pickup_m: float | None
    full_throttle_m: float | None
    inferred: bool


def run_scale(grid: dict[str, Array]) -> Scale:
    """Scales of a run from its channels on the grid, (laps, g) each."""
    brake = grid.get("brake_pressure", grid.get("brake_pedal"))
    throttle = grid.get("throttle")
    return Scale(
        None if brake is None else max(float(np.percentile(brake, 99)), 1e-9),
        None if throttle is None else max(float(throttle.max()), 1e-9),
    )


def figures(grid: dict[str, Array], s: Array, time: Array, scale: Scale, from_m: float, to_m: float) -> Figures:
    """Figures of one lap between two places of the same lap.

    Parameters
    ----------
    grid : channels of the lap by role, (g,) each, SI units
    s, time : (g,) the layout's grid in m and the lap's times on it in s
    scale : from :func:`run_scale`
    from_m, to_m : metres from the start line, ``from_m`` < ``to_m``

    Returns
    -------
    See :class:`Figures`.

    Raises
    ------
    ValueError
        if the part is shorter than 3 m.
    """
    first, last = int(np.searchsorted(s, from_m)), int(np.searchsorted(s, to_m, side="right"))
    if last - first < 3:
        raise ValueError("A part of a lap must be at least 3 m long.")
    part, clock, speed = s[first:last], time[first:last], grid["speed"][first:last]
    slowest = int(np.argmin(speed))
    brake = grid.get("brake_pressure", grid.get("brake_pedal"))
    inferred = brake is None or scale.brake is None
    if inferred:
        level = np.maximum(0.0, -np.gradient(speed) / np.maximum(np.gradient(clock), 1e-4))
        threshold = INFERRED_BRAKING
    else:
        assert brake is not None
        assert scale.brake is not None
        level, threshold = brake[first:last], BRAKE_ON * scale.brake
    # Who brakes before the part begins is still braking in it: the onset is looked for where it was.
    early = first
    if level[0] > threshold and not inferred:
        assert brake is not None
        while early > 0 and brake[early] > threshold and s[first] - s[early] < MOST_EARLY_M:
            early -= 1
        level = brake[early:last]
    place, when = s[early:last], time[early:last]
    span = _first_application(level, threshold, place, when)
    point = release = peak = None
    if span is not None:
        on, off = span
        point = _onset(level, place, on, threshold)
        release = float(place[min(off, len(place) - 1)])
        peak = None if inferred else float(level[on:off].max())
    pickup = full = None
    throttle = grid.get("throttle")
    if throttle is not None and scale.throttle is not None:
        pedal = throttle[first:last]
        pickup = _first_place(pedal[slowest:] > BRAKE_ON * scale.throttle, part[slowest:])
        if pedal.min() < FULL * scale.throttle:
            full = _crossing(pedal[slowest:], part[slowest:], FULL * scale.throttle)
    return Figures(
        entry_speed=float(speed[: slowest + 1].max()),
        min_speed=float(speed[slowest]),
        min_speed_m=float(part[slowest]),
        exit_speed=float(speed[-1]),
        brake_point_m=point,
        brake_release_m=release,
        brake_peak=peak,
        throttle_pickup_m=pickup,
        full_throttle_m=full,
        inferred=inferred,
    )


def _first_application(level: Array, threshold: float, s: Array, time: Array) -> tuple[int, int] | None:
    """First and last index of the first braking that is held; applications less than 25 m apart are one."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], (level > threshold).astype(int), [0]])))
    spans = [(int(a), int(b)) for a, b in edges.reshape(-1, 2)]
    joined: list[tuple[int, int]] = []
    for a, b in spans:
        if joined and s[a] - s[joined[-1][1] - 1] < JOINED_M:
            joined[-1] = (joined[-1][0], b)
        else:
            joined.append((a, b))
    for a, b in joined:
        if a > 0 and time[min(b, len(time) - 1)] - time[a] >= HELD_S:
            return a, b
    return None


def _onset(level: Array, s: Array, on: int, threshold: float) -> float:
    """Where the rising flank, extended back to zero, begins."""
    share = (threshold - level[on - 1]) / max(level[on] - level[on - 1], 1e-12)
    crossed = float(s[on - 1] + share * (s[on] - s[on - 1]))
    high = np.flatnonzero(level[on:] > 4 * threshold)
    if not len(high):
        return crossed
    later = on + int(high[0])
    share = (4 * threshold - level[later - 1]) / max(level[later] - level[later - 1], 1e-12)
    higher = float(s[later - 1] + share * (s[later] - s[later - 1]))
    # The line through 5 % and 20 % reaches zero a third of their distance before 5 %; a flat flank says little.
    return crossed - min((higher - crossed) / 3.0, 5.0)


def _first_place(on: NDArray[np.bool_], s: Array) -> float | None:
    return float(s[int(np.argmax(on))]) if on.any() else None


def _crossing(values: Array, s: Array, level: float) -> float | None:
    """Interpolated first place at or above a level."""
    on = values >= level
    if not on.any():
        return None
    i = int(np.argmax(on))
    if i == 0:
        return float(s[0])
    share = (level - values[i - 1]) / max(values[i] - values[i - 1], 1e-12)
    return float(s[i - 1] + share * (s[i] - s[i - 1]))
