"""Every channel and figure once: what it measures, what it is called, how it is drawn and which value is told of it.

A new channel is a role (:mod:`lauftakt.core.log.roles`): what is not said of it here follows from its unit.
"""

from dataclasses import dataclass

from lauftakt.core.log.roles import ROLES, Role

FREE, ZERO, SIGNED, STEPS = "free", "zero", "signed", "steps"


@dataclass(frozen=True)
class ChannelEntry:
    """A channel that is drawn along the circuit.

    Attributes
    ----------
    code : the role, or the code of what is computed
    label : for people
    quantity : what it measures; the browser chooses the unit by it, values travel in SI
    drawn : ``free`` (as its values lie), ``zero`` (from 0 on), ``signed`` (0 always in sight) or ``steps`` (held)
    told : which value of a stretch says most: ``high``, ``low``, ``mean`` or ``last``
    computed : made by the core for every run; never logged under this code
    """

    code: str
    label: str
    quantity: str
    drawn: str = FREE
    told: str = "mean"
    computed: bool = False


@dataclass(frozen=True)
class FigureEntry:
    """A figure of a lap in a corner or stretch (a field of :class:`lauftakt.core.technique.figures.Figures`).

    ``good`` says which of two values is better by itself, ``high`` or ``low``; None where that depends. ``about`` is
    what it belongs to: ``pace``, ``braking``, ``middle``, ``throttle`` or ``line``.
    """

    code: str
    label: str
    quantity: str
    good: str | None = None
    about: str = "pace"


WHEELS = tuple(f"wheel_{end}_{side}" for end in ("front", "rear") for side in ("left", "right"))
# The logged speed as it was, where some of it was not believed: a wheel that locked shows in nothing else.
UNBELIEVED = "wheel_speed"

_SAID = (
    ChannelEntry("delta", "delta", "time", SIGNED, "last", True),
    ChannelEntry("speed", "speed", "speed", FREE, "low", True),
    ChannelEntry("offset", "offset", "width", SIGNED, "mean", True),
    ChannelEntry("ahead", "along the path", "acceleration", SIGNED, "high", True),
    ChannelEntry("aside", "across the path", "acceleration", SIGNED, "high", True),
    ChannelEntry("brake_pressure", "brake", "pressure", ZERO, "high"),
    ChannelEntry("brake_pedal", ROLES["brake_pedal"].header, "share", ZERO, "high"),
    ChannelEntry("throttle", ROLES["throttle"].header, "share", ZERO, "mean"),
    ChannelEntry("steering", ROLES["steering"].header, "angle", SIGNED, "high"),
    ChannelEntry("gear", ROLES["gear"].header, "plain", STEPS, "low"),
    ChannelEntry("engine_speed", ROLES["engine_speed"].header, "turning", FREE, "high"),
    ChannelEntry("lateral_acceleration", "lateral acc.", "acceleration", SIGNED, "high"),
    ChannelEntry("longitudinal_acceleration", "longitud. acc.", "acceleration", SIGNED, "high"),
    ChannelEntry("yaw_rate", ROLES["yaw_rate"].header, "turn_rate", SIGNED, "high"),
    ChannelEntry("altitude", ROLES["altitude"].header, "distance", FREE, "mean"),
    ChannelEntry("oil_temperature", "oil", "temperature", FREE, "high"),
    ChannelEntry("water_temperature", "water", "temperature", FREE, "high"),
    *(ChannelEntry(wheel, ROLES[wheel].header, "speed", FREE, "low") for wheel in WHEELS),
    ChannelEntry(UNBELIEVED, "wheel speed as logged", "speed", FREE, "low"),
)
# Roles that say where and when the car was: they place the run and are not drawn along the circuit.
_PLACING = frozenset({
    "latitude", "longitude", "local_x", "local_y", "receiver_speed", "lap_number", "lap_distance", "lap_share",
})  # fmt: skip
_QUANTITIES = {
    "m/s": "speed", "m/s^2": "acceleration", "Pa": "pressure", "rad": "angle", "rad/s": "turn_rate", "K": "temperature",
    "m": "distance", "s": "time", "V": "voltage",
}  # fmt: skip


def entry_of(role: Role) -> ChannelEntry:
    """How a channel is shown of which nothing was said: by the unit of its role."""
    usual = "share" if role.assumed == "%" else "plain"
    quantity = "turning" if role.assumed == "rpm" else _QUANTITIES.get(role.unit, usual)
    return ChannelEntry(role.code, role.header, quantity, ZERO if quantity in ("share", "pressure") else FREE)


CHANNELS: dict[str, ChannelEntry] = {entry.code: entry for entry in _SAID}
CHANNELS |= {code: entry_of(role) for code, role in ROLES.items() if code not in CHANNELS and code not in _PLACING}

# Made when somebody wants to see them (:mod:`lauftakt.core.technique.along`), and never stored; the differences to the
# reference lap are the comparison's.
DIFFERENCES = ("loss_rate", "offset_gap")
DERIVED: dict[str, ChannelEntry] = {
    entry.code: entry
    for entry in (
        ChannelEntry("loss_rate", "loss rate", "loss_rate", SIGNED, "mean", True),
        ChannelEntry("offset_gap", "line to the reference’s", "width", SIGNED, "mean", True),
        ChannelEntry("grip_used", "grip used", "share", ZERO, "high", True),
        ChannelEntry("curvature", "bend of the path", "curvature", SIGNED, "high", True),
        ChannelEntry("brake_rise", "brake build-up", "share_rate", ZERO, "high", True),
        ChannelEntry("rolling", "on neither pedal", "plain", STEPS, "mean", True),
        ChannelEntry("brake_inferred", "braking, inferred", "acceleration", ZERO, "high", True),
        ChannelEntry("throttle_inferred", "throttle, inferred", "share", ZERO, "mean", True),
    )
}

FIGURES: dict[str, FigureEntry] = {
    entry.code: entry
    for entry in (
        FigureEntry("time", "time", "time", "low"),
        FigureEntry("approach_speed", "speed at the brake point", "speed", "high"),
        FigureEntry("entry_speed", "entry speed", "speed", "high"),
        FigureEntry("mean_speed", "mean speed in the corner", "speed", "high"),
        FigureEntry("exit_speed", "exit speed", "speed", "high"),
        FigureEntry("straight_end_speed", "highest speed on the straight", "speed", "high"),
        FigureEntry("brake_point_m", "brake point", "distance", None, "braking"),
        FigureEntry("brake_release_m", "brake release", "distance", None, "braking"),
        FigureEntry("brake_rise_s", "brake rise", "time", "low", "braking"),
        FigureEntry("mean_braking", "mean braking", "acceleration", "high", "braking"),
        FigureEntry("brake_steadiness", "steady brake", "share", "high", "braking"),
        FigureEntry("brake_before_turn_in", "slowed before turn-in", "share", None, "braking"),
        FigureEntry("brake_applications", "brake applications", "plain", None, "braking"),
        FigureEntry("locked_s", "wheel locked", "time", "low", "braking"),
        FigureEntry("min_speed", "lowest speed", "speed", "high", "middle"),
        FigureEntry("min_speed_m", "place of the lowest speed", "distance", None, "middle"),
        FigureEntry("gear", "gear", "plain", None, "middle"),
        FigureEntry("coast_s", "coasting", "time", "low", "middle"),
        FigureEntry("roll_s", "rolling before the lowest speed", "time", "low", "middle"),
        FigureEntry("grip_used_min_speed", "grip used at the lowest speed", "share", "high", "middle"),
        FigureEntry("throttle_pickup_m", "throttle pick-up", "distance", None, "throttle"),
        FigureEntry("full_throttle_m", "full throttle", "distance", "low", "throttle"),
        FigureEntry("exit_throttle", "throttle on the way out", "share", "high", "throttle"),
        FigureEntry("throttle_lifts", "lifts on the way out", "plain", "low", "throttle"),
        FigureEntry("grip_used_exit", "grip used at the exit", "share", "high", "throttle"),
        FigureEntry("turn_in_m", "turn-in", "distance", None, "line"),
        FigureEntry("offset_turn_in", "offset at turn-in", "width", None, "line"),
        FigureEntry("offset_apex", "offset at the apex", "width", None, "line"),
        FigureEntry("offset_exit", "offset at the exit", "width", None, "line"),
        FigureEntry("steering_rate", "steering rate", "turn_rate", None, "line"),
        FigureEntry("steering_reversals", "steering reversals", "plain", "low", "line"),
        FigureEntry("countersteer_s", "countersteering", "time", "low", "line"),
    )
}

# Of a passage as a whole.
PASSAGE_TIME = "passage_s"
OF_PASSAGES: dict[str, FigureEntry] = {PASSAGE_TIME: FigureEntry(PASSAGE_TIME, "time in the passage", "time", "low")}

# What the driver made of the car in a lap (:mod:`lauftakt.core.technique.by_lap`).
BY_LAP: dict[str, FigureEntry] = {
    entry.code: entry
    for entry in (
        FigureEntry("peak_braking", "peak braking", "acceleration"),
        FigureEntry("lateral_grip", "lateral grip used", "acceleration"),
        FigureEntry("full_throttle_share", "full throttle", "share"),
    )
}

COMPUTED = tuple(code for code, entry in CHANNELS.items() if entry.computed and code != "delta")
# What a log may hold and is brought onto the layout's grid.
LOGGED = tuple(code for code, entry in CHANNELS.items() if not entry.computed and code != UNBELIEVED)
STEPPED = frozenset(
    {"lap_number", *(code for code, entry in (*CHANNELS.items(), *DERIVED.items()) if entry.drawn == STEPS)}
)
