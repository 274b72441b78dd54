"""What drivers do differently from the best they could: habits and mistakes, corner by corner."""

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Habit:
    """One way of losing (or winning) time in one corner.

    ``kind`` is one of

    ``early_brake``        brakes ``amount`` metres too early and holds the speed of the slow part
    ``soft_brake``         brakes with ``1 - amount`` of the usual peak
    ``over_slow``          takes ``amount`` (share) off the speed in the middle
    ``late_throttle``      waits ``amount`` metres after the apex before accelerating
    ``hesitant_throttle``  lifts again for ``amount`` metres soon after picking the throttle up
    ``wrong_gear``         ``amount`` gears too high until the next ordinary shift
    ``late_turn_in``       turns in ``amount`` metres late, so that the corner becomes tighter
    ``needless_lift``      lifts for ``amount`` metres where others stay flat
    ``coasting``           lifts ``amount`` metres before braking and rolls
    ``interrupted_brake``  lets the brake off for ``amount`` metres half way and takes it again
    ``late_coasting``      rolls on neither pedal for ``amount`` metres after the apex before accelerating
    ``slow_brake_rise``    takes ``amount`` metres to build the brake up
    ``early_release``      is off the brake ``amount`` metres before the slow part and rolls in
    ``late_release``       stays on the brake for ``amount`` metres beyond the apex
    ``early_turn_in``      turns in ``amount`` metres early
    ``unused_width``       stays ``amount`` (share) nearer to the middle of the road
    ``braked_too_late``    brakes ``amount`` metres late, runs wide after the turn-in and waits with the throttle for it
    ``understeer``         asks for ``amount`` (share) more than the front tyres have: more wheel, wider, slower
    ``oversteer``          corrects a slide for ``amount`` metres after the apex
    ``locked_wheel``       locks a front wheel for ``amount`` metres half way through the braking
    ``strong``             carries ``amount`` (share) more speed than the driver's general level

    ``share`` is the share of laps in which it happens.
    """

    corner: str
    kind: str
    amount: float
    share: float = 1.0


@dataclass(frozen=True)
class Traffic:
    """A slower car in front: in lap ``lap`` (0 is the out lap), from ``from_m`` on, for ``length_m`` metres, nobody can
    go faster than ``share`` of what he would."""

    lap: int
    from_m: float
    length_m: float
    share: float


@dataclass(frozen=True)
class Driver:
    """A driver: general level, scatter from lap to lap, and habits.

    ``corner_level`` and ``brake_level`` are the shares of grip used in corners and under brakes, ``scatter`` the
    standard deviation (share) of both from lap to lap, ``line_scatter_m`` that of the driven line; ``fade`` is the
    share of corner speed that tyres lose from lap to lap; ``run_effect`` by how much of the scatter a whole run lies
    off in each corner.
    """

    name: str
    corner_level: float = 0.975
    brake_level: float = 0.9
    scatter: float = 0.004
    line_scatter_m: float = 0.25
    pace_share: float = 1.0
    fade: float = 0.0
    run_effect: float = 0.0
    habits: tuple[Habit, ...] = field(default_factory=tuple)
