"""Properties that hold for any input (Hypothesis)."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.log.repairs import tidy_clock
from lauftakt.core.placing.smoother import Nodes, Noise, smooth
from lauftakt.core.plane import Plane

places = st.tuples(st.floats(-70, 70), st.floats(-179, 179))


@given(places, st.floats(-4000, 4000), st.floats(-4000, 4000))
def test_plane_and_back(origin: tuple[float, float], x: float, y: float) -> None:
    plane = Plane(*origin)
    back = plane.to_xy(*plane.to_degrees(x, y))
    assert np.allclose([back[0][0], back[1][0]], [x, y], atol=1e-4)


@given(st.floats(60, 900), st.floats(0, 6.28), st.lists(st.floats(0, 6.2), min_size=3, max_size=30), st.floats(-8, 8))
@settings(deadline=None, max_examples=40)
def test_projection_onto_a_circle(radius: float, turn: float, angles: list[float], offset: float) -> None:
    length = 2 * np.pi * radius
    s = np.linspace(0, length, round(length) + 1)
    centre = CentreLine(radius * np.cos(s / radius + turn), radius * np.sin(s / radius + turn), s)
    at = np.array(angles)
    # Driving counter-clockwise the inside, towards the middle, is left.
    x, y = (radius - offset) * np.cos(at + turn), (radius - offset) * np.sin(at + turn)
    found_s, found_n = centre.project(x, y)
    gap = (found_s - at * radius + length / 2) % length - length / 2
    assert np.allclose(gap, 0, atol=0.02)
    assert np.allclose(found_n, offset, atol=0.02)


@given(st.lists(st.integers(-10_000, 1_000_000), min_size=5, max_size=60, unique=True), st.integers(0, 4))
def test_a_repaired_clock_rises(steps: list[int], repeats: int) -> None:
    time = np.sort(np.array(steps)) / 1000
    time = np.concatenate([time[:3], np.repeat(time[2:3], repeats), time[3:]])
    if repeats > len(steps):
        return
    keep, clock, warnings = tidy_clock(time)
    assert (np.diff(clock) > 0).all()
    assert clock[0] == 0
    assert keep.sum() == len(steps)
    assert any(w.code == "clock-repaired" for w in warnings) == (repeats > 0)


def straight_nodes(random: np.random.Generator, count: int, scale: float, drift: float, noise: float) -> Nodes:
    time = np.arange(count) * 0.1
    v = 30 + 10 * np.sin(time / 7)
    s = np.concatenate([[0], np.cumsum((v[1:] + v[:-1]) / 2 * 0.1)])
    fixes = s + drift + noise * random.standard_normal(count)
    return Nodes(
        time=time,
        s=s,
        advance=np.diff(s) / scale,
        swing=np.zeros(count - 1),
        along=fixes - s,
        across=noise * random.standard_normal(count),
        tangent=np.column_stack([np.ones(count), np.zeros(count)]),
        stretch=np.ones(count),
        pace=v,
        weight=np.ones(count),
    )


@given(st.integers(0, 10_000), st.floats(0.985, 1.015))
@settings(deadline=None, max_examples=15)
def test_smoother_finds_the_scale(seed: int, scale: float) -> None:
    nodes = straight_nodes(np.random.default_rng(seed), 1500, scale, 0.0, 0.3)
    found = smooth(nodes, Noise())
    assert abs(found.scale - scale) < 5 * found.scale_u + 1e-4


def test_draws_agree_with_the_dense_posterior() -> None:
    """The banded factor's draws have the covariance that the textbook formula gives."""
    nodes = straight_nodes(np.random.default_rng(3), 40, 1.004, 0.4, 0.3)
    noise = Noise(delay_s=1e-5)  # an unknown delay would shift everything by metres
    draws = smooth(nodes, noise, draws=6000).samples
    again = smooth(nodes, noise, draws=6000, seed=2).samples
    first, second = draws.var(axis=1), again.var(axis=1)
    assert np.allclose(first, second, rtol=0.12)
    # White noise of 0.3 m on 40 fixes and a drift of 1 m that hardly moves in 4 s: the drift rules.
    assert 0.8 < np.sqrt(first.mean()) < 1.2
    spread = (draws[-1] - draws[0]).std()
    assert spread < 0.5 * np.sqrt(first.mean())
