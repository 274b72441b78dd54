"""Kinds of corner: slow, ordinary, fast and linked ones, as a layout's own pace tells them apart."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

from lauftakt.core.circuit.layout import Layout

SLOW, ORDINARY, FAST, LINKED = "slow", "ordinary", "fast", "linked"
KINDS = (SLOW, ORDINARY, FAST, LINKED)
# Shares of the mean speed of a lap: a kart loop has slow and fast corners as a grand circuit has.
SLOW_SHARE, FAST_SHARE = 0.6, 0.95


@dataclass(frozen=True)
class Kinds:
    """Kind of each passage by name, and the lowest speeds that part them, m/s."""

    of: Mapping[str, str]
    slow_ms: float
    fast_ms: float


def kinds_of(layout: Layout, slowest: Sequence[Mapping[str, float]], means: Sequence[float]) -> Kinds | None:
    """What kind each passage of a layout is.

    Parameters
    ----------
    layout : with its passages; one of several corners is linked, whatever the speed
    slowest : of each run, lowest speed by corner, m/s
    means : of each run, mean speed of its best lap, m/s

    Returns
    -------
    None where no run tells. A passage whose speed is not known has no kind.
    """
    if not means or not slowest:
        return None
    mean = median(means)
    found = {}
    for passage in layout.passages:
        speeds = [run[corner] for run in slowest for corner in passage.corners if corner in run]
        if len(passage.corners) > 1:
            found[passage.name] = LINKED
        elif speeds:
            share = median(speeds) / mean
            found[passage.name] = SLOW if share < SLOW_SHARE else FAST if share > FAST_SHARE else ORDINARY
    return Kinds(found, SLOW_SHARE * mean, FAST_SHARE * mean)
