"""The grip picture: what a car reached in every direction, and how often a channel has which value."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.comparison.envelope import DIRECTIONS, envelope, even_edges, seconds_at, share_used, time_shares
from lauftakt.core.comparison.grip import beside, corner_level


def driven(laps: int, top: float, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Laps that reach ``top`` in every direction, and half of it as often."""
    rng = np.random.default_rng(seed)
    turn = rng.uniform(0, 2 * np.pi, (laps, 4000))
    size = top * rng.choice([0.5, 1.0], turn.shape) * rng.normal(1.0, 0.01, turn.shape)
    return size * np.sin(turn), size * np.cos(turn)


def test_the_envelope_is_what_was_reached_in_every_direction() -> None:
    found = envelope(*driven(8, 12.0))
    assert found.level == pytest.approx(np.full(DIRECTIONS, 12.0), rel=0.03)
    assert (found.level_u < 0.1).all()


def test_the_doubt_is_how_far_runs_of_alike_laps_lie_apart() -> None:
    rng = np.random.default_rng(6)
    for laps in (20, 60):  # of a long run groups of laps are left out, not single ones
        found = []
        for run in range(16):
            ahead, aside = driven(laps, 12.0, seed=100 + run)
            strength = rng.normal(1.0, 0.03, (laps, 1))
            found.append(envelope(ahead * strength, aside * strength))
        apart = np.std([one.level for one in found], axis=0, ddof=1).mean()
        said = np.sqrt(np.mean([one.level_u**2 for one in found]))
        assert 0.65 < said / apart < 1.5, laps


def test_one_bump_is_no_grip_and_a_lap_of_its_own_is_doubtful() -> None:
    ahead, aside = driven(6, 10.0)
    ahead[2, 100], aside[2, 100] = 60.0, 0.0
    assert np.nanmax(envelope(ahead, aside).level) < 10.5
    ahead[0] *= 1.5
    aside[0] *= 1.5
    assert np.nanmedian(envelope(ahead, aside).level_u) > 0.5


def test_a_direction_that_was_not_driven_has_no_level() -> None:
    ahead, aside = driven(4, 10.0)
    braked = ahead < 0
    found = envelope(np.where(braked, np.nan, ahead), aside)
    assert np.isnan(found.level[DIRECTIONS // 2 + 1 : -1]).all()
    assert np.isfinite(found.level[1 : DIRECTIONS // 2 - 1]).all()
    nothing = envelope(np.zeros((0, 0)), np.zeros((0, 0)))
    assert np.isnan(nothing.level).all()


def test_a_lap_at_the_limit_uses_all_and_one_at_half_uses_half() -> None:
    of = envelope(*driven(8, 12.0))
    turn = np.linspace(0, 2 * np.pi, 900)
    spent = seconds_at(np.linspace(0, 30, 900))
    for share in (1.0, 0.5):
        found = share_used(12.0 * share * np.sin(turn), 12.0 * share * np.cos(turn), spent, of)
        assert found == pytest.approx(share, abs=0.03)
    assert share_used(np.full(9, np.nan), np.full(9, np.nan), np.arange(9.0), of) is None


def test_shares_are_of_the_time_not_of_the_metres() -> None:
    time = np.append(np.arange(50) * 0.1, 5.0 + np.arange(50) * 0.3)
    values = np.append(np.zeros(50), np.ones(50))
    shares = time_shares(values, seconds_at(time), np.array([-0.5, 0.5, 1.5]))
    assert shares == pytest.approx([0.25, 0.75], abs=0.01)
    assert np.isnan(time_shares(np.full(9, np.nan), np.arange(9.0), np.array([0.0, 1.0]))).all()


@given(st.floats(-1e5, 1e5), st.floats(0, 1e5), st.booleans())
def test_edges_hold_all_values(low: float, wide: float, stepped: bool) -> None:
    high = low + wide
    edges = even_edges(low, high, stepped=stepped)
    assert edges[0] <= low
    assert edges[-1] >= high
    assert (np.diff(edges) > 0).all()
    assert len(edges) < 110


def test_rain_is_less_grip_and_the_same_driver_again_is_level() -> None:
    rng = np.random.default_rng(9)
    dry, again, wet = (corner_level(rng.normal(level, 0.15, 8)) for level in (12.0, 12.0, 9.0))
    assert beside(wet, dry) == "less"
    assert beside(dry, wet) == "more"
    assert beside(again, dry) == "level"
    assert beside(corner_level(np.array([12.0, 12.1])), dry) is None
