"""Roles: what a channel stands for, whatever the logger called it."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Role:
    """One role.

    Attributes
    ----------
    code : stable, for programs
    unit : SI unit in which the core holds it
    header : canonical name in our own CSV, and for people
    assumed : unit taken where a file gives none
    quantity : what it measures (see :data:`lauftakt.core.log.units.SI`)
    also : other quantities it may be logged in; they are turned into its own
    """

    code: str
    unit: str
    header: str
    assumed: str
    quantity: str
    also: tuple[str, ...] = ()

    @property
    def quantities(self) -> tuple[str, ...]:
        """Everything its unit may measure, its own first."""
        return (self.quantity, *self.also)


ENDS = ("front", "rear")
SIDES = ("left", "right")
WHEELS = tuple((end, side) for end in ENDS for side in SIDES)
TREADS = ("inner", "middle", "outer")
# Without its own unit a pedal may come as a voltage or as counts; what its stops are is seen in the values.
_PEDAL = ("voltage", "count")


def _wheel(code: str, unit: str, header: str, assumed: str, quantity: str, treads: bool = False) -> list[Role]:
    """A role for each wheel, and for the inner, middle and outer part of its tread."""
    found = []
    for end, side in WHEELS:
        found.append(Role(f"{code}_{end}_{side}", unit, f"{header} {end} {side}", assumed, quantity))
        for tread in TREADS if treads else ():
            found.append(
                Role(f"{code}_{end}_{side}_{tread}", unit, f"{header} {end} {side} {tread}", assumed, quantity)
            )
    return found


ROLES: dict[str, Role] = {
    role.code: role
    for role in (
        Role("latitude", "deg", "latitude", "deg", "place"),
        Role("longitude", "deg", "longitude", "deg", "place"),
        Role("local_x", "m", "local x", "m", "length"),
        Role("local_y", "m", "local y", "m", "length"),
        Role("altitude", "m", "altitude", "m", "length"),
        Role("heading", "rad", "heading", "deg", "angle"),
        Role("speed", "m/s", "speed", "km/h", "speed"),
        Role("receiver_speed", "m/s", "receiver speed", "km/h", "speed"),
        Role("throttle", "1", "throttle", "%", "share", ("angle", *_PEDAL)),
        Role("brake_pressure", "Pa", "brake pressure", "bar", "pressure"),
        Role("rear_brake_pressure", "Pa", "rear brake pressure", "bar", "pressure"),
        Role("brake_pedal", "1", "brake pedal", "%", "share", ("length", "angle", *_PEDAL)),
        Role("clutch", "1", "clutch", "%", "share", ("length", *_PEDAL)),
        Role("steering", "rad", "steering", "deg", "angle"),
        Role("gear", "1", "gear", "1", "share", ("count",)),
        Role("engine_speed", "rad/s", "engine speed", "rpm", "rotation"),
        Role("lateral_acceleration", "m/s^2", "lateral acceleration", "g", "acceleration"),
        Role("longitudinal_acceleration", "m/s^2", "longitudinal acceleration", "g", "acceleration"),
        Role("vertical_acceleration", "m/s^2", "vertical acceleration", "g", "acceleration"),
        Role("yaw_rate", "rad/s", "yaw rate", "deg/s", "turn_rate"),
        *_wheel("wheel", "m/s", "wheel speed", "km/h", "speed"),
        Role("lap_number", "1", "lap", "1", "share", ("count",)),
        Role("lap_trigger", "1", "lap trigger", "1", "share", ("count", "voltage")),
        Role("lap_validity", "1", "lap validity", "1", "share", ("count",)),
        Role("lap_distance", "m", "lap distance", "m", "length"),
        Role("lap_share", "1", "lap share", "1", "share"),
        Role("distance", "m", "distance", "m", "length"),
        Role("oil_temperature", "K", "oil temperature", "degC", "temperature"),
        Role("water_temperature", "K", "water temperature", "degC", "temperature"),
        Role("ambient_temperature", "K", "ambient temperature", "degC", "temperature"),
        Role("track_temperature", "K", "track temperature", "degC", "temperature"),
        Role("oil_pressure", "Pa", "oil pressure", "bar", "pressure"),
        Role("fuel", "m^3", "fuel", "l", "volume", ("mass",)),
        Role("fuel_share", "1", "fuel level", "%", "share"),
        Role("battery_voltage", "V", "battery voltage", "V", "voltage"),
        *_wheel("brake_temperature", "K", "brake temperature", "degC", "temperature"),
        *_wheel("tyre_temperature", "K", "tyre temperature", "degC", "temperature", True),
        *_wheel("tyre_pressure", "Pa", "tyre pressure", "bar", "pressure"),
        *_wheel("tyre_wear", "1", "tyre wear", "%", "share", True),
    )
}
