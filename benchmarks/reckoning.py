"""Maps by dead reckoning: how far is a circuit drawn without positions from the one that was driven?

    benchmarks/reckoning.py [--circuits 12] [--laps 6] [--first-seed 0] [--smoke]

Logs of the simulator keep their speed and one sensor of turning; a bias is added to it, as mounted sensors have. The
map is compared with the line driven, turned, moved and scaled to fit (its place, north and size are not known). Printed
are by how much the lap missed its beginning before it was closed, and what is left of the shape's error after it: root
mean square and largest, metres, and in thousandths of the lap; the length's error is the wheels' scale.
"""

import argparse
import sys
from dataclasses import dataclass, replace

import numpy as np
from corners import circuit_of, random_road
from numpy.typing import NDArray

from lauftakt.core.circuit.reckoning import Reckoned, reckon_layout
from lauftakt.core.log.model import Log, Unusable
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.circuits import bruchfeld_kart, ellerholm_park, tamar_ring
from lauftakt.demo.drive import Motion, drive_run
from lauftakt.demo.habits import Driver
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE, KART
from lauftakt.demo.sensors import Sensors, record

G = 9.80665
# Sensor, what is added to it, and what it is multiplied by.
SENSORS = {
    "yaw rate": ("yaw_rate", 0.0, 1.0),
    "yaw rate, 0.5 deg/s off": ("yaw_rate", np.radians(0.5), 1.0),
    "lateral g": ("lateral_acceleration", 0.0, 1.0),
    "lateral g, 0.03 g off": ("lateral_acceleration", 0.03 * G, 1.0),
    "lateral g, 0.03 g off, 5 % too much": ("lateral_acceleration", 0.03 * G, 1.05),
}


@dataclass(frozen=True)
class Driven:
    """A circuit with a run on it."""

    circuit: Circuit
    motion: Motion
    log: Log


def driven(circuit: Circuit, seed: int, laps: int) -> Driven:
    """A run on a circuit, with whatever wheels it got."""
    random = np.random.default_rng(seed)
    car = KART if circuit.length < 1500 else COUPE
    driver = Driver("driver", corner_level=float(random.uniform(0.9, 0.98)), scatter=0.01, line_scatter_m=0.3)
    motion = drive_run(circuit, car, driver, timed_laps=laps, seed=seed, line=racing_line(circuit))
    sensors = Sensors(speed_scale=1 + float(random.uniform(-0.015, 0.015)))
    return Driven(circuit, motion, record(circuit, car, motion, sensors, seed=seed, meta={}))


def blind(log: Log, role: str, bias: float, gain: float) -> Log:
    """The log with its speed and one sensor of turning."""
    return replace(
        log,
        channels=tuple(
            replace(channel, values=gain * channel.values + bias) if channel.role == role else channel
            for channel in log.channels
            if channel.role in ("speed", role)
        ),
    )


def shape_error(made: Reckoned, run: Driven) -> tuple[NDArray[np.float64], float]:
    """Distances (m) of a map from the line driven in one lap, as well as it can be laid over it, and its length's error
    as a share."""
    begin, end = run.motion.crossings[1], run.motion.crossings[2]
    inside = (run.motion.time >= begin) & (run.motion.time <= end)
    x, y = run.motion.x[inside], run.motion.y[inside]
    arc = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    even = np.linspace(0.0, 1.0, 2001)[:-1]
    true = np.interp(even * arc[-1], arc, x) + 1j * np.interp(even * arc[-1], arc, y)
    true -= true.mean()
    mx, my, _ = made.layout.centre.at(even * made.layout.length)
    own = mx + 1j * my
    own = own - own.mean()
    best = np.full(len(even), np.inf)
    for shift in range(len(even)):
        turned = np.roll(own, shift)
        factor = np.vdot(turned, true) / np.vdot(turned, turned)
        away = np.abs(factor * turned - true)
        if np.sum(away**2) < np.sum(best**2):
            best = away
    return best, made.layout.length / arc[-1] - 1.0


def random_circuits(count: int, first: int) -> list[Circuit]:
    """Circuits of the generator that `corners` judges by."""
    return [circuit_of(random_road(first + number), first + number) for number in range(count)]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--circuits", type=int, default=12)
    parser.add_argument("--laps", type=int, default=6)
    parser.add_argument("--first-seed", type=int, default=0)
    parser.add_argument("--smoke", action="store_true", help="one short circuit, to see that it runs")
    given = parser.parse_args()
    circuits = [bruchfeld_kart()]
    if not given.smoke:
        circuits += [ellerholm_park(), tamar_ring(), *random_circuits(given.circuits, given.first_seed)]
    runs = [driven(circuit, given.first_seed + number, given.laps) for number, circuit in enumerate(circuits)]
    print(f"{len(runs)} circuits of {min(c.length for c in circuits):.0f} to {max(c.length for c in circuits):.0f} m")
    print(f"{'sensor':36} {'made':>6} {'missed by':>16} {'shape off':>16} {'at most':>9} {'of a lap':>9} {'length':>8}")
    for sensor, (role, bias, gain) in SENSORS.items():
        gaps, errors, most, shares, lengths, failed = [], [], [], [], [], []
        for run in runs:
            try:
                made = reckon_layout(blind(run.log, role, bias, gain), "Reckoned")
            except Unusable as error:
                failed.append(f"{run.circuit.name}: {error}")
                continue
            away, length = shape_error(made, run)
            gaps.append(made.gap_m)
            errors.append(float(np.sqrt(np.mean(away**2))))
            most.append(float(away.max()))
            shares.append(1000 * errors[-1] / run.circuit.length)
            lengths.append(abs(length))
        print(
            f"{sensor:36} {len(gaps):>3}/{len(runs):<3}"
            f" {np.median(gaps):6.1f} (most {max(gaps):.0f}) {np.median(errors):6.2f} (most {max(errors):.1f})"
            f" {max(most):8.1f} {np.median(shares):8.2f}‰ {100 * max(lengths):6.1f} %"
        )
        for line in failed:
            print(f"    not made: {line}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
