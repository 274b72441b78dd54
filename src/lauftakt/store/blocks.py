"""Arrays as compressed bytes, and channels as blocks of them."""

import numpy as np
import zstandard
from numpy.typing import NDArray

Array = NDArray[np.float64]

BLOCK_SAMPLES = 200_000


def pack(values: NDArray[np.floating], dtype: str = "<f4") -> bytes:
    """An array as little-endian floats, bytes shuffled so that they compress, then zstd."""
    raw = np.ascontiguousarray(values, dtype=dtype)
    shuffled = raw.view(np.uint8).reshape(-1, raw.itemsize).T.tobytes()
    return dtype[1:].encode() + zstandard.ZstdCompressor(level=1).compress(shuffled)


def unpack(data: bytes) -> NDArray[np.floating]:
    """The array that :func:`pack` was given, flat."""
    dtype = "<" + data[:2].decode()
    size = int(dtype[2:])
    shuffled = np.frombuffer(zstandard.ZstdDecompressor().decompress(data[2:]), dtype=np.uint8)
    return np.ascontiguousarray(shuffled.reshape(size, -1).T).view(dtype).ravel()
