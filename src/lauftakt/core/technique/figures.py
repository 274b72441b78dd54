"""Figures of one lap in one corner, and of all timed laps of a run."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.technique.braking import braking_figures
from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.steering import steering_figures
from lauftakt.core.technique.throttle import (
    blip_figures,
    first_touch,
    full_level,
    lifts,
    pickup_and_full,
    pickup_level,
    reaches,
)
from lauftakt.core.technique.windows import Window

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Figures:
    """Figures of one lap in one corner; None where something does not happen there or cannot be known.

    Places (``_m``) are metres from the start line of the lap, speeds m/s, times s. ``brake_peak`` is in the brake
    channel's SI unit, m/s^2 where ``inferred``. ``mean_braking`` is the mean deceleration from brake point to release,
    m/s^2. ``brake_shape`` is ``early_peak``, ``slow_build``, ``sudden_release`` or ``even``. ``brake_dips`` counts
    moments inside one application when a quarter of its peak was let off; ``brake_steadiness`` is 1 less what is
    applied again after the peak, as a share of it; ``brake_before_turn_in`` the share of the speed taken off that is
    taken off before the turn-in. ``full_throttle_m`` is where the throttle is first full after the lowest speed,
    whatever is let off later, ``throttle_pickup_m`` where the rise to it begins. ``steering_rate`` is in rad/s,
    ``steering_demand`` the wheel's angle over the curvature of the path, rad m. ``grip_used_min_speed`` and
    ``grip_used_exit`` are shares of the grip that the car showed in this run. ``countersteer_s`` is how long the wheel
    was turned against the corner, ``locked_s`` how long a wheel stood. ``approach_speed`` is that at the brake point,
    ``roll_s`` the part of ``coast_s`` before the lowest speed, ``exit_throttle`` the mean share of full throttle from
    the apex to 30 m after the exit.
    """

    corner: str
    time: float | None
    approach_speed: float | None
    entry_speed: float
    brake_point_m: float | None
    brake_release_m: float | None
    brake_peak: float | None
    brake_rise_s: float | None
    brake_shape: str | None
    brake_applications: int
    brake_dips: int
    brake_steadiness: float | None
    brake_before_turn_in: float | None
    blips: int | None
    blip_peak: float | None
    blip_brake_lost: float | None
    mean_braking: float | None
    min_speed: float
    min_speed_m: float
    mean_speed: float
    coast_s: float
    roll_s: float
    throttle_pickup_m: float | None
    full_throttle_m: float | None
    exit_throttle: float
    throttle_lifts: int
    lowest_throttle: float
    gear: int | None
    turn_in_m: float | None
    steering_reversals: int | None
    steering_rate: float | None
    steering_demand: float | None
    grip_used_min_speed: float
    grip_used_exit: float
    countersteer_s: float | None
    locked_s: float | None
    offset_turn_in: float | None
    offset_apex: float | None
    offset_exit: float | None
    exit_speed: float
    straight_end_speed: float
    inferred: bool


def figures(signals: Signals, row: int, window: Window) -> Figures | None:
    """Figures of one lap in one window; None where the lap was not driven there.

    Parameters
    ----------
    signals : of the run
    row : which timed lap
    window : where

    Raises
    ------
    ValueError
        if the window is shorter than 3 m.
    """
    places, time = signals.places, signals.time[row]
    first = int(np.searchsorted(places, window.low))
    last = int(np.searchsorted(places, window.high, side="right"))
    if last - first < 3:
        raise ValueError("A part of a lap must be at least 3 m long.")
    driven = np.isfinite(time[first:last])
    if not driven.all():
        # The last lap of a log may end inside its last passage: what was driven up to there still counts.
        if not driven[0] or places[first + int(np.argmin(driven))] < window.exit:
            return None
        last = first + int(np.argmin(driven))
    s, clock, speed = places[first:last], time[first:last], signals.speed[row, first:last]
    inner = slice(max(int(np.searchsorted(s, window.entry)), 0), max(int(np.searchsorted(s, window.exit)), 1))
    slowest = _slowest(speed, s, window)
    braking = braking_figures(signals, row, first, last, slowest)
    pedal = signals.throttle[row, first:last]
    gears = signals.others.get("gear")
    gear = None if gears is None else gears[row, first:last]
    brake = signals.brake[row, first:last]
    pickup_i, full_i = pickup_and_full(signals, pedal, signals.holding[row, first:last], brake, slowest)
    touched = first_touch(signals, pedal, clock, brake, slowest)
    on_from = len(pedal) - 1 if touched is None else touched
    coasting = (brake <= signals.brake_on) & (pedal < pickup_level(signals))
    steps = np.gradient(clock)
    lifted = int(np.argmax(pedal < 0.5)) if (pedal < 0.5).any() else len(pedal)
    steering = steering_figures(signals, row, s, clock, first, window)
    turn_in = steering["turn_in_m"]
    ends = np.interp([window.entry, window.exit], s, clock)
    after = int(np.searchsorted(places, window.next_apex, side="right"))
    beyond = slice(first + inner.stop - 1, max(after, first + inner.stop))
    offset = signals.offset[row]
    used = signals.grip_used(row)[first:last]
    return Figures(
        corner=window.corner,
        time=float(clock[-1] - clock[0]) if driven.all() else None,
        entry_speed=float(np.interp(window.entry, s, speed)),
        **braking,
        brake_before_turn_in=_before(braking["approach_speed"], turn_in, s, speed, slowest),
        **blip_figures(signals, pedal, brake, clock),
        min_speed=float(speed[slowest]),
        min_speed_m=_vertex(s, speed, slowest),
        mean_speed=float((window.exit - window.entry) / max(ends[1] - ends[0], 1e-6)),
        coast_s=float(steps[lifted:on_from][coasting[lifted:on_from]].sum()),
        roll_s=float(steps[lifted:slowest][coasting[lifted:slowest]].sum()),
        throttle_pickup_m=None if pickup_i is None else float(s[pickup_i]),
        full_throttle_m=None if full_i is None else reaches(pedal, s, full_i, full_level(signals)),
        exit_throttle=_mean_between(pedal, s, window.apex, window.exit + 30.0),
        throttle_lifts=lifts(pedal, clock, touched, gear),
        lowest_throttle=float(pedal.min()),
        gear=None if gear is None else round(float(gear[slowest])),
        **steering,
        grip_used_min_speed=float(used[slowest]),
        grip_used_exit=float(np.interp(window.exit, s, used)),
        locked_s=_locked(signals, row, first, last, steps),
        offset_turn_in=None if turn_in is None else _at(turn_in, places, offset),
        offset_apex=_at(window.apex, places, offset),
        offset_exit=_at(window.exit, places, offset),
        exit_speed=float(np.interp(window.exit, s, speed)),
        straight_end_speed=float(np.nanmax(np.where(np.isfinite(time[beyond]), signals.speed[row, beyond], 0.0))),
        inferred=signals.inferred,
    )


def _before(approach: float | None, turn_in: float | None, s: Array, speed: Array, slowest: int) -> float | None:
    """Share of the speed taken off that is taken off before the turn-in."""
    if approach is None or turn_in is None:
        return None
    taken = approach - float(speed[slowest])
    if taken <= 0.0:
        return None
    return float(np.clip((approach - float(np.interp(turn_in, s, speed))) / taken, 0.0, 1.0))


def _mean_between(values: Array, s: Array, low: float, high: float) -> float:
    inside = (s >= low) & (s <= high)
    return float(values[inside].mean()) if inside.any() else float(values[-1])


def _at(place: float, places: Array, values: Array) -> float | None:
    """A value at a place, None where it is not known."""
    found = float(np.interp(place, places, values))
    return found if np.isfinite(found) else None


class Technique:
    """Figures of all timed laps of a run: kept from earlier, or computed when somebody asks for them.

    ``technique[number]`` gives a lap's figures, one for each corner of the layout, None where it was not driven;
    :meth:`at` those of one corner alone.
    """

    def __init__(
        self, signals: Signals, places: list[Window], known: dict[tuple[int, int], Figures | None] | None = None
    ) -> None:
        self._signals, self._places = signals, places
        self._rows = {number: row for row, number in enumerate(signals.numbers)}
        self._known = {} if known is None else known

    def at(self, number: int, corner: int) -> Figures | None:
        """Figures of a lap (by number) in a corner (by index)."""
        key = (number, corner)
        if key not in self._known:
            self._known[key] = figures(self._signals, self._rows[number], self._places[corner])
        return self._known[key]

    def everything(self) -> dict[tuple[int, int], Figures | None]:
        """All figures by lap number and corner's index: what the constructor takes as ``known``."""
        return {(n, c): self.at(n, c) for n in self._rows for c in range(len(self._places))}

    def __getitem__(self, number: int) -> tuple[Figures | None, ...]:
        if number not in self._rows:
            raise KeyError(number)
        return tuple(self.at(number, corner) for corner in range(len(self._places)))

    def __contains__(self, number: int) -> bool:
        return number in self._rows

    def __iter__(self) -> Iterator[int]:
        return iter(self._rows)

    def values(self) -> Iterator[tuple[Figures | None, ...]]:
        return (self[number] for number in self._rows)


def _slowest(speed: Array, s: Array, window: Window) -> int:
    """Index of the lowest speed, looked for from the entry to a little after the exit."""
    low = int(np.searchsorted(s, min(window.entry, window.apex - 10.0)))
    high = int(np.searchsorted(s, max(window.exit, window.apex + 10.0), side="right"))
    low, high = max(min(low, len(s) - 2), 0), max(min(high, len(s)), 2)
    return low + int(np.argmin(speed[low:high]))


def _vertex(s: Array, values: Array, index: int) -> float:
    """Place of a minimum by a parabola through it and what lies 4 m to either side."""
    a, b = max(index - 4, 0), min(index + 4, len(s) - 1)
    if index in (a, b):
        return float(s[index])
    bend, slope, _ = np.polyfit(s[a : b + 1] - s[index], values[a : b + 1], 2)
    if bend <= 1e-9:
        return float(s[index])
    return float(s[index] + np.clip(-slope / (2 * bend), -4.0, 4.0))


def _locked(signals: Signals, row: int, first: int, last: int, steps: Array) -> float | None:
    """Seconds during which a wheel turns by less than seven tenths of the car's speed while the brake is on."""
    wheels = [rows[row, first:last] for role, rows in signals.others.items() if role.startswith("wheel_")]
    if not wheels:
        return None
    speed = signals.speed[row, first:last]
    standing = (np.min(wheels, axis=0) < 0.7 * speed) & (signals.brake[row, first:last] > signals.brake_on)
    return float(steps[standing & (speed > 5.0)].sum())
