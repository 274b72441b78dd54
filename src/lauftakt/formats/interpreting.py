"""From a raw log to the core's log: roles by name or by a logger's dialect, SI units, one channel for each role."""

from dataclasses import replace

import numpy as np

from lauftakt.core.log.dialect import Choice, Dialect
from lauftakt.core.log.held import held_samples
from lauftakt.core.log.model import Channel, Log, RawChannel, RawLog, Recognition, Warning
from lauftakt.core.log.roles import ROLES, role_for_name
from lauftakt.core.log.sense import make_sense, missing_channels
from lauftakt.formats.units import UnknownUnit, convert

# Without a unit the name alone is a weaker witness, where the unit could have been several.
NO_UNIT = 0.05
RIVAL_MARGIN = 0.1
_BARE = {"latitude", "longitude", "gear", "lap_number", "lap_share", "throttle", "brake_pedal", "engine_speed"}


def short(text: str) -> str:
    """A name from a file as it may stand in a sentence: on one line, at most 41 characters, quoted."""
    text = " ".join(text.split())
    return f"“{text[:40]}…”" if len(text) > 41 else f"“{text}”"


def interpret(raw: RawLog, dialect: Dialect | None = None) -> Log:
    """The core's log of a raw one.

    Parameters
    ----------
    raw : as a file holds it
    dialect : what is known of this kind of logger; its choices outrank names and values

    Returns
    -------
    The log in SI units, with all warnings.
    """
    said = dialect.choices if dialect else {}
    warnings = list(raw.warnings)
    channels: list[Channel] = []
    for source in thinned(raw.channels, warnings):
        channel, warning = _channel(source, said.get(source.name, Choice()))
        channels.append(channel)
        if warning is not None:
            warnings.append(warning)
    settled = _settle_rivals(channels, warnings)
    log = make_sense(Log(tuple(settled), raw.meta, tuple(warnings)), said)
    absent = missing_channels(log)
    return log if absent is None else replace(log, warnings=(*log.warnings, absent))


def thinned(channels: tuple[RawChannel, ...], warnings: list[Warning]) -> list[RawChannel]:
    """Channels whose held values were taken back to the samples they repeat; positions keep one clock."""
    found: list[RawChannel] = []
    names: list[str] = []
    positions = [c for c in channels if (role_for_name(c.name) or ("", 0))[0] in ("latitude", "longitude")]
    together = len(positions) == 2 and len(positions[0].time) == len(positions[1].time)
    shared = held_samples(*(c.values for c in positions)) if together else None
    for channel in channels:
        if together and any(channel is position for position in positions):
            kept = shared
        else:
            kept = held_samples(channel.values)
        if kept is not None:
            names.append(channel.name)
            channel = replace(channel, time=channel.time[kept], values=channel.values[kept])
        found.append(channel)
    if names:
        more = f" and {len(names) - 3} more" if len(names) > 3 else ""
        warnings.append(
            Warning(
                "channel-held",
                f"{', '.join(short(name) for name in names[:3])}{more} repeated each value at a faster clock; "
                "only the true samples are used.",
            )
        )
    return found


def _channel(source: RawChannel, choice: Choice) -> tuple[Channel, Warning | None]:
    role, seen = _role(source, choice)
    given = choice.unit if choice.unit is not None else source.unit
    values = -source.values if choice.flipped else source.values
    if not role:
        plain = Recognition("dialect" if choice.role == "" else "none", 1.0 if choice.role == "" else 0.0)
        return Channel(source.name, given, None, source.time, values, source.unit, plain), None
    wanted = ROLES[role]
    taken = given or wanted.assumed
    seen = replace(seen, flipped=bool(choice.flipped), unit=taken)
    try:
        converted = convert(values, taken, wanted.unit)
        return Channel(source.name, wanted.unit, role, source.time, converted, given or taken, seen), None
    except UnknownUnit:
        message = f"{short(source.name)} is in {short(taken)}, which does not fit {wanted.header}; it has no role."
        return Channel(source.name, given, None, source.time, values, source.unit), Warning("unit-unfit", message)


def _role(source: RawChannel, choice: Choice) -> tuple[str | None, Recognition]:
    if choice.role is not None:
        return (choice.role if choice.role in ROLES else None), Recognition("dialect", 1.0)
    found = role_for_name(source.name)
    if found is None:
        return None, Recognition()
    role, confidence = found
    if not source.unit and role not in _BARE:
        confidence -= NO_UNIT
    return role, Recognition("name", confidence)


def _settle_rivals(channels: list[Channel], warnings: list[Warning]) -> list[Channel]:
    """Of several channels for one role the surest keeps it, of equally sure ones the denser, then the less noisy."""
    best: dict[str, Channel] = {}
    for channel in channels:
        if channel.role and (channel.role not in best or _better(channel, best[channel.role])):
            best[channel.role] = channel
    settled = []
    for channel in channels:
        if channel.role and best[channel.role] is not channel:
            winner = best[channel.role]
            warnings.append(
                Warning(
                    "role-rival",
                    f"{short(channel.name)} and {short(winner.name)} both look like {ROLES[channel.role].header}; "
                    f"{short(winner.name)} is used.",
                )
            )
            channel = replace(channel, role=None, recognised=Recognition())
        settled.append(channel)
    return settled


def _better(own: Channel, other: Channel) -> bool:
    surer = own.recognised.confidence - other.recognised.confidence
    if abs(surer) > RIVAL_MARGIN:
        return surer > 0
    if abs(len(own.time) - len(other.time)) > 0.05 * max(len(own.time), len(other.time)):
        return len(own.time) > len(other.time)
    return _noise(own) < 0.8 * _noise(other)


def _noise(channel: Channel) -> float:
    """Size of the second differences against the channel's own range."""
    span = float(np.ptp(channel.values)) if len(channel.values) else 0.0
    if len(channel.values) < 10 or span == 0:
        return 1.0
    return float(np.median(np.abs(np.diff(channel.values, 2)))) / span


__all__ = ["interpret", "short", "thinned"]
