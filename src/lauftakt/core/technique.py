"""Technique: what a driver did in one corner of one lap."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks

from lauftakt.core.braking import braking_figures
from lauftakt.core.laps import passage_range
from lauftakt.core.layout import Layout
from lauftakt.core.signals import BRAKE_ON, Signals

Array = NDArray[np.float64]

GRAVITY = 9.80665
FULL = 0.95
LITTLE_BEFORE_M = 12.0
LIFT = 0.25
INFERRED_PICKUP = 0.22
INFERRED_FULL = 0.8


@dataclass(frozen=True)
class Window:
    """Where a corner's figures are looked for, metres from the start line of the lap (may lie before or behind it).

    ``low`` to ``high`` is the corner with what leads to it and the straight after it; ``next_apex`` bounds the search
    for the highest speed after the exit.
    """

    corner: str
    low: float
    entry: float
    apex: float
    exit: float
    high: float
    next_apex: float


@dataclass(frozen=True)
class Figures:
    """Figures of one lap in one corner; None where something does not happen there or cannot be known.

    Places (``_m``) are metres from the start line of the lap, speeds m/s, times s. ``brake_peak`` is in the brake
    channel's SI unit, m/s^2 where ``inferred``. ``mean_braking`` is the mean deceleration from brake point to release,
    m/s^2. ``brake_shape`` is ``early_peak``, ``slow_build``, ``sudden_release`` or ``even``. ``brake_dips`` counts
    moments inside one application when a quarter of its peak was let off. ``countersteer_s`` is how long the wheel was
    turned against the corner, ``locked_s`` how long a wheel stood. ``approach_speed`` is that at the brake point,
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
    countersteer_s: float | None
    locked_s: float | None
    offset_turn_in: float | None
    offset_apex: float | None
    offset_exit: float | None
    exit_speed: float
    straight_end_speed: float
    inferred: bool


def windows(layout: Layout) -> list[Window]:
    """A window for each corner of a layout, in order.

    Between two corners of one passage the border lies where the second one's entry begins, or half way where they
    overlap.
    """
    found: dict[str, Window] = {}
    length = layout.length
    by_name = {corner.name: corner for corner in layout.corners}
    order = [corner.name for corner in layout.corners]
    for index, passage in enumerate(layout.passages):
        low, high = passage_range(layout, index)
        members = []
        at = low
        for name in passage.corners:
            corner = by_name[name]
            apex = corner.apex_m
            while layout.centre.closed and apex < at:
                apex += length
            entry = apex - _between(corner.entry_m, corner.apex_m, layout)
            out = apex + _between(corner.apex_m, corner.exit_m, layout)
            members.append(Window(name, low, entry, apex, out, high, high))
            at = apex
        for position, window in enumerate(members):
            following = by_name[order[(order.index(window.corner) + 1) % len(order)]].apex_m
            while layout.centre.closed and following <= window.apex:
                following += length
            border = high
            if position + 1 < len(members):
                border = max(members[position + 1].entry, (window.apex + members[position + 1].apex) / 2)
                border = min(border, members[position + 1].apex - 3.0)
            before = low if position == 0 else members[position - 1].high
            members[position] = replace(
                window, low=before, high=border, next_apex=max(following, border) if layout.centre.closed else length
            )
        for window in members:
            # A long bend may begin before its passage does: what counts as its entry begins with the passage.
            window = replace(window, entry=min(max(window.entry, window.low), window.apex))
            shift = length if window.apex >= length and layout.centre.closed else 0.0
            found[window.corner] = replace(
                window, low=window.low - shift, entry=window.entry - shift, apex=window.apex - shift,
                exit=window.exit - shift, high=window.high - shift, next_apex=window.next_apex - shift,
            ) if shift else window  # fmt: skip
    return [found[name] for name in order if name in found]


def _between(a: float, b: float, layout: Layout) -> float:
    return (b - a) % layout.length if layout.centre.closed else b - a


def stretch_window(layout: Layout, from_m: float, to_m: float) -> Window:
    """A window for any stretch of one lap: the whole of it counts."""
    return Window("", from_m, from_m, (from_m + to_m) / 2, to_m, to_m, to_m)


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
    pickup_i, full_i = _throttle(signals, pedal, s, slowest)
    on_from = len(pedal) - 1 if pickup_i is None else pickup_i
    brake = signals.brake[row, first:last]
    coasting = (brake <= signals.brake_on) & (pedal < _pickup_level(signals))
    steps = np.gradient(clock)
    lifted = int(np.argmax(pedal < 0.5)) if (pedal < 0.5).any() else len(pedal)
    gear = signals.others.get("gear")
    turn_in, reversals, counter = _steering(signals, row, s, clock, first, window)
    ends = np.interp([window.entry, window.exit], s, clock)
    after = int(np.searchsorted(places, window.next_apex, side="right"))
    beyond = slice(first + inner.stop - 1, max(after, first + inner.stop))
    offset = signals.offset[row]
    return Figures(
        corner=window.corner,
        time=float(clock[-1] - clock[0]) if driven.all() else None,
        entry_speed=float(np.interp(window.entry, s, speed)),
        **braking,
        min_speed=float(speed[slowest]),
        min_speed_m=_vertex(s, speed, slowest),
        mean_speed=float((window.exit - window.entry) / max(ends[1] - ends[0], 1e-6)),
        coast_s=float(steps[lifted:on_from][coasting[lifted:on_from]].sum()),
        roll_s=float(steps[lifted:slowest][coasting[lifted:slowest]].sum()),
        throttle_pickup_m=None if pickup_i is None else float(s[pickup_i]),
        full_throttle_m=None if full_i is None else _reaches(pedal, s, full_i, _full_level(signals)),
        exit_throttle=_mean_between(pedal, s, window.apex, window.exit + 30.0),
        throttle_lifts=_lifts(pedal, clock, pickup_i, full_i, None if gear is None else gear[row, first:last]),
        lowest_throttle=float(pedal.min()),
        gear=None if gear is None else round(float(gear[row, first + slowest])),
        turn_in_m=turn_in,
        steering_reversals=reversals,
        countersteer_s=counter,
        locked_s=_locked(signals, row, first, last, steps),
        offset_turn_in=None if turn_in is None else _at(turn_in, places, offset),
        offset_apex=_at(window.apex, places, offset),
        offset_exit=_at(window.exit, places, offset),
        exit_speed=float(np.interp(window.exit, s, speed)),
        straight_end_speed=float(np.nanmax(np.where(np.isfinite(time[beyond]), signals.speed[row, beyond], 0.0))),
        inferred=signals.inferred,
    )


def _mean_between(values: Array, s: Array, low: float, high: float) -> float:
    inside = (s >= low) & (s <= high)
    return float(values[inside].mean()) if inside.any() else float(values[-1])


def _at(place: float, places: Array, values: Array) -> float | None:
    """A value at a place, None where it is not known."""
    found = float(np.interp(place, places, values))
    return found if np.isfinite(found) else None


class Technique:
    """Figures of all timed laps of a run, computed when somebody asks for them.

    ``technique[number]`` gives a lap's figures, one for each corner of the layout, None where it was not driven;
    :meth:`at` those of one corner alone.
    """

    def __init__(self, signals: Signals, places: list[Window]) -> None:
        self._signals, self._places = signals, places
        self._rows = {number: row for row, number in enumerate(signals.numbers)}
        self._known: dict[tuple[int, int], Figures | None] = {}

    def at(self, number: int, corner: int) -> Figures | None:
        """Figures of a lap (by number) in a corner (by index)."""
        key = (number, corner)
        if key not in self._known:
            self._known[key] = figures(self._signals, self._rows[number], self._places[corner])
        return self._known[key]

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


def _pickup_level(signals: Signals) -> float:
    return INFERRED_PICKUP if signals.throttle_inferred else BRAKE_ON


def _full_level(signals: Signals) -> float:
    return INFERRED_FULL if signals.throttle_inferred else FULL


def _throttle(signals: Signals, pedal: Array, s: Array, slowest: int) -> tuple[int | None, int | None]:
    """Index of the pick-up (first above 5 % from a little before the lowest speed) and of full throttle after it."""
    if pedal.min() >= _full_level(signals):
        return None, None
    little = _pickup_level(signals)
    begin = slowest
    while begin > 0 and pedal[begin] > little and s[slowest] - s[begin] < LITTLE_BEFORE_M:
        begin -= 1
    on = np.flatnonzero(pedal[begin:] > little)
    if not len(on):
        return None, None
    pickup = begin + int(on[0])
    low = pickup + int(np.argmin(pedal[pickup : max(slowest, pickup) + 1]))
    full = np.flatnonzero(pedal[low:] >= _full_level(signals))
    return pickup, (low + int(full[0]) if len(full) else None)


def _reaches(values: Array, s: Array, index: int, level: float) -> float:
    """Interpolated place at which a level is reached, the first sample at or above it being known."""
    if index == 0 or values[index] <= values[index - 1]:
        return float(s[index])
    share = np.clip((level - values[index - 1]) / (values[index] - values[index - 1]), 0.0, 1.0)
    return float(s[index - 1] + share * (s[index] - s[index - 1]))


def _lifts(pedal: Array, time: Array, pickup: int | None, full: int | None, gear: Array | None) -> int:
    """How often the throttle is let off after it was picked up and taken again; gear changes do not count."""
    if pickup is None:
        return 0
    part = pedal[pickup:]
    # Closed again after it was clearly open, however little: a foot that does not trust the car yet.
    state = np.where(part > 2 * BRAKE_ON, 1, np.where(part < 0.5 * BRAKE_ON, -1, 0))
    known = state[state != 0]
    closed = int((np.diff(known) < 0).sum()) - int(len(known) > 0 and known[-1] < 0)
    dips, details = find_peaks(-part, prominence=LIFT, plateau_size=(1, None))
    count = 0
    for dip, left, right in zip(dips, details["left_bases"], details["right_bases"], strict=True):
        changed = False
        if gear is not None:
            around = gear[pickup + max(dip - 12, 0) : pickup + dip + 12]
            changed = bool(len(around) and around.max() != around.min()) and part[dip] > 0.0
            changed &= float(time[pickup + min(right, len(part) - 1)] - time[pickup + left]) < 0.5
        # Only what is taken again: the flank into the next braking has no rise after it.
        taken = part[dip:].max() - part[dip] > LIFT
        count += bool(taken and not changed)
    return max(count, closed)


def _steering(
    signals: Signals, row: int, s: Array, clock: Array, first: int, window: Window
) -> tuple[float | None, int | None, float | None]:
    """Turn-in place, reversals of the wheel, seconds of steering against the corner."""
    steering = signals.others.get("steering")
    part = slice(first, first + len(s))
    turning = signals.aside[row, part] if steering is None else steering[row, part]
    inside = (s >= window.entry - 5.0) & (s <= window.exit + 5.0)
    if inside.sum() < 5:
        return None, None, None
    bend = signals.aside[row, part]
    wanted = float(np.sign(bend[inside][np.argmax(np.abs(bend[inside]))]))
    side = np.sign(np.dot(turning[inside], bend[inside])) * wanted if steering is not None else wanted
    own = turning * side
    most = float(np.percentile(own[inside], 95))
    if most <= 0:
        return None, None, None
    turn_in = _turn_in(signals, row, window, wanted)
    begin = int(np.searchsorted(s, turn_in)) if turn_in is not None else int(np.flatnonzero(inside)[0])
    if steering is None:
        return turn_in, None, None
    end = max(int(np.flatnonzero(inside)[-1]), begin)
    wheel = own[begin : end + 1]
    reversals = 0
    if len(wheel) > 6:
        smooth = np.convolve(wheel, np.ones(3) / 3, mode="same")
        reversals = len(find_peaks(-smooth[2:-2], prominence=0.2 * most)[0])
    against = (wheel < -0.1 * most) & (bend[begin : end + 1] * wanted > 0.4 * np.abs(bend[inside]).max())
    return turn_in, reversals, float(np.gradient(clock[begin : end + 1])[against].sum()) if len(wheel) > 2 else 0.0


def _turn_in(signals: Signals, row: int, window: Window, side: float) -> float | None:
    """Where the path begins to turn.

    The heading gained grows with the square of the way after the wheel is turned: the line through the square roots at
    6 and 20 % of the corner's whole turn, extended to zero. A single value of a noisy curvature would not do.
    """
    inside = (signals.places >= window.entry - 40.0) & (signals.places <= window.exit)
    inside &= np.isfinite(signals.time[row])
    if inside.sum() < 10:
        return None
    place = signals.places[inside]
    bend = side * signals.aside[row, inside] / np.maximum(signals.speed[row, inside], 3.0) ** 2
    turned = np.concatenate([[0.0], np.cumsum((bend[1:] + bend[:-1]) / 2 * np.diff(place))])
    turned -= np.minimum.accumulate(turned[::-1])[::-1].min()
    whole = float(turned[-1] - turned.min())
    if whole < 0.1:
        return None
    lowest = int(np.argmin(turned[: max(int(np.argmax(turned > 0.5 * turned[-1])), 1)]))
    gained = (turned[lowest:] - turned[lowest]) / max(float(turned[-1] - turned[lowest]), 1e-6)
    ends = []
    for share in (0.06, 0.2):
        index = int(np.argmax(gained >= share))
        if index == 0:
            return None
        ends.append(_reaches(gained, place[lowest:], index, share))
    roots = np.sqrt([0.06, 0.2])
    return float(max(ends[0] - (ends[1] - ends[0]) * roots[0] / (roots[1] - roots[0]), place[0]))


def _locked(signals: Signals, row: int, first: int, last: int, steps: Array) -> float | None:
    """Seconds during which a wheel turns by less than seven tenths of the car's speed while the brake is on."""
    wheels = [rows[row, first:last] for role, rows in signals.others.items() if role.startswith("wheel_")]
    if not wheels:
        return None
    speed = signals.speed[row, first:last]
    standing = (np.min(wheels, axis=0) < 0.7 * speed) & (signals.brake[row, first:last] > signals.brake_on)
    return float(steps[standing & (speed > 5.0)].sum())
