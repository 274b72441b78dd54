"""A block gives back what was put into it, or says that it does not: whatever bit of it was flipped."""

import numpy as np
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.store.blocks import expand, has_checksum, pack, squeeze, unpack
from lauftakt.store.damage import Damaged

VALUES = st.lists(st.floats(-1e6, 1e6, width=32), min_size=1, max_size=400)


@given(VALUES, st.sampled_from(["<f4", "<f8"]))
def test_what_is_packed_comes_back(values: list[float], dtype: str) -> None:
    found = unpack(pack(np.array(values), dtype))
    assert found.dtype == np.dtype(dtype)
    assert np.array_equal(found, np.array(values, dtype))


@given(VALUES, st.data())
def test_no_flipped_bit_gives_other_values(values: list[float], data: st.DataObject) -> None:
    block = bytearray(pack(np.array(values)))
    bit = data.draw(st.integers(0, 8 * len(block) - 1))
    block[bit // 8] ^= 1 << (bit % 8)
    try:
        found = unpack(bytes(block))
    except Damaged:
        return
    # A bit of the frame's head that says nothing of the content.
    assert found.dtype == np.dtype("<f4")
    assert np.array_equal(found, np.array(values, "<f4"))


def test_every_bit_of_a_blocks_content_counts() -> None:
    whole = pack(np.linspace(0.0, 50.0, 200))
    unnoticed = []
    for bit in range(8 * len(whole)):
        block = bytearray(whole)
        block[bit // 8] ^= 1 << (bit % 8)
        try:
            unpack(bytes(block))
            unnoticed.append(bit // 8)
        except Damaged:
            pass
    assert all(2 <= byte < 8 for byte in unnoticed), "only in the frame's head, where the content stays the same"


@pytest.mark.parametrize("block", [b"", b"f4", b"f4broken", b"f9" + squeeze(b"1234"), b"f4" + squeeze(b"12345")])
def test_what_is_no_block_is_damaged(block: bytes) -> None:
    with pytest.raises(Damaged):
        unpack(block)


def test_blocks_of_before_are_read_and_known() -> None:
    old = zstandard.ZstdCompressor(level=1).compress(b"abcdefgh")
    assert expand(old) == b"abcdefgh"
    assert not has_checksum(old)
    assert has_checksum(squeeze(b"abcdefgh"))
