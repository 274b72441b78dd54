"""Roles: what a channel stands for, whatever the logger called it."""

import re
from dataclasses import dataclass


@dataclass(frozen=True)
class Role:
    """One role.

    ``unit`` is the SI unit in which the core holds it, ``header`` the canonical name in our own CSV, ``assumed`` the
    unit taken where a file gives none, ``names`` other names that loggers use (lower case, letters and digits only).
    """

    code: str
    unit: str
    header: str
    assumed: str
    names: tuple[str, ...] = ()


ROLES: dict[str, Role] = {
    role.code: role
    for role in (
        Role("latitude", "deg", "latitude", "deg", ("lat", "gpslat", "gpslatitude", "positionlatitude")),
        Role("longitude", "deg", "longitude", "deg", ("lon", "lng", "long", "gpslon", "gpslongitude", "gpslong")),
        Role("local_x", "m", "local x", "m", ("positionx", "xposition", "posx", "east", "easting")),
        Role("local_y", "m", "local y", "m", ("positiony", "yposition", "posy", "north", "northing")),
        Role("altitude", "m", "altitude", "m", ("ele", "elevation", "height", "gpsaltitude")),
        Role("speed", "m/s", "speed", "km/h", ("wheelspeed", "groundspeed", "vehiclespeed", "velocity", "vcar")),
        Role("receiver_speed", "m/s", "receiver speed", "km/h", ("gpsspeed", "speedgps", "gnssspeed")),
        Role("throttle", "1", "throttle", "%", ("throttlepedal", "throttleposition", "accelerator", "pedal")),
        Role("brake_pressure", "Pa", "brake pressure", "bar", ("brakepressurefront", "pbrake", "brakep")),
        Role("brake_pedal", "1", "brake pedal", "%", ("brake", "brakeposition", "brakepedaltravel")),
        Role("steering", "rad", "steering", "deg", ("steeringangle", "steeringwheelangle", "steer")),
        Role("gear", "1", "gear", "1", ("gearposition", "currentgear")),
        Role("engine_speed", "rad/s", "engine speed", "rpm", ("rpm", "enginerpm", "revs")),
        Role("lateral_acceleration", "m/s^2", "lateral acceleration", "g", ("latacc", "accy", "lateralg", "glat")),
        Role(
            "longitudinal_acceleration",
            "m/s^2",
            "longitudinal acceleration",
            "g",
            ("longacc", "lonacc", "accx", "longitudinalg", "glong", "glon"),
        ),
        Role("yaw_rate", "rad/s", "yaw rate", "deg/s", ("yaw", "gyroz")),
        *(
            Role(f"wheel_{end}_{side}", "m/s", f"wheel speed {end} {side}", "km/h", (f"wheelspeed{end[0]}{side[0]}",))
            for end in ("front", "rear")
            for side in ("left", "right")
        ),
        Role("lap_number", "1", "lap", "1", ("lapnumber", "lapno", "lapcount")),
        Role("lap_distance", "m", "lap distance", "m", ("lapdist", "distancelap", "distanceinlap")),
        Role("lap_share", "1", "lap share", "1", ("lapfraction", "lapposition", "normalizedlap", "lapprogress")),
        Role("oil_temperature", "K", "oil temperature", "degC", ("toil", "oiltemp")),
        Role("water_temperature", "K", "water temperature", "degC", ("twater", "watertemp", "coolanttemperature")),
    )
}
# Words that a name must hold, words it must not hold, and the role they propose; the first that fits counts.
_HINTS: tuple[tuple[tuple[str, ...], tuple[str, ...], str], ...] = (
    (("lat",), ("acc", "force", "g"), "latitude"),
    (("lon",), ("acc", "force", "g"), "longitude"),
    (("brake", "press"), ("rear", "r", "bias", "balance"), "brake_pressure"),
    (("bremsdruck",), ("hinten",), "brake_pressure"),
    (("brake", "pedal"), (), "brake_pedal"),
    (("brake", "pos"), (), "brake_pedal"),
    (("bremspedal",), (), "brake_pedal"),
    (("throttle",), ("blip", "map", "target", "demand"), "throttle"),
    (("accelerator",), (), "throttle"),
    (("gaspedal",), (), "throttle"),
    (("steer",), ("torque", "speed", "rate", "force"), "steering"),
    (("lenkwinkel",), (), "steering"),
    (("engine", "speed"), (), "engine_speed"),
    (("rpm",), ("wheel", "turbo", "gearbox"), "engine_speed"),
    (("drehzahl",), ("rad",), "engine_speed"),
    (("wheel", "speed", "fl"), (), "wheel_front_left"),
    (("wheel", "speed", "fr"), (), "wheel_front_right"),
    (("wheel", "speed", "rl"), (), "wheel_rear_left"),
    (("wheel", "speed", "rr"), (), "wheel_rear_right"),
    (("gps", "speed"), ("accuracy",), "receiver_speed"),
    (("gnss", "speed"), ("accuracy",), "receiver_speed"),
    (("speed",), ("wheel", "wind", "engine", "fan", "turbo", "accuracy", "limit", "min", "max"), "speed"),
    (("geschwindigkeit",), ("windgeschw",), "speed"),
    (("acc", "lat"), (), "lateral_acceleration"),
    (("lateral",), ("limit", "target", "force", "error", "offset"), "lateral_acceleration"),
    (("longitudinal",), ("limit", "target", "force", "error", "offset"), "longitudinal_acceleration"),
    (("querbeschleunigung",), (), "lateral_acceleration"),
    (("acc", "lon"), (), "longitudinal_acceleration"),
    (("acc", "long"), (), "longitudinal_acceleration"),
    (("laengsbeschleunigung",), (), "longitudinal_acceleration"),
    (("yaw", "rate"), (), "yaw_rate"),
    (("gierrate",), (), "yaw_rate"),
    (("gear",), ("box", "oil", "temp", "shift", "ratio"), "gear"),
    (("gang",), (), "gear"),
    (("oil", "temp"), (), "oil_temperature"),
    (("water", "temp"), (), "water_temperature"),
    (("coolant", "temp"), (), "water_temperature"),
)
# Words that must stand alone: they are parts of many others.
_SHORT = {"lat", "lon", "acc", "g", "r", "pos", "fl", "fr", "rl", "rr", "min", "max", "map", "long", "gang", "rad"}
# Confidence of our own header names, of names that are known, and of names that merely hold the right words.
EXACT = 0.98
KNOWN = 0.9
HINTED = 0.7
_PLAIN = re.compile(r"[^a-z0-9]")


def _plain(name: str) -> str:
    return _PLAIN.sub("", name.lower())


_HEADERS = {_plain(name): role.code for role in ROLES.values() for name in (role.header, role.code)}
_ALIASES = {_plain(name): role.code for role in ROLES.values() for name in role.names}


def role_for_name(name: str) -> tuple[str, float] | None:
    """The role that a channel's name proposes and how sure that is (0 to 1), or None.

    Parameters
    ----------
    name : the logger's name, without its unit
    """
    key = _plain(name)
    if key in _HEADERS:
        return _HEADERS[key], EXACT
    if key in _ALIASES:
        return _ALIASES[key], KNOWN
    spread = re.sub(r"(?<=[a-zäöü])(?=[A-Z])", " ", name).lower().replace("ä", "ae").replace("ö", "oe")
    words = set(re.findall(r"[a-z]+", spread.replace("ü", "ue")))

    def holds(word: str) -> bool:
        return word in words if word in _SHORT else any(word in other for other in words)

    for wanted, barred, role in _HINTS:
        if all(holds(word) for word in wanted) and not any(holds(word) for word in barred):
            return role, HINTED
    return None
