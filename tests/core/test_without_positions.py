"""Runs without positions: laps to some milliseconds by a trigger, places that do not creep, sensors with a bias."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.interpolate import Akima1DInterpolator

from lauftakt.core import Layout, Log, analyse_run, make_layout
from lauftakt.core.log.model import Channel
from lauftakt.core.log.sampling import sampling_doubt
from lauftakt.core.pipeline import place
from lauftakt.core.plane import Plane
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.scenario import Drive, Scenario, random_scenario

G = 9.81


def middle(circuit: Circuit) -> tuple[tuple[float, float], ...]:
    latitude, longitude = Plane(circuit.latitude, circuit.longitude).to_degrees(circuit.x[::10], circuit.y[::10])
    return tuple(zip(latitude.tolist(), longitude.tolist(), strict=True))


def blind(drive: Drive, *, trigger: bool, bias: float = 0.03 * G, begin: float = 20.0) -> tuple[Log, float]:
    """A log begun on the way, with speed and a biased lateral acceleration; also how much of the run it misses."""
    cut = drive.motion.crossings[0] + begin
    channels = []
    for channel in drive.log.channels:
        if channel.role in ("speed", "lateral_acceleration"):
            keep = channel.time >= cut
            values = channel.values[keep] + (bias if channel.role == "lateral_acceleration" else 0.0)
            channels.append(replace(channel, time=channel.time[keep] - cut, values=values))
    if trigger:
        time = np.arange(0.0, drive.motion.time[-1] - cut, 0.01)
        pulses = np.zeros(len(time))
        for crossing in drive.motion.crossings - cut:
            pulses[(time >= crossing) & (time < crossing + 0.05)] = 1.0
        channels.append(Channel("lap trigger", "1", "lap_trigger", time, pulses))
    return replace(drive.log, channels=tuple(channels)), float(cut)


def errors(scenario: Scenario, layout: Layout, *, trigger: bool) -> tuple[np.ndarray, np.ndarray]:
    """Lap times' errors (s) and places' errors (m) of the first drive."""
    drive, circuit = scenario.drives[0], scenario.circuit
    log, cut = blind(drive, trigger=trigger)
    crossings = drive.motion.crossings - cut
    wrong = []
    for lap in analyse_run(log, layout).laps:
        if lap.time_s is not None:
            index = int(np.argmin(np.abs(crossings - lap.start_s)))
            wrong.append(lap.time_s - (crossings[index + 1] - crossings[index]))
    assert len(wrong) >= len(crossings) - 2
    placed = place(log, layout)
    own = Plane(circuit.latitude, circuit.longitude)
    x, y = layout.plane.to_xy(*own.to_degrees(drive.motion.x, drive.motion.y))
    s, _ = layout.centre.project(x, y, drive.motion.heading)
    s = np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi) * layout.length
    inside = (placed.time > crossings[1]) & (placed.time < crossings[-1])
    away = placed.s[inside] - np.interp(placed.time[inside] + cut, drive.motion.time, s)
    return np.array(wrong), away - np.round(np.median(away) / layout.length) * layout.length


def day(kind: str, *, drawn: bool) -> tuple[Scenario, Layout]:
    scenario = random_scenario(3, laps=12 if kind == "bruchfeld" else 4, students=0, kind=kind)
    sketch = replace(scenario.sketch, centre=middle(scenario.circuit)) if drawn else scenario.sketch
    return scenario, make_layout([drive.log for drive in scenario.drives], sketch)[0]


def rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.mean(values**2)))


def test_a_kart_with_a_biased_sensor_and_a_trigger_on_a_drawn_loop() -> None:
    wrong, away = errors(*day("bruchfeld", drawn=True), trigger=True)
    assert rms(wrong) < 0.008
    assert np.median(np.abs(away)) < 2.0
    assert rms(away) < 4.0


@pytest.mark.parametrize("kind", ["bruchfeld", "ellerholm"])
def test_places_do_not_creep_round_the_circuit(kind: str) -> None:
    wrong, away = errors(*day(kind, drawn=False), trigger=False)
    # Fifteen laps that are each too short by some hundredths would add up.
    assert abs(float(np.mean(wrong))) < 0.009
    fifth = len(away) // 5
    assert abs(float(np.median(away[-fifth:]) - np.median(away[:fifth]))) < 1.0
    assert np.median(np.abs(away)) < 1.5


def test_a_share_of_the_lap_every_two_seconds() -> None:
    scenario, layout = day("ellerholm", drawn=True)
    drive, circuit = scenario.drives[0], scenario.circuit
    own = Plane(circuit.latitude, circuit.longitude)
    x, y = layout.plane.to_xy(*own.to_degrees(drive.motion.x, drive.motion.y))
    s, _ = layout.centre.project(x, y, drive.motion.heading)
    # The first share is written past the line.
    time = np.arange(drive.motion.crossings[0] + 1.3, drive.motion.time[-1], 2.0)
    unwrapped = np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi)
    share = np.round(np.interp(time, drive.motion.time, unwrapped) % 1.0, 4)
    channels = [c for c in drive.log.channels if c.role == "speed"]
    log = replace(drive.log, channels=(*channels, Channel("lap share", "1", "lap_share", time, share)))
    run = analyse_run(log, layout)
    for lap in (lap for lap in run.laps if lap.time_s is not None):
        index = int(np.argmin(np.abs(drive.motion.crossings - lap.start_s)))
        real = drive.motion.crossings[index + 1] - drive.motion.crossings[index]
        assert lap.time_u_s is not None
        assert lap.time_u_s < 0.03
        assert abs(lap.time_s - real) < max(3.5 * lap.time_u_s, 0.02)


def test_what_seldom_samples_leave_open() -> None:
    """Steady driving leaves only noise; a brake put on between two samples bends the way by what is stated."""
    random = np.random.default_rng(2)
    time = np.arange(0.0, 600.0, 1.0)
    doubt, noise = sampling_doubt(time, 30.0 + 0.05 * random.standard_normal(len(time)), 0.15)
    assert noise == pytest.approx(0.05, rel=0.35)
    fine = np.arange(0.0, 600.0, 0.01)
    # Braking at 9 m/s^2 for two seconds in every half minute, each time at another moment between two samples.
    begins = 30.0 * np.arange(20) + 10.0 + random.uniform(0.0, 1.0, 20)
    shape = np.zeros(len(fine))
    for begin in begins:
        shape += np.interp(fine - begin, [0.0, 2.0, 4.0, 14.0], [0.0, 18.0, 18.0, 0.0])
    speed = np.interp(time, fine, 40.0 - shape)
    doubt, _ = sampling_doubt(time, speed, 0.15)
    braking = np.min(np.abs(time[:, None] - begins[None, :] - 1.0), axis=1) < 2.0
    steady = np.max(np.where(np.abs(time[:, None] - begins[None, :] + 6.0) < 2.0, 1.0, 0.0), axis=1) > 0
    assert doubt[braking].mean() > 10 * doubt[steady].mean()
    # What is stated of a braking is no less than what the way under the samples is really wrong by. (Of one that lasts
    # no longer than two samples it is more: half as many samples miss it.)
    way = np.interp(time, fine, np.cumsum(40.0 - shape) * 0.01)
    told = Akima1DInterpolator(time, speed).antiderivative()(time)
    wrong = np.interp(begins + 6.0, time, told - way) - np.interp(begins - 5.0, time, told - way)
    assert 0.8 < np.sqrt(doubt[braking].sum() / 20) / rms(wrong) < 12.0
