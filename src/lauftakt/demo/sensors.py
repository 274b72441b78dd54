"""What a logger in the car would have written: channels with the errors of real sensors."""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from lauftakt.core.log.model import Channel, Log
from lauftakt.core.log.roles import ROLES, WHEELS
from lauftakt.core.plane import Plane
from lauftakt.demo.car import GRAVITY, Car
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.drive import Motion

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Sensors:
    """Errors of one logger.

    ``drift_m`` over ``drift_s`` is the slow position error, ``fix_m`` the white one, ``speed_scale`` the factor of the
    wheel speed, ``speed_noise`` in m/s. ``delay_s`` is how much later positions are than everything else, ``drop_outs``
    of ``drop_out_s`` without positions, single ``jumps`` of positions, ``frozen`` stretches of 2 s, and ``clock_gaps``
    of 0.3 to 0.8 s without any sample are scattered over the run. ``receiver_noise`` adds the receiver's own speed with
    that noise, ``wheels`` the speed of each wheel; ``roles`` leaves out all other channels.
    """

    fix_hz: float = 10.0
    fast_hz: float = 100.0
    drift_m: float = 1.0
    drift_s: float = 60.0
    fix_m: float = 0.3
    speed_scale: float = 1.006
    speed_noise: float = 0.03
    slow_hz: float = 1.0
    delay_s: float = 0.0
    drop_outs: int = 0
    drop_out_s: float = 3.0
    jumps: int = 0
    frozen: int = 0
    clock_gaps: int = 0
    receiver_noise: float | None = None
    wheels: bool = False
    roles: tuple[str, ...] | None = None


def record(circuit: Circuit, car: Car, motion: Motion, sensors: Sensors, *, seed: int, meta: dict[str, str]) -> Log:
    """The log of a true motion.

    Parameters
    ----------
    circuit, car, motion : what was driven
    sensors : their errors
    seed : of the errors
    meta : what the file will say about the run

    Returns
    -------
    A log with positions, speed, pedals, steering, gear, engine speed, accelerations and slow temperatures.
    """
    random = np.random.default_rng(seed)
    end = float(motion.time[-1])
    fast = np.arange(0.0, end, 1.0 / sensors.fast_hz)
    true = motion.at(fast)
    fixes = np.arange(0.0, end, 1.0 / sensors.fix_hz)
    at_fix = motion.at(np.clip(fixes - sensors.delay_s, 0.0, end))
    drift = _drift(random, len(fixes), 1.0 / sensors.fix_hz, sensors)
    noise = sensors.fix_m * random.standard_normal((2, len(fixes)))
    plane = Plane(circuit.latitude, circuit.longitude)
    latitude, longitude = plane.to_degrees(at_fix["x"] + drift[0] + noise[0], at_fix["y"] + drift[1] + noise[1])
    force = true["acceleration"] + np.asarray(car.resistance(true["speed"]))
    throttle = np.clip(force / np.maximum(_most(car, true["speed"], true["gear"]), 1e-3), 0.0, 1.0)
    throttle = np.where(throttle > 0.94, 1.0, throttle)
    engine_brake = np.where(true["speed"] > 5.0, car.engine_brake_ms2, 0.2)
    braking = np.clip(-force - engine_brake, 0.0, None) / (car.grip * GRAVITY * car.brake_share)
    pressure = np.clip(braking, 0.0, 1.3) * car.full_brake_bar * 1e5
    rpm = car.engine_rpm(true["speed"], true["gear"])
    wheel = np.arctan(true["curvature"] * car.wheelbase_m) + car.understeer * true["curvature"] * true["speed"] ** 2
    wheel = wheel * (1.0 + true["steer"])
    slow = np.arange(0.0, end, 1.0 / sensors.slow_hz)
    work = np.interp(slow, fast, rpm / car.rpm_limit)
    warm = 1.0 - np.exp(-slow / 240.0)
    values: dict[str, tuple[Array, Array]] = {
        "latitude": (fixes, latitude),
        "longitude": (fixes, longitude),
        "speed": (
            fast,
            np.maximum(
                true["speed"] * sensors.speed_scale + sensors.speed_noise * random.standard_normal(len(fast)), 0
            ),
        ),
        "throttle": (fast, throttle),
        "brake_pressure": (fast, pressure + 0.1e5 * np.abs(random.standard_normal(len(fast)))),
        "steering": (fast, wheel * car.steering_ratio + np.radians(0.4) * random.standard_normal(len(fast))),
        "gear": (fast, true["gear"]),
        "engine_speed": (fast, rpm * 2 * np.pi / 60 + 2.0 * random.standard_normal(len(fast))),
        "lateral_acceleration": (
            fast,
            true["curvature"] * true["speed"] ** 2 + 0.35 * random.standard_normal(len(fast)),
        ),
        "longitudinal_acceleration": (fast, true["acceleration"] + 0.25 * random.standard_normal(len(fast))),
        "oil_temperature": (slow, 273.15 + 62.0 + 44.0 * warm + 5.0 * work),
        "water_temperature": (slow, 273.15 + 58.0 + 31.0 * warm + 3.0 * work),
    }
    if sensors.receiver_noise is not None:
        own = at_fix["speed"] + sensors.receiver_noise * random.standard_normal(len(fixes))
        values["receiver_speed"] = (fixes, np.maximum(own, 0.0))
    if len(car.gear_top_speeds) < 2:
        del values["gear"]
    for at in WHEELS if sensors.wheels else ():
        turning = true["speed"] * sensors.speed_scale * (1.0 - true["slip"] * (at == WHEELS[0]))
        rough = sensors.speed_noise * random.standard_normal(len(fast))
        values[f"wheel_{at[0]}_{at[1]}"] = (fast, np.maximum(turning + rough, 0.0))
    values["yaw_rate"] = (fast, true["curvature"] * true["speed"] + 0.01 * random.standard_normal(len(fast)))
    if sensors.roles is not None:
        values = {role: pair for role, pair in values.items() if role in sensors.roles}
    values = _with_faults(values, sensors, random, end)
    return Log(
        channels=tuple(
            Channel(ROLES[role].header, ROLES[role].unit, role, time, value) for role, (time, value) in values.items()
        ),
        meta=meta,
    )


def _most(car: Car, speed: Array, gear: Array) -> Array:
    """Acceleration that full throttle would bring in the gear that is in, m/s^2."""
    speeds = np.arange(0.0, 91.0)
    high = np.clip(gear - car.gear_at(speed), 0, None).astype(int)
    found = np.zeros_like(speed)
    for step in np.unique(high):
        table = np.array([car.engine_force(float(v), int(step)) for v in speeds]) / car.mass_kg
        found[high == step] = np.interp(speed[high == step], speeds, table)
    return found


def _with_faults(
    values: dict[str, tuple[Array, Array]], sensors: Sensors, random: np.random.Generator, end: float
) -> dict[str, tuple[Array, Array]]:
    """Positions that jump, freeze or are missing, and pauses of the whole log."""
    if "latitude" in values:
        time, latitude = values["latitude"]
        longitude = values["longitude"][1].copy()
        latitude = latitude.copy()
        for index in random.integers(10, len(time) - 10, sensors.jumps):
            latitude[index] += random.choice([-1.0, 1.0]) * random.uniform(20, 300) / 111_000
        for index in random.integers(50, len(time) - 50, sensors.frozen):
            until = index + round(2.0 * sensors.fix_hz)
            latitude[index:until], longitude[index:until] = latitude[index], longitude[index]
        keep = np.ones(len(time), dtype=bool)
        for begin in random.uniform(0.1 * end, 0.9 * end, sensors.drop_outs):
            keep &= (time < begin) | (time > begin + sensors.drop_out_s)
        values["latitude"], values["longitude"] = (time[keep], latitude[keep]), (time[keep], longitude[keep])
    pauses = [
        (begin, begin + random.uniform(0.3, 0.8)) for begin in random.uniform(0.1 * end, 0.9 * end, sensors.clock_gaps)
    ]
    found = {}
    for role, (time, given) in values.items():
        keep = np.ones(len(time), dtype=bool)
        for begin, until in pauses:
            keep &= (time < begin) | (time > until)
        found[role] = (time[keep], given[keep])
    return found


def _drift(random: np.random.Generator, count: int, step: float, sensors: Sensors) -> Array:
    """First-order Gauss-Markov error east and north, (2, count) metres."""
    keep = np.exp(-step / sensors.drift_s)
    drive = sensors.drift_m * np.sqrt(1 - keep**2) * random.standard_normal((2, count))
    drive[:, 0] = sensors.drift_m * random.standard_normal(2)
    return np.asarray(scipy.signal.lfilter([1.0], [1.0, -keep], drive, axis=1))
