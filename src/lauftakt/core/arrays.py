"""Small questions about arrays that several parts ask."""

import numpy as np
from numpy.typing import NDArray


def spans(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Unbroken runs of True in (n,) values: first and past-the-last index of each, in order."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], np.asarray(mask).astype(np.int8), [0]])))
    return [(int(first), int(last)) for first, last in edges.reshape(-1, 2)]
