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

_BY_NAME = {
    re.sub(r"[^a-z0-9]", "", name.lower()): role.code
    for role in ROLES.values()
    for name in (role.header, role.code, *role.names)
}


def role_for_name(name: str) -> str | None:
    """The role that a channel's name proposes, or None.

    Parameters
    ----------
    name : the logger's name, without its unit
    """
    return _BY_NAME.get(re.sub(r"[^a-z0-9]", "", name.lower()))
