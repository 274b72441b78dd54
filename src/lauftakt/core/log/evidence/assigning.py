"""Roles for all channels of a log: names, units and behaviour weighed together; each role goes to one at most."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from lauftakt.core.log.evidence.behaviour import WHEEL_SPEEDS, evidence_of_behaviour, likeness
from lauftakt.core.log.evidence.motion import Bench, Motion, on_one_clock, speed_motion, with_speed
from lauftakt.core.log.evidence.naming import SAYS_NOTHING, evidence_of_name, says_something
from lauftakt.core.log.evidence.positions import Places, agreement, find_places, unnamed_pairs
from lauftakt.core.log.model import RawChannel
from lauftakt.core.log.roles import ROLES

Array = NDArray[np.float64]

CODES = tuple(ROLES)
_AT = {code: index for index, code in enumerate(CODES)}
# What has to be said for a role before it is given at all.
LEAST = 1.0
# By this the margin, in log-likelihood, is divided: the evidence is not independent, so it counts less than it says.
TEMPER = 2.0
# A name that says something is overruled by behaviour only among quantities that are mistaken for one another.
FAMILIES = (
    frozenset({"throttle", "brake_pedal", "brake_pressure", "rear_brake_pressure", "clutch"}),
    frozenset({"lateral_acceleration", "longitudinal_acceleration", "vertical_acceleration"}),
    frozenset({"latitude", "longitude"}),
    frozenset({"speed", "receiver_speed"}),
    frozenset({"lap_share", "lap_distance", "distance"}),
    frozenset({"yaw_rate", "steering"}),
)
# What behaviour adds to a name that says the same; it only confirms it.
CONFIRMS = 2.5
# Behaviour so much against a name takes away what it says.
DISCREDITS = -4.0
# The receiver's speed is sampled when its fixes are; where the name does not say that it is the receiver's, that is a
# little less sure than what it says.
WITH_THE_FIXES = 1.5
NOT_SAID = 1.0


@dataclass(frozen=True)
class Given:
    """The role of one channel.

    Attributes
    ----------
    role : or None
    confidence : 0 to 1, from the margin to the best assignment without it
    second : the role it would have otherwise (``""``: none), None where that is out of the question
    by : ``name`` or ``values``: what spoke loudest
    written : the unit that the values show, where it is another than the one given
    """

    role: str | None
    confidence: float = 0.0
    second: str | None = None
    by: str = "none"
    written: str = ""


@dataclass(frozen=True)
class Assignment:
    """What all channels stand for, in order.

    Attributes
    ----------
    given : one a channel
    contradicted : channels, by index, with the role that their name says and their values deny
    rivals : channels, by index, with the role that they would have had and another channel has
    """

    given: tuple[Given, ...]
    contradicted: tuple[tuple[int, str], ...] = ()
    rivals: tuple[tuple[int, str], ...] = ()


def assign_roles(channels: Sequence[RawChannel], said: Mapping[int, str] | None = None) -> Assignment:
    """The best assignment of roles to channels.

    Parameters
    ----------
    channels : of one log, as logged
    said : roles that a person gave, by index; ``""`` for "stands for nothing"

    Returns
    -------
    The roles, and what had to be decided against a name or a rival.

    Notes
    -----
    The sum of the evidence is maximised over all one-to-one assignments (Kuhn 1955, in the form of Crouse 2016); a
    role's confidence is the logistic function of what the sum loses if just this pair is forbidden.
    """
    said = said or {}
    if not channels:
        return Assignment(())
    names = np.array([[_named(channel, code) for code in CODES] for channel in channels]).reshape(len(channels), -1)
    bench = on_one_clock(channels)
    behaviour: list[dict[str, float]] = [{} for _ in channels]
    places: Places | None = None
    if bench is not None:
        places, motion = _motion(bench, channels, names, said)
        behaviour = evidence_of_behaviour(bench, motion)
        _positions_evidence(behaviour, channels, names, places)
        _quality(behaviour, channels, names, bench, places)
    total = _sum(names, behaviour)
    for index, role in said.items():
        total[index] = -np.inf
        if role in _AT:
            total[:, _AT[role]] = -np.inf
            total[index, _AT[role]] = 1e3
    return _solved(channels, total, names, behaviour, places, said)


def _named(channel: RawChannel, code: str) -> float:
    return evidence_of_name(channel.name, channel.unit)[code]


def _motion(
    bench: Bench, channels: Sequence[RawChannel], names: Array, said: Mapping[int, str]
) -> tuple[Places | None, Motion | None]:
    """The positions, and the motion they or a speed show."""
    units = [channel.unit for channel in channels]
    silent = [not says_something(channel.name) for channel in channels]
    speeds = _likely(names, bench, said, "speed", "receiver_speed", *WHEEL_SPEEDS)
    unnamed = [i for i, quiet in enumerate(silent) if quiet and i not in said and bench.lively[i] and i not in speeds]
    pairs = [
        (a, b, local)
        for one, other, local in (("latitude", "longitude", False), ("local_y", "local_x", True))
        for a in _likely(names, bench, said, one)[:3]
        for b in _likely(names, bench, said, other)[:3]
        if a != b
    ]
    some = [*speeds, *(i for i in unnamed if float(np.nanmin(bench.rows[i])) >= -0.5)]
    places = find_places(bench, pairs, units, some)
    if places is None and sum(silent) > 1:
        guessed = unnamed_pairs(bench, unnamed, float)
        best: Places | None = None
        for pair in guessed:
            found = find_places(bench, [pair], units, some)
            if found is None or not found.motion.enough or (best is not None and not found.error < best.error):
                continue
            if found.error < 0.15 or (not some and best is None):
                best = found
            if found.error < 0.03:
                break
        places = best
    if places is not None and places.motion.enough:
        _, which = agreement(bench, places.motion, some)
        return places, places.motion if which is None else with_speed(places.motion, bench.rows[which])
    return None, _by_speed(bench, names, speeds, unnamed, said)


def _likely(names: Array, bench: Bench, said: Mapping[int, str], *roles: str) -> list[int]:
    """Channels whose names speak for one of some roles, the likeliest first."""
    best = names[:, [_AT[role] for role in roles]].max(axis=1)
    for index, role in said.items():
        best[index] = 1e3 if role in roles else -1e3
    return [int(i) for i in np.argsort(-best, kind="stable") if best[i] > LEAST and bench.lively[i]]


def _by_speed(
    bench: Bench, names: Array, speeds: list[int], unnamed: list[int], said: Mapping[int, str]
) -> Motion | None:
    """The motion by a speed channel, with the turning that a yaw rate or a lateral acceleration shows."""
    tried = [i for i in (*speeds, *unnamed) if speed_motion(bench.rows[i]) is not None]
    if not speeds:
        tried = [i for i in tried if _like_a_speed(bench.rows[i])]
        ahead = _likely(names, bench, said, "longitudinal_acceleration") or unnamed
        tried.sort(key=lambda i: -max((_goes_with(bench, i, j) for j in ahead if j != i), default=0.0))
        tried = [i for i in tried if max((_goes_with(bench, i, j) for j in ahead if j != i), default=0.0) > 0.8]
    if not tried:
        return None
    speed = bench.rows[tried[0]]
    turning: Array | None = None
    yaw = _likely(names, bench, said, "yaw_rate")
    aside = _likely(names, bench, said, "lateral_acceleration")
    if yaw:
        turning = bench.rows[yaw[0]]
    elif aside:
        turning = bench.rows[aside[0]] / np.maximum(speed, 0.1 * np.nanmax(speed))
    else:
        turning = _turning_of_pair(bench, unnamed, speed)
    return speed_motion(speed, turning)


def _like_a_speed(row: Array) -> bool:
    high = float(np.nanpercentile(row, 99))
    return (
        float(np.nanmin(row)) > -0.02 * high
        and 15 < high < 450
        and float(np.nanpercentile(np.abs(np.diff(row)), 99)) < 0.08 * high
    )


def _goes_with(bench: Bench, speed: int, ahead: int) -> float:
    gain = np.gradient(bench.rows[speed])
    return abs(likeness(bench.rows[ahead], gain, np.isfinite(gain)) or 0.0)


def _turning_of_pair(bench: Bench, free: list[int], speed: Array) -> Array | None:
    """A yaw rate among channels without names: one that times the speed is another, the lateral acceleration."""
    best, found = 0.95, None
    for yaw in free:
        for aside in free:
            if yaw == aside or float(np.nanmin(bench.rows[yaw])) >= 0:
                continue
            match = abs(likeness(bench.rows[aside], bench.rows[yaw] * speed, np.isfinite(speed)))
            back = abs(likeness(bench.rows[yaw], bench.rows[aside] * speed, np.isfinite(speed)))
            if match > best and match > back:
                best, found = match, yaw
    return None if found is None else bench.rows[found]


def _positions_evidence(
    behaviour: list[dict[str, float]], channels: Sequence[RawChannel], names: Array, places: Places | None
) -> None:
    for index in range(len(channels)):
        if names[index, _AT["latitude"]] > LEAST or names[index, _AT["longitude"]] > LEAST:
            continue
        behaviour[index] |= {"latitude": -4.0, "longitude": -4.0}
    if places is None:
        return
    roles = ("local_y", "local_x") if places.local else ("latitude", "longitude")
    strength = 12.0 if places.swapped else 6.0
    for index, role, other in (
        (places.latitude, roles[0], roles[1]),
        (places.longitude, roles[1], roles[0]),
    ):
        behaviour[index] = dict.fromkeys(behaviour[index], -6.0) | {role: strength, other: -strength}


def _quality(
    behaviour: list[dict[str, float]],
    channels: Sequence[RawChannel],
    names: Array,
    bench: Bench,
    places: Places | None,
) -> None:
    """The better measurement among rivals: denser, and true to the motion; the receiver's speed by its clock."""
    fastest = float(np.max(np.minimum(bench.rates, 50.0), initial=1.0))
    fixes = bench.rates[places.latitude] if places is not None else 0.0
    others = any(rate > 1.5 * fixes for rate in bench.rates) and fixes > 0
    for index in range(len(channels)):
        dense = math.log2(max(min(bench.rates[index], 50.0), 0.1) / max(fastest, 0.1))
        for code in CODES:
            if names[index, _AT[code]] > LEAST:
                behaviour[index][code] = behaviour[index].get(code, 0.0) + max(dense, -2.0)
        if others and places is not None and index not in (places.latitude, places.longitude):
            # Sampled with the fixes: it comes from the receiver, too.
            with_fixes = 0.8 < bench.rates[index] / fixes < 1.25
            named, own = names[index, _AT["speed"]], names[index, _AT["receiver_speed"]]
            if max(named, own) <= LEAST:
                continue
            if with_fixes and own <= LEAST:
                behaviour[index]["receiver_speed"] = named - own - NOT_SAID
            clock = -WITH_THE_FIXES if with_fixes else WITH_THE_FIXES / 2
            behaviour[index]["speed"] = behaviour[index].get("speed", 0.0) + clock
    if places is not None and not places.local:
        speeds = [i for i in range(len(channels)) if names[i, [_AT["speed"], _AT["receiver_speed"]]].max() > LEAST]
        if len(speeds) > 1:
            errors = {i: agreement(bench, places.motion, [i])[0] for i in speeds}
            least = min((e for e in errors.values() if math.isfinite(e)), default=0.0)
            for index, error in errors.items():
                if math.isfinite(error):
                    behaviour[index]["speed"] = behaviour[index].get("speed", 0.0) - min(40 * (error - least), 4.0)


def _sum(names: Array, behaviour: list[dict[str, float]]) -> Array:
    """Names and behaviour together: behaviour confirms a name, contradicts it, and speaks alone where it is silent."""
    total = names.copy()
    for index in range(len(names)):
        best = CODES[int(np.argmax(names[index]))]
        named = best if names[index].max() > LEAST else None
        family = next((f for f in FAMILIES if named in f), frozenset()) if named else frozenset()
        discredited = named is not None and behaviour[index].get(named, 0.0) < DISCREDITS
        for code, value in behaviour[index].items():
            own = names[index, _AT[code]]
            if discredited and code in family and code != named:
                own = max(own, SAYS_NOTHING)  # a name whose values deny it says nothing any more
            if value > 0 and own > LEAST:
                value = min(value, CONFIRMS) if code not in ("latitude", "longitude") else value
            elif value > 0 and code == "receiver_speed" and named == "speed":
                pass  # seen by its clock, not by its behaviour
            elif value > 0 and own < SAYS_NOTHING and code not in family:
                value = 0.0
            total[index, _AT[code]] = own + value
    return total


def _solved(
    channels: Sequence[RawChannel],
    total: Array,
    names: Array,
    behaviour: list[dict[str, float]],
    places: Places | None,
    said: Mapping[int, str],
) -> Assignment:
    worth = np.where(total > LEAST, total, -1e6)
    rows = np.flatnonzero((worth > 0).any(axis=1))
    columns = np.flatnonzero((worth > 0).any(axis=0))
    given: list[Given] = [Given(None)] * len(channels)
    contradicted: list[tuple[int, str]] = []
    if len(rows) == 0:
        return Assignment(tuple(given))
    # "None" is a column of its own for each channel, worth nothing.
    table = np.hstack([worth[np.ix_(rows, columns)], np.zeros((len(rows), len(rows)))])
    chosen, best = _assigned(table)
    for at, column in enumerate(chosen):
        index = int(rows[at])
        if column >= len(columns):
            continue
        code = CODES[int(columns[column])]
        if index in said:
            given[index] = Given(code, 1.0, None, "dialect")
            continue
        barred = table.copy()
        barred[at, column] = -1e6
        other, without = _assigned(barred)
        margin = best - without
        second = "" if other[at] >= len(columns) else CODES[int(columns[other[at]])]
        by_name = names[index, _AT[code]] > LEAST
        written = places.written if places is not None and index in (places.latitude, places.longitude) else ""
        given[index] = Given(
            code, 1.0 / (1.0 + math.exp(-min(margin, 60.0) / TEMPER)), second, "name" if by_name else "values", written
        )
        named = CODES[int(np.argmax(names[index]))]
        if not by_name and names[index].max() > LEAST and says_something(channels[index].name):
            contradicted.append((index, named))
    taken = {item.role for item in given}
    rivals = [
        (int(index), CODES[int(np.argmax(total[index]))])
        for index in rows
        if given[index].role is None and index not in said and CODES[int(np.argmax(total[index]))] in taken
    ]
    return Assignment(tuple(given), tuple(contradicted), tuple(rivals))


def _assigned(table: Array) -> tuple[NDArray[np.intp], float]:
    rows, columns = linear_sum_assignment(table, maximize=True)
    return columns, float(table[rows, columns].sum())
