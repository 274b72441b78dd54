"""Cars of the lap simulator: a point mass with grip, power through gears, drag and pedals."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

GRAVITY = 9.81
AIR_DENSITY = 1.2


@dataclass(frozen=True)
class Car:
    """What the simulator knows of a car.

    ``grip`` is the friction coefficient, ``power_w`` the power at the wheels, ``drag_area_m2`` frontal area times drag
    coefficient, ``gear_top_speeds`` the speed in m/s at the engine's limit in each gear.
    """

    name: str
    mass_kg: float = 1240.0
    grip: float = 1.08
    power_w: float = 158_000.0
    drag_area_m2: float = 0.72
    rolling: float = 0.014
    brake_share: float = 0.93
    engine_brake_ms2: float = 0.75
    gear_top_speeds: tuple[float, ...] = (17.0, 26.5, 36.0, 45.5, 54.5, 64.0)
    rpm_limit: float = 7200.0
    shift_rpm: float = 6900.0
    wheelbase_m: float = 2.57
    steering_ratio: float = 15.4
    understeer: float = 0.0018
    full_brake_bar: float = 68.0

    def gear_at(self, speed: Array) -> Array:
        """The gear an ordinary driver is in at a speed, counted from 1."""
        shift = np.array(self.gear_top_speeds[:-1]) * self.shift_rpm / self.rpm_limit
        return np.asarray(1.0 + np.searchsorted(shift, speed), dtype=np.float64)

    def engine_rpm(self, speed: Array, gear: Array) -> Array:
        tops = np.array(self.gear_top_speeds)[np.asarray(gear, dtype=int) - 1]
        return np.maximum(850.0, self.rpm_limit * speed / tops)

    def engine_force(self, speed: float, gears_high: int = 0) -> float:
        """Driving force in N at full throttle; ``gears_high`` = how many gears higher than usual."""
        return self.engine()(speed, gears_high)

    def engine(self) -> Callable[[float, int], float]:
        """The same as a function that is asked at every metre of a run, so it looks nothing up twice.

        Power rises with engine speed and flattens near the limit; below a third of the range the torque is capped.
        """
        tops, last, power = self.gear_top_speeds, len(self.gear_top_speeds) - 1, self.power_w
        shifts = [top * self.shift_rpm / self.rpm_limit for top in tops]
        capped = [max(0.32 * top, 4.0) for top in tops]
        usual = 0

        def force(speed: float, gears_high: int = 0) -> float:
            nonlocal usual
            while usual < last and speed > shifts[usual]:
                usual += 1
            while usual > 0 and speed <= shifts[usual - 1]:
                usual -= 1
            gear = min(usual + gears_high, last) if gears_high else usual
            share = speed / tops[gear]
            if share > 1.0:
                share = 1.0
            curve = 1.36 * share - 0.36 * share * share
            lowest = capped[gear]
            return power * (curve if curve < 1.0 else 1.0) / (speed if speed > lowest else lowest)

        return force

    def resistance(self, speed: Array | float) -> Array | float:
        """Deceleration in m/s2 by air and rolling."""
        return 0.5 * AIR_DENSITY * self.drag_area_m2 * speed * speed / self.mass_kg + self.rolling * GRAVITY
