"""Makes sense of a log's channels: units that contradict the values, channels whose values betray what they are."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.constants import g as GRAVITY
from scipy.ndimage import uniform_filter1d

from lauftakt.core.log.dialect import Choice
from lauftakt.core.log.model import Channel, Log, Recognition, Warning
from lauftakt.core.log.roles import ROLES
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
SPEED_FACTORS = {
    "m/s": 1.0, "km/h": 3.6, "mph": 2.2369, "knots": 1.9438, "km/h taken as mph": 3.6 / 2.2369,
}  # fmt: skip
# Wheels that are worn or spin change a speed by less; neighbouring units differ by more.
FACTOR_SLACK = 0.06
# Correlation from which on values alone are believed.
CLEAR = 0.75
# Confidence of a channel whose unit contradicts the positions.
DOUBTED = 0.5
# Correlation below minus this: the sign is turned, not only noisy.
MIRRORED = 0.6
# Quarters of a second in motion, below which nothing is said.
LEAST_MOVING = 80


@dataclass(frozen=True)
class Proposal:
    """A role proposed for a channel from its values, with a confidence from 0 to 1."""

    channel: str
    role: str
    confidence: float


def make_sense(log: Log, choices: Mapping[str, Choice] | None = None) -> Log:
    """A log whose units and signs fit its values and whose unnamed pedals have their roles, with warnings for what was
    changed.

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
    settled = frozenset(name for name, choice in said.items() if choice.flipped is not None)
    for index, warning in mirrored(Log(tuple(channels)), settled):
        channel = channels[index]
        seen = replace(channel.recognised, flipped=not channel.recognised.flipped)
        channels[index] = replace(channel, values=-channel.values, recognised=seen)
        warnings.append(warning)
    for found in propose_roles(Log(tuple(channels)), frozenset(n for n, choice in said.items() if choice.role == "")):
        index = next(i for i, c in enumerate(channels) if c.name == found.channel)
        channel = channels[index]
        top = float(np.percentile(channel.values, 99.8))
        channels[index] = replace(
            channel,
            role=found.role,
            unit=ROLES[found.role].unit,
            values=channel.values / top,
            recognised=Recognition("values", found.confidence),
        )
        warnings.append(
            Warning(
                "role-proposed",
                f"“{channel.name[:40]}” behaves like {ROLES[found.role].header} and is used as that "
                f"({100 * found.confidence:.0f} % sure).",
            )
        )
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
            "Positions are local coordinates: they fit logs of the same origin, and lie around 0° north, 0° east.",
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
    high = float(np.percentile(np.abs(channel.values), 99.5)) if len(channel.values) else 0.0
    if channel.role in ("throttle", "brake_pedal"):
        # Held in shares: what never passes two hundredths was a share already when it was taken for per cent.
        if 0.002 < high < 0.02:
            return _rescaled(channel, 100.0, "share", "per cent")
        if 2.0 < high < 300.0:
            return _rescaled(channel, 0.01, "per cent", "share")
    if channel.role in ("lateral_acceleration", "longitudinal_acceleration"):
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
        if abs(ratio - 1.0) < 0.1 or ratio <= 0:
            return channel, None
        for real, factor in SPEED_FACTORS.items():
            for wanted in (factor, 1 / factor):
                if factor != 1.0 and abs(ratio / wanted - 1.0) < FACTOR_SLACK:
                    return _rescaled(channel, 1 / wanted, real, channel.logged_unit or "the assumed unit")
        seen = replace(channel.recognised, confidence=min(channel.recognised.confidence, DOUBTED))
        return replace(channel, recognised=seen), Warning(
            "unit-doubted",
            f"“{channel.name[:40]}” is {ratio:.2f} times what the positions show; its unit or wheel size may be wrong.",
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


def propose_roles(log: Log, barred: frozenset[str] = frozenset()) -> list[Proposal]:
    """Pedals among channels without a role, where the log has none by name.

    A brake is never negative, released most of the time, and follows deceleration. A throttle lies between two stops,
    at which it spends much time, and follows the driving force.

    Parameters
    ----------
    log : with a speed
    barred : names of channels that somebody said stand for nothing
    """
    speed = log.role("speed") or log.role("receiver_speed")
    if speed is None or len(speed.time) < 500:
        return []
    rate = max(speed.rate_hz, 1.0)
    pace = uniform_filter1d(speed.values, max(1, round(0.3 * rate)))
    gain = np.gradient(pace, speed.time)
    moving = pace > 5.0
    found: list[Proposal] = []
    wanted = []
    if log.role("brake_pressure") is None and log.role("brake_pedal") is None:
        wanted.append(("brake_pedal", np.maximum(-gain - 1.0, 0.0)))
    if log.role("throttle") is None:
        wanted.append(("throttle", gain + 4e-4 * pace**2))
    for role, target in wanted:
        best: Proposal | None = None
        for channel in log.channels:
            if channel.role is not None or channel.name in barred or np.ptp(channel.values) == 0:
                continue
            if len(channel.time) < 0.5 * len(speed.time):
                continue
            own = np.interp(speed.time, channel.time, channel.values)
            share = _stops(own[moving], role)
            if share is None:
                continue
            match = float(np.corrcoef(own[moving], target[moving])[0, 1]) * share
            if match > CLEAR and (best is None or match > best.confidence):
                best = Proposal(channel.name, role, min(match, 0.99))
        if best is not None:
            found.append(best)
    return found


def _stops(values: Array, role: str) -> float | None:
    """1 where the values rest at their stops as a pedal's do, None where they cannot be a pedal's."""
    low, high = np.percentile(values, [1, 99.5])
    if high <= 0 or low < -0.02 * high:
        return None
    if role == "brake_pedal":
        return 1.0 if np.mean(values < 0.05 * high) > 0.5 else None
    top = np.mean(values > 0.95 * high)
    return 1.0 if top > 0.15 and np.mean(values < 0.1 * high) > 0.03 else None
