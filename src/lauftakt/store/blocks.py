"""Arrays as compressed bytes, and channels as blocks of them."""

import numpy as np
import zstandard
from numpy.typing import NDArray

from lauftakt.store.damage import Damaged

Array = NDArray[np.float64]

BLOCK_SAMPLES = 200_000


def pack(values: NDArray[np.floating], dtype: str = "<f4") -> bytes:
    """An array as little-endian floats, bytes shuffled so that they compress, then zstd with its checksum."""
    raw = np.ascontiguousarray(values, dtype=dtype)
    shuffled = raw.view(np.uint8).reshape(-1, raw.itemsize).T.tobytes()
    return dtype[1:].encode() + squeeze(shuffled)


def squeeze(data: bytes, level: int = 1) -> bytes:
    """Bytes as a zstd frame with their checksum."""
    return zstandard.ZstdCompressor(level=level, write_checksum=True).compress(data)


def expand(data: bytes) -> bytes:
    """The bytes that :func:`squeeze` was given.

    Raises
    ------
    Damaged
        where they are others.
    """
    try:
        return zstandard.ZstdDecompressor().decompress(data)
    except (zstandard.ZstdError, MemoryError, ValueError) as error:
        raise Damaged("A block cannot be unpacked, or is not what was packed.") from error


def has_checksum(data: bytes) -> bool:
    """Whether a zstd frame carries a checksum; what an older version wrote does not."""
    return zstandard.get_frame_parameters(data).has_checksum


def unpack(data: bytes) -> NDArray[np.floating]:
    """The array that :func:`pack` was given, flat.

    Raises
    ------
    Damaged
        where it is not what was packed.
    """
    if data[:2] not in (b"f4", b"f8"):
        raise Damaged("A block begins with what no block begins with.")
    dtype = "<" + data[:2].decode()
    size = int(dtype[2:])
    shuffled = np.frombuffer(expand(data[2:]), dtype=np.uint8)
    if len(shuffled) % size:
        raise Damaged("A block is cut off.")
    return np.ascontiguousarray(shuffled.reshape(size, -1).T).view(dtype).ravel()
