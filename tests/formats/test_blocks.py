"""Samples survive the way into the database and back."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from lauftakt.store.blocks import pack, unpack


@given(arrays(np.float64, st.integers(0, 300), elements=st.floats(allow_nan=False, width=32)))
def test_pack_and_unpack(values: np.ndarray) -> None:
    assert np.array_equal(unpack(pack(values)), values.astype(np.float32))
    assert np.array_equal(unpack(pack(values, "<f8")), values)
