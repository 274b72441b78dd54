"""From a raw log to the core's log: what its channels stand for, SI units, one channel for each role."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lauftakt.core.log.dialect import Choice, Dialect
from lauftakt.core.log.evidence.assigning import Assignment, Given, assign_roles
from lauftakt.core.log.evidence.naming import FULL, evidence_of_name, unit_written
from lauftakt.core.log.held import held_samples
from lauftakt.core.log.model import Channel, Log, RawChannel, RawLog, Recognition, Warning
from lauftakt.core.log.pedals import between_stops
from lauftakt.core.log.roles import ROLES
from lauftakt.core.log.sense import make_sense, missing_channels
from lauftakt.core.log.units import Reading, into_si, reading_of, readings
from lauftakt.core.log.wheels import with_car_speed
from lauftakt.formats.units import UnknownUnit, convert

_POSITIONS = (("latitude", "longitude"), ("local_x", "local_y"))
_PEDALS = ("throttle", "brake_pedal", "clutch")


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
    The log in SI units, its channels in the order of the raw one's, with all warnings; one that was derived from
    others comes last.
    """
    said = _said(raw.channels, dialect)
    warnings = list(raw.warnings)
    thin = [_thinned(channel) for channel in raw.channels]
    assigned = assign_roles(
        [item.channel for item in thin],
        {index: choice.role for index, choice in said.items() if choice.role is not None},
    )
    together(thin, assigned.given)
    _tell_held(thin, warnings)
    channels = []
    for index, item in enumerate(thin):
        channel, told = _channel(item.channel, assigned.given[index], said.get(index, Choice()))
        channels.append(channel)
        warnings += told
    _tell(assigned, channels, warnings)
    choices = {raw.channels[index].name: choice for index, choice in said.items()}
    log = with_car_speed(make_sense(Log(tuple(channels), raw.meta, tuple(warnings)), choices))
    absent = missing_channels(log)
    return log if absent is None else replace(log, warnings=(*log.warnings, absent))


def _said(channels: Sequence[RawChannel], dialect: Dialect | None) -> dict[int, Choice]:
    """What a person said, by the channel's index. A name that is numbered because it occurs twice is another channel of
    the same name; what was said of it is found by name and number, or by the bare name where that is not there."""
    if dialect is None:
        return {}
    found = {i: dialect.choices[c.name] for i, c in enumerate(channels) if c.name in dialect.choices}
    names = {channel.name for channel in channels}
    for index, channel in enumerate(channels):
        bare = re.sub(r" \(\d+\)$", "", channel.name)
        if index not in found and bare != channel.name and bare not in names and bare in dialect.choices:
            found[index] = dialect.choices[bare]
    return found


@dataclass
class _Thin:
    """A channel taken back to its true samples, and what it was before."""

    channel: RawChannel
    whole: RawChannel

    @property
    def held(self) -> bool:
        return len(self.channel.time) < len(self.whole.time)


def _thinned(channel: RawChannel) -> _Thin:
    kept = held_samples(channel.values)
    if kept is None:
        return _Thin(channel, channel)
    return _Thin(replace(channel, time=channel.time[kept], values=channel.values[kept]), channel)


def together(thin: Sequence[_Thin], given: Sequence[Given]) -> None:
    """Both coordinates of a position are sampled at one time: where one of them is held, both keep one clock."""
    for roles in _POSITIONS:
        pair = [item for item, found in zip(thin, given, strict=True) if found.role in roles]
        if len(pair) != 2 or not any(item.held for item in pair) or len(pair[0].whole.time) != len(pair[1].whole.time):
            continue
        kept = held_samples(*(item.whole.values for item in pair))
        for item in pair:
            item.channel = (
                item.whole
                if kept is None
                else replace(item.whole, time=item.whole.time[kept], values=item.whole.values[kept])
            )


def _tell_held(thin: Sequence[_Thin], warnings: list[Warning]) -> None:
    names = [item.whole.name for item in thin if item.held]
    if names:
        more = f" and {len(names) - 3} more" if len(names) > 3 else ""
        warnings.append(
            Warning(
                "channel-held",
                f"{', '.join(short(name) for name in names[:3])}{more} was written more often than it was measured; "
                "only the measured samples are used.",
            )
        )


def _channel(source: RawChannel, given: Given, choice: Choice) -> tuple[Channel, list[Warning]]:
    unit = choice.unit if choice.unit is not None else source.unit
    values = -source.values if choice.flipped else source.values
    if given.role is None:
        denied = choice.role == ""
        seen = Recognition("dialect" if denied else "none", 1.0 if denied else 0.0)
        channel = Channel(source.name, unit, None, source.time, values, source.unit, seen)
        return channel, [] if denied else _unfit(source)
    role = ROLES[given.role]
    told: list[Warning] = []
    taken, reading = _unit(source, given, choice, told)
    unnamed = given.by == "values" and not source.unit.strip() and choice.unit is None
    if given.role in _PEDALS and (reading is None or reading.quantity != "share" or told or unnamed):
        shares, stops = between_stops(values, given.role)
        plain = next((unit for unit, full in (("%", 100.0), ("ratio", 1.0)) if _round(stops, full)), None)
        if plain is not None and unnamed:
            values, taken = convert(values, plain, "1"), plain
        else:
            values = shares
            told.append(_told_stops(source.name, unit, stops))
            taken = unit
    elif reading is None:
        values = convert(values, taken, role.unit)
    else:
        values = into_si(values, reading)
    seen = Recognition(
        given.by, given.confidence, bool(choice.flipped), taken, given.second if given.confidence < 1.0 else None
    )
    return Channel(source.name, role.unit, given.role, source.time, values, unit or taken, seen), told


def _unfit(source: RawChannel) -> list[Warning]:
    """What is to be said of a channel that its unit keeps from the role that its name says."""
    named = evidence_of_name(source.name, "")
    role = max(named, key=lambda code: named[code])
    if not source.unit.strip() or named[role] < FULL - 0.5 or reading_of(source.unit, ROLES[role].quantities):
        return []
    message = (
        f"{short(source.name)} is in {short(source.unit)}, which does not fit {ROLES[role].header}; it has no role."
    )
    return [Warning("unit-unfit", message)]


def _unit(source: RawChannel, given: Given, choice: Choice, told: list[Warning]) -> tuple[str, Reading | None]:
    """The unit in which a channel's values are written, and how to read it (None: by the units library)."""
    assert given.role is not None
    role = ROLES[given.role]
    # A share that was said to be nothing is a bare figure; what the values show of a position outranks its unit.
    tried = [choice.unit, given.written or None, source.unit, unit_written(source.name, given.role)]
    for unit in tried:
        if unit is None or (not unit.strip() and unit is not choice.unit):
            continue
        reading = reading_of(unit, role.quantities)
        if reading is None and not readings(unit):
            try:
                convert(np.zeros(1), unit, role.unit)
            except UnknownUnit:
                pass
            else:
                return unit, None
        if reading is not None:
            if unit == given.written and source.unit.strip() and unit != source.unit:
                told.append(
                    Warning(
                        "unit-corrected",
                        f"The values of {short(source.name)} are not in {short(source.unit)} but look like {unit}; "
                        "taken as that.",
                    )
                )
            return unit, reading
    if source.unit.strip() and given.written == "":
        told.append(
            Warning(
                "unit-unfit",
                f"{short(source.name)} is in {short(source.unit)}, which does not fit {role.header}; its values are "
                f"taken as {role.assumed}.",
            )
        )
    return role.assumed, reading_of(role.assumed, role.quantities)


def _round(stops: tuple[float, float], full: float) -> bool:
    """Whether a pedal's stops are those of a share: nothing, and all of it."""
    return abs(stops[0]) < 0.02 * full and 0.9 * full < stops[1] < 1.02 * full


def _told_stops(name: str, unit: str, stops: tuple[float, float]) -> Warning:
    return Warning(
        "pedal-stops",
        f"{short(name)} is in {unit if unit not in ('', '1') else 'bare figures'}: its stops, {stops[0]:.3g} and "
        f"{stops[1]:.3g}, are taken as 0 and 100 %.",
    )


def _tell(assigned: Assignment, channels: Sequence[Channel], warnings: list[Warning]) -> None:
    """What was decided against a name, against a rival, or from the values alone."""
    by_role: Mapping[str | None, Channel] = {channel.role: channel for channel in channels}
    for index, role in assigned.rivals:
        warnings.append(
            Warning(
                "role-rival",
                f"{short(channels[index].name)} and {short(by_role[role].name)} both look like {ROLES[role].header}; "
                f"{short(by_role[role].name)} is used.",
            )
        )
    for index, named in assigned.contradicted:
        channel = channels[index]
        assert channel.role is not None
        warnings.append(
            Warning(
                "role-contradicted",
                f"{short(channel.name)} is called {ROLES[named].header}, but behaves like {ROLES[channel.role].header} "
                "and is used as that.",
            )
        )
    contradicted = {index for index, _ in assigned.contradicted}
    for index, given in enumerate(assigned.given):
        if given.by == "values" and given.role is not None and index not in contradicted:
            warnings.append(
                Warning(
                    "role-proposed",
                    f"{short(channels[index].name)} behaves like {ROLES[given.role].header} and is used as that "
                    f"({100 * given.confidence:.0f} % sure).",
                )
            )


__all__ = ["interpret", "short"]
