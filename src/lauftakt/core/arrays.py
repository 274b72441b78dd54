"""Small questions about arrays that several parts ask."""

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

T = TypeVar("T")


def spans(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Unbroken runs of True in (n,) values: first and past-the-last index of each, in order."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], np.asarray(mask).astype(np.int8), [0]])))
    return [(int(first), int(last)) for first, last in edges.reshape(-1, 2)]


def remembered(owner: Any, name: str, make: Callable[[], T]) -> T:
    """What was made of an object that never changes, kept with it: as ``functools.cached_property`` does, for functions
    that stand in a module above the object's own."""
    kept = owner.__dict__
    if name not in kept:
        kept[name] = make()
    found: T = kept[name]
    return found
