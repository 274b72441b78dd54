"""Channels of a run along its timed laps, and what stands in for those that were not logged."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, uniform_filter1d

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.lap import Lap, LapTrace
from lauftakt.core.log.model import Channel, Log
from lauftakt.core.placing.placed import Placed
from lauftakt.core.registry import COMPUTED, LOGGED, STEPPED, UNBELIEVED, WHEELS
from lauftakt.core.technique.inferred import (
    AIR_PER_M,
    BRAKING_MS2,
    COAST_MS2,
    SCRUB_PER_MS2,
    derived_gear,
    driving_share,
)

Array = NDArray[np.float64]
# Logged channels that figures of technique rest on.
JUDGED_BY = ("throttle", "brake_pressure", "brake_pedal", "steering", "gear", *WHEELS, UNBELIEVED)
# Share of the run's 99th percentile from which on a brake is applied; the contract fixes it.
BRAKE_ON = 0.05
# Grip that was shown is what is reached now and then and is no single spike.
LIMIT = 98.5
# The contract's share of throttle that holds the speed where nothing better is known, and what is believed of a fit.
HELD, HOLDS = 0.1, (0.0, 0.6)
# What a path's bends say of cornering is off by this share, one standard deviation, whatever the laps have in common:
# the same receiver, the same smoothing, the same centre line (positions at 1 to 10 Hz on the simulator's circuits).
PATH_SHARE_U = 0.1
# Standard deviation of the Gaussian over which an offset's bends are believed, m.
OFFSET_M = 8.0
# What of a run is driven steadily enough to tell it: speed, m/s, change of speed, m/s^2, and how many places of it.
SLOW_MS, STEADY_MS2, FEWEST_HELD = 6.0, 0.8, 100


@dataclass(frozen=True)
class Scale:
    """What "some brake" and "full throttle" mean in one run.

    ``brake`` is the 99th percentile of the brake channel and ``brake_role`` its role, ``throttle`` the highest
    throttle, all over the timed laps; None where not logged. ``lateral_logged`` says whether an accelerometer told how
    hard the car cornered, not the path.
    """

    brake: float | None
    throttle: float | None
    brake_role: str | None = None
    lateral_logged: bool = False


@dataclass(frozen=True)
class Signals:
    """What a driver did, along the timed laps of a run; rows are laps, columns places.

    Attributes
    ----------
    numbers : of the timed laps
    places : (e,) m from the start line, reaching beyond the lap (:func:`lauftakt.core.laps.lap.reach`)
    time : (laps, e) s from the crossing of the line, NaN where nothing was driven
    speed : (laps, e) m/s
    offset : (laps, e) m, left positive
    brake : (laps, e) brake channel in its SI unit; where none is logged, deceleration beyond coasting in m/s^2
    brake_on : from where on it counts as braking
    throttle : (laps, e) share of the run's highest; where none is logged, driving force as a share of the run's most
    ahead, aside : (laps, e) m/s^2, longitudinal (gaining speed positive) and lateral (left positive)
    others : further logged channels by role, (laps, e)
    brake_role : role of ``brake``, None where inferred
    throttle_inferred : whether ``throttle`` was
    aside_inferred : whether ``aside`` was worked out from the path
    """

    numbers: tuple[int, ...]
    places: Array
    time: Array
    speed: Array
    offset: Array
    brake: Array
    brake_on: float
    throttle: Array
    ahead: Array
    aside: Array
    others: dict[str, Array]
    brake_role: str | None
    throttle_inferred: bool
    aside_inferred: bool = True

    @property
    def inferred(self) -> bool:
        """Whether braking or throttle was inferred from accelerations."""
        return self.brake_role is None or self.throttle_inferred

    def scale(self) -> Scale:
        """What they are judged by."""
        return replace(run_scale(self.others, len(self.numbers)), lateral_logged=not self.aside_inferred)

    @property
    def aside_share_u(self) -> float:
        """Standard deviation of ``aside`` as a share of it, of what all laps have in common (:data:`PATH_SHARE_U`)."""
        return PATH_SHARE_U if self.aside_inferred else 0.0

    @cached_property
    def holding(self) -> Array:
        """Share of full throttle that holds the speed at each place, (laps, e), as this car showed it.

        A least-squares fit of the throttle over air (speed squared), cornering (lateral acceleration squared) and what
        was gained, where neither much was gained nor lost. 10 % where too little of that was driven.
        """
        driven = np.isfinite(self.time) & (self.brake <= self.brake_on) & (self.speed > SLOW_MS)
        steady = driven & (np.abs(self.ahead) < STEADY_MS2) & (self.throttle > 0.02) & (self.throttle < 0.9)
        if self.throttle_inferred or steady.sum() < FEWEST_HELD:
            return np.full(self.time.shape, HELD)
        terms = [np.ones_like(self.speed), self.speed**2, self.aside**2, self.ahead]
        known = np.column_stack([term[steady] for term in terms])
        found, *_ = np.linalg.lstsq(known, self.throttle[steady], rcond=None)
        held = sum((weight * term for weight, term in zip(found[:3], terms, strict=False)), np.zeros_like(self.speed))
        return np.clip(np.nan_to_num(held, nan=HELD), *HOLDS)

    @cached_property
    def limits(self) -> tuple[float, float]:
        """Most lateral acceleration and deceleration that the car showed in these laps, m/s^2."""
        driven = np.isfinite(self.time)
        found = [np.percentile(values[driven], LIMIT) for values in (np.abs(self.aside), -self.ahead) if driven.any()]
        aside, braked = (float(value) for value in found) if found else (1.0, 1.0)
        return max(aside, 1.0), max(braked, 1.0)

    def grip_used(self, row: int) -> Array:
        """Share of the grip shown that a lap used at each place, (e,): an ellipse of braking and cornering (Milliken
        and Milliken, "Race Car Vehicle Dynamics", 1995, chapter 9)."""
        aside, braked = self.limits
        return np.asarray(np.hypot(self.aside[row] / aside, self.ahead[row] / braked))


def sample(channel: Channel, at: Array) -> Array:
    """A channel's values at times in seconds (any shape): held between samples where it steps, else linear."""
    if channel.role in STEPPED:
        index = np.clip(np.searchsorted(channel.time, at, side="right") - 1, 0, len(channel.time) - 1)
        return np.asarray(channel.values[index])
    return np.interp(at, channel.time, channel.values)


def run_signals(log: Log, placed: Placed, laps: list[Lap], traces: dict[int, LapTrace], layout: Layout) -> Signals:
    """Signals of a run's timed laps.

    Parameters
    ----------
    log, placed : the run
    laps, traces : from :func:`lauftakt.core.laps.cutting.split_laps`
    layout : its layout

    Returns
    -------
    See :class:`Signals`.

    Notes
    -----
    Longitudinal acceleration is the derivative of the speed by local quadratic fits (Savitzky and Golay, Analytical
    Chemistry 36, 1964). Braking without a brake channel is deceleration beyond what rolling, air (with the square of
    the speed) and cornering tyres (with the square of the lateral acceleration) take off.
    """
    starts = {lap.number: lap.start_s for lap in laps}
    numbers = tuple(traces)
    places = next(iter(traces.values())).reach_s
    time = np.array([traces[number].reach_time for number in numbers])
    when = time + np.array([starts[number] for number in numbers])[:, None]
    at = np.where(np.isfinite(when), when, placed.time[0])
    speed = np.interp(at, placed.time, placed.speed)
    offset = np.interp(at, placed.time, placed.n)
    ahead = np.interp(at, placed.time, _longitudinal(log, placed))
    aside, lateral_logged = _lateral(log, placed, layout, at, places, speed, offset)
    if not placed.offset_known:
        offset = np.full_like(offset, np.nan)
    rows = {"speed": speed, "offset": offset, "ahead": ahead, "aside": aside}
    for role in LOGGED:
        channel = log.role(role)
        if channel is not None and len(channel.time) > 1:
            rows[role] = sample(channel, at)
    wheel = log.role("speed")
    if placed.guessed.any() and wheel is not None and not any(role in rows for role in WHEELS):
        rows[UNBELIEVED] = placed.scale * sample(wheel, at)
    if "gear" not in rows and "engine_speed" in rows:
        derived = derived_gear(rows["engine_speed"], speed)
        if derived is not None:
            rows["gear"] = derived
    others = {role: values for role, values in rows.items() if role not in COMPUTED}
    scale = replace(run_scale(others, len(numbers)), lateral_logged=lateral_logged)
    return assemble(numbers, places, time, rows, scale)


def assemble(
    numbers: tuple[int, ...], places: Array, time: Array, rows: dict[str, Array], scale: Scale | None = None
) -> Signals:
    """Signals from rows by role.

    Parameters
    ----------
    numbers, places, time : see :class:`Signals`
    rows : ``speed``, ``offset``, ``ahead``, ``aside`` and logged channels by role, (laps, e)
    scale : of the run, where only some of its channels are at hand
    """
    speed, offset, ahead, aside = (rows[name] for name in COMPUTED)
    others = {role: values for role, values in rows.items() if role not in COMPUTED}
    scale = scale or run_scale(others, len(numbers))
    coasting = COAST_MS2 + AIR_PER_M * speed**2 + SCRUB_PER_MS2 * aside**2
    if scale.brake_role is not None and scale.brake is not None:
        brake, threshold = others[scale.brake_role], BRAKE_ON * scale.brake
    else:
        brake = np.maximum(-ahead - coasting, 0.0)
        threshold = BRAKING_MS2
    if "throttle" in others and scale.throttle is not None:
        throttle = others["throttle"] / scale.throttle
    else:
        throttle = driving_share(speed, ahead, aside)
    return Signals(
        numbers=numbers,
        places=places,
        time=time,
        speed=speed,
        offset=offset,
        brake=brake,
        brake_on=threshold,
        throttle=throttle,
        ahead=ahead,
        aside=aside,
        others=others,
        brake_role=scale.brake_role,
        throttle_inferred="throttle" not in others or scale.throttle is None,
        aside_inferred=not scale.lateral_logged,
    )


def run_scale(grid: dict[str, Array], laps: int) -> Scale:
    """Scales of a run from its channels, (laps, g) each.

    Of brake pressure and pedal travel the pressure is used: travel grows as pads wear. A channel that never moves is
    none.
    """
    if not laps:
        return Scale(None, None)
    brake, found = None, None
    for role in ("brake_pressure", "brake_pedal"):
        if role in grid and found is None:
            high = float(np.percentile(grid[role], 99))
            if high > 4 * abs(float(np.median(grid[role]))) and high > 1e-9:
                brake, found = high, role
    throttle = grid.get("throttle")
    top = None if throttle is None else float(throttle.max())
    return Scale(brake, top if top is not None and top > 1e-9 else None, found)


def _longitudinal(log: Log, placed: Placed) -> Array:
    """(n,) m/s^2 at the placed run's times, from the speed, or from an accelerometer that is much denser and agrees."""
    time, speed = placed.time, placed.speed
    step = float(np.median(np.diff(time)))
    even = np.arange(time[0], time[-1] + step / 2, step)
    source = log.role("speed") or log.role("receiver_speed")
    rate = source.rate_hz if source is not None else 10.0
    window = max(5, round(max(0.22, 5.0 / max(rate, 1.0)) / step) // 2 * 2 + 1)
    if len(even) <= window:
        return np.gradient(speed, time)
    smooth = np.interp(
        time, even, scipy.signal.savgol_filter(np.interp(even, time, speed), window, 2, deriv=1, delta=step)
    )
    logged = log.role("longitudinal_acceleration")
    if logged is None or logged.rate_hz < 2.5 * rate:
        return np.asarray(smooth)
    width = max(1, round(0.5 * logged.rate_hz))
    other = np.interp(time, logged.time, uniform_filter1d(logged.values, width))
    fine = np.interp(time, logged.time, uniform_filter1d(logged.values, max(1, round(0.08 * logged.rate_hz))))
    gain, level = np.polyfit(other, smooth, 1)
    if np.corrcoef(other, smooth)[0, 1] < 0.9 or not 0.5 < abs(gain) < 2.0:
        return np.asarray(smooth)
    return np.asarray(gain * fine + level)


def _lateral(
    log: Log, placed: Placed, layout: Layout, at: Array, places: Array, speed: Array, offset: Array
) -> tuple[Array, bool]:
    """(laps, e) m/s^2, left positive, from an accelerometer that agrees with the circuit, else from the path; and
    whether it was logged."""
    wrapped = layout.centre.wrap(places)
    # What lies between two fixes nobody saw: a line is believed over what is half of their distance at least.
    fixes = log.role("latitude")
    gap = float(np.nanmedian(speed)) / fixes.rate_hz if fixes is not None and fixes.rate_hz > 0 else 0.0
    width = max(OFFSET_M, gap / 2)
    bend = np.interp(wrapped, layout.centre.s, layout.centre.curvature)
    smooth = gaussian_filter1d(offset, width, axis=1)
    curvature = bend / np.maximum(1.0 - offset * bend, 0.3) + np.gradient(np.gradient(smooth, axis=1), axis=1)
    path = speed**2 * gaussian_filter1d(curvature, 3.0, axis=1)
    channel = log.role("lateral_acceleration")
    if channel is None or len(channel.time) < 2:
        return np.asarray(path), False
    samples = max(1, round(0.15 * channel.rate_hz))
    logged = np.interp(at, channel.time, uniform_filter1d(channel.values, samples))
    gain, level = np.polyfit(logged.ravel(), path.ravel(), 1)
    if abs(np.corrcoef(logged.ravel(), path.ravel())[0, 1]) < 0.8 or not 0.5 < abs(gain) < 2.0:
        return np.asarray(path), False
    # The sign is the logger's choice and its zero may be off; its size is its own business.
    return np.asarray(np.sign(gain) * (logged + level / gain)), True
