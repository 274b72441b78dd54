"""Drives laps: from circuit, car and driver to the true motion over time.

A quasi-steady lap simulation (point mass, forward and backward passes over the path; see Brayshaw and Harrison, "A
quasi steady state approach to race car lap simulation", Proc. IMechE D 219, 2005) whose limits are changed metre by
metre by the driver's habits, then smoothed to what pedals and tyres can follow.
"""

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicHermiteSpline, PchipInterpolator
from scipy.ndimage import gaussian_filter1d

from lauftakt.demo.car import GRAVITY, Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.habits import Driver, Habit, Traffic
from lauftakt.demo.line import path_geometry, racing_line
from lauftakt.demo.mistaken_lines import LINES, nearer_to_the_middle, runs_wide, turned_in_early, turned_in_late

Array = NDArray[np.float64]

# The throttle was picked up for so many metres before somebody hesitates.
HESITATES_M = 14.0
# Who brakes too late is slower by this share once the corner is reached.
OVERSHOT = 0.03
# A front that slides carries the car outwards, m for each unit of the habit's amount.
WIDE_M = 8.0
PIT_SPEED = 16.0
RUN_UP_M = 1200.0
RUN_OUT_M = 600.0


@dataclass(frozen=True)
class Motion:
    """The true motion of one run, along the driven path.

    ``distance`` counts along the centre line from the start line's first lap (unwrapped), ``path`` along the driven
    path; both are sampled with ``time`` at every metre of centre line. ``crossings`` are the true times at which the
    start line is crossed. ``steer`` is what the front wheels are turned beyond what the path needs, as a share of that;
    ``slip`` the share by which the left front wheel turns too slowly.
    """

    time: Array
    distance: Array
    path: Array
    speed: Array
    x: Array
    y: Array
    heading: Array
    curvature: Array
    acceleration: Array
    gear: Array
    offset: Array
    steer: Array
    slip: Array
    crossings: Array

    def at(self, time: Array) -> dict[str, Array]:
        """Everything at given times (s from the beginning of the motion)."""
        path = CubicHermiteSpline(self.time, self.path, self.speed)
        along = path(time)
        found = {
            "speed": np.maximum(path(time, 1), 0.0),
            "distance": PchipInterpolator(self.path, self.distance)(along),
            "x": PchipInterpolator(self.path, self.x)(along),
            "y": PchipInterpolator(self.path, self.y)(along),
        }
        for name in ("heading", "curvature", "acceleration", "steer", "slip"):
            found[name] = np.interp(along, self.path, getattr(self, name))
        found["gear"] = self.gear[np.clip(np.searchsorted(self.path, along, side="right") - 1, 0, None)]
        return found


class _Limits:
    """Per-metre limits of one lap, changed by habits before the passes."""

    def __init__(self, circuit: Circuit, car: Car, driver: Driver, curvature: Array) -> None:
        self.step = circuit.step
        self.grip_speed = np.sqrt(car.grip * GRAVITY / np.maximum(np.abs(curvature), 1e-4))
        self.speed_share = np.full(len(curvature), np.sqrt(driver.corner_level))
        self.cap = np.full(len(curvature), np.inf)
        self.brake = np.full(len(curvature), driver.brake_level)
        self.drive = np.full(len(curvature), driver.pace_share)
        self.gears_high = np.zeros(len(curvature), dtype=int)
        self.steer = np.zeros(len(curvature))
        self.slip = np.zeros(len(curvature))
        self.later: list[tuple[int, int, int]] = []


def _apex_of(speed: Array, near: int, reach: int) -> int:
    """Index of the slowest point within ``reach`` grid points of ``near`` (periodic)."""
    around = np.arange(near - reach, near + reach)
    return int(around[np.argmin(speed[around % len(speed)])] % len(speed))


def _window(count: int, start: int, length: float, step: float) -> NDArray[np.int64]:
    return np.arange(start, start + max(1, round(length / step))) % count


def _apply(habit: Habit, limits: _Limits, plain: Array, apex: int, strength: float) -> None:
    """Change one lap's limits by one habit; ``plain`` is the same driver's speed without any."""
    count, step = len(plain), limits.step
    amount = habit.amount * strength
    here = np.arange(count)
    away = (here - apex + count // 2) % count - count // 2
    if habit.kind == "early_brake":
        # The slow part of a long corner begins before its slowest point; the whole braking is moved forward.
        begin, slow = _braking_zone(plain, apex, step)
        shift = round(amount / step)
        zone = np.arange(begin - shift, slow + 1)
        moved = plain[np.minimum(zone + shift, slow) % count]
        limits.cap[zone % count] = np.minimum(limits.cap[zone % count], moved)
    elif habit.kind == "soft_brake":
        zone = _window(count, apex - round(260 / step), 260, step)
        limits.brake[zone] *= 1.0 - amount
    elif habit.kind in ("over_slow", "strong"):
        sign = -1.0 if habit.kind == "over_slow" else 1.0
        limits.speed_share *= 1.0 + sign * amount * np.exp(-0.5 * (away / (28.0 / step)) ** 2)
    elif habit.kind == "late_throttle":
        ready = _ready(plain, apex, step)
        zone = _window(count, apex, (ready - apex) * step + amount, step)
        limits.drive[zone] = 0.06
    elif habit.kind == "hesitant_throttle":
        zone = _window(count, _ready(plain, apex, step) + round(HESITATES_M / step), amount, step)
        limits.drive[zone] = -0.25
    elif habit.kind == "wrong_gear":
        zone = _window(count, apex - round(15 / step), 130, step)
        limits.gears_high[zone] = round(habit.amount)
    elif habit.kind == "needless_lift":
        zone = _window(count, apex - round(amount / 2 / step), amount, step)
        limits.drive[zone] = -0.7
    elif habit.kind == "coasting":
        begin, _ = _braking_zone(plain, apex, step)
        zone = _window(count, begin - round(amount / step), amount, step)
        limits.drive[zone] = -0.3
    elif habit.kind == "interrupted_brake":
        begin, _ = _braking_zone(plain, apex, step)
        middle = (begin + apex) // 2
        limits.brake[_window(count, middle - round(amount / 2 / step), amount, step)] = 0.02
    elif habit.kind == "slow_brake_rise":
        # What the rise takes off less must be begun earlier, by half its length; a little more, so that nothing but the
        # rise is at the beginning.
        begin, _ = _braking_zone(plain, apex, step)
        length = round(amount / step)
        rise = np.arange(begin - (length + 1) // 2 - round(4 / step), begin + length // 2)
        limits.brake[rise % count] *= np.linspace(0.05, 1.0, len(rise))
    elif habit.kind == "early_release":
        _, slow = _braking_zone(plain, apex, step)
        limits.brake[_window(count, slow - round(amount / step), amount, step)] = 0.03
    elif habit.kind == "late_release":
        zone = _window(count, apex, amount, step)
        limits.drive[zone] = -3.0
    elif habit.kind == "late_coasting":
        ready = _ready(plain, apex, step)
        limits.drive[_window(count, apex, (ready - apex) * step + amount, step)] = -1.0
    elif habit.kind == "braked_too_late":
        # The whole braking lies later (see _brake_later); the car is too fast for the way in, slower than it need be
        # afterwards, and the throttle has to wait until it is back on its line.
        begin, slow = _braking_zone(plain, apex, step)
        shift = round(amount / step)
        limits.later.append((begin, slow, shift))
        limits.speed_share *= 1.0 - OVERSHOT * np.exp(
            -0.5 * ((away - (slow - apex) - shift - 15.0 / step) * step / 10.0) ** 2
        )
        ready = _ready(plain, apex, step)
        limits.drive[_window(count, slow + shift, (ready - slow) * step + 0.5 * amount, step)] = 0.06
    elif habit.kind == "understeer":
        limits.speed_share *= 1.0 - amount / 2 * np.exp(-0.5 * (away / (28.0 / step)) ** 2)
        limits.steer += 4.0 * amount * np.exp(-0.5 * (away / (24.0 / step)) ** 2)
    elif habit.kind == "oversteer":
        zone = _window(count, apex + round(12 / step), amount, step)
        limits.drive[zone] = -0.3
        limits.steer[zone] -= 1.7 * np.sin(np.linspace(0.0, np.pi, len(zone))) ** 0.5
    elif habit.kind == "locked_wheel":
        # A wheel that slides brakes less than one that rolls, and whoever feels it lets go for a moment.
        begin, slow = _braking_zone(plain, apex, step)
        middle = (begin + slow) // 2
        zone = _window(count, middle - round(amount / 2 / step), amount, step)
        limits.brake[zone] *= 0.2
        limits.slip[zone] = 0.85
    elif habit.kind not in LINES:
        raise ValueError(f"No habit is called {habit.kind!r}.")


def _brake_later(speed: Array, plain: Array, limits: _Limits) -> Array:
    """A lap in which some brakings lie later as a whole, faster into the corner than the driver's usual limit."""
    found = speed.copy()
    for begin, slow, shift in limits.later:
        zone = np.arange(begin, slow + shift + 1)
        found[zone % len(found)] = np.maximum(found[zone % len(found)], plain[(zone - shift) % len(plain)])
    return found


def _ready(plain: Array, apex: int, step: float) -> int:
    """Index of the place from which the car would begin to gain speed: in a long corner well after the apex."""
    after = np.arange(apex, apex + round(60 / step))
    return int(after[plain[after % len(plain)] < 1.03 * plain[apex]][-1])


def _braking_zone(plain: Array, apex: int, step: float) -> tuple[int, int]:
    """Index of the place from which speed falls towards an apex, and of that where the slow part begins."""
    slow = apex
    while plain[slow - 1] < 1.03 * plain[apex] and (apex - slow) * step < 80.0:
        slow -= 1
    # A short rise on the way, as in a corner of two parts, does not end the braking.
    begin = at = slow
    while (slow - at) * step < 300.0 and plain[at] > 0.97 * plain[begin]:
        at -= 1
        begin = at if plain[at] > plain[begin] else begin
    return begin, slow


def _passes(car: Car, limits: _Limits, curvature: Array, advance: Array) -> Array:
    """Speed over one lap between laps like it: forward and backward pass with some run-up and run-out."""
    count = len(curvature)
    index = np.arange(-round(RUN_UP_M / limits.step), count + round(RUN_OUT_M / limits.step)) % count
    start = round(RUN_UP_M / limits.step)
    return _sweep(car, limits, curvature, advance, index)[start : start + count]


def _sweep(car: Car, limits: _Limits, curvature: Array, advance: Array, index: NDArray[np.int64]) -> Array:
    """Backward and forward pass over the grid points of ``index``."""
    top = np.minimum(np.minimum(limits.grip_speed * limits.speed_share, limits.cap), 90.0)
    v = top[index].tolist()
    bend = np.abs(curvature)[index].tolist()
    ahead = advance[index].tolist()
    brake = limits.brake[index].tolist()
    drive = limits.drive[index].tolist()
    high = limits.gears_high[index].tolist()
    grip = car.grip * GRAVITY
    drag = 0.6 * car.drag_area_m2 / car.mass_kg
    roll = car.rolling * GRAVITY
    for i in range(len(v) - 2, -1, -1):
        w = v[i + 1]
        if v[i] <= w:
            continue  # nobody brakes here
        used = w * w * bend[i + 1] / grip
        used = used if used < 0.9999 else 0.9999
        slow = grip * brake[i] * (1.0 - used * used) ** 0.5 + drag * w * w + roll
        reach = (w * w + 2.0 * slow * ahead[i]) ** 0.5
        if reach < v[i]:
            v[i] = reach
    force = car.engine()
    for i in range(len(v) - 1):
        w = v[i] if v[i] > 2.0 else 2.0
        share = drive[i]
        if share >= 0.0:
            if w * w - 2.0 * (drag * w * w + roll) * ahead[i] > 1.000001 * v[i + 1] * v[i + 1]:
                continue  # even without the engine the car is faster than the next limit
            used = w * w * bend[i] / grip
            used = used if used < 0.9999 else 0.9999
            pull, most = force(w, high[i]) / car.mass_kg, 0.62 * grip * (1.0 - used * used) ** 0.5
            push = share * (pull if pull < most else most)
        else:
            push = share * car.engine_brake_ms2
        reach = w * w + 2.0 * (push - drag * w * w - roll) * ahead[i]
        reach = (reach if reach > 4.0 else 4.0) ** 0.5
        if reach < v[i + 1]:
            v[i + 1] = reach
    return np.array(v)


def plain_speed(circuit: Circuit, car: Car, driver: Driver, line: Array) -> Array:
    """Speed along a line of a driver who does nothing wrong, (n,) m/s."""
    _, _, advance, curvature = path_geometry(circuit, _followed(line, circuit))
    limits = _Limits(circuit, car, driver, gaussian_filter1d(curvature, 3, mode="wrap"))
    return _passes(car, limits, curvature, advance)


def _followed(offset: Array, circuit: Circuit) -> Array:
    """A line as a car can follow it, on the road."""
    return np.clip(gaussian_filter1d(offset, 4, mode="wrap"), -circuit.width / 2, circuit.width / 2)


def drive_run(
    circuit: Circuit,
    car: Car,
    driver: Driver,
    *,
    timed_laps: int,
    seed: int,
    without: Collection[Habit] = (),
    line: Array | None = None,
    traffic: tuple[Traffic, ...] = (),
) -> Motion:
    """Drive an out lap from the pit exit, ``timed_laps`` timed laps and an in lap.

    Parameters
    ----------
    timed_laps : how many laps from line to line
    seed : everything random follows from it; the same seed with ``without`` gives the same run but for those habits
    without : habits left out, to learn what they cost
    line : the line of :func:`racing_line`, if it is at hand
    traffic : slower cars in front

    Returns
    -------
    The true motion.
    """
    random = np.random.default_rng(seed)
    good = racing_line(circuit) if line is None else line
    count = len(circuit.x)
    at = {name: round(s / circuit.step) % count for name, s in circuit.corners}
    plain = plain_speed(circuit, car, driver, good)
    apex = {name: _apex_of(plain, i, round(45 / circuit.step)) for name, i in at.items()}
    speeds, offsets, highs, handling = [], [], [], []
    total = timed_laps + 2
    # From a source of its own: a driver whose runs are all alike drives as before.
    whole = np.random.default_rng((seed, 1))
    lies_off = {name: driver.run_effect * whole.standard_normal(3) for name in apex}
    for lap in range(total):
        wander = gaussian_filter1d(random.standard_normal(count), 60 / circuit.step, mode="wrap")
        offset = good + driver.line_scatter_m * wander / max(float(wander.std()), 1e-9)
        levels = {name: random.standard_normal(3) + lies_off[name] for name in apex}
        happens = [bool(random.random() < h.share) for h in driver.habits]
        strengths = [float(np.clip(1.0 + 0.12 * random.standard_normal(), 0.6, 1.4)) for _ in driver.habits]
        for habit, now, strength in zip(driver.habits, happens, strengths, strict=True):
            if not now or habit in without:
                continue
            amount = habit.amount * strength
            if habit.kind == "late_turn_in":
                offset = turned_in_late(offset, circuit, apex[habit.corner], amount)
            elif habit.kind == "early_turn_in":
                offset = turned_in_early(offset, circuit, apex[habit.corner], amount)
            elif habit.kind == "unused_width":
                offset = nearer_to_the_middle(offset, circuit, apex[habit.corner], min(amount, 1.0))
            elif habit.kind == "understeer":
                offset = runs_wide(offset, circuit, apex[habit.corner], WIDE_M * amount)
        offset = _followed(offset, circuit)
        _, _, advance, curvature = path_geometry(circuit, offset)
        limits = _Limits(circuit, car, driver, gaussian_filter1d(curvature, 3, mode="wrap"))
        for name, (corner, brake, drive) in levels.items():
            away = ((np.arange(count) - apex[name] + count // 2) % count - count // 2) * circuit.step
            near = np.exp(-0.5 * (away / 40.0) ** 2)
            limits.speed_share *= 1.0 + driver.scatter * corner * near
            limits.brake *= 1.0 + 2.5 * driver.scatter * brake * np.exp(-0.5 * ((away + 70) / 60.0) ** 2)
            limits.drive *= 1.0 - 2.0 * driver.scatter * abs(drive) * np.exp(-0.5 * ((away - 40) / 25.0) ** 2)
        for habit, now, strength in zip(driver.habits, happens, strengths, strict=True):
            if now and habit not in without:
                _apply(habit, limits, plain, apex[habit.corner], strength)
        limits.speed_share *= 1.0 - driver.fade * lap
        for slower in traffic:
            if slower.lap == lap:
                zone = _window(count, round(slower.from_m / circuit.step), slower.length_m, circuit.step)
                limits.cap[zone] = np.minimum(limits.cap[zone], slower.share * plain[zone])
        out_lap, in_lap = lap == 0, lap == total - 1
        if out_lap or in_lap:
            limits.speed_share *= 0.86 if out_lap else 0.82
            limits.drive *= np.where(limits.drive > 0, 0.75, 1.0)
        speeds.append(_brake_later(_passes(car, limits, curvature, advance), plain, limits))
        highs.append(limits.gears_high)
        handling.append((limits.steer, limits.slip))
        offsets.append(offset)
    begin, end = round(230 / circuit.step), total * count - round(190 / circuit.step)
    cap = np.full(total * count, np.inf)
    cap[: begin + round(120 / circuit.step)] = PIT_SPEED
    cap[end - round(160 / circuit.step) :] = PIT_SPEED
    offset = _blend(np.array(offsets), circuit)
    # Joined laps: speed where two laps meet is limited by what the car can do, so pass once more over the whole run.
    tiled = _positions(circuit, offset)
    speed = np.minimum(np.concatenate(speeds), cap)
    speed[begin] = 2.0
    speed[end - 1] = 2.0
    speed = _join(car, speed[begin:end], tiled["advance"][begin:end])
    steer, slip = (np.concatenate(column)[begin:end] for column in zip(*handling, strict=True))
    high = np.concatenate(highs)[begin:end]
    return replace(_motion(car, speed, high, tiled, begin, end, circuit), steer=steer, slip=slip)


def _blend(offsets: Array, circuit: Circuit) -> Array:
    """Offsets of successive laps joined into one smooth line, blended over 120 m around the start line."""
    total, count = offsets.shape
    joined = offsets.ravel().copy()
    half = round(60 / circuit.step)
    for lap in range(1, total):
        at = lap * count
        before, after = offsets[lap - 1], offsets[lap]
        index = np.arange(-half, half)
        weight = 0.5 - 0.5 * np.cos(np.pi * (index + half) / (2 * half))
        joined[at - half : at + half] = (1 - weight) * before[index % count] + weight * after[index % count]
    return np.asarray(joined)


def _positions(circuit: Circuit, offset: Array) -> dict[str, Array]:
    repeat = len(offset) // len(circuit.x)
    heading = np.tile(circuit.heading, repeat)
    x = np.tile(circuit.x, repeat) - np.sin(heading) * offset
    y = np.tile(circuit.y, repeat) + np.cos(heading) * offset
    dx, dy = np.diff(x, append=x[:1]), np.diff(y, append=y[:1])
    advance = np.hypot(dx, dy)
    advance[-1] = advance[-2]
    path_heading = np.unwrap(np.arctan2(dy, dx))
    path_heading[-1] = path_heading[-2]
    return {"x": x, "y": y, "advance": advance, "heading": path_heading, "offset": offset}


def _join(car: Car, speed: Array, advance: Array) -> Array:
    """Limit acceleration (both ways) where separately driven laps meet and at standstill."""
    v = speed.tolist()
    step = advance.tolist()
    grip = car.grip * GRAVITY
    for i in range(len(v) - 2, -1, -1):
        if v[i] > v[i + 1]:
            v[i] = min(v[i], (v[i + 1] ** 2 + 2 * grip * step[i]) ** 0.5)
    force, most = car.engine(), 0.62 * grip
    for i in range(len(v) - 1):
        if v[i + 1] > v[i]:
            pull = force(max(v[i], 2.0), 0) / car.mass_kg
            v[i + 1] = min(v[i + 1], (v[i] ** 2 + 2 * (pull if pull < most else most) * step[i]) ** 0.5)
    # Pedals and tyres do not change force within a metre: about a tenth of a second of smoothing.
    squared = np.square(v)
    smooth = gaussian_filter1d(squared, 4.5, mode="nearest")
    return np.asarray(np.sqrt(np.maximum(smooth, 0.5)))


def _motion(
    car: Car, speed: Array, high: NDArray[np.int64], path: dict[str, Array], begin: int, end: int, circuit: Circuit
) -> Motion:
    advance = path["advance"][begin:end]
    travelled = np.concatenate([[0.0], np.cumsum(advance[:-1])])
    # Constant acceleration within each step.
    time = np.concatenate([[0.0], np.cumsum(2 * advance[:-1] / (speed[:-1] + speed[1:]))])
    acceleration = np.gradient(speed**2 / 2, travelled)
    distance = np.arange(begin, end, dtype=np.float64) * circuit.step
    curvature = np.gradient(path["heading"], edge_order=1)[begin:end] / advance
    usual = car.gear_at(speed)
    gear = np.minimum(usual + high, len(car.gear_top_speeds))
    lap_length = circuit.length
    lines = np.arange(np.ceil(distance[0] / lap_length), np.floor(distance[-1] / lap_length) + 1) * lap_length
    forward = CubicHermiteSpline(time, travelled, speed)
    at_line = np.interp(lines, distance, travelled)
    crossings = np.interp(at_line, travelled, time)
    for _ in range(4):
        crossings = crossings - (forward(crossings) - at_line) / forward(crossings, 1)
    return Motion(
        time=time,
        distance=distance,
        path=travelled,
        speed=speed,
        x=path["x"][begin:end],
        y=path["y"][begin:end],
        heading=path["heading"][begin:end],
        curvature=gaussian_filter1d(curvature, 2),
        acceleration=acceleration,
        gear=gear,
        offset=path["offset"][begin:end],
        steer=np.zeros_like(speed),
        slip=np.zeros_like(speed),
        crossings=crossings,
    )
