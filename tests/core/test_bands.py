"""What a driver usually does: quartiles over laps."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from lauftakt.core.comparison.bands import FEWEST, band, restarted


def test_the_middle_half_of_five_laps() -> None:
    rows = np.array([[1.0], [5.0], [2.0], [4.0], [3.0]])
    found = band(rows)
    assert (found.low[0], found.middle[0], found.high[0]) == (2.0, 3.0, 4.0)


def test_one_lap_of_twelve_that_slipped_moves_nothing_much() -> None:
    rng = np.random.default_rng(3)
    rows = 30.0 + rng.normal(0.0, 0.2, (12, 400))
    slipped = rows.copy()
    slipped[4] -= 15.0
    apart = np.abs(band(slipped).middle - band(rows).middle)
    assert apart.max() < 0.4


def test_where_too_few_laps_tell_there_is_no_band() -> None:
    rows = np.array([[1.0, 1.0], [2.0, np.nan], [3.0, 3.0]])
    found = band(rows)
    assert np.isfinite(found.middle[0])
    assert np.isnan([found.low[1], found.middle[1], found.high[1]]).all()
    with pytest.raises(ValueError, match="3 laps"):
        band(rows[: FEWEST - 1])


def test_gears_are_never_averaged() -> None:
    rows = np.array([[2.0], [3.0], [3.0], [4.0]])
    found = band(rows, stepped=True)
    assert set(found.low) | set(found.middle) | set(found.high) <= {2.0, 3.0, 4.0}


@given(arrays(float, st.tuples(st.integers(FEWEST, 12), st.integers(1, 9)), elements=st.floats(-1e3, 1e3)))
def test_quartiles_are_in_order_and_inside_the_laps(rows: np.ndarray) -> None:
    for stepped in (False, True):
        found = band(rows, stepped=stepped)
        assert (found.low <= found.middle + 1e-9).all()
        assert (found.middle <= found.high + 1e-9).all()
        assert (found.low >= rows.min(axis=0) - 1e-9).all()
        assert (found.high <= rows.max(axis=0) + 1e-9).all()


def test_deltas_start_again_between_grid_points_and_at_the_ends() -> None:
    rows = np.array([np.arange(11) * 0.1, np.arange(11) * -0.2])
    grid = np.append(np.arange(10.0), 9.4)  # whole metres, and the end of the circuit
    assert restarted(rows, grid, 2.5)[:, 2] == pytest.approx([-0.05, 0.1])
    assert restarted(rows, grid, 0.0)[:, 0] == pytest.approx([0.0, 0.0])
    assert restarted(rows, grid, 9.4)[:, 10] == pytest.approx([0.0, 0.0])
    assert restarted(rows, grid, 99.0)[:, 10] == pytest.approx([0.0, 0.0])
