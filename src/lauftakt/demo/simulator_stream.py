"""Stand-in for a simulator: drives a run at Ellerholm Park and sends its telemetry as UDP packets."""

import socket
import time
from collections.abc import Callable, Iterator

import numpy as np

from lauftakt.core.log.model import Log
from lauftakt.core.log.roles import ROLES
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver
from lauftakt.demo.line import racing_line
from lauftakt.demo.school import SCHOOL_CAR
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.packets import CHANNELS, Sample, encode, encode_labels

SI_TO_CANONICAL = {
    "km/h": 3.6,
    "%": 100.0,
    "deg": 180.0 / np.pi,
    "deg/s": 180.0 / np.pi,
    "rpm": 30.0 / np.pi,
    "g": 1 / 9.80665,
}


def packets(
    laps: int, driver: str, *, rate_hz: float = 50.0, seed: int = 77, run: int = 1
) -> Iterator[tuple[float, bytes]]:
    """The datagrams of one run with the moment of each, in seconds.

    Parameters
    ----------
    laps : timed laps
    driver : who drives, as the simulator says
    rate_hz : samples in a second
    seed : of the driver
    run : the run's number in the packets
    """
    circuit = ellerholm_park()
    person = Driver(driver, corner_level=0.95, brake_level=0.9, scatter=0.004)
    motion = drive_run(circuit, SCHOOL_CAR, person, timed_laps=laps, seed=seed, line=racing_line(circuit))
    exact = Sensors(drift_m=0.0, fix_m=0.0, speed_scale=1.0, speed_noise=0.0, fix_hz=rate_hz, fast_hz=rate_hz)
    log = record(circuit, SCHOOL_CAR, motion, exact, seed=seed, meta={})
    clock = np.arange(0.0, float(motion.time[-1]), 1.0 / rate_hz)
    columns = {name: _column(log, name, clock) for name in CHANNELS if name not in ("lap_distance", "brake_pedal")}
    pressure = log.role("brake_pressure")
    assert pressure is not None
    columns["brake_pedal"] = np.clip(
        np.interp(clock, pressure.time, pressure.values) / (SCHOOL_CAR.full_brake_bar * 1e3), 0.0, 100.0
    )
    lap = np.searchsorted(motion.crossings, clock, side="right")
    columns["lap_distance"] = np.interp(clock, motion.time, motion.distance) % circuit.length
    labels = {"driver": driver, "car": "Simulator coupé", "circuit": circuit.name, "kind": "practice"}
    for index, at in enumerate(clock):
        if index % round(rate_hz) == 0:
            yield float(at), encode_labels(run, labels)
        values = {name: float(column[index]) for name, column in columns.items()}
        yield float(at), encode(Sample(run=run, number=index, time=float(at), lap=int(lap[index]), **values))


def _column(log: Log, name: str, clock: np.ndarray) -> np.ndarray:
    channel = log.role(name)
    if channel is None:
        return np.zeros(len(clock))
    role = ROLES[name]
    factor = 1.0 if role.unit == role.assumed else SI_TO_CANONICAL.get(role.assumed, 1.0)
    return np.asarray(np.interp(clock, channel.time, channel.values * factor))


def run_simulator(host: str, port: int, laps: int, driver: str, speed: float, say: Callable[[str], None]) -> None:
    """Send one run, ``speed`` times as fast as it would be driven."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
        begin = time.monotonic()
        told = -1
        for at, data in packets(laps, driver):
            ahead = at / speed - (time.monotonic() - begin)
            if ahead > 0:
                time.sleep(ahead)
            sender.sendto(data, (host, port))
            if int(at) // 30 != told:
                told = int(at) // 30
                say(f"{int(at)} s driven …")
    say("The car stands.")
