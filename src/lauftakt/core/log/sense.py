"""Makes sense of a log's channels: units, signs and rest positions that contradict the values are put right."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.constants import g as GRAVITY
from scipy.ndimage import uniform_filter1d

from lauftakt.core.log.dialect import Choice
from lauftakt.core.log.model import Channel, Log, Warning
from lauftakt.core.log.pedals import rest_of, spread_of, stops_of_share
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
SPEED_FACTORS = {
    "m/s": 1.0, "km/h": 3.6, "mph": 2.2369, "knots": 1.9438, "km/h taken as mph": 3.6 / 2.2369,
}  # fmt: skip
# Wheels that are worn or spin change a speed by less; neighbouring units differ by more.
FACTOR_SLACK = 0.06
# Confidence of a channel whose unit contradicts the positions.
DOUBTED = 0.5
# A speed that is further off than this, in no known unit, is something else, or broken.
WORST_RATIO = 0.6
# Correlation below minus this: the sign is turned, not only noisy.
MIRRORED = 0.6
# A brake that rests within this share of its range rests at zero; a throttle's stops may be so far from 0 and 1.
RESTS = 0.015
LIFTED, FLAT = 0.04, 0.93
# Quarters of a second in motion, below which nothing is said.
LEAST_MOVING = 80


def make_sense(log: Log, choices: Mapping[str, Choice] | None = None) -> Log:
    """A log whose units, signs and rest positions fit its values, with warnings for what was changed.

    Parameters
    ----------
    log : as read
    choices : by channel name; what somebody said is left as it is

    Returns
    -------
    The log; where it holds local coordinates instead of latitude and longitude, those stand in for them around 0, 0.
    """
    said = choices or {}
    channels, warnings = list(log.channels), list(log.warnings)
    _local_positions(channels, warnings)
    truth = _speed_of_positions(channels)
    for index, channel in enumerate(channels):
        if said.get(channel.name, Choice()).unit is not None:
            continue
        changed, warning = _fitting(channel, truth)
        if warning is not None:
            channels[index] = changed
            warnings.append(warning)
        channel, warning = _at_rest(channels[index])
        if warning is not None:
            channels[index] = channel
            warnings.append(warning)
    settled = frozenset(name for name, choice in said.items() if choice.flipped is not None)
    for index, warning in mirrored(Log(tuple(channels)), settled):
        channel = channels[index]
        seen = replace(channel.recognised, flipped=not channel.recognised.flipped)
        channels[index] = replace(channel, values=-channel.values, recognised=seen)
        warnings.append(warning)
    return Log(tuple(channels), log.meta, tuple(warnings))


def missing_channels(log: Log) -> Warning | None:
    """What stands in for channels that a log does not hold, in a sentence; None where it holds what matters."""
    held = {channel.role for channel in log.channels}
    absent = []
    if not held & {"brake_pressure", "brake_pedal"}:
        absent.append("no brake (braking is taken from deceleration)")
    if "throttle" not in held:
        absent.append("no throttle (it is taken from acceleration)")
    if "steering" not in held:
        absent.append("no steering (what the hands did is not told)")
    if not absent:
        return None
    return Warning("channels-missing", f"The log holds {', '.join(absent)}.")


def _local_positions(channels: list[Channel], warnings: list[Warning]) -> None:
    by_role = {channel.role: index for index, channel in enumerate(channels) if channel.role}
    if "latitude" in by_role or not {"local_x", "local_y"} <= set(by_role):
        return
    x, y = channels[by_role["local_x"]], channels[by_role["local_y"]]
    latitude, longitude = Plane(0.0, 0.0).to_degrees(x.values, np.interp(x.time, y.time, y.values))
    channels[by_role["local_x"]] = replace(x, unit="deg", role="longitude", values=longitude)
    channels[by_role["local_y"]] = replace(y, unit="deg", role="latitude", time=x.time, values=latitude)
    warnings.append(
        Warning(
            "local-positions",
            "The log tells places in metres from a point of its own, not on the map: its laps compare with logs that "
            "count from the same point.",
        )
    )


def _speed_of_positions(channels: list[Channel]) -> tuple[Array, Array] | None:
    """Times and speeds (m/s) over a second, from latitude and longitude."""
    positions = Log(tuple(channels)).positions()
    if positions is None or len(positions[0].time) < 50:
        return None
    latitude, longitude = positions
    x, y = Plane(float(np.median(latitude.values)), float(np.median(longitude.values))).to_xy(
        latitude.values, np.interp(latitude.time, longitude.time, longitude.values)
    )
    reach = max(1, round(latitude.rate_hz / 2))
    span = latitude.time[2 * reach :] - latitude.time[: -2 * reach]
    speed = np.hypot(x[2 * reach :] - x[: -2 * reach], y[2 * reach :] - y[: -2 * reach]) / np.maximum(span, 1e-3)
    return latitude.time[reach:-reach], speed


def _fitting(channel: Channel, truth: tuple[Array, Array] | None) -> tuple[Channel, Warning | None]:
    """A channel in the unit that its values show, and what to say of it."""
    if channel.role in ("throttle", "brake_pedal"):
        high = _high(channel)
        # Held in shares: what never passes two hundredths was a share already when it was taken for per cent.
        if 0.002 < high < 0.02:
            return _rescaled(channel, 100.0, "share", "per cent")
        if 2.0 < high < 300.0:
            return _rescaled(channel, 0.01, "per cent", "share")
    if channel.role in ("lateral_acceleration", "longitudinal_acceleration"):
        high = _high(channel)
        if high > 6 * GRAVITY:
            return _rescaled(channel, 1 / GRAVITY, "m/s²", "g")
        if 0.02 < high < 0.35 * GRAVITY and high < 3.0 and channel.logged_unit.lower().startswith("m/s"):
            return _rescaled(channel, GRAVITY, "g", "m/s²")
    if channel.role in ("speed", "receiver_speed") and truth is not None and len(channel.time) > 50:
        own = np.interp(truth[0], channel.time, channel.values)
        moving = truth[1] > 8.0
        if moving.sum() < 50:
            return channel, None
        ratio = float(np.median(own[moving] / truth[1][moving]))
        if abs(ratio - 1.0) < 0.1:
            return channel, None
        for real, factor in SPEED_FACTORS.items():
            for wanted in (factor, 1 / factor):
                if factor != 1.0 and abs(ratio / wanted - 1.0) < FACTOR_SLACK:
                    return _rescaled(channel, 1 / wanted, real, channel.logged_unit or "the assumed unit")
        if not WORST_RATIO < ratio < 1 / WORST_RATIO:
            seen = replace(channel.recognised, confidence=0.0)
            return replace(channel, role=None, recognised=seen), Warning(
                "speed-unfit",
                f"“{channel.name[:40]}” is {ratio:.3g} times what the positions show, which no unit explains; it is "
                "not used as a speed.",
            )
        seen = replace(channel.recognised, confidence=min(channel.recognised.confidence, DOUBTED))
        return replace(channel, recognised=seen), Warning(
            "unit-doubted",
            f"“{channel.name[:40]}” is {ratio:.2f} times what the positions show; its unit or wheel size may be wrong.",
        )
    return channel, None


def _high(channel: Channel) -> float:
    return spread_of(np.abs(channel.values), (50.0, 99.5))[1] if len(channel.values) else 0.0


def _at_rest(channel: Channel) -> tuple[Channel, Warning | None]:
    """A pedal that rests where it should, and what to say of it; a speed that is never below zero."""
    if channel.role in ("brake_pressure", "rear_brake_pressure", "brake_pedal"):
        rest, high = rest_of(channel.values), spread_of(channel.values, (50.0, 99.5))[1]
        if rest is None or abs(rest) <= RESTS * (high - rest):
            return channel, None
        return replace(channel, values=channel.values - rest), Warning(
            "pedal-stops",
            f"“{channel.name[:40]}” rests at {100 * rest / (high - rest):.0f} % of its range, not at zero; that was "
            "taken off.",
        )
    if channel.role == "throttle":
        stops = stops_of_share(channel.values)
        if stops is None or (abs(stops[0]) <= LIFTED and stops[1] >= FLAT) or stops[1] - stops[0] < 0.2:
            return channel, None
        share = np.clip((channel.values - stops[0]) / (stops[1] - stops[0]), 0.0, 1.0)
        return replace(channel, values=share), Warning(
            "pedal-stops",
            f"“{channel.name[:40]}” goes from {100 * stops[0]:.0f} to {100 * stops[1]:.0f} %; these are taken as its "
            "stops.",
        )
    return channel, None


def _rescaled(channel: Channel, factor: float, real: str, said: str) -> tuple[Channel, Warning]:
    seen = replace(channel.recognised, unit=real)
    return replace(channel, values=channel.values * factor, recognised=seen), Warning(
        "unit-corrected", f"The values of “{channel.name[:40]}” are not in {said} but look like {real}; taken as that."
    )


def mirrored(log: Log, settled: frozenset[str] = frozenset()) -> list[tuple[int, Warning]]:
    """Channels whose sign contradicts the motion that positions and speed show, by index, with what to say of each.

    The path's heading rate (left positive) tells the sign of yaw rate, of lateral acceleration (heading rate times
    speed) and of steering; the change of speed tells that of longitudinal acceleration.

    Parameters
    ----------
    log : in SI units
    settled : names of channels whose sign somebody confirmed
    """
    found: list[tuple[int, Warning]] = []
    motion = _motion(log)
    if motion is None:
        return found
    clock, speed, turning, gain = motion
    moving = speed > 8.0
    if moving.sum() < LEAST_MOVING:
        return found
    wanted = {
        "lateral_acceleration": (turning * speed, "lateral acceleration", "left"),
        "yaw_rate": (turning, "yaw rate", "left"),
        "steering": (turning, "steering", "left"),
        "longitudinal_acceleration": (gain, "longitudinal acceleration", "speeding up"),
    }
    for index, channel in enumerate(log.channels):
        if channel.role not in wanted or channel.name in settled or len(channel.time) < 50:
            continue
        target, words, positive = wanted[channel.role]
        reach = max(1, round(channel.rate_hz))
        own = np.interp(clock, channel.time, uniform_filter1d(channel.values, reach))
        if np.ptp(own[moving]) == 0 or np.ptp(target[moving]) == 0:
            continue
        if float(np.corrcoef(own[moving], target[moving])[0, 1]) < -MIRRORED:
            found.append(
                (
                    index,
                    Warning(
                        "axis-mirrored",
                        f"“{channel.name[:40]}” has the opposite sign of what the car did; it was turned round, so "
                        f"that {words} is positive when {'turning ' if positive == 'left' else ''}{positive}.",
                    ),
                )
            )
    return found


def _motion(log: Log) -> tuple[Array, Array, Array, Array] | None:
    """Times, speed, heading rate and change of speed over a second or two, from the positions."""
    positions = log.positions()
    if positions is None or len(positions[0].time) < 100:
        return None
    latitude, longitude = positions
    clock = np.arange(latitude.time[0], latitude.time[-1], 0.25)
    if not 100 <= len(clock) <= 1_000_000:
        return None
    x, y = Plane(float(np.median(latitude.values)), float(np.median(longitude.values))).to_xy(
        np.interp(clock, latitude.time, latitude.values), np.interp(clock, longitude.time, longitude.values)
    )
    u, v = (uniform_filter1d(np.gradient(uniform_filter1d(p, 5), clock), 5) for p in (x, y))
    speed = np.hypot(u, v)
    turning = np.gradient(np.unwrap(np.arctan2(v, u)), clock)
    return clock, speed, turning, np.gradient(speed, clock)
