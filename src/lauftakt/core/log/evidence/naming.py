"""What a channel's name and unit say about its role, in log-likelihood.

Each role has rules: the meanings a name must hold, and those it may hold. What else a name holds speaks against: a
"target" or a "switch" makes it another thing, an unknown word hardly. A unit counts as a word, too: "Oil [°C]" is as
clear as "oil temperature". The weights are judgements, checked on loggers made from other words (``benchmarks/roles``).
"""

import math
from dataclasses import dataclass, field
from functools import cache

from lauftakt.core.log.evidence.tokens import Token, tokens_of, unit_word
from lauftakt.core.log.roles import ENDS, ROLES, SIDES, TREADS
from lauftakt.core.log.units import SI, readings

# A name that holds all that a role's rule asks for, and for each further thing that it names.
FULL = 5.0
EACH = 0.5
# The canonical name of a role.
CANONICAL = 0.5
# A unit that measures the role's quantity; one that measures another; a role asked of the unit alone.
FITS = 3.0
UNFIT = -10.0
# A unit that no role is measured in: perhaps the logger's mistake, and no veto.
FITS_NO_ROLE = -4.0
BY_UNIT = -1.0
# A voltage or a count where a pedal's share is wanted: likely, but not as clear.
FITS_ALSO = 0.5
# What a name holds beyond the rule.
_AGAINST = {
    "against": -12.0, "force": -12.0, "flow": -12.0, "other": -11.0, "limit": -12.0, "neutral": -0.05, "number": -1.0,
    "share": -8.0, "position": -2.0, "carrier": -0.4, "line": -2.5, "startline": -3.0, "north": -4.0, "east": -4.0,
}  # fmt: skip
STRANGE = -10.0
UNKNOWN = -1.6
UNKNOWN_LETTER = -1.2
# A name that clearly says something, for the roles that it does not say; one that says nothing.
SAYS_ELSE = -6.0
SAYS_NOTHING = -1.0
# A name that says a part of what a role is ("Acc 1"): no more than an open door for what the values say.
SAYS_A_PART = -0.5
LEAST_TOLD = 1.0
# How much a unit tells where the name tells nothing: few things are measured in turns, many in per cent.
_UNIT_ALONE = {
    "rotation": 3.0, "turn_rate": 2.5, "acceleration": 1.5, "speed": 2.5, "place": 2.5, "angle": 0.8, "volume": 0.5,
    "pressure": 0.3, "share": 0.3, "length": 0.0, "temperature": -1.5, "voltage": -1.5, "count": 0.3, "mass": 0.0,
}  # fmt: skip
# What a unit's quantity means as a word.
_QUANTITY_WORDS = {
    "speed": ("speed",), "acceleration": ("acceleration",), "temperature": ("temperature",), "pressure": ("pressure",),
    "rotation": ("rotation",), "voltage": ("voltage",), "turn_rate": ("rate",), "angle": ("angle",),
    "volume": ("level",), "mass": ("level",),
}  # fmt: skip


@dataclass(frozen=True)
class Rule:
    """``needs``: of each group one meaning; ``may``: meanings that do not speak against, with what they cost."""

    role: str
    needs: tuple[frozenset[str], ...]
    may: dict[str, float] = field(default_factory=dict)
    base: float | None = None

    @property
    def worth(self) -> float:
        """Evidence of a name that fulfils it."""
        return self.base if self.base is not None else FULL + EACH * len(self.needs)


def _rule(role: str, needs: str, may: str = "", base: float | None = None) -> Rule:
    """``needs``: groups apart by blanks, alternatives by bars; ``may``: meanings, a cost behind a colon."""
    costs = {word: -float(cost or 0) for word, _, cost in (item.partition(":") for item in may.split())}
    return Rule(role, tuple(frozenset(group.split("|")) for group in needs.split()), costs, base)


@cache
def rules() -> tuple[Rule, ...]:
    """All rules of all roles."""
    found = [
        _rule("latitude", "latitude", "gps position:0 carrier north:0 angle:0.3"),
        _rule("longitude", "longitude", "gps position:0 carrier east:0 angle:0.3"),
        _rule("local_x", "axis_x position", "carrier gps:0.3 east track:1"),
        _rule("local_x", "axis_x", "carrier gps:0.5", 1.0),
        _rule("local_x", "east", "position gps carrier", 2.5),
        _rule("local_y", "axis_y position", "carrier gps:0.3 north track:1"),
        _rule("local_y", "axis_y", "carrier gps:0.5", 1.0),
        _rule("local_y", "north", "position gps carrier", 2.5),
        _rule("altitude", "height", "gps carrier axis_z track:1"),
        _rule("altitude", "axis_z position", "carrier gps:0.3", 2.0),
        _rule("heading", "heading", "gps carrier angle gear:0.5 track:0.5"),
        _rule("heading", "yaw angle", "gps carrier"),
        _rule("heading", "yaw", "carrier", 1.0),
        _rule("speed", "speed", "carrier:0 wheel:0.6 gps:2 longitudinal:0.8 axis_x:1 gearbox:2"),
        _rule("speed", "wheel speed front|rear", "carrier line:0.3", 1.5),
        _rule("receiver_speed", "speed gps", "carrier:0"),
        _rule("throttle", "throttle position|share|angle|pedal|level", "pedal position share:0 engine:0.3 angle"),
        _rule("throttle", "throttle", "carrier", 4.5),
        _rule("throttle", "pedal", "position share:0 acceleration:0 angle", 1.5),
        _rule("brake_pedal", "brake pedal|position|share|angle|level", "pedal position share:0"),
        _rule("brake_pedal", "brake", "carrier", 3.5),
        _rule("brake_pressure", "brake pressure", "front line:0 pedal:0.5 carrier left:2.5 right:2.5 axis_y:3"),
        _rule("brake_pressure", "brake", "front line:0.3 pedal:0.5 carrier left:2.5 right:2.5", 0.5),
        _rule("rear_brake_pressure", "brake pressure rear", "line:0 pedal:0.5 carrier left:2.5 right:2.5"),
        _rule("clutch", "clutch position|share|pedal|level", "pedal position share:0"),
        _rule("clutch", "clutch", "carrier", 4.0),
        _rule("steering", "steering angle|position", "wheel:0 angle position carrier"),
        _rule("steering", "steering", "wheel:0 carrier", 4.5),
        _rule("gear", "gear", "position number:0 gearbox carrier"),
        _rule("gear", "gearbox position|number|level", "position number:0", 2.5),
        _rule("engine_speed", "engine rotation|speed", "rotation speed number:0 carrier"),
        _rule("engine_speed", "rotation", "carrier", 4.5),
    ]
    for side, axis, axis_cost in (
        ("lateral", "axis_y", 1.0),
        ("longitudinal", "axis_x", 1.0),
        ("vertical", "axis_z", 1.0),
    ):
        role = f"{side}_acceleration"
        may = f"carrier gps:0.7 {axis}:0 {side}:0 force:0 acceleration:0"
        found += [
            _rule(role, f"acceleration {side}", may),
            _rule(role, f"acceleration {axis}", may, FULL + EACH - axis_cost),
            _rule(role, side, may, 0.5),
            _rule(role, axis, may, 0.5),
        ]
    found += [
        _rule("yaw_rate", "yaw rate|speed|gyro", "carrier rate:0 speed:0 gyro:0 axis_z:0 vertical:0 angle:0.3"),
        _rule("yaw_rate", "gyro axis_z|vertical", "carrier rate:0"),
        _rule("yaw_rate", "rate axis_z|vertical", "carrier rotation:0 speed:0", 3.5),
        _rule("yaw_rate", "yaw", "carrier axis_z:0", 2.0),
        _rule("lap_number", "lap number", "carrier"),
        _rule("lap_number", "lap", "carrier", 3.5),
        _rule("lap_trigger", "lap trigger", "startline:0"),
        _rule("lap_trigger", "lap startline", "", 3.0),
        _rule("lap_trigger", "trigger", "startline:0 gps:1", 3.5),
        _rule("lap_trigger", "startline", "", 1.0),
        _rule("lap_validity", "lap validity", "carrier"),
        _rule("lap_validity", "track limit", "validity:0"),
        _rule("lap_validity", "validity", "", 1.5),
        _rule("lap_distance", "lap distance|position", "carrier track:0 startline:1"),
        _rule("lap_share", "lap share|position", "distance:0 share:0 position:0 carrier track:0.5"),
        _rule("lap_share", "track share|position", "lap:0 share:0", 2.0),
        _rule("distance", "distance", "carrier gps:0.3 axis_x:1", 4.5),
        _rule("oil_temperature", "oil temperature", "engine:0 carrier line:3"),
        _rule("water_temperature", "water temperature", "engine:0 carrier"),
        _rule("water_temperature", "engine temperature", "", 2.5),
        _rule("ambient_temperature", "ambient temperature", "outer:0 track:2 carrier"),
        _rule("track_temperature", "track temperature", "carrier"),
        _rule("oil_pressure", "oil pressure", "engine:0 carrier"),
        _rule("fuel", "fuel level", "carrier"),
        _rule("fuel", "fuel", "carrier", 3.5),
        _rule("fuel_share", "fuel level|share", "level:0 share:0 carrier"),
        _rule("fuel_share", "fuel", "carrier", 3.0),
        _rule("battery_voltage", "battery voltage", "carrier:0"),
        _rule("battery_voltage", "battery", "carrier:0", 0.5),
        _rule("battery_voltage", "voltage", "carrier:0", 2.0),
    ]
    for end in ENDS:
        for side in SIDES:
            place, at = f"{end} {side}", f"{end}_{side}"
            found += [
                _rule(f"wheel_{at}", f"wheel speed {place}", "carrier"),
                _rule(f"wheel_{at}", f"speed {place}", "", 5.0),
                _rule(f"wheel_{at}", f"wheel {place}", "", 2.0),
                _rule(f"brake_temperature_{at}", f"brake temperature {place}", "disc:0 line:1"),
                _rule(f"brake_temperature_{at}", f"disc temperature {place}", ""),
                _rule(f"tyre_pressure_{at}", f"tyre pressure {place}", "wheel:0.5 ambient:0"),
                _rule(f"tyre_pressure_{at}", f"wheel pressure {place}", "", 4.0),
                _rule(f"tyre_temperature_{at}", f"tyre temperature {place}", "wheel:0.5 track:0.7 middle:1"),
                _rule(f"tyre_wear_{at}", f"tyre wear {place}", "wheel:0.5 share:0 level:0"),
            ]
            for tread in TREADS:
                may = "wheel:0.5 track:0.7 carrier"
                found.append(_rule(f"tyre_temperature_{at}_{tread}", f"tyre temperature {place} {tread}", may))
                found.append(_rule(f"tyre_wear_{at}_{tread}", f"tyre wear {place} {tread}", "wheel:0.5 share:0"))
    return tuple(found)


@cache
def _headers() -> dict[str, str]:
    return {
        text: role.code for role in ROLES.values() for text in (role.header, role.code, role.code.replace("_", " "))
    }


@cache
def evidence_of_name(name: str, unit: str) -> dict[str, float]:
    """What name and unit together say of each role, in log-likelihood against "none"; all roles are in it.

    Parameters
    ----------
    name : as logged
    unit : as logged, ``""`` where none is given
    """
    tokens = tokens_of(name)
    quantities = frozenset(r.quantity for r in readings(unit)) if unit.strip() else frozenset()
    told: dict[str, float] = {}
    for rule in rules():
        score = _fulfils(rule, tokens, quantities)
        if score is not None:
            score += _unit_evidence(rule.role, quantities)
            told[rule.role] = max(told.get(rule.role, -math.inf), score)
    if says_something(name) or max(told.values(), default=0.0) > FULL:
        found = {code: SAYS_ELSE + _unit_evidence(code, quantities) for code in ROLES}
    else:
        found = {code: SAYS_NOTHING + _unit_alone(code, quantities) for code in ROLES}
    for code in _begun(tokens) if max(told.values(), default=0.0) < LEAST_TOLD else ():
        found[code] = max(found[code], SAYS_A_PART + _unit_alone(code, quantities))
    found |= {code: max(found[code], score) for code, score in told.items()}
    own = _headers().get(" ".join(name.lower().split()))
    if own is not None:
        found[own] = max(found[own], FULL + _unit_evidence(own, quantities)) + CANONICAL
    return found


def _begun(tokens: tuple[Token, ...]) -> set[str]:
    """Roles of which a name says a part and nothing else: "Acc 1" could be either acceleration."""
    words = [token for token in tokens if len(token.word) > 1 and not token.word.isdigit()]
    weighty = [token for token in words if _weighty(token)]
    if not weighty or any(not token.meanings for token in words):
        return set()
    found = set()
    for rule in rules():
        allowed = frozenset().union(*rule.needs) | rule.may.keys()
        if all(any(m <= allowed for m in token.meanings) for token in weighty) and any(
            need & m for token in weighty for m in token.meanings for need in rule.needs
        ):
            found.add(rule.role)
    return found


def says_something(name: str) -> bool:
    """Whether a name holds a word that tells what the channel is."""
    return any(_weighty(token) for token in tokens_of(name))


def unit_written(name: str, role: str) -> str:
    """The unit that a name itself holds for a role ("speed_kmh"), or ``""``."""
    wanted = frozenset(ROLES[role].quantities)
    return next((unit_word(t.word) for t in reversed(tokens_of(name)[1:]) if t.units & wanted), "")


def _weighty(token: Token) -> bool:
    """Whether a word tells what a channel is: not a lone letter, not an empty word, not a mere place."""
    empty = {"neutral", "number", "carrier", "front", "rear", "left", "right"}
    return len(token.word) > 1 and any(not meaning <= empty for meaning in token.meanings)


def _unit_evidence(role: str, quantities: frozenset[str]) -> float:
    if not quantities or (quantities <= {"share", "count"} and ROLES[role].quantity not in ("share", "count")):
        # No unit, or a bare number where something has a dimension: a unit left out, more often than another quantity.
        return 0.0 if not quantities else -1.5
    wanted = ROLES[role]
    if wanted.quantity in quantities:
        return FITS
    if quantities & set(wanted.also):
        return FITS_ALSO
    return UNFIT if quantities & SI.keys() else FITS_NO_ROLE


def _unit_alone(role: str, quantities: frozenset[str]) -> float:
    evidence = _unit_evidence(role, quantities)
    if ROLES[role].quantity == "place" and "angle" in quantities:
        return 0.0  # degrees are those of an angle, more often than those of a place
    return _UNIT_ALONE[ROLES[role].quantity] if evidence == FITS else evidence


def _fulfils(rule: Rule, tokens: tuple[Token, ...], quantities: frozenset[str]) -> float | None:
    """How well a name fulfils a rule, None where something it needs is not there."""
    wanted = frozenset(ROLES[rule.role].quantities)
    open_needs = list(rule.needs)
    allowed = frozenset().union(*rule.needs) | rule.may.keys()
    score = rule.worth
    spare: list[Token] = []
    for index, token in enumerate(tokens):
        fitting = [meaning for meaning in token.meanings if meaning <= allowed]
        if index and not quantities and token.units & wanted and not _met(fitting, open_needs):
            # The unit is part of the name.
            words = {word for q in token.units & wanted for word in _QUANTITY_WORDS.get(q, ())}
            open_needs = [need for need in open_needs if not need & words]
            score += 0.7 * FITS
            continue
        if not fitting:
            spare.append(token)
            continue
        chosen = max(fitting, key=lambda meaning: sum(bool(need & meaning) for need in open_needs))
        met = [need for need in open_needs if need & chosen]
        if met:
            open_needs = [need for need in open_needs if not need & chosen]
        else:
            score += min((rule.may.get(concept, 0.0) for concept in chosen), default=0.0)
    if open_needs:
        words = {word for quantity in quantities & wanted for word in _QUANTITY_WORDS.get(quantity, ())}
        left = [need for need in open_needs if not need & words]
        if left or len(open_needs) == len(rule.needs):
            return None
        score += BY_UNIT
    return score + sum(_cost(token, rule) for token in spare)


def _met(fitting: list[frozenset[str]], needs: list[frozenset[str]]) -> bool:
    return any(need & meaning for meaning in fitting for need in needs)


def _cost(token: Token, rule: Rule) -> float:
    """What a word costs that the rule does not know."""
    if token.word.isdigit():
        return -0.1 if token.word in ("1", "0") else -0.5
    if not token.meanings:
        return UNKNOWN if len(token.word) > 1 else UNKNOWN_LETTER
    worst = max(min(_AGAINST.get(concept, rule.may.get(concept, STRANGE)) for concept in m) for m in token.meanings)
    # A lone letter means too many things to speak loudly against anything.
    return max(worst, -2.0) if len(token.word) == 1 else worst
